import { sayDay, sayDayShort } from '../../core/calendar/sayDay.ts'
import type { OfferContent } from '../../core/content/offer.ts'
import { speakOffer } from '../../core/content/quoteInput.ts'
import { feeOf } from '../../core/money/fee.ts'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import type { Fix, Obstacle } from '../../core/readiness/readiness.ts'
import { type Spoken, sayPrice } from '../../core/sentence/sentence.ts'
import { OfferCard } from '../../ui/OfferCard.tsx'
import { type Knot, Thread } from '../../ui/Thread.tsx'
import { Reflection } from '../frame/Places.tsx'
import { useSession } from '../session/session.ts'
import { Obstacles } from './Obstacles.tsx'
import type { BenchOffer } from './queries.ts'

interface OfferMirrorProps {
  offer: BenchOffer
  content: OfferContent
  obstacles: Obstacle[]
  fix: (to: Fix['to']) => void
}

/** What follows from an offer: its sentence, its thread, what is kept, what stands in the way, the buyer's view. */
export function OfferMirror({ offer, content, obstacles, fix }: OfferMirrorProps) {
  const { school } = useSession()
  const said = speakOffer(school, { id: offer.id, courseId: offer.course.id, content }, new Date().toISOString())
  const today = said?.quote.today
  const way = offer.ways[0]?.capabilities
  return (
    <>
      <Reflection label="Reads as">
        <p className="display text-[20px] leading-[1.32] font-medium" aria-live="polite">
          {said ? sayPrice(said.spoken) : 'No price yet.'}
        </p>
        {said && (
          <div className="mt-3">
            <Thread
              knots={knotsOf(said.spoken)}
              ribbon={{ label: ribbonOf(said.spoken), ends: said.spoken.line.closes, cloth: offer.course.cloth }}
            />
          </div>
        )}
      </Reflection>
      {said && <KeptOf spoken={said.spoken} way={way ?? null} />}
      <Reflection label="Stands in the way of a first sale">
        <Obstacles
          obstacles={obstacles}
          fix={fix}
          nothing={`Nothing. ${offer.sold > 0 ? `Ordered ${offer.sold} ${offer.sold === 1 ? 'time' : 'times'} so far.` : 'It can be bought now.'}`}
        />
      </Reflection>
      <Reflection label="The buyer sees">
        <OfferCard
          name={content.name}
          button={content.button}
          spoken={said?.spoken ?? null}
          today={today?.pay ?? 0}
          highlighted={content.highlighted}
          href={null}
        />
        <p className="mt-2 text-[13px]">
          <a className="link" href={`/buy/${offer.course.slug}?offer=${offer.id}`} target="_blank" rel="noreferrer">
            Open the checkout page
          </a>
        </p>
      </Reflection>
    </>
  )
}

/** Most payments that are drawn; a subscription until cancelled lists a year of them. */
const MOST_KNOTS = 13

function knotsOf({ line, purchaseDay, money }: Spoken): Knot[] {
  const byDay = new Map<string, number>()
  for (const { due, pay } of line.payments) byDay.set(due, (byDay.get(due) ?? 0) + pay)
  return [...byDay].slice(0, MOST_KNOTS).map(([due, pay]) => ({
    amount: formatMoney(pay, money, true),
    when: due === purchaseDay ? 'today' : sayDayShort(due),
    state: due === purchaseDay ? 'collected' : 'to-come',
  }))
}

function ribbonOf({ line, access, purchaseDay, money }: Spoken): string {
  const opens = line.opens > purchaseDay ? `opens ${sayDay(line.opens, money.language)}` : 'course open'
  if (access.lasts === 'whilePaying') return `${opens}, while it is paid`
  return line.closes ? `${opens}, until ${sayDay(line.closes, money.language)}` : `${opens}, for good`
}

/** What the creator keeps of all listed payments: each charge costs its own fee. */
function KeptOf({ spoken, way }: { spoken: Spoken; way: BenchOffer['ways'][number]['capabilities'] | null }) {
  const { line, money } = spoken
  const charges = new Map<string, number>()
  for (const { due, pay } of line.payments) charges.set(due, (charges.get(due) ?? 0) + pay)
  const paid = [...charges.values()].filter((pay) => pay > 0)
  const all = paid.reduce((sum, pay) => sum + pay, 0)
  if (all === 0) return null
  const tax = line.payments.reduce((sum, payment) => sum + payment.tax, 0)
  const fees = way ? paid.reduce((sum, pay) => sum + feeOf(pay, money.currency, way.fee), 0) : null
  const what = line.untilCancelled
    ? `the first ${paid.length} payments, ${formatMoney(all, money)}`
    : formatMoney(all, money)
  return (
    <Reflection label={`You keep, of ${what}`}>
      <Kept
        pay={all}
        tax={tax}
        payments={paid.length}
        fee={way && fees !== null ? { name: way.name, amount: fees } : null}
      />
    </Reflection>
  )
}

interface KeptProps {
  pay: number
  tax: number
  payments: number
  fee: { name: string; amount: number } | null
}

function Kept({ pay, tax, payments, fee }: KeptProps) {
  const { school } = useSession()
  const row = 'flex justify-between gap-4 py-[2.5px] text-[13px]'
  return (
    <dl>
      <div className={row}>
        <dt>
          {fee
            ? payments > 1
              ? `Fees of ${fee.name}, ${payments} payments`
              : `Fee of ${fee.name}`
            : 'Fee: no gateway is connected'}
        </dt>
        <dd>{fee ? `− ${formatMoney(fee.amount, school)}` : '–'}</dd>
      </div>
      {tax > 0 && (
        <div className={row}>
          <dt>
            VAT at {formatRate(school.taxRate, school.language)}, {school.taxMode === 'inclusive' ? 'inside' : 'on top'}
          </dt>
          <dd>− {formatMoney(tax, school)}</dd>
        </div>
      )}
      <div className={`${row} font-semibold`}>
        <dt>Yours</dt>
        <dd>{formatMoney(pay - tax - (fee?.amount ?? 0), school)}</dd>
      </div>
    </dl>
  )
}
