import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { ApiError } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { queryClient } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'

/** Changes something that other ways may stand in the way of, and asks before it pauses them. */
export function useDisplacing(act: (displace: boolean) => Promise<unknown>, done: () => void) {
  const { error, isBusy, attempt } = useAttempt()
  const [question, setQuestion] = useState<string | null>(null)
  const run = (displace: boolean) =>
    attempt(async () => {
      try {
        await act(displace)
      } catch (problem) {
        if (!(problem instanceof ApiError) || problem.problem.code !== 'stands-alone') throw problem
        return setQuestion(problem.message)
      }
      setQuestion(null)
      done()
      await queryClient.invalidateQueries()
    })
  const dialog = question && (
    <Dialog title="It must stand alone" text={question} onClose={() => setQuestion(null)}>
      <div className="flex justify-end gap-2">
        <Button onClick={() => setQuestion(null)}>Leave it as it is</Button>
        <Button kind="press" onClick={() => run(true)}>
          Go on, and pause them
        </Button>
      </div>
    </Dialog>
  )
  return { error, isBusy, run, dialog }
}
