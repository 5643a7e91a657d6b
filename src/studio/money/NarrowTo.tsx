import { useQuery } from '@tanstack/react-query'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { useShelf } from '../sell/queries.ts'
import { useSession } from '../session/session.ts'

/** What the money that is looked at is narrowed to. */
export type MoneyQuery = { search: string; course?: string; offer?: string; way?: string }

/** The same as it stands in the address. */
export function queryOf(params: URLSearchParams): MoneyQuery {
  const of = (name: 'course' | 'offer' | 'way') => {
    const value = params.get(name)
    return value ? { [name]: value } : {}
  }
  return { search: params.get('search') ?? '', ...of('course'), ...of('offer'), ...of('way') }
}

interface NarrowToProps {
  query: MoneyQuery
  go: (change: Record<string, string | null>) => void
}

const SELECT = 'mb-1.5 w-full rounded-full border border-line-2 bg-transparent px-2.5 py-1 text-[13px]'

/** Narrows to a buyer, to a course or one of its offers, and to a payment method. */
export function NarrowTo({ query, go }: NarrowToProps) {
  const { mode } = useSession()
  const shelf = useShelf()
  const gateways = useQuery({ queryKey: ['gateways', mode], queryFn: () => unwrap(api.gateways.$get()) })
  const sold = query.offer ? `offer ${query.offer}` : query.course ? `course ${query.course}` : ''
  return (
    <div className="mx-1 mb-2">
      <input
        type="search"
        aria-label="Search for a buyer"
        placeholder="Buyer"
        value={query.search}
        onChange={(event) => go({ search: event.target.value })}
        className="mb-1.5 w-full rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
      />
      <select
        aria-label="Course or offer"
        className={SELECT}
        value={sold}
        onChange={(event) => {
          const [kind, id] = event.target.value.split(' ')
          go({ course: kind === 'course' ? (id ?? null) : null, offer: kind === 'offer' ? (id ?? null) : null })
        }}
      >
        <option value="">Every course</option>
        {shelf.data?.map((course) => (
          <optgroup key={course.id} label={course.title}>
            <option value={`course ${course.id}`}>{course.title}, all offers</option>
            {course.offers.map((offer) => (
              <option key={offer.id} value={`offer ${offer.id}`}>
                {offer.name || 'No name yet'}
              </option>
            ))}
          </optgroup>
        ))}
      </select>
      <select
        aria-label="Payment method"
        className={SELECT}
        value={query.way ?? ''}
        onChange={(event) => go({ way: event.target.value })}
      >
        <option value="">Every payment method</option>
        {gateways.data?.gateways.map(({ id, capabilities }) => (
          <option key={id} value={id}>
            {capabilities.name}
          </option>
        ))}
      </select>
    </div>
  )
}
