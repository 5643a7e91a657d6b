import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { type ApiError, unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE } from '../api.ts'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession, useSignOut } from '../session/session.ts'
import { deviceInWords } from './device.ts'
import { SetupFrame } from './SetupPage.tsx'

const loadAccount = () => unwrap(api.account.$get())

/** Setup → Your account: name, email, password, and where the creator is signed in. */
export function AccountPage() {
  const signOut = useSignOut()
  const account = useQuery({ queryKey: ['account'], queryFn: loadAccount })
  return (
    <SetupFrame
      bench={
        <>
          <div className="flex flex-wrap items-start justify-between gap-3">
            <h1 className="text-[27px]">Your account</h1>
            <Button onClick={() => signOut.mutate()}>Sign out</Button>
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
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.account.name.$put({ json: { name } })),
    onSuccess: () => toast('Saved.'),
    meta: IN_PLACE,
  })
  return (
    <form
      noValidate
      aria-label="Name"
      className={FORM}
      onSubmit={(event) => {
        event.preventDefault()
        mutate()
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
      <Button type="submit" className="mt-3" disabled={isPending}>
        Save the name
      </Button>
    </form>
  )
}

function EmailForm({ now }: { now: string }) {
  const [form, setForm] = useState({ email: '', password: '' })
  const { mutate, variables, error, isPending, isSuccess } = useMutation({
    mutationFn: (json: typeof form) => unwrap(api.account.email.$put({ json })),
    onSuccess: () => setForm({ email: '', password: '' }),
    meta: IN_PLACE,
  })
  return (
    <form
      noValidate
      aria-label="Email"
      className={FORM}
      onSubmit={(event) => {
        event.preventDefault()
        mutate(form)
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
      <Button type="submit" className="mt-3" disabled={isPending}>
        Send the link
      </Button>
      {isSuccess && (
        <p role="status" className="mt-2">
          A link is on its way to {variables.email}. Until you open it, nothing changes.
        </p>
      )}
    </form>
  )
}

function PasswordForm() {
  const [form, setForm] = useState({ current: '', password: '' })
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.account.password.$put({ json: form })),
    onSuccess: () => {
      setForm({ current: '', password: '' })
      toast('Saved. Every other device is signed out.')
    },
    meta: { ...IN_PLACE, invalidates: [['account']] },
  })
  return (
    <form
      noValidate
      aria-label="Password"
      className={FORM}
      onSubmit={(event) => {
        event.preventDefault()
        mutate()
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
      <Button type="submit" className="mt-3" disabled={isPending}>
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
function Refusal({ error }: { error: ApiError | null }) {
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
  const close = useMutation({
    mutationFn: (id: string) => unwrap(api.account.devices[':id'].$delete({ param: { id } })),
    onSuccess: () => toast('That device is signed out.'),
    meta: { invalidates: [['account']] },
  })
  const closeAll = useMutation({
    mutationFn: () => unwrap(api.account.devices.$delete()),
    onSuccess: () => toast('Signed out everywhere else.'),
    meta: { invalidates: [['account']] },
  })
  return (
    <section className="mt-5 max-w-[620px] border-t border-line pt-4">
      <h2 className="text-[17px]">Signed in on</h2>
      <ul className="mt-2">
        {devices.map(({ id, device, createdAt, isThis }) => (
          <li key={id} className="flex flex-wrap items-baseline gap-x-3 border-b border-line py-2">
            <b className="font-semibold">{deviceInWords(device)}</b>
            <span className="text-[13.5px] text-ink-2">since {formatMoment(createdAt, school.timeZone)}</span>
            <span className="ml-auto">
              {isThis ? (
                <span className="text-[13.5px] text-ink-2">this device</span>
              ) : (
                <Button kind="link" onClick={() => close.mutate(id)}>
                  Sign out there
                </Button>
              )}
            </span>
          </li>
        ))}
      </ul>
      {devices.length > 1 && (
        <Button className="mt-3" onClick={() => closeAll.mutate()}>
          Sign out everywhere else
        </Button>
      )}
    </section>
  )
}
