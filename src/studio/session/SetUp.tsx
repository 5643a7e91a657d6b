import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { Acorn } from '../../ui/Acorn.tsx'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api, IN_PLACE, queryClient } from '../api.ts'
import { useFirstErrorFocus } from '../frame/keepFocus.ts'
import { guessCountry, proposalFor } from './countries.ts'
import { SchoolFields } from './SchoolFields.tsx'
import { formOf, type SchoolForm, schoolOf } from './schoolForm.ts'

const BROWSER_ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone

/** The form as it begins: with a school that came from a file, or what the browser's country proposes, where it says which that is. */
function firstForm(imported: Imported): SchoolForm {
  if (imported) return formOf(imported)
  const country = guessCountry(BROWSER_ZONE, navigator.language)
  const none = { currency: 'EUR', language: 'en', timeZone: '', taxMode: 'inclusive', taxRate: '20' } as const
  return { name: '', leaveOutZeros: false, country, ...(proposalFor(country, BROWSER_ZONE) ?? none) }
}

/** The school that came from a file before its first account; null where there is none. */
type Imported = Parameters<typeof formOf>[0] | null

/** The first visit: the school and its creator. */
export function SetUp({ imported }: { imported: Imported }) {
  const [school, setSchool] = useState<SchoolForm>(() => firstForm(imported))
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const [form, setForm] = useState({ name: '', email: '', password: '' })
  const set = (patch: Partial<typeof form>) => setForm((old) => ({ ...old, ...patch }))

  /** What the country proposes is taken on, but for what was chosen by hand before. */
  const change = (patch: Partial<SchoolForm>) => {
    setChosen((old) => new Set([...old, ...Object.keys(patch)]))
    const proposed = patch.country ? Object.entries(proposalFor(patch.country, BROWSER_ZONE) ?? {}) : []
    const taken = Object.fromEntries(proposed.filter(([name]) => !chosen.has(name)))
    setSchool((old) => ({ ...old, ...taken, ...patch }))
  }

  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.session.setup.$post({ json: { school: schoolOf(school), creator: form } })),
    onSuccess: () => queryClient.resetQueries(),
    meta: IN_PLACE,
  })
  useFirstErrorFocus(error)

  return (
    <main className="mx-auto w-[720px] max-w-full p-4 py-10">
      <p className="display flex items-center gap-2 text-[16px] font-semibold">
        <Acorn />
        Young Acorn
      </p>
      <form
        noValidate
        className="mt-5 rounded-[10px] border border-line bg-sheet p-8"
        onSubmit={(event) => {
          event.preventDefault()
          mutate()
        }}
      >
        <h1 className="text-[27px]">Set up your school</h1>
        <p className="mt-1.5 text-ink-2">It takes a minute. You begin in Practice, where no real money moves.</p>
        <Group title="The school">
          <SchoolFields form={school} set={change} error={error} at="/school" />
        </Group>
        <Group title="You">
          <Field label="Your name" error={error?.at('/creator/name')}>
            {(wiring) => (
              <input
                {...wiring}
                autoComplete="name"
                className={BOX_INPUT}
                value={form.name}
                onChange={(event) => set({ name: event.target.value })}
              />
            )}
          </Field>
          <Field label="Email" error={error?.at('/creator/email')}>
            {(wiring) => (
              <input
                {...wiring}
                type="email"
                autoComplete="username"
                className={BOX_INPUT}
                value={form.email}
                onChange={(event) => set({ email: event.target.value })}
              />
            )}
          </Field>
          <Field label="Password" error={error?.at('/creator/password')} hint="At least 10 characters.">
            {(wiring) => (
              <input
                {...wiring}
                type="password"
                autoComplete="new-password"
                className={BOX_INPUT}
                value={form.password}
                onChange={(event) => set({ password: event.target.value })}
              />
            )}
          </Field>
        </Group>
        <Button kind="press" type="submit" disabled={isPending} className="mt-6 px-5 py-2.5">
          Open the school
        </Button>
        {error && (
          <p role="alert" className="mt-3 font-medium text-failed">
            {error.message}
          </p>
        )}
      </form>
    </main>
  )
}

function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-6 border-t border-line pt-4">
      <h2 className="text-[17px]">{title}</h2>
      <div className="mt-3 grid gap-x-4 gap-y-3.5 sm:grid-cols-2">{children}</div>
    </section>
  )
}
