import type { UseQueryResult } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Work } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'
import { UnreadFields } from './UnreadFields.tsx'

interface OpenBenchProps<T> {
  query: UseQueryResult<T>
  children: (data: T) => ReactNode
}

/** The bench of one thing: what it is waits for, why it cannot be shown, or the thing, anew for each and in each mode. */
export function OpenBench<T extends { id: string }>({ query: { data, error }, children }: OpenBenchProps<T>) {
  const { mode } = useSession()
  if (error) return <Work bench={<p className="py-10 text-ink-2">{error.message}</p>} mirror={null} />
  if (!data) return <Work bench={<Waiting />} mirror={null} />
  return <UnreadFields key={`${data.id} ${mode}`}>{children(data)}</UnreadFields>
}
