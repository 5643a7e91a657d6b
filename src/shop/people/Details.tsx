import { useState } from 'react'
import { PEOPLE } from '../../core/words/en/people.ts'
import { say } from '../../core/words/message.ts'
import type { ShopPage } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { useAttempt } from '../useAttempt.ts'

/** The buyer's own name and address, to be put right. A new address counts once it is confirmed there. */
export function Details({ page: { visitor } }: { page: ShopPage }) {
  return visitor && <DetailsOf visitor={visitor} />
}

function DetailsOf({ visitor }: { visitor: NonNullable<ShopPage['visitor']> }) {
  const [isOpen, setOpen] = useState(false)
  const [name, setName] = useState(visitor.name)
  const [email, setEmail] = useState(visitor.email)
  const [said, setSaid] = useState<string | null>(null)
  const { error, isBusy, attempt } = useAttempt()
  const isNewEmail = email.trim().toLowerCase() !== visitor.email
  const save = async () => {
    setSaid(null)
    if (!(await attempt(() => unwrap(api.account.$put({ json: { name } }))))) return
    if (!isNewEmail) return location.reload()
    if (await attempt(() => unwrap(api.account.email.$post({ json: { email } }))))
      setSaid(say(PEOPLE.emailSent, { email: email.trim() }))
  }
  return (
    <section className="mt-9">
      <h2 className="text-[22px]">{PEOPLE.details}</h2>
      {!isOpen ? (
        <p className="mt-1 break-words">
          {say(PEOPLE.nameAndEmail, visitor)}{' '}
          <Button kind="link" onClick={() => setOpen(true)}>
            {PEOPLE.change}
          </Button>
        </p>
      ) : (
        <form
          method="dialog"
          noValidate
          className="mt-2 grid max-w-[420px] gap-3"
          onSubmit={(event) => {
            event.preventDefault()
            void save()
          }}
        >
          <Field label={PEOPLE.name} error={error?.at('/name')}>
            {(wiring) => (
              <input
                {...wiring}
                autoComplete="name"
                className={BOX_INPUT}
                value={name}
                onChange={(event) => setName(event.target.value)}
              />
            )}
          </Field>
          <Field
            label={PEOPLE.email}
            error={error?.at('/email') ?? (error?.problem.errors.length === 0 ? error.message : null)}
            hint={PEOPLE.emailHint}
          >
            {(wiring) => (
              <input
                {...wiring}
                type="email"
                autoComplete="email"
                className={BOX_INPUT}
                value={email}
                onChange={(event) => setEmail(event.target.value)}
              />
            )}
          </Field>
          <p role="status" className="empty:hidden">
            {said}
          </p>
          <div className="flex gap-2">
            <Button kind="press" type="submit" disabled={isBusy}>
              {PEOPLE.save}
            </Button>
            <Button onClick={() => setOpen(false)}>{PEOPLE.cancel}</Button>
          </div>
        </form>
      )}
    </section>
  )
}
