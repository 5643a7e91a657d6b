import type { ValidationTargets } from 'hono'
import { validator } from 'hono/validator'
import * as v from 'valibot'
import { Problem } from './problem.ts'

/** The schema behind each validating middleware, from which the OpenAPI description is made. */
export const schemaOf = new WeakMap<object, { target: keyof ValidationTargets; schema: v.GenericSchema }>()

/** Validates a part of the request; what is wrong is answered with pointers to the fields. */
export function validate<const T extends 'json' | 'query' | 'param', const S extends v.GenericSchema>(
  target: T,
  schema: S,
) {
  const middleware = validator(target, (value: v.InferInput<S>): v.InferOutput<S> => {
    const parsed = v.safeParse(schema, value)
    if (parsed.success) return parsed.output
    throw new Problem(
      422,
      'invalid',
      'Something needs to be put right.',
      parsed.issues.map((issue) => ({ at: pointerOf(issue), why: issue.message })),
    )
  })
  schemaOf.set(middleware, { target, schema })
  return middleware
}

function pointerOf(issue: v.BaseIssue<unknown>): string {
  const keys = issue.path?.map((part) => String(part.key)) ?? []
  return keys.map((key) => `/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('')
}
