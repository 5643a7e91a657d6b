import type { ReactNode } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { Field } from '../../ui/Field.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { queryClient } from '../api.ts'

interface SettingFormProps {
  id?: string
  title: string
  label: string
  hint: string
  /** What its button says. */
  saving: string
  save: () => Promise<unknown>
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
  const submit = async () => {
    if (!(await attempt(save))) return
    toast(saved)
    await queryClient.invalidateQueries()
  }
  return (
    <form
      id={id}
      noValidate
      aria-label={title}
      className="mt-6 border-t border-line pt-4"
      onSubmit={(event) => {
        event.preventDefault()
        void submit()
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
    </form>
  )
}
