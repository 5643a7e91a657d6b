import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { MessageKind } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api, IN_PLACE } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { messageKind } from '../orders/words.ts'
import { useSession } from '../session/session.ts'
import { SetupFrame } from './SetupPage.tsx'

interface Kind {
  kind: string
  title: string
  when: string
  /** What a buyer misses where it is off. */
  off?: string
}

const TO_BUYERS: Kind[] = [
  {
    kind: 'receipt',
    title: 'Receipt',
    when: 'An order is paid. The message links to the course.',
    off: 'Buyers get no receipt and no link to set a password.',
  },
  {
    kind: 'awaiting',
    title: 'How to transfer',
    when: 'An order waits for a bank transfer or debit.',
    off: 'Buyers who pay by transfer see the bank details only on the page.',
  },
  { kind: 'not-arrived', title: 'No transfer received', when: 'A bank transfer or debit is not received.' },
  {
    kind: 'transfer-part',
    title: 'Part of a transfer received',
    when: 'You record less than is owed. The message says what is missing.',
  },
  {
    kind: 'transfer-surplus',
    title: 'Too much received',
    when: 'You record more than is owed. The message says that you return the rest.',
  },
  {
    kind: 'opened',
    title: 'Course opens',
    when: 'A course opens that people bought early. The message links to it.',
    off: 'People who bought a course early are not told when it opens.',
  },
  {
    kind: 'opening-moved',
    title: 'Opening day changed',
    when: 'You change the opening day of a course that people bought early.',
    off: 'People who bought a course early are not told when its opening day changes.',
  },
  {
    kind: 'ends-soon',
    title: 'Access ends soon',
    when: 'Some days before limited access ends; you set how many below.',
  },
  { kind: 'given', title: 'Access given', when: 'You give someone access.' },
  { kind: 'collected', title: 'A later payment was received', when: 'An installment or a renewal is collected.' },
  {
    kind: 'declined',
    title: 'A later payment failed',
    when: 'It is declined and will be retried. The message has a payment link.',
    off: 'Buyers are not told when a payment fails, and have no link to pay.',
  },
  {
    kind: 'stopped',
    title: 'Payments have stopped',
    when: 'The last retry is declined too. The message has a payment link.',
    off: 'Buyers are not told when payments stop, and have no link to pay.',
  },
  { kind: 'cancelled', title: 'Cancelled', when: 'A subscription is cancelled, by them or by you.' },
  {
    kind: 'method-changed',
    title: 'Payment method changed',
    when: 'Later payments are charged to another card or account.',
  },
  {
    kind: 'card-expiring',
    title: 'Card expires soon',
    when: 'Two weeks before a payment, if the card expires before it.',
  },
  {
    kind: 'already-owned',
    title: 'Already bought',
    when: 'Someone orders with the email of a buyer who already has the course. The checkout page does not reveal it.',
  },
  {
    kind: 'code-refused',
    title: 'Code not usable',
    when: 'Someone orders with a code that this email cannot use again. The checkout page does not reveal it.',
  },
  {
    kind: 'bundle-grew',
    title: 'Course added to a bundle',
    when: 'You add a course to a bundle, for those who have it too, and choose to tell them.',
  },
  {
    kind: 'paid-twice',
    title: 'Paid twice',
    when: 'Money is received for a course that the buyer already has through another order.',
  },
  { kind: 'refunded', title: 'Refund', when: 'You refund a payment.' },
  { kind: 'due-moved', title: 'Payment date moved', when: 'You move a payment to another date.' },
  { kind: 'cancel-taken-back', title: 'No longer cancelled', when: 'A buyer or you undo a cancellation.' },
  {
    kind: 'renewal-ahead',
    title: 'Renews soon',
    when: 'Some days before a subscription renews; you set how many below. Some countries require it.',
  },
]
const TO_YOU: Kind[] = [
  { kind: 'creator-sold', title: 'New sale', when: 'Someone buys. Choose below how often you are told.' },
  {
    kind: 'creator-awaiting',
    title: 'Ordered by bank transfer',
    when: 'Someone orders and will pay by bank transfer.',
  },
  { kind: 'creator-declined', title: 'A payment failed', when: 'The first try of a payment is declined.' },
  { kind: 'creator-stopped', title: 'Payments have stopped', when: 'The last retry is declined too.' },
  { kind: 'creator-cancelled', title: 'A buyer has cancelled', when: 'They cancel their subscription.' },
  { kind: 'creator-disputed', title: 'A payment is disputed', when: 'A buyer asks the bank for their money back.' },
  {
    kind: 'creator-dispute-ended',
    title: 'A dispute was decided',
    when: 'The gateway decides the dispute, for you or against you.',
  },
]

type Notifications = ReturnType<typeof useSession>['school']['notifications']

/** Setup → Messages: what is told to buyers and to you, and the creator's own words above it. */
export function MessagesPage() {
  const { school, creator } = useSession()
  const [notifications, setTells] = useState<Notifications>(school.notifications)
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.school.notifications.$put({ json: { notifications } })),
    onSuccess: () => toast('Saved. This also applies to messages that are waiting to be sent.'),
    meta: IN_PLACE,
  })
  const isChanged = JSON.stringify(notifications) !== JSON.stringify(school.notifications)
  const rows = (kinds: Kind[]) =>
    kinds.map((kind) => (
      <Row
        key={kind.kind}
        {...kind}
        notification={notifications[kind.kind]}
        error={error?.at(`/tells/${kind.kind}/ownWords`)}
        set={(notification) => setTells({ ...notifications, [kind.kind]: notification })}
      />
    ))
  return (
    <SetupFrame
      bench={
        <>
          <form
            noValidate
            onSubmit={(event) => {
              event.preventDefault()
              mutate()
            }}
          >
            <div className="flex flex-wrap items-start justify-between gap-3">
              <h1 className="text-[27px]">Messages</h1>
              <Button kind="press" type="submit" disabled={isPending || !isChanged}>
                {isChanged ? 'Save' : 'Saved'}
              </Button>
            </div>
            <p className="mt-1.5 max-w-[62ch] text-ink-2">
              Each message says what happened, how much, and what comes next. You can add your own text, and switch off
              what you do not want sent.
            </p>
            {error && error.problem.errors.length === 0 && (
              <p role="alert" className="mt-3 font-medium text-failed">
                {error.message}
              </p>
            )}
            <h2 className="mt-5 text-[17px]">To buyers</h2>
            {rows(TO_BUYERS)}
            <h2 className="mt-6 text-[17px]">To you, at {creator.email}</h2>
            {rows(TO_YOU)}
          </form>
          <MailForm />
        </>
      }
      mirror={
        <>
          <Outbox />
          <PreviewSection label="Switched off">
            <ul className="text-[13.5px]">
              {[...TO_BUYERS, ...TO_YOU]
                .filter(({ kind }) => notifications[kind]?.isOn === false)
                .map(({ kind, title, off }) => (
                  <li key={kind} className="mb-1.5">
                    <State shape={off ? 'late' : 'off'}>{title}</State>
                    {off && <span className="block text-[13px] text-ink-2">{off}</span>}
                  </li>
                ))}
            </ul>
            {[...TO_BUYERS, ...TO_YOU].every(({ kind }) => notifications[kind]?.isOn !== false) && (
              <p className="text-[13.5px] text-ink-2">None: every message is sent. Password links are always sent.</p>
            )}
          </PreviewSection>
        </>
      }
    />
  )
}

const loadOutbox = () => unwrap(api.messages.$get())

/** What waits to be sent, and what could not be, with why. */
function Outbox() {
  const { mode, school } = useSession()
  const { data } = useQuery({ queryKey: ['outbox', mode], queryFn: loadOutbox, refetchInterval: 20_000 })
  const sendAgain = useMutation({
    mutationFn: (id: string) => unwrap(api.messages[':id'].send.$post({ param: { id } })),
    meta: { invalidates: [['outbox']] },
  })
  if (!data) return null
  return (
    <PreviewSection label="On their way">
      <p className="text-[13.5px] text-ink-2">
        {data.waiting === 0
          ? 'Nothing is waiting to be sent.'
          : `${data.waiting} ${data.waiting === 1 ? 'message is' : 'messages are'} waiting to be sent.`}
      </p>
      <ul className="text-[13.5px]">
        {data.failed.map(({ id, kind, to, why, createdAt }) => (
          <li key={id} className="mt-2 border-t border-line pt-2">
            <State shape="late">could not be sent</State> {messageKind(kind)}, to {to}
            <span className="block text-[13px] text-ink-2">
              {why} · {formatMoment(createdAt, school.timeZone)}. It is tried again by itself.{' '}
              <Button kind="link" onClick={() => sendAgain.mutate(id)}>
                Send now
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </PreviewSection>
  )
}

interface RowProps extends Kind {
  notification: Notifications[string] | undefined
  error: string | undefined
  set: (notification: Notifications[string]) => void
}

function Row({ kind, title, when, notification = { isOn: true, ownWords: '' }, error, set }: RowProps) {
  const [isWriting, setWriting] = useState(notification.ownWords !== '')
  const [isLooking, setLooking] = useState(false)
  return (
    <div className="border-b border-line py-2.5">
      <label className="flex items-baseline gap-2.5">
        <input
          type="checkbox"
          className="size-4 translate-y-0.5 accent-leaf"
          checked={notification.isOn}
          onChange={(event) => set({ ...notification, isOn: event.target.checked })}
        />
        <span>
          <b className="font-semibold">{title}</b> <span className="text-[13.5px] text-ink-2">{when}</span>
        </span>
      </label>
      <Button kind="link" className="ml-6.5 mr-4 text-[13px]" onClick={() => setLooking(true)}>
        Preview it
      </Button>
      {isLooking && (
        <SampleDialog kind={kind} title={title} ownWords={notification.ownWords} onClose={() => setLooking(false)} />
      )}
      {!kind.startsWith('creator-') &&
        (isWriting ? (
          <Field label="Your own text" error={error} className="mt-2 ml-6.5" hint="It follows the first paragraph.">
            {(wiring) => (
              <textarea
                {...wiring}
                rows={2}
                maxLength={600}
                className={BOX_INPUT}
                value={notification.ownWords}
                onChange={(event) => set({ ...notification, ownWords: event.target.value })}
              />
            )}
          </Field>
        ) : (
          <Button kind="link" className="text-[13px]" onClick={() => setWriting(true)}>
            Add your own text
          </Button>
        ))}
    </div>
  )
}

/** A message as it would be sent, with made-up figures; and the way to send it to oneself. */
function SampleDialog({
  kind,
  title,
  ownWords,
  onClose,
}: {
  kind: string
  title: string
  ownWords: string
  onClose: () => void
}) {
  const { creator } = useSession()
  const json = { kind: kind as MessageKind, ownWords }
  const sample = useQuery({
    queryKey: ['sample', kind, ownWords],
    queryFn: () => unwrap(api.messages.sample.$post({ json })),
  })
  const { mutate, error, isPending } = useMutation({
    mutationFn: () => unwrap(api.messages.test.$post({ json })),
    onSuccess: () => toast(`On its way to ${creator.email}.`),
    meta: { ...IN_PLACE, invalidates: [] },
  })
  return (
    <Dialog
      title={sample.data?.subject ?? title}
      text="With a made-up buyer and made-up figures. The links do not work."
      onClose={onClose}
    >
      {sample.data ? (
        <iframe
          title="The message"
          sandbox=""
          srcDoc={sample.data.html}
          className="h-[52vh] w-full rounded-lg border border-line bg-sheet"
        />
      ) : (
        <Waiting error={sample.error} />
      )}
      {error && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {error.message}
        </p>
      )}
      <div className="mt-4 flex justify-end gap-2">
        <Button onClick={onClose}>Close</Button>
        <Button kind="press" disabled={isPending} onClick={() => mutate()}>
          Send it to me
        </Button>
      </div>
    </Dialog>
  )
}

interface NoticeDaysProps {
  label: string
  hint: string
  error: string | undefined
  value: string
  onChange: (value: string) => void
}

/** How many days before something its notice is sent. */
function NoticeDays({ label, hint, error, value, onChange }: NoticeDaysProps) {
  return (
    <Field label={label} error={error} hint={hint}>
      {(wiring) => (
        <input
          {...wiring}
          inputMode="numeric"
          className={BOX_INPUT}
          maxLength={4}
          value={value}
          onChange={(event) => onChange(event.target.value)}
        />
      )}
    </Field>
  )
}

/** From whom mail comes, where answers go, and how often the creator hears of sales. */
function MailForm() {
  const { school, creator } = useSession()
  const [form, setForm] = useState({
    senderName: school.senderName,
    replyTo: school.replyTo,
    saleNotices: school.saleNotices,
    renewalNoticeDays: String(school.renewalNoticeDays),
    endNoticeDays: String(school.endNoticeDays),
  })
  const { mutate, error, isPending, reset } = useMutation({
    mutationFn: () => {
      const days = (typed: string) => (typed.trim() === '' ? Number.NaN : Number(typed))
      const json = {
        ...form,
        renewalNoticeDays: days(form.renewalNoticeDays),
        endNoticeDays: days(form.endNoticeDays),
      }
      return unwrap(api.school.mail.$put({ json }))
    },
    onSuccess: () => toast('Saved.'),
    meta: IN_PLACE,
  })
  const set = (patch: Partial<typeof form>) => {
    reset()
    setForm((old) => ({ ...old, ...patch }))
  }
  return (
    <form
      noValidate
      aria-label="How mail is sent"
      className="mt-8 border-t border-line pt-4"
      onSubmit={(event) => {
        event.preventDefault()
        mutate()
      }}
    >
      <h2 className="text-[17px]">How mail is sent</h2>
      <div className="mt-3 grid gap-x-4 gap-y-3.5 sm:grid-cols-2">
        <Field label="Sender’s name" error={error?.at('/senderName')} hint={`Empty: ${school.name}.`}>
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={100}
              value={form.senderName}
              onChange={(event) => set({ senderName: event.target.value })}
            />
          )}
        </Field>
        <Field label="Answers go to" error={error?.at('/replyTo')} hint={`Empty: ${creator.email}.`}>
          {(wiring) => (
            <input
              {...wiring}
              type="email"
              className={BOX_INPUT}
              maxLength={254}
              value={form.replyTo}
              onChange={(event) => set({ replyTo: event.target.value })}
            />
          )}
        </Field>
        <Field label="“New sale”" error={error?.at('/saleNotices')}>
          {(wiring) => (
            <Select
              wiring={wiring}
              className={BOX_INPUT}
              value={form.saleNotices}
              options={[
                ['each', 'At each sale'],
                ['daily', 'Once a day, all sales of the day before'],
                ['off', 'Not at all'],
              ]}
              onChange={(saleNotices) => set({ saleNotices })}
            />
          )}
        </Field>
        <NoticeDays
          label="Notice before a renewal, days"
          hint="0: none. Buyers are told once before each renewal."
          error={error?.at('/renewalNoticeDays')}
          value={form.renewalNoticeDays}
          onChange={(renewalNoticeDays) => set({ renewalNoticeDays })}
        />
        <NoticeDays
          label="Notice before access ends, days"
          hint="0: none. Buyers of limited access are told once."
          error={error?.at('/endNoticeDays')}
          value={form.endNoticeDays}
          onChange={(endNoticeDays) => set({ endNoticeDays })}
        />
      </div>
      <p className="mt-3">
        <Button type="submit" disabled={isPending}>
          Save how mail is sent
        </Button>
      </p>
    </form>
  )
}
