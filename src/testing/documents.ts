type Json = Record<string, unknown>

/** A copy of a document with what stands at a pointer replaced; `undefined` takes it away. */
export function withAt(document: Json, pointer: string, value: unknown): unknown {
  const copy = structuredClone(document)
  const keys = pointer.split('/').slice(1)
  const last = keys.pop()
  if (last === undefined) return value
  const place = keys.reduce((inside, key) => inside[key] as Json, copy)
  if (value === undefined) delete place[last]
  else place[last] = value
  return copy
}

/** The pointers of all that stands in a document, its own first. */
export function pointersOf(value: unknown, at = ''): string[] {
  if (typeof value !== 'object' || value === null) return [at]
  return [at, ...Object.entries(value).flatMap(([key, inner]) => pointersOf(inner, `${at}/${key}`))]
}
