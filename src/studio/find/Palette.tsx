import { useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { formatMoney } from '../../core/money/format.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { useShelf } from '../sell/queries.ts'
import { signOut, switchMode, useSession } from '../session/session.ts'

const ITEM = 'flex cursor-pointer justify-between gap-4 rounded-field px-3 py-2 data-[selected=true]:bg-acorn'
const GROUP =
  '[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-1 [&_[cmdk-group-heading]]:text-[12px] [&_[cmdk-group-heading]]:font-semibold [&_[cmdk-group-heading]]:text-ink-3'

/** Ctrl+K: finds courses, offers, orders and people, and does most things. */
export function Palette({ onClose }: { onClose: () => void }) {
  const [search, setSearch] = useState('')
  const navigate = useNavigate()
  const { mode, school } = useSession()
  const shelf = useShelf()
  const found = useQuery({
    queryKey: ['find', mode, search],
    enabled: search.trim().length > 1,
    queryFn: async () => {
      const [orders, people] = await Promise.all([
        unwrap(api.orders.$get({ query: { search, state: 'all' } })),
        unwrap(api.people.$get({ query: { search } })),
      ])
      return { orders: orders.orders.slice(0, 6), people: people.people.slice(0, 6) }
    },
  })
  const go = (path: string) => {
    onClose()
    navigate(path)
  }
  return (
    <Command.Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      label="Find or do"
      overlayClassName="fixed inset-0 z-40 bg-ink/35"
      contentClassName="fixed top-[12vh] left-1/2 z-50 w-[600px] max-w-[calc(100%-24px)] -translate-x-1/2 rounded-[10px] border border-line-2 bg-sheet shadow-[0_24px_60px_-30px_rgb(26_35_28/.6)]"
    >
      <Command.Input
        value={search}
        onValueChange={setSearch}
        placeholder="A course, an order, a buyer, or what you want to do"
        className="w-full rounded-t-[10px] border-b border-line bg-transparent px-4 py-3 text-[16px] outline-none"
      />
      <Command.List className="max-h-[52vh] overflow-y-auto p-1.5">
        <Command.Empty className="px-3 py-4 text-ink-2">Nothing is called that. Try fewer letters.</Command.Empty>
        <Command.Group heading="Courses and offers" className={GROUP}>
          {(shelf.data ?? []).map((course) => (
            <Command.Item
              key={course.id}
              value={`${course.title} ${course.id}`}
              onSelect={() => go(`/studio/sell/courses/${course.id}`)}
              className={ITEM}
            >
              {course.title}
              <span className="text-ink-3">course</span>
            </Command.Item>
          ))}
          {(shelf.data ?? []).flatMap((course) =>
            course.offers.map((offer) => (
              <Command.Item
                key={offer.id}
                value={`${course.title} ${offer.name} ${offer.id}`}
                onSelect={() => go(`/studio/sell/offers/${offer.id}`)}
                className={ITEM}
              >
                {course.title}: {offer.name || 'Untitled offer'}
                <span className="text-ink-3">offer</span>
              </Command.Item>
            )),
          )}
        </Command.Group>
        {found.data && found.data.orders.length > 0 && (
          <Command.Group heading="Orders" className={GROUP}>
            {found.data.orders.map((order) => (
              <Command.Item
                key={order.id}
                value={`${search} order ${order.number}`}
                onSelect={() => go(`/studio/orders/${order.id}`)}
                className={ITEM}
              >
                {order.number} · {order.buyer}
                <span className="text-ink-3">{formatMoney(order.payToday, school)}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        {found.data && found.data.people.length > 0 && (
          <Command.Group heading="People" className={GROUP}>
            {found.data.people.map((person) => (
              <Command.Item
                key={person.id}
                value={`${search} person ${person.email}`}
                onSelect={() => go(`/studio/people/${person.id}`)}
                className={ITEM}
              >
                {person.name}
                <span className="text-ink-3">{person.email}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        <Command.Group heading="Do" className={GROUP}>
          <Command.Item value="new course" onSelect={() => go('/studio/sell?new')} className={ITEM}>
            New course
          </Command.Item>
          <Command.Item
            value="connect a gateway payments"
            onSelect={() => go('/studio/setup/gateways')}
            className={ITEM}
          >
            Connect a gateway
          </Command.Item>
          <Command.Item value="messages told switched" onSelect={() => go('/studio/setup/messages')} className={ITEM}>
            Change what is told
          </Command.Item>
          <Command.Item value="go live ready real" onSelect={() => go('/studio/setup/live')} className={ITEM}>
            See what is missing before going live
          </Command.Item>
          <Command.Item value="orders list" onSelect={() => go('/studio/orders')} className={ITEM}>
            Look at orders
          </Command.Item>
          <Command.Item value="people buyers list" onSelect={() => go('/studio/people')} className={ITEM}>
            Look at people
          </Command.Item>
          <Command.Item
            value="open the shop"
            onSelect={() => {
              onClose()
              window.open('/', '_blank', 'noopener')
            }}
            className={ITEM}
          >
            Open the shop
          </Command.Item>
          <Command.Item
            value="switch mode practice live"
            onSelect={() => {
              onClose()
              void switchMode(mode === 'live' ? 'practice' : 'live')
            }}
            className={ITEM}
          >
            Look at {mode === 'live' ? 'Practice' : 'Live'}
          </Command.Item>
          <Command.Item value="sign out" onSelect={() => void signOut()} className={ITEM}>
            Sign out
          </Command.Item>
        </Command.Group>
      </Command.List>
    </Command.Dialog>
  )
}
