import { useState } from 'react'
import { Link } from 'react-router'
import { addDays } from '../../core/calendar/day.ts'
import type { CoverColor } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { formatMoment } from '../../ui/dates.ts'
import { State } from '../../ui/State.tsx'
import type { SendOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { LabelledDay } from '../days/LabelledDay.tsx'
import { useSession, useStudioToday } from '../session/session.ts'
import { NoteDialog } from './NoteDialog.tsx'

export interface GrantShown {
  id: string
  course: string
  coverColor: CoverColor
  orderId: string | null
  orderNumber: number | null
  /** The first day on which it is shut; null for good. */
  closes: string | null
  endedAt: string | null
  endedNote: string | null
  /** Why it is open until when; null where it was taken back. */
  why: string | null
  agreement: { id: string; kind: string; state: string } | null
}

/** One grant: the course, since when, until when, why, and the way to take it back. */
export function GrantRow({ grant, isInOrder = false }: { grant: GrantShown; isInOrder?: boolean }) {
  const { school } = useSession()
  const [isAsking, setAsking] = useState(false)
  const [isChanging, setChanging] = useState(false)
  const { agreement } = grant
  const isSubscription = agreement?.kind === 'subscription' && agreement.state === 'active'
  const owes = agreement !== null && (agreement.state === 'active' || agreement.state === 'stopped')
  const [when, setWhen] = useState<'now' | 'period-end'>('now')
  const takeBack = (note: string, once: SendOnce): Promise<unknown> =>
    isSubscription && when === 'period-end'
      ? once((header) => api.agreements[':id'].cancel.$post({ param: { id: agreement.id }, json: { when }, header }))
      : once((header) =>
          api.people.grants[':id']['take-back'].$post({ param: { id: grant.id }, json: { note }, header }),
        )
  return (
    <div className="flex items-start gap-2.5 border-b border-line py-2">
      <i className={`mt-0.5 h-8 w-[7px] flex-none rounded-[2px] ${COVER_CLASS[grant.coverColor]}`} />
      <div className="min-w-0 flex-1">
        <b className="font-semibold">{grant.course}</b>
        <p className="text-[13px] text-ink-2">
          {grant.endedAt
            ? `Access removed ${formatMoment(grant.endedAt, school.timeZone)}: “${grant.endedNote}”`
            : grant.why}{' '}
          {grant.orderId && !isInOrder && (
            <Link className="link" to={`/studio/orders/${grant.orderId}`}>
              Order {grant.orderNumber}
            </Link>
          )}
        </p>
      </div>
      {grant.endedAt ? (
        <State shape="off">removed</State>
      ) : (
        <span className="flex flex-wrap justify-end gap-x-3 text-[13px]">
          {grant.orderId === null && (
            <Button kind="link" onClick={() => setChanging(true)}>
              {grant.closes ? 'Extend…' : 'Set a last day…'}
            </Button>
          )}
          <Button kind="link" onClick={() => setAsking(true)}>
            Remove access…
          </Button>
        </span>
      )}
      {isChanging && <UntilDialog grant={grant} onClose={() => setChanging(false)} />}
      {isAsking && (
        <NoteDialog
          title={`Remove access to “${grant.course}”`}
          text={formatEnd(isSubscription, owes)}
          action={isSubscription && when === 'period-end' ? 'Cancel it' : 'Remove access'}
          run={takeBack}
          onClose={() => setAsking(false)}
        >
          {isSubscription && (
            <fieldset>
              <legend className="text-[13px] font-semibold">The subscription</legend>
              {(
                [
                  ['now', 'Cancel it and end access now'],
                  ['period-end', 'Cancel it; access stays open for the time that is paid'],
                ] as const
              ).map(([value, label]) => (
                <label key={value} className="mt-1 flex items-center gap-2">
                  <input type="radio" name="when" checked={when === value} onChange={() => setWhen(value)} />
                  {label}
                </label>
              ))}
            </fieldset>
          )}
        </NoteDialog>
      )}
    </div>
  )
}

/** The last day of an access that was given by hand. */
function UntilDialog({ grant, onClose }: { grant: GrantShown; onClose: () => void }) {
  const { school } = useSession()
  const today = useStudioToday()
  const [until, setUntil] = useState(grant.closes ? addDays(grant.closes, -1) : '')
  return (
    <NoteDialog
      title={`Access to “${grant.course}”`}
      text="It was given by hand. From now on it lasts until the day that you choose."
      action="Save"
      noteHint="If you like. Kept in the history."
      run={(note, once) =>
        once((header) =>
          api.people.grants[':id'].until.$put({
            param: { id: grant.id },
            json: { until: until || null, note },
            header,
          }),
        )
      }
      onClose={onClose}
    >
      {({ error, forget }) => (
        <LabelledDay
          label="Last day"
          hint="Empty: for good."
          error={error?.at('/until')}
          language={school.language}
          today={today}
          value={until}
          onChange={(day) => {
            forget()
            setUntil(day)
          }}
        />
      )}
    </NoteDialog>
  )
}

/** What follows from taking a course back; nothing is charged for a course that is shut by the creator. */
function formatEnd(isSubscription: boolean, owes: boolean): string {
  const money = 'Nothing is refunded by this; refunds are made on the order.'
  if (isSubscription) return `No further payments are charged, and the buyer is told. ${money}`
  if (owes) return `The buyer loses access at once. What is still owed is written off, and the buyer is told. ${money}`
  return `The buyer loses access at once. ${money}`
}
