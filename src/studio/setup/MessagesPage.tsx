import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { sayMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'
import { Reflection } from '../frame/Places.tsx'
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
    when: 'An order is paid. It holds the way into the course.',
    off: 'Buyers get no receipt and no link to set a password.',
  },
  {
    kind: 'awaiting',
    title: 'How to transfer',
    when: 'An order waits for money from a bank.',
    off: 'Who pays by transfer has the bank details on the page alone.',
  },
  { kind: 'not-arrived', title: 'It did not arrive', when: 'Money from a bank does not come.' },
  { kind: 'given', title: 'A course was given', when: 'You give a course by hand.' },
  { kind: 'collected', title: 'A later payment came', when: 'An installment or a renewal is collected.' },
  {
    kind: 'declined',
    title: 'A later payment did not come',
    when: 'It is declined and tried again. It holds a link that pays.',
    off: 'Who is late does not learn of it, and has no link to pay.',
  },
  {
    kind: 'stopped',
    title: 'Payments have stopped',
    when: 'The last try is declined too. It holds a link that pays.',
    off: 'Who has stopped does not learn of it, and has no link to pay.',
  },
  { kind: 'cancelled', title: 'Cancelled', when: 'A subscription is cancelled, by them or by you.' },
  { kind: 'method-changed', title: 'Another card', when: 'Later payments go to another card.' },
  {
    kind: 'card-expiring',
    title: 'The card ends soon',
    when: 'Two weeks before a payment that the card will not live to see.',
  },
  {
    kind: 'already-owned',
    title: 'You have this already',
    when: 'Someone orders with the email of a buyer who has the course. The checkout page tells them nothing.',
  },
  { kind: 'paid-twice', title: 'Paid twice', when: 'Money is received for a course that another order has opened.' },
  { kind: 'refunded', title: 'Money given back', when: 'You give money back.' },
]
const TO_YOU: Kind[] = [
  { kind: 'told-declined', title: 'A payment is late', when: 'The first try of a payment is declined.' },
  { kind: 'told-stopped', title: 'Payments have stopped', when: 'The last try is declined too.' },
  { kind: 'told-cancelled', title: 'A buyer has cancelled', when: 'They cancel by themselves.' },
  { kind: 'told-disputed', title: 'A payment is disputed', when: 'A buyer asks the bank for their money back.' },
]

type Tells = ReturnType<typeof useSession>['school']['tells']

/** Setup → Messages: what is told to buyers and to you, and the creator's own words above it. */
export function MessagesPage() {
  const { school, creator } = useSession()
  const [tells, setTells] = useState<Tells>(school.tells)
  const { error, isBusy, attempt } = useAttempt()
  const isChanged = JSON.stringify(tells) !== JSON.stringify(school.tells)
  const save = async () => {
    if (!(await attempt(() => unwrap(api.school.tells.$put({ json: { tells } }))))) return
    toast('Saved. Messages that are on their way go by it too.')
    await queryClient.invalidateQueries()
  }
  const rows = (kinds: Kind[]) =>
    kinds.map((kind) => (
      <Row
        key={kind.kind}
        {...kind}
        telling={tells[kind.kind]}
        error={error?.at(`/tells/${kind.kind}/ownWords`)}
        set={(telling) => setTells({ ...tells, [kind.kind]: telling })}
      />
    ))
  return (
    <SetupFrame
      bench={
        <form
          noValidate
          onSubmit={(event) => {
            event.preventDefault()
            void save()
          }}
        >
          <div className="flex flex-wrap items-start justify-between gap-3">
            <h1 className="text-[27px]">Messages</h1>
            <Button kind="press" type="submit" disabled={isBusy || !isChanged}>
              {isChanged ? 'Save' : 'Saved'}
            </Button>
          </div>
          <p className="mt-1.5 max-w-[62ch] text-ink-2">
            Each says by itself what happened, how much, and what comes next. You can add words of your own, and switch
            off what you do not want sent.
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
      }
      mirror={
        <>
          <Outbox />
          <Reflection label="Switched off">
            <ul className="text-[13.5px]">
              {[...TO_BUYERS, ...TO_YOU]
                .filter(({ kind }) => tells[kind]?.isOn === false)
                .map(({ kind, title, off }) => (
                  <li key={kind} className="mb-1.5">
                    <State shape={off ? 'late' : 'off'}>{title}</State>
                    {off && <span className="block text-[13px] text-ink-2">{off}</span>}
                  </li>
                ))}
            </ul>
            {[...TO_BUYERS, ...TO_YOU].every(({ kind }) => tells[kind]?.isOn !== false) && (
              <p className="text-[13.5px] text-ink-2">Nothing: everything is told. Password links are always sent.</p>
            )}
          </Reflection>
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
  if (!data) return null
  const sendAgain = async (id: string) => {
    await unwrap(api.messages[':id'].send.$post({ param: { id } }))
    await queryClient.invalidateQueries({ queryKey: ['outbox'] })
  }
  return (
    <Reflection label="On their way">
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
              {why} · {sayMoment(createdAt, school.timeZone)}. It is tried again by itself.{' '}
              <Button kind="link" onClick={() => void sendAgain(id)}>
                Send now
              </Button>
            </span>
          </li>
        ))}
      </ul>
    </Reflection>
  )
}

interface RowProps extends Kind {
  telling: Tells[string] | undefined
  error: string | undefined
  set: (telling: Tells[string]) => void
}

function Row({ kind, title, when, telling = { isOn: true, ownWords: '' }, error, set }: RowProps) {
  const [isWriting, setWriting] = useState(telling.ownWords !== '')
  return (
    <div className="border-b border-line py-2.5">
      <label className="flex items-baseline gap-2.5">
        <input
          type="checkbox"
          className="size-4 translate-y-0.5 accent-leaf"
          checked={telling.isOn}
          onChange={(event) => set({ ...telling, isOn: event.target.checked })}
        />
        <span>
          <b className="font-semibold">{title}</b> <span className="text-[13.5px] text-ink-2">{when}</span>
        </span>
      </label>
      {!kind.startsWith('told-') &&
        (isWriting ? (
          <Field
            label="In your own words"
            error={error}
            className="mt-2 ml-6.5"
            hint="Stands after the first paragraph."
          >
            {(wiring) => (
              <textarea
                {...wiring}
                rows={2}
                maxLength={600}
                className={BOX_INPUT}
                value={telling.ownWords}
                onChange={(event) => set({ ...telling, ownWords: event.target.value })}
              />
            )}
          </Field>
        ) : (
          <Button kind="link" className="ml-6.5 text-[13px]" onClick={() => setWriting(true)}>
            Add words of your own
          </Button>
        ))}
    </div>
  )
}
