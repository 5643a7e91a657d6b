import { useQuery } from '@tanstack/react-query'
import type { MoneyFormat } from '../../core/money/format.ts'
import type { Mode } from '../../server/client.ts'
import { unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'

const loadSession = () => unwrap(api.session.$get())

export function useSessionQuery() {
  return useQuery({ queryKey: ['session'], queryFn: loadSession, staleTime: Number.POSITIVE_INFINITY })
}

/** The signed-in creator's school and mode. Only below the sign-in. */
export function useSession() {
  const { data } = useSessionQuery()
  if (!data?.creator || !data.school || !data.mode) throw new Error('There is no session here.')
  return { creator: data.creator, school: data.school, mode: data.mode }
}

export function useMoney(): MoneyFormat {
  return useSession().school
}

/** Looks at the other mode from now on; everything shown is loaded anew. */
export async function switchMode(mode: Mode) {
  await unwrap(api.school.mode.$put({ json: { mode } }))
  await queryClient.resetQueries()
}

export async function signOut() {
  await unwrap(api.session['sign-out'].$post())
  location.assign('/studio')
}
