import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { sayMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'
import { Waiting } from '../frame/Waiting.tsx'
import { signOut, useSession } from '../session/session.ts'
import { deviceInWords } from './device.ts'
import { SetupFrame } from './SetupPage.tsx'

const loadAccount = () => unwrap(api.account.$get())

/** Setup → Your account: name, email, password, and where the creator is signed in. */
export function AccountPage() {
  const account = useQuery({ queryKey: ['account'], queryFn: loadAccount })
  return (
    <SetupFrame
      bench={
        <>
          <div className="flex flex-wrap items-start justify-between gap-3">
            <h1 className="text-[27px]">Your account</h1>
            <Button onClick={() => void signOut()}>Sign out</Button>
          </div>
          {account.data ? (
            <>
              <NameForm first={account.data.name} />
              <EmailForm now={account.data.email} />
              <PasswordForm />
              <Devices devices={account.data.devices} />
            </>
          ) : (
            <Waiting error={account.error} />
          )}
        </>
      }
      mirror={null}
    />
  )
}

const FORM = 'mt-5 max-w-[460px] border-t border-line pt-4'

function NameForm({ first }: { first: string }) {
  const [name, setName] = useState(first)
  const { error, isBusy, attempt } = useAttempt()
  const save = async () => {
    if (!(await attempt(() => unwrap(api.account.name.$put({ json: { name } }))))) return
    toast('Saved.')
    await queryClient.invalidateQueries()
  }
  return (
    <form
      noValidate
      aria-label="Name"
      className={FORM}
      onSubmit={(event) => {
        event.preventDefault()
        void save()
      }}
    >
      <Field label="Your name" error={error?.at('/name') ?? error?.message}>
        {(wiring) => (
          <input
            {...wiring}
            autoComplete="name"
            className={BOX_INPUT}
            maxLength={100}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        )}
      </Field>
      <Button type="submit" className="mt-3" disabled={isBusy}>
        Save the name
      </Button>
    </form>
  )
}

function EmailForm({ now }: { now: string }) {
  const [form, setForm] = useState({ email: '', password: '' })
  const [sentTo, setSentTo] = useState<string | null>(null)
  const { error, isBusy, attempt } = useAttempt()
  const ask = async () => {
    if (!(await attempt(() => unwrap(api.account.email.$put({ json: form }))))) return
    setSentTo(form.email)
    setForm({ email: '', password: '' })
  }
  return (
    <form
      noValidate
      aria-label="Email"
      className={FORM}
      onSubmit={(event) => {
        event.preventDefault()
        void ask()
      }}
    >
      <h2 className="text-[17px]">Email</h2>
      <p className="mt-1 mb-3 text-ink-2">
        You sign in with {now}. Another one becomes yours when you open the link that is sent there.
      </p>
      <div className="grid gap-3">
        <Field label="New email" error={error?.at('/email')}>
          {(wiring) => (
            <input
              {...wiring}
              type="email"
              autoComplete="email"
              className={BOX_INPUT}
              maxLength={254}
              value={form.email}
              onChange={(event) => setForm({ ...form, email: event.target.value })}
            />
          )}
        </Field>
        <Password
          label="Your password"
          autoComplete="current-password"
          error={error?.at('/password')}
          value={form.password}
          onChange={(password) => setForm({ ...form, password })}
        />
      </div>
      <Refusal error={error} />
      <Button type="submit" className="mt-3" disabled={isBusy}>
        Send the link
      </Button>
      {sentTo && (
        <p role="status" className="mt-2">
          A link is on its way to {sentTo}. Until you open it, nothing changes.
        </p>
      )}
    </form>
  )
}

function PasswordForm() {
  const [form, setForm] = useState({ current: '', password: '' })
  const { error, isBusy, attempt } = useAttempt()
  const save = async () => {
    if (!(await attempt(() => unwrap(api.account.password.$put({ json: form }))))) return
    setForm({ current: '', password: '' })
    toast('Saved. Every other device is signed out.')
    await queryClient.invalidateQueries({ queryKey: ['account'] })
  }
  return (
    <form
      noValidate
      aria-label="Password"
      className={FORM}
      onSubmit={(event) => {
        event.preventDefault()
        void save()
      }}
    >
      <h2 className="text-[17px]">Password</h2>
      <div className="mt-3 grid gap-3">
        <Password
          label="Current password"
          autoComplete="current-password"
          error={error?.at('/current')}
          value={form.current}
          onChange={(current) => setForm({ ...form, current })}
        />
        <Password
          label="New password"
          autoComplete="new-password"
          hint="At least 10 characters. Every other device is signed out."
          error={error?.at('/password')}
          value={form.password}
          onChange={(password) => setForm({ ...form, password })}
        />
      </div>
      <Refusal error={error} />
      <Button type="submit" className="mt-3" disabled={isBusy}>
        Save the password
      </Button>
    </form>
  )
}

interface PasswordProps {
  label: string
  autoComplete: string
  hint?: string
  error: string | undefined
  value: string
  onChange: (value: string) => void
}

function Password({ label, autoComplete, hint, error, value, onChange }: PasswordProps) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(wiring) => (
        <input
          {...wiring}
          type="password"
          autoComplete={autoComplete}
          className={BOX_INPUT}
          value={value}
          onChange={(event) => onChange(event.target.value)}
        />
      )}
    </Field>
  )
}

/** What was refused, and stands at no field. */
function Refusal({ error }: { error: ReturnType<typeof useAttempt>['error'] }) {
  if (!error || error.problem.errors.length > 0) return null
  return (
    <p role="alert" className="mt-2 font-medium text-failed">
      {error.message}
    </p>
  )
}

type Device = Awaited<ReturnType<typeof loadAccount>>['devices'][number]

/** Where the creator is signed in. */
function Devices({ devices }: { devices: Device[] }) {
  const { school } = useSession()
  const done = async (said: string) => {
    toast(said)
    await queryClient.invalidateQueries({ queryKey: ['account'] })
  }
  const close = async (id: string) => {
    await unwrap(api.account.devices[':id'].$delete({ param: { id } }))
    await done('That device is signed out.')
  }
  const closeAll = async () => {
    await unwrap(api.account.devices.$delete())
    await done('Signed out everywhere else.')
  }
  return (
    <section className="mt-5 max-w-[620px] border-t border-line pt-4">
      <h2 className="text-[17px]">Signed in on</h2>
      <ul className="mt-2">
        {devices.map(({ id, device, createdAt, isThis }) => (
          <li key={id} className="flex flex-wrap items-baseline gap-x-3 border-b border-line py-2">
            <b className="font-semibold">{deviceInWords(device)}</b>
            <span className="text-[13.5px] text-ink-2">since {sayMoment(createdAt, school.timeZone)}</span>
            <span className="ml-auto">
              {isThis ? (
                <span className="text-[13.5px] text-ink-2">this device</span>
              ) : (
                <Button kind="link" onClick={() => void close(id)}>
                  Sign out there
                </Button>
              )}
            </span>
          </li>
        ))}
      </ul>
      {devices.length > 1 && (
        <Button className="mt-3" onClick={() => void closeAll()}>
          Sign out everywhere else
        </Button>
      )}
    </section>
  )
}
