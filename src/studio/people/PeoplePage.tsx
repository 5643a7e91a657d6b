import { useInfiniteQuery, useMutation, useQuery } from '@tanstack/react-query'
import type { InferResponseType } from 'hono/client'
import { useState } from 'react'
import { Link, NavLink, useParams, useSearchParams } from 'react-router'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { formatMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { EndlessList } from '../frame/EndlessList.tsx'
import { Places, PreviewSection, Section } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { MessageRow } from '../messages/MessageRow.tsx'
import { Journal } from '../orders/Journal.tsx'
import { formatWorth, orderState } from '../orders/words.ts'
import { NarrowBy } from '../sell/NarrowBy.tsx'
import { useSession } from '../session/session.ts'
import { AddSomeone } from './AddSomeone.tsx'
import { GiveDialog } from './GiveDialog.tsx'
import { GrantRow } from './GrantRow.tsx'
import { PeopleStart, WhoHasWhat } from './PeopleStart.tsx'
import { PersonActions } from './PersonActions.tsx'

const loadPerson = (id: string) => unwrap(api.people[':id'].$get({ param: { id } }))
type PersonShown = Awaited<ReturnType<typeof loadPerson>>

/** People: the list, one buyer, and what happened. */
export function PeoplePage() {
  const { id } = useParams()
  const { mode } = useSession()
  const person = useQuery({
    queryKey: ['person', mode, id],
    enabled: id !== undefined,
    queryFn: () => loadPerson(id as string),
  })
  return (
    <Places
      shelfLabel="People"
      columns="lg:grid-cols-[336px_minmax(0,1fr)_330px]"
      shelf={<PeopleList />}
      bench={
        id ? person.data ? <PersonBench shown={person.data} /> : <Waiting error={person.error} /> : <PeopleStart />
      }
      mirror={id ? person.data && <PersonMirror shown={person.data} /> : <WhoHasWhat />}
    />
  )
}

function PeopleList() {
  const { mode } = useSession()
  const [params, setParams] = useSearchParams()
  const query: Record<string, string> = {}
  for (const name of ['search', 'course', 'coupon']) {
    const value = params.get(name)
    if (value) query[name] = value
  }
  const { search = '', course, coupon } = query
  const narrow = (change: Record<string, string>) =>
    setParams(
      (now) => {
        const next = new URLSearchParams(now)
        for (const [name, value] of Object.entries(change)) value ? next.set(name, value) : next.delete(name)
        return next
      },
      { replace: true },
    )
  const [isNarrowing, setNarrowing] = useState(course !== undefined || coupon !== undefined)
  const [isAdding, setAdding] = useState(false)
  const list = useInfiniteQuery({
    queryKey: ['people', mode, query],
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam }) =>
      unwrap(
        api.people.$get({ query: { search, ...query, ...(pageParam === undefined ? {} : { after: pageParam }) } }),
      ),
    getNextPageParam: (page) => page.next ?? undefined,
  })
  const people = list.data?.pages.flatMap((page) => page.people) ?? []
  return (
    <>
      <div className="grid gap-2 px-1.5 pb-2">
        <div className="flex items-baseline justify-between">
          <h2 className="text-[15px]">People</h2>
          <span className="flex gap-3 text-[13px]">
            <a
              className="link"
              href={`/api/people/people.csv?${new URLSearchParams(query as Record<string, string>)}`}
              download
            >
              Export CSV
            </a>
            <Button kind="link" onClick={() => setAdding(true)}>
              Add someone
            </Button>
          </span>
        </div>
        <input
          type="search"
          aria-label="Search people"
          placeholder="Name or address"
          defaultValue={search}
          maxLength={100}
          onChange={(event) => narrow({ search: event.target.value })}
          className="w-full rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
        />
        {isNarrowing ? (
          <div className="grid gap-1.5 text-[13px]">
            <NarrowBy course={course} coupon={coupon} narrow={narrow} />
            <Button
              kind="link"
              className="justify-self-start"
              onClick={() => {
                setNarrowing(false)
                narrow({ course: '', coupon: '' })
              }}
            >
              All of them
            </Button>
          </div>
        ) : (
          <Button kind="link" className="justify-self-start text-[13px]" onClick={() => setNarrowing(true)}>
            By course or coupon…
          </Button>
        )}
      </div>
      <EndlessList label="People" narrowed={JSON.stringify([mode, query])} list={list}>
        {people.map((person) => (
          <li key={person.id}>
            <NavLink
              to={`/studio/people/${person.id}${params.size > 0 ? `?${params}` : ''}`}
              className={({ isActive }) =>
                classes(
                  'grid grid-cols-[1fr_auto] gap-x-3 rounded-field px-2 py-1.5 text-[13px]',
                  isActive ? 'bg-acorn' : 'hover:bg-sheet-2',
                )
              }
            >
              <PersonRow person={person} />
            </NavLink>
          </li>
        ))}
      </EndlessList>
      {list.isPending && <Waiting />}
      {list.isSuccess && people.length === 0 && (
        <p className="px-2 text-ink-2">
          {params.size > 0 ? 'No results.' : 'Nobody yet. Buyers appear here by themselves.'}
        </p>
      )}
      {isAdding && <AddSomeone onClose={() => setAdding(false)} />}
    </>
  )
}

type ListedPerson = InferResponseType<typeof api.people.$get, 200>['people'][number]

/** A buyer in a list: name, address, how much they have. */
function PersonRow({ person }: { person: ListedPerson }) {
  return (
    <>
      <span className="truncate font-semibold">{person.name}</span>
      <span className="text-ink-2">
        {person.courses} {person.courses === 1 ? 'course' : 'courses'}
      </span>
      <span className="truncate text-ink-2">{person.email}</span>
      <span className="text-ink-2">{person.orders} paid</span>
    </>
  )
}

function PersonBench({ shown: { person, orders, grants } }: { shown: PersonShown }) {
  const { school } = useSession()
  const [isGiving, setGiving] = useState(false)
  const once = useOnce()
  const sendPayLink = useMutation({
    mutationFn: (id: string) => once((header) => api.agreements[':id']['pay-link'].$post({ param: { id }, header })),
    onSuccess: () => toast('A payment link is on its way to the buyer.'),
  })
  return (
    <>
      <p className="text-[13px] text-ink-3">Since {formatMoment(person.createdAt, school.timeZone)}</p>
      <div className="mt-1 flex flex-wrap items-center justify-between gap-3">
        <h1 className="text-[27px]">{person.name}</h1>
        {!person.erasedAt && (
          <Button kind="press" onClick={() => setGiving(true)}>
            Give access…
          </Button>
        )}
      </div>
      <p className="mt-1 text-ink-2">
        {person.erasedAt
          ? `The personal data was deleted on ${formatMoment(person.erasedAt, school.timeZone)}; the orders are kept.`
          : `${person.email} · ${person.hasPassword ? 'has set a password' : 'has not set a password yet'}`}
      </p>
      {person.postalAddress && <p className="mt-1 whitespace-pre-line text-ink-2">{person.postalAddress}</p>}
      {!person.erasedAt && <PersonActions person={person} />}
      <Section title="Courses">
        {grants.length === 0 && <p className="pt-[5px] text-ink-2">None.</p>}
        {grants.map((grant) => (
          <GrantRow key={grant.id} grant={grant} />
        ))}
      </Section>
      <Section title="Orders">
        {orders.length === 0 && <p className="pt-[5px] text-ink-2">None.</p>}
        <ul>
          {orders.map((order) => {
            const [shape, word] = orderState(order, school)
            return (
              <li key={order.id} className="flex flex-wrap items-baseline gap-x-4 gap-y-1 border-b border-line py-1.5">
                <Link className="link whitespace-nowrap" to={`/studio/orders/${order.id}`}>
                  {order.number}
                </Link>
                <span className="whitespace-nowrap">{formatWorth(order, school)}</span>
                <State shape={shape}>{word}</State>
                {isOwed(order.agreement) && (
                  <Button
                    kind="link"
                    className="text-[13px]"
                    onClick={() => sendPayLink.mutate(order.agreement?.id ?? '')}
                  >
                    Send a payment link
                  </Button>
                )}
                <time className="ml-auto text-[13px] text-ink-3">{formatMoment(order.createdAt, school.timeZone)}</time>
              </li>
            )
          })}
        </ul>
      </Section>
      {isGiving && <GiveDialog personId={person.id} name={person.name} onClose={() => setGiving(false)} />}
    </>
  )
}

/** Whether something of it is due or to come, so that a link can pay it. */
function isOwed(agreement: PersonShown['orders'][number]['agreement']): boolean {
  return agreement?.state === 'active' || (agreement?.state === 'stopped' && agreement.kind === 'installments')
}

function PersonMirror({ shown: { messages, journal } }: { shown: PersonShown }) {
  return (
    <>
      <PreviewSection label="Messages">
        {messages.length === 0 && <p className="text-ink-2">None.</p>}
        {messages.map((message) => (
          <MessageRow key={message.id} message={message} />
        ))}
      </PreviewSection>
      {journal.length > 0 && (
        <PreviewSection label="History">
          <Journal entries={journal} />
        </PreviewSection>
      )}
    </>
  )
}
