import { useMutation, useQuery } from '@tanstack/react-query'
import { Progress } from 'radix-ui'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { daysBetween, isDay } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useOnce } from '../../ui/useOnce.ts'
import { api, queryClient } from '../api.ts'
import { DayField } from '../days/DayField.tsx'
import { Dialog } from '../drafting/Dialog.tsx'
import { PreviewSection, Section } from '../frame/Places.tsx'
import { journalInWords } from '../orders/words.ts'
import { useSession } from '../session/session.ts'
import { SetupFrame } from './SetupPage.tsx'

const loadClock = () => unwrap(api.school.practice.$get())
type Move = NonNullable<Awaited<ReturnType<typeof loadClock>>['move']>
const LOOK_AGAIN_MS = 1000

const STEPS = [
  [1, 'A day'],
  [7, 'A week'],
  [31, 'A month'],
  [365, 'A year'],
] as const

/** Setup → Practice: its clock, what came when it was moved, and a fresh start. */
export function PracticePage() {
  const { school } = useSession()
  const clock = useQuery({
    queryKey: ['practice'],
    queryFn: loadClock,
    refetchInterval: ({ state }) => (state.data?.move?.state === 'moving' ? LOOK_AGAIN_MS : false),
  })
  const [isClearing, setClearing] = useState(false)
  const { move, day } = clock.data ?? {}
  const isMoving = move?.state === 'moving'
  // Once time stands still again, everything else is looked at anew.
  useEffect(() => {
    if (!isMoving) void queryClient.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'practice' })
  }, [isMoving])
  const once = useOnce()
  const start = useMutation({
    mutationFn: (to: 'next' | { days: number }) =>
      once((header) => api.school.practice.move.$post({ json: { to }, header })),
    meta: { invalidates: [['practice']] },
  })
  const stop = useMutation({
    mutationFn: () => unwrap(api.school.practice.move.$delete()),
    meta: { invalidates: [['practice']] },
  })
  const clear = useMutation({
    mutationFn: () => unwrap(api.school.practice.$delete()),
    onSuccess: () => {
      toast('Practice is empty, and its clock shows today.')
      setClearing(false)
    },
  })
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">Practice</h1>
          <p className="mt-1.5 max-w-[62ch] text-ink-2">
            Practice has its own clock. Move it forward and watch payments come in, day by day, as they would in life.
            Live time cannot move.
          </p>
          <Section title="Practice clock">
            {clock.data && (
              <p className="pt-[3px] text-[16.5px]">
                <b className="font-semibold">{formatDay(clock.data.day, school.language)}</b>
                {clock.data.daysAhead > 0 && (
                  <span className="text-ink-2">
                    , {clock.data.daysAhead} {clock.data.daysAhead === 1 ? 'day' : 'days'} ahead
                  </span>
                )}
              </p>
            )}
            <p className="mt-2 mb-1.5 text-[13px] text-ink-3">Move it forward by</p>
            <p className="flex flex-wrap gap-2">
              {STEPS.map(([days, label]) => (
                <Button key={days} disabled={isMoving} onClick={() => start.mutate({ days })}>
                  {label}
                </Button>
              ))}
              <Button kind="press" disabled={isMoving || !clock.data?.next} onClick={() => start.mutate('next')}>
                {clock.data?.next
                  ? `To the next payment, ${formatDay(clock.data.next, school.language)}`
                  : clock.data
                    ? 'No payment is scheduled'
                    : 'To the next payment'}
              </Button>
            </p>
            {clock.data && (
              <ToDay today={clock.data.day} mostDays={clock.data.mostDays} isMoving={isMoving} start={start.mutate} />
            )}
            {isMoving && day && (
              <div className="mt-3 flex flex-wrap items-center gap-x-4 gap-y-2">
                <Passed from={move.from} to={move.to} day={day} />
                <span role="status" className="text-ink-2">
                  On the way to {formatDay(move.to, school.language)}
                </span>
                <Button onClick={() => stop.mutate()}>Stop here</Button>
              </div>
            )}
          </Section>
          {move && <WhatCame move={move} />}
          <Section title="A fresh start">
            <p className="max-w-[60ch] pt-[3px] text-ink-2">
              Deletes all orders, buyers and messages of Practice, and sets its clock back. Courses, offers and gateways
              stay, and nothing of Live is touched.
            </p>
            <Button kind="danger" className="mt-3" disabled={isMoving} onClick={() => setClearing(true)}>
              Clear practice…
            </Button>
          </Section>
          {isClearing && (
            <Dialog
              title="Clear practice?"
              text="All practice orders, buyers and messages are deleted. This cannot be undone."
              onClose={() => setClearing(false)}
            >
              <div className="flex justify-end gap-2">
                <Button onClick={() => setClearing(false)}>Keep them</Button>
                <Button kind="danger" onClick={() => clear.mutate()}>
                  Clear practice
                </Button>
              </div>
            </Dialog>
          )}
        </>
      }
      mirror={clock.data && <Mirror mailbox={clock.data.mailbox} />}
    />
  )
}

/** A day of one's own to move to. */
function ToDay({
  today,
  mostDays,
  isMoving,
  start,
}: {
  today: string
  mostDays: number
  isMoving: boolean
  start: (to: { days: number }) => void
}) {
  const [to, setTo] = useState('')
  const [isAsked, setAsked] = useState(false)
  const days = isDay(to) ? daysBetween(today, to) : null
  const { school } = useSession()
  const [unread, setUnread] = useState<string | null>(null)
  const error =
    unread !== null || days === null
      ? 'Write a full date.'
      : days < 1
        ? 'Time moves forward only. Choose a later day.'
        : days > mostDays
          ? `Move at most ${mostDays} days at a time.`
          : null
  return (
    <form
      noValidate
      className="mt-3 flex flex-wrap items-start gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        setAsked(true)
        if (error || days === null) return
        setAsked(false)
        setTo('')
        start({ days })
      }}
    >
      <Field label="To a day" error={isAsked ? error : null} className="w-[230px] [&_label]:font-normal">
        {(wiring) => (
          <DayField
            wiring={wiring}
            className={BOX_INPUT}
            language={school.language}
            today={today}
            value={to}
            onUnread={setUnread}
            onChange={setTo}
          />
        )}
      </Field>
      <Button type="submit" className="mt-[23px]" disabled={isMoving}>
        Move there
      </Button>
    </form>
  )
}

function Mirror({ mailbox }: { mailbox: string }) {
  return (
    <>
      <PreviewSection label="What moves with it">
        <p className="text-[13.5px]">
          Payments are charged on their day, declined ones are retried, transfers arrive, access opens and ends, buyers
          are written to: all as it would be in life.
        </p>
      </PreviewSection>
      <PreviewSection label="Where to watch">
        <p className="text-[13.5px]">
          <Link className="link" to="/studio/orders">
            Orders
          </Link>{' '}
          and{' '}
          <Link className="link" to="/studio/money">
            Money
          </Link>{' '}
          show the same day. What buyers would get lies in the{' '}
          <a className="link" href={mailbox} target="_blank" rel="noreferrer">
            mailbox
          </a>
          .
        </p>
      </PreviewSection>
    </>
  )
}

/** How far time has moved on its way. */
function Passed({ from, to, day }: { from: string; to: string; day: string }) {
  const whole = Math.max(1, daysBetween(from, to))
  const passed = Math.min(whole, daysBetween(from, day))
  return (
    <Progress.Root
      aria-label="How far time has moved"
      value={passed}
      max={whole}
      getValueLabel={() => `${passed} of ${whole} days`}
      className="h-2.5 w-[240px] rounded-[2px] border border-ink bg-sheet"
    >
      <Progress.Indicator className="h-full bg-received" style={{ width: `${(passed / whole) * 100}%` }} />
    </Progress.Root>
  )
}

/** What came of the last move, the newest first. */
function WhatCame({ move: { from, to, state, events, count } }: { move: Move }) {
  const { school } = useSession()
  const say = (day: string) => formatDay(day, school.language)
  const left = count - events.length
  return (
    <Section title="What happened">
      {count === 0 && (
        <p className="pt-[3px] text-ink-2">
          {state === 'done' ? `Nothing from ${say(from)} to ${say(to)}.` : 'Nothing yet.'}
        </p>
      )}
      <ol>
        {events.map((row, index) => (
          <li
            key={`${row.at}-${index}`}
            className="grid grid-cols-[128px_1fr] gap-x-3 border-b border-line py-1.5 text-[13.5px]"
          >
            <time className="text-ink-3">{formatMoment(row.at, school.timeZone)}</time>
            <span>
              <Link className="link" to={`/studio/orders/${row.orderId}`}>
                {row.number} · {row.buyer}
              </Link>
              : {journalInWords(row, school)}
            </span>
          </li>
        ))}
      </ol>
      {left > 0 && <p className="py-2 text-[13.5px] text-ink-2">And {left} before that; each stands in its order.</p>}
    </Section>
  )
}
