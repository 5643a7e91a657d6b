import { useQuery } from '@tanstack/react-query'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Select } from '../frame/Select.tsx'
import { useShelf } from '../sell/queries.ts'
import { useSession } from '../session/session.ts'

/** What the money that is looked at is narrowed to. */
export type MoneyQuery = { search: string; course?: string; offer?: string; paymentMethod?: string }

/** The same as it stands in the address. */
export function queryOf(params: URLSearchParams): MoneyQuery {
  const of = (name: 'course' | 'offer' | 'paymentMethod') => {
    const value = params.get(name)
    return value ? { [name]: value } : {}
  }
  return { search: params.get('search') ?? '', ...of('course'), ...of('offer'), ...of('paymentMethod') }
}

interface NarrowToProps {
  query: MoneyQuery
  go: (change: Record<string, string | null>) => void
}

const SELECT = 'mb-1.5 w-full rounded-full border border-line-2 bg-transparent px-2.5 py-1 text-[13px]'

/** Narrows to a buyer or a code, to a course or one of its offers, and to a payment method. */
export function NarrowTo({ query, go }: NarrowToProps) {
  const { mode } = useSession()
  const shelf = useShelf()
  const gateways = useQuery({ queryKey: ['gateways', mode], queryFn: () => unwrap(api.gateways.$get()) })
  const sold = query.offer ? `offer ${query.offer}` : query.course ? `course ${query.course}` : ''
  return (
    <div className="mx-1 mb-2">
      <input
        type="search"
        aria-label="Search for a buyer or a code"
        placeholder="Buyer or code"
        value={query.search}
        onChange={(event) => go({ search: event.target.value })}
        className="mb-1.5 w-full rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
      />
      <Select
        label="Course or offer"
        className={SELECT}
        value={sold}
        options={[['', 'Every course']]}
        groups={(shelf.data ?? []).map((course) => ({
          title: course.title,
          options: [
            [`course ${course.id}`, `${course.title}, all offers`],
            ...course.offers.map((offer) => [`offer ${offer.id}`, offer.name || 'No name yet'] as const),
          ],
        }))}
        onChange={(chosen) => {
          const [kind, id] = chosen.split(' ')
          go({ course: kind === 'course' ? (id ?? null) : null, offer: kind === 'offer' ? (id ?? null) : null })
        }}
      />
      <Select
        label="Payment method"
        className={SELECT}
        value={query.paymentMethod ?? ''}
        options={[
          ['', 'Every payment method'],
          ...(gateways.data?.gateways ?? []).map(({ id, capabilities }) => [id, capabilities.name] as const),
        ]}
        onChange={(paymentMethod) => go({ paymentMethod })}
      />
    </div>
  )
}
