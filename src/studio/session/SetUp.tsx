import { type ReactNode, useState } from 'react'
import { formatMoney } from '../../core/money/format.ts'
import { Acorn } from '../../ui/Acorn.tsx'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'
import { countryNames, currencyNames, LANGUAGES, timeZones } from './choices.ts'

type Language = (typeof LANGUAGES)[number]['tag']

/** The first visit: the school and its creator. */
export function SetUp() {
  const [form, setForm] = useState({
    school: '',
    currency: 'EUR',
    language: 'en' as Language,
    timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    country: 'AT',
    taxMode: 'inclusive' as 'none' | 'inclusive' | 'exclusive',
    taxRate: '20',
    name: '',
    email: '',
    password: '',
  })
  const { error, isBusy, attempt } = useAttempt()
  const set = (patch: Partial<typeof form>) => setForm((old) => ({ ...old, ...patch }))
  const rate = Math.round(Number(form.taxRate.replace(',', '.')) * 100)

  const save = async () => {
    const isDone = await attempt(async () => {
      const { school, currency, language, timeZone, country, taxMode, name, email, password } = form
      const taxRate = taxMode === 'none' ? 0 : rate
      await unwrap(
        api.session.setup.$post({
          json: {
            school: { name: school, currency, language, timeZone, country, taxMode, taxRate },
            creator: { name, email, password },
          },
        }),
      )
    })
    if (isDone) return queryClient.resetQueries()
    // Once the errors stand at their fields.
    requestAnimationFrame(() => document.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus())
  }

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
          void save()
        }}
      >
        <h1 className="text-[27px]">Set up your school</h1>
        <p className="mt-1.5 text-ink-2">A minute’s work. You begin in Practice, where no real money moves.</p>
        <Group title="The school">
          <Field label="Name of the school" error={error?.at('/school/name')} className="sm:col-span-2">
            {(wiring) => (
              <input
                {...wiring}
                autoFocus
                className={BOX_INPUT}
                value={form.school}
                onChange={(event) => set({ school: event.target.value })}
              />
            )}
          </Field>
          <Choice
            label="Country"
            value={form.country}
            options={countryNames()}
            onChange={(country) => set({ country })}
            error={error?.at('/school/country')}
          />
          <Choice
            label="Time zone"
            value={form.timeZone}
            options={timeZones()}
            onChange={(timeZone) => set({ timeZone })}
            error={error?.at('/school/timeZone')}
          />
          <Choice
            label="Currency"
            value={form.currency}
            options={currencyNames()}
            onChange={(currency) => set({ currency })}
            error={error?.at('/school/currency')}
          />
          <Choice
            label={`Money is written ${formatMoney(129900, { currency: form.currency, language: form.language })}`}
            value={form.language}
            options={LANGUAGES.map(({ tag, name }) => [tag, name])}
            onChange={(language) => set({ language: language as Language })}
            error={error?.at('/school/language')}
          />
          <Choice
            label="Tax"
            value={form.taxMode}
            options={[
              ['inclusive', 'Inside the prices'],
              ['exclusive', 'On top of the prices'],
              ['none', 'No tax'],
            ]}
            onChange={(taxMode) => set({ taxMode: taxMode as typeof form.taxMode })}
          />
          {form.taxMode !== 'none' && (
            <Field label="Rate in per cent" error={error?.at('/school/taxRate')}>
              {(wiring) => (
                <input
                  {...wiring}
                  inputMode="decimal"
                  className={BOX_INPUT}
                  value={form.taxRate}
                  onChange={(event) => set({ taxRate: event.target.value })}
                />
              )}
            </Field>
          )}
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
        <Button kind="press" type="submit" disabled={isBusy} className="mt-6 px-5 py-2.5">
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

interface ChoiceProps {
  label: string
  value: string
  options: readonly (readonly [string, string])[]
  onChange: (value: string) => void
  error?: string | undefined
}

function Choice({ label, value, options, onChange, error }: ChoiceProps) {
  return (
    <Field label={label} error={error}>
      {(wiring) => (
        <select {...wiring} className={BOX_INPUT} value={value} onChange={(event) => onChange(event.target.value)}>
          {options.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
      )}
    </Field>
  )
}
