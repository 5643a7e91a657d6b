import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { Link } from 'react-router'
import { formatDayShort } from '../../core/calendar/formatDay.ts'
import { formatMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession, useStudioToday } from '../session/session.ts'

function useOverview() {
  const { mode } = useSession()
  return useQuery({ queryKey: ['people', mode, 'overview'], queryFn: () => unwrap(api.people.overview.$get()) })
}

/** The start of People, while nobody is chosen: who is new, whose payments fail, whose access ends soon. */
export function PeopleStart() {
  const { mode, school } = useSession()
  const { data, error } = useOverview()
  const thisYear = useStudioToday().slice(0, 4)
  if (!data) return <Waiting error={error} />
  const { newest, thisWeek, weekBefore, failing, ending, having } = data
  return (
    <>
      <h1 className="text-[27px]">People in {mode === 'practice' ? 'Practice' : 'Live'}</h1>
      {thisWeek + weekBefore + having.length > 0 ? (
        <p className="display mt-2 text-[18px] leading-[1.45] font-medium text-ink-2">
          <b className="text-ink">{thisWeek}</b> {thisWeek === 1 ? 'new buyer' : 'new buyers'} in the last 7 days,{' '}
          {weekBefore} in the 7 days before.
        </p>
      ) : (
        <p className="mt-2 max-w-[60ch] text-ink-2">
          Buyers appear here by themselves. You can also add someone, and give a course by hand.
        </p>
      )}
      {newest.length > 0 && (
        <List title="New in the last 7 days">
          {newest.map(({ personId, name, email, createdAt }) => (
            <Row key={personId} to={`/studio/people/${personId}`} name={name} note={email}>
              {formatMoment(createdAt, school.timeZone)}
            </Row>
          ))}
        </List>
      )}
      {failing.length > 0 && (
        <List title="Payments that fail">
          {failing.map(({ personId, name, orderId, title, state }) => (
            <Row key={`${orderId} ${title}`} to={`/studio/people/${personId}`} name={name} note={title}>
              {state === 'stopped' ? (
                <State shape="failed">stopped, still owed</State>
              ) : (
                <State shape="late">overdue, retried</State>
              )}
            </Row>
          ))}
        </List>
      )}
      {ending.length > 0 && (
        <List title="Access that ends in the next 30 days">
          {ending.map(({ personId, name, title, closes }) => (
            <Row key={`${personId} ${title}`} to={`/studio/people/${personId}`} name={name} note={title}>
              {closes && `until ${formatDayShort(closes, thisYear)}`}
            </Row>
          ))}
        </List>
      )}
    </>
  )
}

function List({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-5 border-t border-line pt-3.5">
      <h2 className="text-[17px]">{title}</h2>
      <ul className="mt-1">{children}</ul>
    </section>
  )
}

function Row({ to, name, note, children }: { to: string; name: string; note: string; children: ReactNode }) {
  return (
    <li className="border-b border-line">
      <Link
        to={to}
        className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 px-1 py-2 text-[13.5px] no-underline hover:bg-sheet-2"
      >
        <span className="truncate">
          <b className="font-semibold">{name}</b> <span className="text-ink-2">{note}</span>
        </span>
        <span className="text-ink-2">{children}</span>
      </Link>
    </li>
  )
}

/** The courses, each with how many people have it. */
export function WhoHasWhat() {
  const { data } = useOverview()
  if (!data || data.having.length === 0) return null
  return (
    <PreviewSection label="Who has what">
      <ul className="text-[13.5px]">
        {data.having.map(({ courseId, title, people }) => (
          <li key={courseId} className="border-b border-line">
            <Link
              to={`/studio/people?course=${courseId}`}
              className="flex justify-between gap-3 px-1 py-1.5 no-underline hover:bg-sheet-2"
            >
              <span className="min-w-0 truncate">{title}</span>
              <span className="whitespace-nowrap text-ink-2">
                {people} {people === 1 ? 'person' : 'people'}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </PreviewSection>
  )
}
