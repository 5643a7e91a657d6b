import type { ValidationTargets } from 'hono'
import { validator } from 'hono/validator'
import * as v from 'valibot'
import { unstorableTexts } from './plainText.ts'
import { type FieldError, Problem } from './problem.ts'

/** The schema behind each validating middleware, from which the OpenAPI description is made. */
export const schemaOf = new WeakMap<object, { target: keyof ValidationTargets; schema: v.GenericSchema }>()

/**
 * Validates a part of the request; what is wrong is answered with pointers to the fields.
 * @throws Problem 400 where a body is no JSON, 422 where it is not what is asked for.
 */
export function validate<const T extends 'json' | 'query' | 'param', const S extends v.GenericSchema>(
  target: T,
  schema: S,
) {
  const middleware = validator(target, (value: v.InferInput<S>, c): v.InferOutput<S> => {
    if (target === 'json' && !isJson(c.req.header('content-type'))) {
      throw new Problem(400, 'bad-request', 'Send JSON, with the content type application/json.')
    }
    const unstorable = unstorableTexts(value)
    if (unstorable.length > 0) throw invalid(unstorable)
    const parsed = v.safeParse(schema, value)
    if (parsed.success) return parsed.output
    throw invalid(parsed.issues.map((issue) => ({ at: pointerOf(issue), why: issue.message })))
  })
  schemaOf.set(middleware, { target, schema })
  return middleware
}

function invalid(errors: FieldError[]): Problem {
  return new Problem(422, 'invalid', 'Something needs to be corrected.', errors)
}

function isJson(type: string | undefined): boolean {
  return /^application\/([\w.+-]+\+)?json\s*(;|$)/i.test(type ?? '')
}

function pointerOf(issue: v.BaseIssue<unknown>): string {
  const keys = issue.path?.map((part) => String(part.key)) ?? []
  return keys.map((key) => `/${key.replaceAll('~', '~0').replaceAll('/', '~1')}`).join('')
}
