import { and, asc, eq, ne, sql } from 'drizzle-orm'
import type { Day } from '../../src/core/calendar/day.ts'
import { readRehearsal } from '../../src/core/collecting/read.ts'
import { type Rehearsed, rehearse } from '../../src/core/collecting/rehearse.ts'
import { documentOf } from '../../src/core/quote/stored.ts'
import {
  agreements,
  attempts,
  grants,
  orderLines,
  orders,
  payments,
  refunds,
} from '../../src/server/db/schema/index.ts'
import { journalOf } from '../../src/server/ledger/plainText.ts'
import { sumSpan } from '../../src/server/money/spans.ts'
import { getSchool } from '../../src/server/school/service.ts'
import { balancesByHledger } from '../../src/testing/hledger.ts'
import type { ChaosSchool } from './school.ts'

type Attempt = typeof attempts.$inferSelect
type Order = typeof orders.$inferSelect
interface Booked {
  amount: number
  refunded: number
  reference: string
}

/** Every order against the gateways' books and against its rehearsal by the core; what differs, in words. */
export async function compare(school: ChaosSchool, until: Day): Promise<string[]> {
  const { db } = school
  const found: string[] = []
  const booked = booksOf(school)
  const { retryAfterDays } = await getSchool(db)
  for (const order of await db.select().from(orders).orderBy(asc(orders.number))) {
    const tries = await db
      .select()
      .from(attempts)
      .where(eq(attempts.orderId, order.id))
      .orderBy(asc(attempts.startedAt))
    found.push(...(await againstBooks(school, order, tries, booked)))
    found.push(
      ...(order.state === 'paid'
        ? await againstRehearsal(school, order, tries, retryAfterDays, until)
        : await unpaid(school, order, tries)),
    )
  }
  for (const [key, { amount, reference }] of booked)
    found.push(`a gateway took ${amount} for “${reference}” (${key}), and we do not know it`)
  const rest = await Promise.all([
    sumsAgainstPayments(school),
    ledgerAgainstAll(school),
    codesAgainstLimits(school),
    bundlesAgainstGrants(school, until),
    methodsForgotten(school),
  ])
  return [...found, ...rest.flat()]
}

/** What the gateways collected, by its key. */
function booksOf({ standins: { books, wallets, transfers } }: ChaosSchool): Map<string, Booked> {
  return new Map(
    [books, wallets, transfers]
      .flatMap((of): (Booked & { key: string; state: string })[] => [...of.payments.values()])
      .filter(({ state }) => state === 'captured')
      .map((payment) => [payment.key, payment]),
  )
}

/** What was collected and given back of an order, against the gateways' word; what was found is taken out of `booked`. */
async function againstBooks(
  { db, paymentMethods }: ChaosSchool,
  { id, number }: Order,
  tries: readonly Attempt[],
  booked: Map<string, Booked>,
): Promise<string[]> {
  const found: string[] = []
  const given = await db.select().from(refunds).where(eq(refunds.orderId, id))
  // One for which the rest could not be charged again is called off.
  if (given.some(({ state, awaitsId }) => state === 'started' || (state === 'refused' && awaitsId === null)))
    found.push(`order ${number}: a refund is not done`)
  const done = given.filter(({ state }) => state === 'refunded')
  for (const { id: attemptId, key, amount, connectionId, state } of tries) {
    if (state !== 'collected' || connectionId === paymentMethods.bank) continue
    const theirs = booked.get(key)
    if (theirs?.amount !== amount) found.push(`order ${number}: ${key} is collected here, and not there`)
    const ofThis = done.filter((refund) => refund.attemptId === attemptId)
    // What its buyer keeps went back with it, and was charged again before.
    const again = tries.filter((other) => ofThis.some(({ awaitsId }) => awaitsId === other.id))
    const back = [...ofThis, ...again].reduce((sum, one) => sum + one.amount, 0)
    if (theirs && theirs.refunded !== back)
      found.push(`order ${number}: of ${key} ${back} was given back here, ${theirs.refunded} there`)
    booked.delete(key)
  }
  return found
}

async function unpaid({ db }: ChaosSchool, { id, number }: Order, tries: readonly Attempt[]): Promise<string[]> {
  const isOpen = (await db.$count(grants, eq(grants.orderId, id))) > 0
  const isCollected = tries.some(({ state }) => state === 'collected')
  return [
    ...(isOpen ? [`order ${number}: is not paid, and its course is open`] : []),
    ...(isCollected ? [`order ${number}: was collected, and does not count as paid`] : []),
  ]
}

/** How an order stands, line by line, against the core's rehearsal of the same outcomes and the same doings of its buyer. */
async function againstRehearsal(
  { db }: ChaosSchool,
  order: Order,
  tries: readonly Attempt[],
  retryAfterDays: readonly number[],
  until: Day,
): Promise<string[]> {
  const lines = await db
    .select({ line: orderLines, agreement: agreements })
    .from(orderLines)
    .leftJoin(agreements, eq(agreements.lineId, orderLines.id))
    .where(eq(orderLines.orderId, order.id))
    .orderBy(asc(orderLines.position))
  const lineOf = ({ agreementId }: Attempt) => lines.findIndex(({ agreement }) => agreement?.id === agreementId)
  const settled = tries.filter(
    ({ agreementId, state }) => agreementId !== null && (state === 'collected' || state === 'declined'),
  )
  // The core does what is due on a day line by line.
  const byWorker = settled
    .filter(({ madeBy }) => madeBy === 'worker')
    .sort((a, b) => (a.day === b.day ? lineOf(a) - lineOf(b) : a.day < b.day ? -1 : 1))
  const byHand = settled.filter(({ madeBy, state }) => madeBy === 'buyer' && state === 'collected')
  const rehearsed = rehearse(
    readRehearsal({
      quote: documentOf(order.quoteInput),
      policy: { retryAfterDays },
      attempts: [
        ...(order.payToday > 0 ? ['ok'] : []),
        ...byWorker.map(({ state }) => (state === 'collected' ? 'ok' : 'declined')),
      ],
      events: [
        ...byHand.map((attempt) => ({ on: attempt.day, line: lineOf(attempt), what: 'pay' })),
        ...lines.flatMap(({ agreement }, line) =>
          agreement?.cancelledOn
            ? [{ on: agreement.cancelledOn, line, what: 'cancel', when: agreement.cancelledWhen }]
            : [],
        ),
      ],
      until,
    }),
  )
  const counting = settled.filter((attempt) => byWorker.includes(attempt) || byHand.includes(attempt))
  const found = await feesAgainstPayments(db, order, tries)
  for (const [index, { line, agreement }] of lines.entries()) {
    const own = counting.filter((attempt) => lineOf(attempt) === index)
    found.push(...(await differ(db, order, line, agreement, rehearsed, own)))
  }
  return found
}

/** What each attempt cost, against the parts of it at the payments that it collected. */
async function feesAgainstPayments(
  db: ChaosSchool['db'],
  { id, number }: Order,
  tries: readonly Attempt[],
): Promise<string[]> {
  const paid = await db.select().from(payments).where(eq(payments.orderId, id))
  if (tries.some(({ replacesId, state }) => replacesId !== null && state === 'collected')) {
    // What was charged again cost what both charges did.
    const cost = tries.reduce((sum, { fee, state }) => sum + (state === 'collected' ? (fee ?? 0) : 0), 0)
    const said = paid.reduce((sum, { fee }) => sum + fee, 0)
    return cost === said ? [] : [`order ${number}: its charges cost ${cost}, its payments say ${said}`]
  }
  return tries.flatMap(({ id: attemptId, fee, state, key }) => {
    const parts = paid.reduce((sum, payment) => sum + (payment.attemptId === attemptId ? payment.fee : 0), 0)
    return state === 'collected' && parts !== (fee ?? 0)
      ? [`order ${number}: ${key} cost ${fee}, its payments say ${parts}`]
      : []
  })
}

async function differ(
  db: ChaosSchool['db'],
  { number }: Order,
  { id: lineId, position }: typeof orderLines.$inferSelect,
  agreement: typeof agreements.$inferSelect | null,
  { lines, log }: Rehearsed,
  tries: readonly Attempt[],
): Promise<string[]> {
  const found: string[] = []
  const name = `order ${number}, line ${position + 1}`
  const say = (what: string, ours: unknown, theirs: unknown) => {
    if (JSON.stringify(ours) !== JSON.stringify(theirs))
      found.push(`${name}: ${what} is ${JSON.stringify(ours)}, rehearsed ${JSON.stringify(theirs)}`)
  }
  const line = lines[position]
  const paid = await db
    .select()
    .from(payments)
    .where(and(eq(payments.lineId, lineId), eq(payments.state, 'collected')))
  const [grant] = await db.select().from(grants).where(eq(grants.lineId, lineId))
  const closed = await db.$count(
    refunds,
    and(eq(refunds.lineId, lineId), eq(refunds.state, 'refunded'), ne(refunds.access, 'keep')),
  )
  say('its state', agreement?.state ?? 'paid', line?.state === 'overdue' ? 'active' : line?.state)
  say(
    'what was collected',
    paid.reduce((sum, { pay }) => sum + pay, 0),
    line?.collected,
  )
  say(
    'its tries',
    tries.flatMap(({ day, fromN, toN, state }) =>
      Array.from({ length: (toN ?? 0) - (fromN ?? 0) + 1 }, (_, index) => [day, (fromN ?? 0) + index, state]),
    ),
    log
      .filter(({ what, line: of }) => of === position && (what === 'collected' || what === 'declined'))
      .map(({ on, n, what }) => [on, n, what]),
  )
  say('when it closes', grant?.closes ?? null, line?.closes ?? null)
  if ((grant?.endedAt != null) !== closed > 0)
    found.push(`${name}: its course is ${grant?.endedAt ? 'closed' : 'open'} after a refund`)
  return found
}

/** No code is used more often than it may, but where money came after it was free again, which is said. */
async function codesAgainstLimits({ db }: ChaosSchool): Promise<string[]> {
  const { rows } = await db.execute<{ code: string; uses: number; most: number; known: number }>(sql`
    select c.live ->> 'code' as code, (c.live ->> 'limit')::int as most, count(u.id)::int as uses,
      (select count(*)::int from journal j where j.what = 'code-over-limit' and j.data ->> 'code' = c.live ->> 'code') as known
    from coupons c left join code_uses u on u.coupon_id = c.id and u.state <> 'released'
    group by c.id`)
  return rows.flatMap(({ code, uses, most, known }) =>
    most !== null && uses - known > most ? [`${code} is used ${uses} times, and may be ${most} times`] : [],
  )
}

/** Methods that were saved for upsells are forgotten, here and at the gateway, but for what later payments need. */
async function methodsForgotten({ db, standins }: ChaosSchool): Promise<string[]> {
  const [row] = (
    await db.execute<{ kept: number }>(sql`select count(*)::int as kept from attempts where forget_at is not null`)
  ).rows
  const found = row?.kept ? [`${row.kept} methods are kept that were to be forgotten`] : []
  const { rows } = await db.execute<{ method: string }>(sql`
    select distinct a.saved_method as method from attempts a where a.saved_method is not null and a.state = 'collected'
    union select saved_method from agreements where saved_method is not null`)
  const known = new Set(rows.map(({ method }) => method))
  const lost = [...standins.books.payments.values()].filter(
    ({ method, state }) =>
      method !== null && state === 'captured' && !known.has(method) && standins.books.isKept(method),
  )
  if (lost.length > 0) found.push(`the gateway has ${lost.length} methods that nobody here knows`)
  return found
}

/** Whoever has a bundle has each of its courses open, once, and no other; its shares are what was paid first. */
async function bundlesAgainstGrants({ db }: ChaosSchool, until: Day): Promise<string[]> {
  const { rows } = await db.execute<{ number: number; title: string; open: string[]; held: string[] }>(sql`
    select o.number, l.title,
      array(select g.course_id from grants g where g.line_id = l.id and g.ended_at is null order by 1) as open,
      array(select p.course_id from product_courses p where p.product_id = l.product_id order by 1) as held
    from order_lines l join orders o on o.id = l.order_id join bundles b on b.id = l.product_id
    where o.state = 'paid' and l.duplicate_of is null
      and exists (select from grants g where g.line_id = l.id and g.ended_at is null and (g.closes is null or g.closes > ${until}))
      and not exists (select from refunds r where r.line_id = l.id
        having sum(r.amount) >= (select sum(p.pay) from payments p where p.line_id = l.id and p.state = 'collected'))`)
  const found = rows.flatMap(({ number, title, open, held }) =>
    open.join() === held.join() ? [] : [`order ${number}: “${title}” opened ${open.length} of ${held.length} courses`],
  )
  if (rows.length === 0) found.push('nobody has a bundle')
  const lines = await db.select({ quoted: orderLines.quoted }).from(orderLines)
  for (const { quoted } of lines) {
    const first = quoted.payments.find(({ n }) => n > 0)
    const shares = quoted.shares.reduce((sum, { amount }) => sum + amount, 0)
    if (shares !== (first ? first.price - first.discount : 0))
      found.push(`shares of ${shares} are not what is paid first`)
  }
  return found
}

/** The sums that are kept by day, against the payments that they are made of. */
async function sumsAgainstPayments({ db }: ChaosSchool): Promise<string[]> {
  const { rows } = await db.execute(sql`
    select coalesce(k.day, p.day) as day, coalesce(k.sum, '0')::text as kept, coalesce(p.sum, '0')::text as counted
    from (select day, offer_id, sum(pay)::text as sum
      from (select day, offer_id, pay from money_sums union all select day, offer_id, pay from money_deltas) s
      group by day, offer_id having sum(pay) <> 0) k
    full join (select day, offer_id, sum(pay)::text as sum from money_parts group by day, offer_id) p
      using (day, offer_id)
    where k.sum is distinct from p.sum`)
  return (rows as { day: string; kept: string; counted: string }[]).map(
    ({ day, kept, counted }) => `the sums of ${day} say ${kept}, its payments come to ${counted}`,
  )
}

/**
 * The ledger: added up by another program, against the gateways' own books, against the board, and order by order
 * against what was collected and given back.
 */
async function ledgerAgainstAll(school: ChaosSchool): Promise<string[]> {
  const { db, services, standins } = school
  const found: string[] = []
  let journal = ''
  for await (const line of journalOf(db, 'practice', {})) journal += `${line}\n`
  const balances = balancesByHledger(journal)
  const held = (account: string) => balances.find((row) => row.account === account)?.amount ?? 0
  const say = (what: string, ours: number, theirs: number) => {
    if (ours !== theirs) found.push(`the ledger says ${ours} of ${what}, and that is ${theirs}`)
  }
  for (const [method, books] of [
    ['thistle', standins.books],
    ['moor', standins.wallets],
    ['brook', standins.transfers],
  ] as const) {
    const taken = [...books.payments.values()].filter(({ state }) => state === 'captured')
    const net = taken.reduce((sum, { amount, fee, refunded }) => sum + amount - fee - refunded, 0)
    const fees = taken.reduce((sum, { fee }) => sum + fee, 0)
    say(`what ${method} holds`, held(`assets:gateway:${method}`), net)
    say(`what ${method} kept`, held(`expenses:fees:${method}`), fees)
  }
  const { total } = await sumSpan(services, 'practice', { from: '2020-01-01', until: '2039-12-31', search: '' })
  const money = balances
    .filter(({ account }) => account.startsWith('assets:'))
    .reduce((sum, row) => sum + row.amount, 0)
  say('all that is there', money, total.received - total.fees - total.givenBack)
  say('the tax owed', -held('liabilities:vat'), total.receivedTax - total.givenBackTax)
  const { rows } = await db.execute(sql`
    select o.number, coalesce(l.amount, 0)::float8 as ledger, coalesce(p.amount, 0)::float8 as paid,
      coalesce(r.amount, 0)::float8 as back
    from orders o
    left join (select order_id, sum(amount) as amount from ledger
      where account ~ '^(assets:|expenses:fees:)' group by 1) l on l.order_id = o.id
    left join (select order_id, sum(pay) as amount from payments where state = 'collected' group by 1) p on p.order_id = o.id
    left join (select order_id, sum(amount) as amount from refunds where state = 'refunded' group by 1) r on r.order_id = o.id
    where coalesce(l.amount, 0) <> coalesce(p.amount, 0) - coalesce(r.amount, 0)`)
  for (const { number, ledger, paid, back } of rows as Record<string, number>[]) {
    found.push(`order ${number}: ${paid} was collected and ${back} given back, and the ledger says ${ledger}`)
  }
  return found
}
