import { useMutation } from '@tanstack/react-query'
import { Button } from '../../ui/Button.tsx'
import { IN_PLACE } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'

interface Confirmation {
  /** The code of the problem that is a question: what follows is said before, and meant or not. */
  code: string
  title: string
  /** What the button says by which it is meant. */
  confirmLabel: string
  isDanger?: boolean
}

/** Ways that stand in the way of one that must stand alone are paused only by whoever was asked. */
export const DISPLACING: Confirmation = {
  code: 'stands-alone',
  title: 'It must be the only payment method',
  confirmLabel: 'Continue and pause the others',
}

/** Does something of which the server may say what would follow, and asks before it is done all the same. */
export function useConfirmation(
  { code, title, confirmLabel, isDanger = false }: Confirmation,
  act: (isSure: boolean) => Promise<unknown>,
  done: () => void,
) {
  const { mutate, error, isPending, reset } = useMutation({
    mutationFn: (isSure: boolean) => act(isSure),
    onSuccess: () => done(),
    meta: IN_PLACE,
  })
  const isQuestion = error?.problem.code === code
  const dialog = isQuestion && (
    <Dialog title={title} text={error.message} onClose={reset}>
      <div className="flex justify-end gap-2">
        <Button onClick={reset}>Leave it as it is</Button>
        <Button kind={isDanger ? 'danger' : 'press'} disabled={isPending} onClick={() => mutate(true)}>
          {confirmLabel}
        </Button>
      </div>
    </Dialog>
  )
  return { error: isQuestion ? null : error, isBusy: isPending, run: mutate, dialog }
}
