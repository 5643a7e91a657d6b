import { useQuery } from '@tanstack/react-query'
import Papa from 'papaparse'
import { lazy, type ReactNode, Suspense, useState } from 'react'
import { useSearchParams } from 'react-router'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { keptOverTime } from '../../core/content/compare.ts'
import { quotableTerms } from '../../core/content/offer.ts'
import { currencyDigits } from '../../core/money/currency.ts'
import { formatMoney } from '../../core/money/format.ts'
import { formatPriceSentence } from '../../core/sentence/sentence.ts'
import { Button } from '../../ui/Button.tsx'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { copyText } from '../frame/copyText.ts'
import { Places, PreviewSection } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { useMoney, useSession, useStudioNow } from '../session/session.ts'
import { type Column, columnsOf, formatThen, MAX_MONTHS } from './compared.ts'
import { CountField, Pick } from './InlineFields.tsx'
import { keptLine } from './keptLines.ts'
import { type ShelfProduct, useCoupons, useShelf } from './queries.ts'
import { useShortPrice } from './shortPrice.ts'

const KeptChart = lazy(() => import('./KeptChart.tsx').then(({ KeptChart: chart }) => ({ default: chart })))

/** Offers side by side: what is paid when, and what the creator keeps. */
export function ComparePage() {
  const shelf = useShelf()
  const { mode, school } = useSession()
  const [params, setParams] = useSearchParams()
  const gateways = useQuery({ queryKey: ['gateways', mode], queryFn: () => unwrap(api.gateways.$get()) })
  const asked = params.get('offers')
  // Nothing chosen yet: the offers of the first course that has several, so that there is something to look at.
  const chosen = asked === null ? firstToCompare(shelf.data ?? []) : asked.split(',').filter(Boolean)
  const set = (name: 'offers' | 'coupon', value: string) =>
    setParams(
      (now) => {
        const next = new URLSearchParams(now)
        if (value || name === 'offers') next.set(name, value)
        else next.delete(name)
        return next
      },
      { replace: true, flushSync: true },
    )
  const choose = (ids: string[]) => set('offers', ids.join(','))
  const paymentMethod = gateways.data?.gateways.find(({ connection }) => connection !== null)?.capabilities ?? null
  const now = useStudioNow()
  const at = `${now.slice(0, 16)}:00Z`
  const coupons = (useCoupons().data ?? []).filter(({ live, retiredAt }) => live !== null && retiredAt === null)
  const coupon = coupons.find(({ id }) => id === params.get('coupon'))
  const coded = coupon?.live ? { code: coupon.live.code, content: coupon.live } : null
  const columns = columnsOf(shelf.data ?? [], chosen, school, paymentMethod?.fee ?? null, at, coded)
  return (
    <Places
      shelfLabel="Offers to compare"
      shelf={<Picker courses={shelf.data ?? []} chosen={chosen} choose={choose} />}
      bench={
        <>
          <h1 className="text-[27px]">Side by side</h1>
          {columns.length >= 2 && coupons.length > 0 && (
            <p className="mt-1 flex flex-wrap items-baseline gap-x-2 text-[14px]">
              <span id="compared-code">As somebody pays it</span>
              <Select
                label="Code"
                className="rounded-field border border-line-2 bg-transparent px-2 py-1"
                value={coupon?.id ?? ''}
                options={[
                  ['', 'without a code'],
                  ...coupons.map(({ id, live, draft }) => [id, `with ${(live ?? draft).code}`] as const),
                ]}
                onChange={(id) => set('coupon', id)}
              />
            </p>
          )}
          {columns.length < 2 ? (
            <p className="mt-2 max-w-[52ch] text-ink-2">
              Tick two or more offers on the left, of any courses. You then see what each buyer pays and when, and what
              you keep of it after fees and tax, and how it adds up over time.
            </p>
          ) : (
            <Comparison columns={columns} gateway={paymentMethod?.name ?? null} code={coded?.code ?? null} />
          )}
        </>
      }
      mirror={columns.length < 2 ? null : <OverTime columns={columns} gateway={paymentMethod?.name ?? null} />}
    />
  )
}

/** The offers of the first course that has two or more with a price. */
function firstToCompare(courses: readonly ShelfProduct[]): string[] {
  for (const { isRetired, offers } of courses) {
    const onSale = offers.filter((offer) => !offer.isRetired && quotableTerms(offer.content.terms))
    if (!isRetired && onSale.length > 1) return onSale.slice(0, 3).map(({ id }) => id)
  }
  return []
}

interface PickerProps {
  courses: readonly ShelfProduct[]
  chosen: readonly string[]
  choose: (ids: string[]) => void
}

function Picker({ courses, chosen, choose }: PickerProps) {
  const shortPrice = useShortPrice()
  const toggle = (id: string) => choose(chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id])
  return (
    <>
      <div className="flex items-baseline justify-between px-1.5 pb-2">
        <h2 className="text-[15px]">Offers</h2>
        {chosen.length > 0 && (
          <Button kind="link" className="text-[13px]" onClick={() => choose([])}>
            Untick all
          </Button>
        )}
      </div>
      {courses
        .filter(({ isRetired, offers }) => !isRetired && offers.length > 0)
        .map((course) => (
          <fieldset key={course.id} className="relative mb-3 min-w-0 pl-3.5">
            <span
              aria-hidden="true"
              className={`absolute top-0.5 bottom-0 left-0 w-[7px] rounded-[2px] ${COVER_CLASS[course.coverColor]}`}
            />
            <legend className="display text-[14px] font-semibold">{course.title || 'Untitled course'}</legend>
            {course.offers
              .filter(({ isRetired }) => !isRetired)
              .map((offer) => (
                <label
                  key={offer.id}
                  className="flex cursor-pointer items-center gap-2 rounded-[5px] px-1 py-[3px] text-[13px] hover:bg-sheet-2"
                >
                  <input
                    type="checkbox"
                    className="accent-leaf"
                    checked={chosen.includes(offer.id)}
                    onChange={() => toggle(offer.id)}
                  />
                  <span className="min-w-0 truncate" title={offer.name}>
                    {offer.name || 'Untitled offer'}
                  </span>
                  <span className="ml-auto whitespace-nowrap">{shortPrice(offer)}</span>
                </label>
              ))}
          </fieldset>
        ))}
    </>
  )
}

type Line = [label: string, cell: (column: Column) => ReactNode]

function linesOf(
  money: ReturnType<typeof useMoney>,
  gateway: string | null,
  code: string | null,
  columns: readonly Column[],
): Line[] {
  const say = (amount: number) => formatMoney(amount, money)
  const firstYear = (amount: number) => `${say(amount)} in the first year`
  return [
    [
      'Paid today',
      ({ priced: { line, purchaseDay } }) =>
        say(line.payments.filter(({ due }) => due === purchaseDay).reduce((sum, { pay }) => sum + pay, 0)),
    ],
    ['Then', ({ priced }) => formatThen(priced)],
    ['In all', ({ sums }) => (sums.all === null ? firstYear(sums.firstYear.pay) : say(sums.all))],
    ...(code
      ? [
          [
            `Without ${code}`,
            ({ without }: Column) =>
              without === null
                ? 'the code does not count'
                : without.all === null
                  ? firstYear(without.firstYear.pay)
                  : say(without.all),
          ] satisfies Line,
        ]
      : []),
    ...(columns.some(({ oneByOne }) => oneByOne !== null)
      ? [['Its courses one by one', ({ oneByOne }: Column) => (oneByOne === null ? '–' : say(oneByOne))] satisfies Line]
      : []),
    [
      'Same as the one-time price',
      ({ sums }) => (sums.asMuchAsAtOnce ? `by ${formatDay(sums.asMuchAsAtOnce, money.language)}` : '–'),
    ],
    [
      gateway ? `Fees of ${gateway}` : 'Fees (no gateway connected)',
      ({ sums }) => (sums.fees === null ? firstYear(sums.firstYear.fees) : say(sums.fees)),
    ],
    [
      'You keep, after tax',
      ({ sums }) => (
        <b className="font-semibold">{sums.kept === null ? firstYear(sums.firstYear.kept) : say(sums.kept)}</b>
      ),
    ],
    ['Open', ({ open }) => open],
  ]
}

function Comparison({ columns, gateway, code }: { columns: Column[]; gateway: string | null; code: string | null }) {
  const money = useMoney()
  return (
    <div className="mt-3 overflow-x-auto">
      <table className="w-full border-collapse text-[14px]">
        <thead>
          <tr>
            <td className="w-[128px]" />
            {columns.map(({ id, course, name, coverColor }) => (
              <th key={id} scope="col" className="min-w-[150px] px-2.5 pb-2 text-left align-bottom">
                <span className={`mb-1.5 block h-[5px] rounded-[2px] ${COVER_CLASS[coverColor]}`} />
                <span className="block text-[12.5px] font-normal text-ink-3">{course}</span>
                <span className="display text-[16px] font-semibold">{name || 'Untitled offer'}</span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <tr className="border-t border-line align-top">
            <th scope="row" className="py-2 pr-2 text-left text-[13px] font-semibold text-ink-2">
              In words
            </th>
            {columns.map(({ id, priced }) => (
              <td key={id} className="px-2.5 py-2 leading-snug">
                {formatPriceSentence(priced)}
              </td>
            ))}
          </tr>
          {linesOf(money, gateway, code, columns).map(([label, cell]) => (
            <tr key={label} className="border-t border-line align-top">
              <th scope="row" className="py-2 pr-2 text-left text-[13px] font-semibold text-ink-2">
                {label}
              </th>
              {columns.map((column) => (
                <td key={column.id} className="px-2.5 py-2">
                  {cell(column)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

/** How it adds up: the chart, its figures as a table, and as CSV. */
function OverTime({ columns, gateway }: { columns: Column[]; gateway: string | null }) {
  const money = useMoney()
  const [buyers, setBuyers] = useState(20)
  const [months, setMonths] = useState(24)
  const digits = currencyDigits(money.currency)
  const series = columns.map(({ course, name, priced, sums }) => ({
    name: `${course}, ${name}`,
    kept: keptOverTime(sums.comings, priced.purchaseDay, buyers, months),
  }))
  const best = series.reduce(
    (a, b) => ((b.kept.at(-1) ?? 0) > (a.kept.at(-1) ?? 0) ? b : a),
    series[0] as (typeof series)[0],
  )
  const copy = () => copyText(csvOf(columns, series, money, gateway), 'Copied as CSV.')
  return (
    <>
      <PreviewSection label="Kept over time">
        <p className="display mb-2 text-[17px] leading-[1.6] font-medium">
          With <CountField label="Number of buyers" value={buyers} least={1} most={999} onChange={setBuyers} /> buyers
          of each today, in{' '}
          <Pick
            label="How far to look"
            value={String(months) as '12' | '24' | '36'}
            options={[
              ['12', '12 months'],
              ['24', '24 months'],
              [String(MAX_MONTHS) as '36', '36 months'],
            ]}
            onChange={(value) => setMonths(Number(value))}
          />{' '}
          you keep most by “{best.name}”: {formatMoney(best.kept.at(-1) ?? 0, money)}.
        </p>
        <Suspense fallback={<div className="h-[260px]" />}>
          <KeptChart series={series} digits={digits} money={money} />
        </Suspense>
        <Legend names={series.map(({ name }) => name)} />
      </PreviewSection>
      <PreviewSection label="Figures">
        <p className="mb-1.5 text-[13px] text-ink-2">After fees and tax, if everyone pays to the end.</p>
        <details className="text-[13px]">
          <summary className="w-fit cursor-pointer text-ink-3 hover:text-ink">As a table</summary>
          <table className="mt-1 w-full">
            <thead>
              <tr>
                <th scope="col" className="text-left font-semibold">
                  Month
                </th>
                {series.map(({ name }) => (
                  <th key={name} scope="col" className="pl-2 text-right font-semibold">
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {Array.from({ length: months + 1 }, (_, month) => (
                <tr key={month} className="border-t border-line">
                  <td className="py-[2px]">{month === 0 ? 'today' : month}</td>
                  {series.map(({ name, kept }) => (
                    <td key={name} className="py-[2px] pl-2 text-right">
                      {formatMoney(kept[month] ?? 0, money)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </details>
        <Button className="mt-3" onClick={copy}>
          Copy as CSV
        </Button>
      </PreviewSection>
    </>
  )
}

/** What each line of the chart is, drawn as it is there. */
function Legend({ names }: { names: string[] }) {
  return (
    <ul className="mt-1.5 grid gap-0.5 text-[13px]">
      {names.map((name, index) => {
        const { color, dash, sign } = keptLine(index)
        return (
          <li key={name} className="flex items-center gap-2">
            <svg aria-hidden="true" width="40" height="14" viewBox="0 0 40 14" className="flex-none">
              <path d="M0 7H40" stroke={color} strokeWidth="2" strokeDasharray={dash.join(' ')} />
              <text x="20" y="11" fill={color} fontSize="11" textAnchor="middle">
                {sign}
              </text>
            </svg>
            {name}
          </li>
        )
      })}
    </ul>
  )
}

/** The comparison as CSV (RFC 4180): amounts with a point and the currency's decimals. */
function csvOf(
  columns: Column[],
  series: { name: string; kept: number[] }[],
  money: ReturnType<typeof useMoney>,
  gateway: string | null,
): string {
  const digits = currencyDigits(money.currency)
  const plain = (amount: number | null) => (amount === null ? '' : (amount / 10 ** digits).toFixed(digits))
  const row = (label: string, cell: (column: Column) => string) => [label, ...columns.map(cell)]
  return Papa.unparse([
    [`figure, ${money.currency}`, ...series.map(({ name }) => name)],
    row('in words', ({ priced }) => formatPriceSentence(priced)),
    row('in all', ({ sums }) => plain(sums.all)),
    row('in the first year', ({ sums }) => plain(sums.firstYear.pay)),
    row(`fees of ${gateway ?? 'no gateway'} in the first year`, ({ sums }) => plain(sums.firstYear.fees)),
    row('kept in the first year', ({ sums }) => plain(sums.firstYear.kept)),
    row('same as the one-time price by', ({ sums }) => sums.asMuchAsAtOnce ?? ''),
    row('open', ({ open }) => open),
    ...Array.from({ length: series[0]?.kept.length ?? 0 }, (_, month) => [
      month === 0 ? 'kept today' : `kept after month ${month}`,
      ...series.map(({ kept }) => plain(kept[month] ?? 0)),
    ]),
  ])
}
