/** What the API says when something is wrong (RFC 9457), as screens need it. */
export interface ApiProblem {
  status: number
  code: string
  title: string
  errors: { at: string; why: string }[]
  more: Record<string, unknown>
}

/** An answer of the API that is no success. */
export class ApiError extends Error {
  override name = 'ApiError'
  constructor(readonly problem: ApiProblem) {
    super(problem.title)
  }

  /** What is wrong with one field, by its pointer. */
  at(pointer: string): string | undefined {
    return this.problem.errors.find((error) => error.at === pointer)?.why
  }
}

/** An answer as the typed client gives it. */
export interface JsonAnswer<T> {
  ok: boolean
  status: number
  json(): Promise<T>
}

/** The body of a good answer. @throws ApiError for any other, and where no answer came. */
export async function unwrap<T>(call: Promise<JsonAnswer<T>>): Promise<T> {
  const answer = await call.catch((): never => {
    throw new ApiError({
      status: 0,
      code: 'offline',
      title: 'The server does not answer. Nothing you typed is lost; try again.',
      errors: [],
      more: {},
    })
  })
  if (answer.ok) return answer.json()
  const body = (await answer.json().catch(() => ({}))) as Record<string, unknown>
  const { title, code, errors, status: _status, type: _type, ...more } = body
  throw new ApiError({
    status: answer.status,
    code: String(code ?? 'unknown'),
    title: String(title ?? 'Something went wrong on our side. Try again.'),
    errors: Array.isArray(errors) ? (errors as ApiProblem['errors']) : [],
    more,
  })
}
