import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { Field } from '../../ui/Field.tsx'
import { ApiError } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { queryClient } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'

interface SettingFormProps {
  id?: string
  title: string
  label: string
  hint: string
  /** What its button says. */
  saving: string
  /** Saves it; `isSure` where it was asked whether what follows is meant. */
  save: (isSure: boolean) => Promise<unknown>
  /** What is said once it is saved. */
  saved: string
  isWide?: boolean
  children: Parameters<typeof Field>[0]['children']
}

/** One setting of the school: its field, what is wrong with it, and a button that saves it alone. */
export function SettingForm({
  id,
  title,
  label,
  hint,
  saving,
  save,
  saved,
  isWide = false,
  children,
}: SettingFormProps): ReactNode {
  const { error, isBusy, attempt } = useAttempt()
  const [question, setQuestion] = useState<string | null>(null)
  const submit = (isSure: boolean) =>
    attempt(async () => {
      try {
        await save(isSure)
      } catch (problem) {
        if (!(problem instanceof ApiError) || problem.problem.code !== 'would-stop') throw problem
        return setQuestion(problem.message)
      }
      setQuestion(null)
      toast(saved)
      await queryClient.invalidateQueries()
    })
  return (
    <form
      id={id}
      noValidate
      aria-label={title}
      className="mt-6 border-t border-line pt-4"
      onSubmit={(event) => {
        event.preventDefault()
        void submit(false)
      }}
    >
      <h2 className="text-[17px]">{title}</h2>
      <Field
        label={label}
        error={error?.problem.errors[0]?.why ?? error?.message}
        hint={hint}
        className={isWide ? 'mt-3' : 'mt-3 max-w-[420px]'}
      >
        {children}
      </Field>
      <p className="mt-3">
        <Button type="submit" disabled={isBusy}>
          {saving}
        </Button>
      </p>
      {question && (
        <Dialog title={title} text={question} onClose={() => setQuestion(null)}>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setQuestion(null)}>Leave it as it is</Button>
            <Button kind="danger" disabled={isBusy} onClick={() => submit(true)}>
              {saving} all the same
            </Button>
          </div>
        </Dialog>
      )}
    </form>
  )
}
