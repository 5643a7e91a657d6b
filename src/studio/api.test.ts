import { MutationObserver, QueryObserver } from '@tanstack/react-query'
import { expect, it } from 'vitest'
import { queryClient } from './api.ts'

it('a first answer that was on its way while something changed does not stand', async () => {
  let stored = 'before'
  let answerFirst = () => {}
  const first = new Promise<void>((resolve) => {
    answerFirst = resolve
  })
  let asked = 0
  const clock = new QueryObserver(queryClient, {
    queryKey: ['clock'],
    queryFn: async () => {
      const answer = stored
      if (++asked === 1) await first
      return answer
    },
  })
  const stop = clock.subscribe(() => {})
  const change = new MutationObserver(queryClient, {
    mutationFn: async () => {
      stored = 'after'
    },
    meta: { invalidates: [['clock']] },
  })
  const changed = change.mutate()
  await new Promise((resolve) => setTimeout(resolve))
  answerFirst()
  await changed
  expect(clock.getCurrentResult().data).toBe('after')
  expect(asked).toBe(2)
  stop()
})
