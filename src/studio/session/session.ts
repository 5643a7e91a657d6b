import { useMutation, useQuery } from '@tanstack/react-query'
import { dayIn, parseInstant } from '../../core/calendar/instant.ts'
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

/** The moment that the studio looks at, as an RFC 3339 instant: in Practice practice time, which may run ahead. */
export function useStudioNow(): string {
  const { school, mode } = useSession()
  return new Date(Date.now() + (mode === 'practice' ? school.practiceAheadMs : 0)).toISOString()
}

/** The school's date at that moment. */
export function useStudioToday(): string {
  const { school } = useSession()
  const instant = parseInstant(useStudioNow())
  if (!instant) throw new RangeError('The clock stands outside the years 2000 to 2999.')
  return dayIn(school.timeZone, instant)
}

/** How many days practice time runs ahead of what is looked at; 0 in Live. */
export function useDaysAhead(): number {
  const { school, mode } = useSession()
  return mode === 'practice' ? Math.round(school.practiceAheadMs / 86_400_000) : 0
}

/** Looks at the other mode from now on; everything shown is loaded anew. */
export function useSwitchMode() {
  return useMutation({
    mutationFn: (mode: Mode) => unwrap(api.school.mode.$put({ json: { mode } })),
    onSuccess: () => queryClient.resetQueries(),
  })
}

export function useSignOut() {
  return useMutation({
    mutationFn: () => unwrap(api.session['sign-out'].$post()),
    onSuccess: () => location.assign('/studio'),
  })
}
