import type { ReactNode } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { Field } from '../../ui/Field.tsx'
import { useConfirmation } from './useConfirmation.tsx'

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
  const asking = { code: 'would-stop', title, confirmLabel: `${saving} anyway`, isDanger: true }
  const { error, isBusy, run, dialog } = useConfirmation(asking, save, () => toast(saved))
  return (
    <form
      id={id}
      noValidate
      aria-label={title}
      className="mt-6 border-t border-line pt-4"
      onSubmit={(event) => {
        event.preventDefault()
        run(false)
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
      {dialog}
    </form>
  )
}
