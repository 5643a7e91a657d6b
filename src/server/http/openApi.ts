import { toJsonSchema } from '@valibot/to-json-schema'
import type { Hono } from 'hono'
import { schemaOf } from './validate.ts'

type Operation = {
  parameters?: { name: string; in: 'path' | 'query' | 'header'; required: boolean; schema: object }[]
  requestBody?: object
  responses: object
}

const PROBLEM = {
  description: 'A problem, RFC 9457',
  content: { 'application/problem+json': { schema: { type: 'object' } } },
}

/** The OpenAPI description of the API, made from the schemas that its routes validate with. */
// biome-ignore lint/suspicious/noExplicitAny: routes of any environment and schema are described alike.
export function describeApi(app: Hono<any, any, any>, prefix: string) {
  const paths: Record<string, Record<string, Operation>> = {}
  for (const { path, method, handler } of app.routes) {
    if (method === 'ALL' || !path.startsWith(prefix)) continue
    const key = path.replace(/:([a-zA-Z]+)\??/g, '{$1}')
    paths[key] ??= {}
    const operations = paths[key] as Record<string, Operation>
    operations[method.toLowerCase()] ??= { responses: { 200: { description: 'Done' }, default: PROBLEM } }
    const validated = schemaOf.get(handler)
    if (validated)
      addInput(
        operations[method.toLowerCase()] as Operation,
        validated.target,
        toJsonSchema(validated.schema, { errorMode: 'ignore', typeMode: 'input' }),
      )
  }
  return { openapi: '3.1.0', info: { title: 'Young Acorn', version: '1' }, paths }
}

function addInput(operation: Operation, target: string, schema: { properties?: object; required?: string[] }) {
  if (target === 'json') {
    operation.requestBody = { required: true, content: { 'application/json': { schema } } }
    return
  }
  const place: 'path' | 'query' | 'header' = target === 'param' ? 'path' : target === 'header' ? 'header' : 'query'
  operation.parameters = [
    ...(operation.parameters ?? []),
    ...Object.entries(schema.properties ?? {}).map(([name, property]) => ({
      name,
      in: place,
      required: place === 'path' || (schema.required ?? []).includes(name),
      schema: property as object,
    })),
  ]
}
