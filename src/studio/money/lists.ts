/** The lists of a span: money that moved in it, whole or by what was sold, or the payments due in it by how they stand. */
export const DUE_LISTS = ['paid', 'awaited', 'late', 'given-up', 'to-come'] as const
export type DueList = (typeof DUE_LISTS)[number]
export type ListOf = DueList | 'received' | 'products'

/** The list that the address asks for; null: all that is due. */
export function listIn(params: URLSearchParams): ListOf | null {
  const name = params.get('list')
  return name === 'received' || name === 'products' ? name : (DUE_LISTS.find((known) => known === name) ?? null)
}
