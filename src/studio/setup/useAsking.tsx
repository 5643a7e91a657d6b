import { useState } from 'react'
import { Button } from '../../ui/Button.tsx'
import { ApiError } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { queryClient } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'

interface Asking {
  /** The code of the problem that is a question: what follows is said before, and meant or not. */
  code: string
  title: string
  /** What the button says by which it is meant. */
  goOn: string
  isDanger?: boolean
}

/** Ways that stand in the way of one that must stand alone are paused only by whoever was asked. */
export const DISPLACING: Asking = {
  code: 'stands-alone',
  title: 'It must be the only one',
  goOn: 'Go on, and pause them',
}

/** Does something of which the server may say what would follow, and asks before it is done all the same. */
export function useAsking(
  { code, title, goOn, isDanger = false }: Asking,
  act: (isSure: boolean) => Promise<unknown>,
  done: () => void,
) {
  const { error, isBusy, attempt } = useAttempt()
  const [question, setQuestion] = useState<string | null>(null)
  const run = (isSure: boolean) =>
    attempt(async () => {
      try {
        await act(isSure)
      } catch (problem) {
        if (!(problem instanceof ApiError) || problem.problem.code !== code) throw problem
        return setQuestion(problem.message)
      }
      setQuestion(null)
      done()
      await queryClient.invalidateQueries()
    })
  const dialog = question && (
    <Dialog title={title} text={question} onClose={() => setQuestion(null)}>
      <div className="flex justify-end gap-2">
        <Button onClick={() => setQuestion(null)}>Leave it as it is</Button>
        <Button kind={isDanger ? 'danger' : 'press'} disabled={isBusy} onClick={() => run(true)}>
          {goOn}
        </Button>
      </div>
    </Dialog>
  )
  return { error, isBusy, run, dialog }
}
