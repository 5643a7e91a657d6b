import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { currencyDigits } from '../../core/money/currency.ts'
import { formatMoney } from '../../core/money/format.ts'
import type { Mode } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api, IN_PLACE } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { useFirstErrorFocus } from '../frame/keepFocus.ts'
import { Section } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { SchoolFields } from '../session/SchoolFields.tsx'
import { formOf, type SchoolForm, schoolOf } from '../session/schoolForm.ts'
import { useSession } from '../session/session.ts'
import { SettingForm } from './SettingForm.tsx'
import { SetupFrame } from './SetupPage.tsx'

/** Setup → School: what it was set up with, and in which mode strangers buy. */
export function SchoolPage() {
  const { school } = useSession()
  const other: Mode = school.shopMode === 'practice' ? 'live' : 'practice'
  const [isAsking, setAsking] = useState(false)
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">{school.name}</h1>
          <Section title="Visitors buy in">
            <p className="pt-[3px]">
              {school.shopMode === 'practice' ? (
                <State shape="awaited">Practice</State>
              ) : (
                <State shape="received">Live</State>
              )}
            </p>
            <p className="mt-1.5 max-w-[60ch] text-ink-2">
              {school.shopMode === 'practice'
                ? 'Everyone who opens the shop pays with sample cards; no real money moves. Open the live shop when your gateway is connected in Live.'
                : 'Everyone who opens the shop pays real money. You can still see the practice shop with the switch at the top; only you see it then.'}
            </p>
            <Button kind={other === 'live' ? 'press' : 'quiet'} className="mt-3" onClick={() => setAsking(true)}>
              {other === 'live' ? 'Open the live shop…' : 'Go back to Practice…'}
            </Button>
            {isAsking && <SwitchDialog to={other} onClose={() => setAsking(false)} />}
          </Section>
          <SchoolSettings key={school.currency} />
          <RetriesForm />
          <GraceForm />
          <TermsForm />
          <KeepForm />
        </>
      }
      mirror={null}
    />
  )
}

/** Asks before strangers buy otherwise, and says what is unfinished. */
function SwitchDialog({ to, onClose }: { to: Mode; onClose: () => void }) {
  const list = useQuery({ queryKey: ['live', 'switch'], queryFn: () => unwrap(api.school.live.$get()) })
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.school['shop-mode'].$put({ json: { mode: to } })),
    onSuccess: () => {
      toast(
        to === 'live'
          ? 'The shop is live: visitors pay real money now.'
          : 'The shop is in Practice: visitors use sample cards.',
      )
      onClose()
    },
    meta: { ...IN_PLACE, invalidates: [['session']] },
  })
  const missing = to === 'live' ? (list.data?.checks ?? []).filter(({ isDone }) => !isDone) : []
  return (
    <Dialog
      title={to === 'live' ? 'Open the live shop?' : 'Back to Practice?'}
      text={
        to === 'live'
          ? 'From now on everyone who opens the shop pays real money.'
          : 'From now on everyone who opens the shop pays with sample cards, and nothing real is sold. Live agreements are still collected.'
      }
      onClose={onClose}
    >
      {to === 'live' && !list.data && <Waiting error={list.error} />}
      {missing.length > 0 && (
        <>
          <p className="font-semibold">Not finished:</p>
          <ul className="mt-1 mb-2 grid gap-1.5">
            {missing.map(({ code, title, detail }) => (
              <li key={code} className="text-[14px]">
                <State shape="late">{title}</State>
                <span className="block text-[13px] text-ink-2">{detail}</span>
              </li>
            ))}
          </ul>
          <Link className="link" to="/studio/setup/live">
            See the list
          </Link>
        </>
      )}
      {list.data && to === 'live' && missing.length === 0 && <p>Everything on the going-live list is done.</p>}
      {error && (
        <p role="alert" className="mt-2 font-medium text-failed">
          {error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button
          kind={missing.length > 0 ? 'danger' : 'press'}
          disabled={isPending || (to === 'live' && !list.data)}
          onClick={() => mutate()}
        >
          {to === 'live' ? (missing.length > 0 ? 'Open it anyway' : 'Open the live shop') : 'Go back to Practice'}
        </Button>
      </div>
    </Dialog>
  )
}

/** For how long the books keep a name whose other data was deleted. */
function KeepForm() {
  const { school } = useSession()
  const [text, setText] = useState(String(school.keepYears))
  const years = text.trim() === '' ? Number.NaN : Number(text)
  return (
    <SettingForm
      title="Keeping the books"
      label="Years for which names stay on receipts"
      hint="When you delete a buyer’s data, their paid orders keep the name for this long. Your tax law says how many years."
      saving="Save the years"
      save={() => unwrap(api.school.keep.$put({ json: { years } }))}
      saved="Saved."
    >
      {(wiring) => (
        <input
          {...wiring}
          inputMode="numeric"
          className={BOX_INPUT}
          maxLength={3}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      )}
    </SettingForm>
  )
}

const loadSchool = () => unwrap(api.school.$get())

/** What the school was set up with, to be changed; its currency only until something was sold live. */
function SchoolSettings() {
  const { school } = useSession()
  const [form, setForm] = useState<SchoolForm>(() => formOf(school))
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.school.$put({ json: schoolOf(form) })),
    onSuccess: () => toast('Saved. The shop shows it at once.'),
    meta: IN_PLACE,
  })
  useFirstErrorFocus(error)
  const { data } = useQuery({ queryKey: ['school'], queryFn: loadSchool })
  const paidLive = data?.paidLive ?? 0
  const isOther = form.currency !== school.currency
  return (
    <form
      noValidate
      id="school"
      aria-label="The school"
      className="mt-6 border-t border-line pt-4"
      onSubmit={(event) => {
        event.preventDefault()
        mutate()
      }}
    >
      <h2 className="text-[17px]">The school</h2>
      <div className="mt-3 grid gap-x-4 gap-y-3.5 sm:grid-cols-2">
        <SchoolFields
          form={form}
          set={(patch) => setForm((old) => ({ ...old, ...patch }))}
          error={error}
          at=""
          currencyLocked={
            paidLive > 0
              ? `${paidLive} ${paidLive === 1 ? 'order was' : 'orders were'} paid live in ${school.currency}, so the currency can no longer change.`
              : undefined
          }
        />
      </div>
      {isOther && (
        <p className="mt-3 rounded-field bg-late-soft px-3 py-2">
          Every price keeps its figure and changes its sign: {formatMoney(12900, school)} becomes{' '}
          {formatMoney(129 * 10 ** currencyDigits(form.currency), form)}. Nothing is converted by a rate.
        </p>
      )}
      <p className="mt-4">
        <Button kind="press" type="submit" disabled={isPending}>
          Save
        </Button>
      </p>
      {error && error.problem.errors.length === 0 && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.message}
        </p>
      )}
    </form>
  )
}

/** When a declined payment is tried again. */
function RetriesForm() {
  const { school } = useSession()
  const [text, setText] = useState(school.retryAfterDays.join(', '))
  const days = text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number)
  return (
    <SettingForm
      id="collecting"
      title="When a payment is declined"
      label="Retry after days"
      hint="Counted from the first try, like 1, 3, 7. Leave it empty to try only once. After the last retry the payments stop. The buyer is told each time, with a payment link."
      saving="Save the days"
      save={(mayStop) => unwrap(api.school.retries.$put({ json: { days, mayStop } }))}
      saved="Saved. This also applies to payments that are being retried now."
    >
      {(wiring) => (
        <input
          {...wiring}
          className={BOX_INPUT}
          value={text}
          maxLength={60}
          onChange={(event) => setText(event.target.value)}
        />
      )}
    </SettingForm>
  )
}

/** The days of grace that a new offer begins with. */
function GraceForm() {
  const { school } = useSession()
  const [text, setText] = useState(String(school.graceDays))
  const days = text.trim() === '' ? Number.NaN : Number(text)
  return (
    <SettingForm
      title="Grace"
      label="Grace days for new offers"
      hint="How long access stays open while a payment is overdue. Each offer can have its own."
      saving="Save the grace days"
      save={() => unwrap(api.school.grace.$put({ json: { days } }))}
      saved="Saved. Existing offers keep theirs."
    >
      {(wiring) => (
        <input
          {...wiring}
          inputMode="numeric"
          className={BOX_INPUT}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      )}
    </SettingForm>
  )
}

/** The terms of sale, which every page of the shop links to. */
function TermsForm() {
  const { school } = useSession()
  const [terms, setTerms] = useState(school.terms)
  return (
    <SettingForm
      id="terms"
      title="Terms of sale"
      label="What a buyer agrees to"
      hint="Plain paragraphs. Buyers find them on every page, and accept them by ordering."
      saving="Save the terms"
      save={() => unwrap(api.school.terms.$put({ json: { terms } }))}
      saved={terms.trim() ? 'Saved. Every page of the shop links to them.' : 'Saved. There are no terms now.'}
      isWide
    >
      {(wiring) => (
        <textarea
          {...wiring}
          rows={8}
          className={BOX_INPUT}
          value={terms}
          onChange={(event) => setTerms(event.target.value)}
        />
      )}
    </SettingForm>
  )
}
