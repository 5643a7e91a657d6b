import * as v from 'valibot'

type AnySchema = v.BaseSchema<unknown, unknown, v.BaseIssue<unknown>>
/** The parts of Valibot's schemas that hold others, as far as the product's own are made of them. */
interface Parts {
  type: string
  pipe?: readonly (AnySchema | object)[]
  entries?: Record<string, AnySchema>
  item?: AnySchema
  wrapped?: AnySchema
  default?: unknown
  options?: AnySchema[]
  key?: string | AnySchema
  value?: AnySchema
}

/**
 * The same schema, which refuses fields that it does not know, at any depth: forms are sent by our own pages, a file is
 * written by hand.
 * @throws Error of a kind of schema that it does not know.
 */
export function strictly<S extends AnySchema>(schema: S): S {
  return rebuilt(schema as AnySchema) as S
}

function rebuilt(schema: AnySchema): AnySchema {
  const { pipe, ...parts } = schema as AnySchema & Parts
  if (pipe) {
    const [first, ...actions] = pipe as [AnySchema, ...never[]]
    return (v.pipe as unknown as (...items: unknown[]) => AnySchema)(rebuilt(first), ...actions)
  }
  switch (parts.type) {
    case 'object':
    case 'strict_object':
      return v.strictObject(mapped(parts.entries ?? {}))
    case 'array':
      return v.array(rebuilt(parts.item as AnySchema))
    case 'nullable':
      return v.nullable(rebuilt(parts.wrapped as AnySchema))
    case 'optional':
      return v.optional(rebuilt(parts.wrapped as AnySchema), parts.default as never)
    case 'union':
      return v.union((parts.options ?? []).map(rebuilt))
    case 'variant':
      return v.variant(parts.key as string, (parts.options ?? []).map(rebuilt) as never)
    case 'record':
      return v.record(parts.key as never, rebuilt(parts.value as AnySchema))
    case 'string':
    case 'number':
    case 'boolean':
    case 'literal':
    case 'picklist':
      return schema
    default:
      throw new Error(`A schema of type ${parts.type} cannot be made strict.`)
  }
}

function mapped(entries: Record<string, AnySchema>): Record<string, AnySchema> {
  return Object.fromEntries(Object.entries(entries).map(([name, schema]) => [name, rebuilt(schema)]))
}
