import { useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { type ReactNode, useState } from 'react'
import { useLocation, useNavigate } from 'react-router'
import { formatReduction } from '../../core/content/couponSentence.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { formatWorth } from '../orders/words.ts'
import { productPath, useCoupons, usePages, useShelf } from '../sell/queries.ts'
import { useShortPrice } from '../sell/shortPrice.ts'
import { useNewCoupon } from '../sell/useNewCoupon.ts'
import { useSession, useSignOut, useSwitchMode } from '../session/session.ts'
import { commandsAt } from './commands.ts'
import { fits } from './fits.ts'

const ITEM = 'flex cursor-pointer justify-between gap-4 rounded-field px-3 py-2 data-[selected=true]:bg-acorn'
const GROUP =
  '[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-1 [&_[cmdk-group-heading]]:text-[12px] [&_[cmdk-group-heading]]:font-semibold [&_[cmdk-group-heading]]:text-ink-3'
/** So many courses and offers are shown at a time. */
const MAX_LISTED = 8

interface ItemProps {
  id: string
  name: ReactNode
  note?: ReactNode
  onSelect: () => void
}

function Item({ id, name, note = null, onSelect }: ItemProps) {
  return (
    <Command.Item value={id} onSelect={onSelect} className={ITEM}>
      <span className="min-w-0 truncate">{name}</span>
      <span className="flex-none text-ink-3">{note}</span>
    </Command.Item>
  )
}

/** Ctrl+K: finds courses, offers, pages, coupons, orders and people by their names and by what stands on paper, and does most things. */
export function Palette({ onClose }: { onClose: () => void }) {
  const [search, setSearch] = useState('')
  const navigate = useNavigate()
  const { pathname } = useLocation()
  const { mode, school } = useSession()
  const shelf = useShelf()
  const shortPrice = useShortPrice()
  const typed = search.trim()
  const found = useQuery({
    queryKey: ['find', mode, typed],
    enabled: typed.length > 1 || /^\d+$/.test(typed),
    queryFn: () => unwrap(api.find.$get({ query: { search: typed } })),
  })
  const go = (path: string) => {
    onClose()
    navigate(path)
  }
  const run = (act: () => void) => {
    onClose()
    act()
  }
  const switchMode = useSwitchMode()
  const signOut = useSignOut()
  const newCoupon = useNewCoupon()
  const acts = {
    shop: () => window.open('/', '_blank', 'noopener'),
    mode: () => switchMode.mutate(mode === 'live' ? 'practice' : 'live'),
    'sign-out': () => signOut.mutate(),
    coupon: () => newCoupon(null),
  }
  const courses = (shelf.data ?? []).filter(({ title }) => fits(typed, title, 'course bundle'))
  const offers = (shelf.data ?? []).flatMap((course) =>
    course.offers
      .filter((offer) => fits(typed, `${course.title} ${offer.name}`, 'offer price publish sale bench'))
      .map((offer) => ({ course, offer })),
  )
  const coupons = (useCoupons().data ?? []).filter(
    ({ draft, retiredAt }) =>
      retiredAt === null && fits(typed, `${draft.code} ${draft.note}`, 'coupon code discount voucher'),
  )
  const pages = (usePages().data ?? []).filter(
    ({ name, title, isRetired }) =>
      !isRetired &&
      fits(
        typed,
        `${name} ${title ?? 'basket'}`,
        'checkout page order bump bumps upsell upsells offered after payment',
      ),
  )
  const commands = commandsAt(pathname, mode).filter(({ name, words }) => fits(typed, name, words))
  const orders = found.data?.orders ?? []
  const people = found.data?.people ?? []
  const isNothing =
    [courses, offers, coupons, pages, commands, orders, people].reduce((sum, { length }) => sum + length, 0) === 0
  const ofOrders = orders.length > 0 && (
    <Command.Group heading="Orders" className={GROUP}>
      {orders.map((order) => (
        <Item
          key={order.id}
          id={`order ${order.id}`}
          name={`${order.number} · ${order.buyer}, ${order.course}`}
          note={formatWorth(order, school)}
          onSelect={() => go(`/studio/orders/${order.id}`)}
        />
      ))}
    </Command.Group>
  )
  const ofCommands = commands.length > 0 && (
    <Command.Group heading="Do" className={GROUP}>
      {commands.map(({ name, to, act }) => (
        <Item key={name} id={`do ${name}`} name={name} onSelect={() => (act ? run(acts[act]) : go(to ?? '/studio'))} />
      ))}
    </Command.Group>
  )
  return (
    <Command.Dialog
      open
      // What fits is found here and by the server; nothing is matched inside ids.
      shouldFilter={false}
      onOpenChange={(open) => !open && onClose()}
      label="Find or do"
      overlayClassName="fixed inset-0 z-40 bg-ink/35"
      contentClassName="fixed top-[12vh] left-1/2 z-50 w-[600px] max-w-[calc(100%-24px)] -translate-x-1/2 rounded-[10px] border border-line-2 bg-sheet shadow-[0_24px_60px_-30px_rgb(26_35_28/.6)]"
    >
      <Command.Input
        value={search}
        onValueChange={setSearch}
        maxLength={100}
        placeholder="A course, a coupon, an order, a buyer, an amount, or what you want to do"
        className="w-full rounded-t-[10px] border-b border-line bg-transparent px-4 py-3 text-[16px] outline-none"
      />
      <Command.List className="max-h-[52vh] overflow-y-auto p-1.5">
        {isNothing && (
          <p className="px-3 py-4 text-ink-2">{found.isFetching ? 'Looking…' : 'No results. Try fewer letters.'}</p>
        )}
        {/* A number is mostly an order’s; words are mostly what somebody wants to do, or a name. */}
        {ofOrders}
        {typed !== '' && ofCommands}
        {courses.length + offers.length > 0 && (
          <Command.Group heading="Courses, bundles and offers" className={GROUP}>
            {courses.slice(0, MAX_LISTED).map((course) => (
              <Item
                key={course.id}
                id={`course ${course.id}`}
                name={course.title || 'Untitled'}
                note={course.kind}
                onSelect={() => go(productPath(course))}
              />
            ))}
            {offers.slice(0, MAX_LISTED).map(({ course, offer }) => (
              <Item
                key={offer.id}
                id={`offer ${offer.id}`}
                name={`${course.title}: ${offer.name || 'Untitled offer'}`}
                note={shortPrice(offer)}
                onSelect={() => go(`/studio/sell/offers/${offer.id}`)}
              />
            ))}
          </Command.Group>
        )}
        {typed !== '' && pages.length > 0 && (
          <Command.Group heading="Checkout pages, with their order bumps and upsells" className={GROUP}>
            {pages.slice(0, MAX_LISTED).map(({ id, name, title }) => (
              <Item
                key={id}
                id={`page ${id}`}
                name={name || (title ?? 'The basket')}
                note={name && title ? `for ${title}` : 'checkout page'}
                onSelect={() => go(`/studio/sell/pages/${id}`)}
              />
            ))}
          </Command.Group>
        )}
        {typed !== '' && coupons.length > 0 && (
          <Command.Group heading="Coupons" className={GROUP}>
            {coupons.slice(0, MAX_LISTED).map(({ id, draft, live }) => (
              <Item
                key={id}
                id={`coupon ${id}`}
                name={draft.code || 'New coupon'}
                note={`−${formatReduction(live ?? draft, school)}`}
                onSelect={() => go(`/studio/sell/coupons/${id}`)}
              />
            ))}
          </Command.Group>
        )}
        {people.length > 0 && (
          <Command.Group heading="People" className={GROUP}>
            {people.map((person) => (
              <Item
                key={person.id}
                id={`person ${person.id}`}
                name={person.name}
                note={person.email}
                onSelect={() => go(`/studio/people/${person.id}`)}
              />
            ))}
          </Command.Group>
        )}
        {typed === '' && ofCommands}
      </Command.List>
    </Command.Dialog>
  )
}
