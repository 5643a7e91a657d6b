import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { useSession } from '../session/session.ts'

const loadOrder = (id: string) => unwrap(api.orders[':id'].$get({ param: { id } }))
export type Order = Awaited<ReturnType<typeof loadOrder>>

export function useOrder(id: string | undefined) {
  const { mode } = useSession()
  return useQuery({
    queryKey: ['order', mode, id],
    enabled: id !== undefined,
    queryFn: () => loadOrder(id as string),
    placeholderData: keepPreviousData,
  })
}

/** Whether all that an order buys had been opened by other orders before its money came: it opens nothing. */
export function isPaidTwice({ lines }: Order): boolean {
  return lines.every(({ duplicateOf }) => duplicateOf !== null)
}
