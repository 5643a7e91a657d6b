import { parseArgs } from 'node:util'
import { sql } from 'drizzle-orm'
import { addDays, after } from '../src/core/calendar/day.ts'
import type { DraftTerms } from '../src/core/content/offer.ts'
import { placeOrder } from '../src/server/checkout/place.ts'
import { connect, migrateDatabase, transaction } from '../src/server/db/client.ts'
import { connections, creators } from '../src/server/db/schema/index.ts'
import { connectGateway } from '../src/server/gateways/service.ts'
import { hashToken } from '../src/server/platform/secrets.ts'
import { openSession } from '../src/server/session/sessions.ts'
import { listenAsProduct, putOnSale, setUpSchool } from '../src/testing/school.ts'
import { startStandins } from '../src/testing/standins.ts'
import { chaosServices } from './chaos/services.ts'
import { ensureDatabase, startCluster } from './postgres.ts'

/**
 * `npm run million`: fills a database of its own with 200 000 orders and a million payments over two and a half
 * years, and measures what every list and board takes to answer. Orders are copies of a few that were really placed,
 * spread over time; `--plans` prints how PostgreSQL reads the slowest.
 */
const { values } = parseArgs({
  options: {
    orders: { type: 'string', default: '200000' },
    rounds: { type: 'string', default: '60' },
    plans: { type: 'boolean', default: false },
    fresh: { type: 'boolean', default: false },
  },
})
const ORDERS = Number(values.orders)
const ROUNDS = Number(values.rounds)
const DAYS_BACK = 900

const cluster = await startCluster({ dir: '.data/million-postgres', port: 7460 })
const url = cluster.url(`million_${ORDERS}`)
await ensureDatabase(url)
const { db, pool } = connect(url, 6)
await migrateDatabase(db)
const standins = await startStandins()
const product = await listenAsProduct((origin) =>
  chaosServices(db, { databaseUrl: url, standinsOrigin: standins.origin, origin, patienceMs: 250 }),
)
const { services } = product

try {
  const { rows } = await db.execute(sql`select count(*)::int as n from orders`)
  if ((rows[0] as { n: number }).n < ORDERS) await fill()
  await measure()
} finally {
  standins.close()
  product.server.close()
  await pool.end()
  cluster.stop()
}
process.exit(0)

function terms(): [string, DraftTerms][] {
  const month = { count: 1, unit: 'month' } as const
  const plan = (count: number, amount: number): DraftTerms => ({
    kind: 'installments',
    count,
    every: month,
    amount,
    total: null,
    deposit: null,
    trial: null,
  })
  return [
    ['One payment', { kind: 'single', amount: 12_900 }],
    ['In three', plan(3, 4300)],
    ['In eight', plan(8, 6500)],
    ['Monthly', { kind: 'subscription', amount: 1900, every: month, payments: null, setupFee: null, trial: null }],
    ['In five', plan(5, 2600)],
  ]
}

/** A school with five courses and an order of each kind, and copies of those. */
async function fill() {
  console.log(`filling ${ORDERS} orders…`)
  await setUpSchool(services, 'Million', 'owner@million.example')
  await connectGateway(services, 'practice', {
    adapter: 'thistle',
    account: standins.account.id,
    secret: standins.account.keys.practice,
  })
  const wallet = standins.wallets.openAccount('Million')
  await connectGateway(services, 'practice', { adapter: 'moor', account: wallet.id, secret: wallet.keys.practice })
  const all = await db.select().from(connections)
  const connection = all.find(({ adapter }) => adapter === 'thistle')
  const rare = all.find(({ adapter }) => adapter === 'moor')
  for (const [name, price] of terms()) {
    const { offerId, slug } = await putOnSale(services, `Course ${name}`, { name, terms: price })
    const pay =
      price.kind === 'single' || price.kind === 'installments' || price.kind === 'subscription'
        ? (price.amount ?? 0)
        : 0
    await placeOrder(
      services,
      slug,
      {
        lines: [{ offerId, chosen: null }],
        name: `Template ${name}`,
        email: `${name.replaceAll(' ', '')}@million.example`,
        agreed: { pay, currency: 'EUR' },
        payment: { connectionId: connection?.id as string, token: standins.tokenOf('pays') },
      },
      { mode: 'practice', browserHash: hashToken(name), person: null },
    )
  }
  await transaction(db, async (tx) => {
    // What the triggers would add up payment by payment is added up once, at the end.
    await tx.execute(sql`set local session_replication_role = replica`)
    await tx.execute(sql`
      create temporary table copies on commit drop as
      select g as i, gen_random_uuid() as id, gen_random_uuid() as person_id, gen_random_uuid() as line_id,
        gen_random_uuid() as agreement_id, t.id as template,
        ((${ORDERS} - g)::bigint * ${DAYS_BACK} / ${ORDERS})::int as days,
        case when g % 100 = 3 then 'late' when g % 100 = 1 then 'stopped' else 'fine' end as fate
      from generate_series(1, ${ORDERS}) g
      join (select id, row_number() over (order by number) - 1 as k from orders where number < 1006) t on t.k = g % 5`)
    await tx.execute(sql`insert into people (id, mode, email, name, created_at)
      select person_id, 'practice', 'buyer' || i || '@million.example', 'Buyer ' || chr(65 + i % 26) || i, now() - days * interval '1 day' from copies`)
    await tx.execute(sql`insert into orders (id, mode, number, person_id, basket, state, currency, pay_today, quote_input, quote, browser_hash, search_text, created_at, paid_at)
      select c.id, o.mode, 2000 + c.i, c.person_id, o.basket, 'paid', o.currency, o.pay_today, o.quote_input, o.quote, 'copy ' || c.i,
        'buyer ' || c.i || ' buyer' || c.i || '@million.example ' || o.search_text, now() - days * interval '1 day', now() - days * interval '1 day'
      from copies c join orders o on o.id = c.template`)
    await tx.execute(sql`insert into order_lines (id, order_id, position, offer_id, offer_version, product_id, title, offer_name, role, quoted)
      select c.line_id, c.id, l.position, l.offer_id, l.offer_version, l.product_id, l.title, l.offer_name, l.role, l.quoted
      from copies c join order_lines l on l.order_id = c.template`)
    await tx.execute(sql`insert into line_courses (line_id, course_id, position, title, weight)
      select c.line_id, k.course_id, k.position, k.title, k.weight
      from copies c join order_lines l on l.order_id = c.template join line_courses k on k.line_id = l.id`)
    await tx.execute(sql`
      create temporary table scheduled on commit drop as
      select c.i, c.id as order_id, c.line_id, c.agreement_id, c.fate, gen_random_uuid() as id, gen_random_uuid() as attempt_id, p.offer_id, p.n, p.kind,
        p.due - c.days as due, p.list, p.price, p.discount, p.tax, p.pay,
        max(p.n) filter (where p.due - c.days <= current_date) over (partition by c.i) as last_due,
        count(*) over (partition by c.i) as total
      from copies c join payments p on p.order_id = c.template`)
    await tx.execute(sql`alter table scheduled add column is_collected boolean`)
    await tx.execute(
      sql`update scheduled set is_collected = due <= current_date and not (fate <> 'fine' and n > 1 and n = last_due)`,
    )
    await tx.execute(sql`create index on scheduled (i)`)
    await tx.execute(sql`analyze scheduled`)
    await tx.execute(sql`insert into attempts (id, order_id, agreement_id, from_n, to_n, day, made_by, key, connection_id, amount, currency, state, reference, fee, method, started_at, settled_at)
      select s.attempt_id, s.order_id, case when s.n > 1 then s.agreement_id end, case when s.n > 1 then s.n end, case when s.n > 1 then s.n end,
        s.due, case when s.n > 1 then 'worker' else 'buyer' end, 'copy ' || s.attempt_id, ${connection?.id as string}, s.pay, 'EUR', 'collected', 'ref ' || s.i || ' ' || s.n,
        (s.pay * 17 + 500) / 1000 + 19, 'card ending 4821', s.due + interval '9 hours', s.due + interval '9 hours'
      from scheduled s where s.is_collected`)
    await tx.execute(sql`insert into payments (id, order_id, line_id, offer_id, mode, n, kind, due, list, price, discount, tax, pay, state, attempt_id, collected_at, fee)
      select s.id, s.order_id, s.line_id, s.offer_id, 'practice', s.n, s.kind, s.due, s.list, s.price, s.discount, s.tax, s.pay,
        case when s.is_collected then 'collected' else 'due' end, case when s.is_collected then s.attempt_id end,
        case when s.is_collected then s.due + interval '9 hours' end,
        case when s.is_collected then (s.pay * 17 + 500) / 1000 + 19 else 0 end from scheduled s`)
    await tx.execute(sql`insert into agreements (id, mode, person_id, order_id, line_id, connection_id, saved_method, method, kind, endless, state, collected, last_collected, tries, first_tried, next_try, created_at)
      select c.agreement_id, 'practice', c.person_id, c.id, c.line_id, a.connection_id, 'copy', 'card ending 4821', a.kind, a.endless,
        case when done.n = done.total then 'completed' when c.fate = 'stopped' and done.late then 'stopped' else 'active' end,
        done.n, done.last, case when c.fate = 'fine' or not done.late then 0 when c.fate = 'late' then 1 else 4 end,
        case when c.fate <> 'fine' and done.late then done.next end,
        case when done.n = done.total or (c.fate = 'stopped' and done.late) then null when c.fate = 'late' and done.late then current_date + 2 else done.next end,
        now() - c.days * interval '1 day'
      from copies c join agreements a on a.order_id = c.template
      join lateral (select count(*) filter (where is_collected)::int as n, count(*)::int as total, max(due) filter (where is_collected) as last,
        min(due) filter (where not is_collected) as next, coalesce(min(due) filter (where not is_collected) <= current_date, false) as late
        from scheduled s where s.i = c.i) done on true`)
    await tx.execute(sql`insert into grants (id, mode, person_id, course_id, order_id, line_id, offer_id, opens, created_at)
      select gen_random_uuid(), 'practice', c.person_id, k.course_id, c.id, c.line_id, l.offer_id, current_date - c.days, now() - c.days * interval '1 day'
      from copies c join order_lines l on l.id = c.line_id join line_courses k on k.line_id = l.id`)
    await tx.execute(sql`insert into journal (order_id, person_id, at, what, data)
      select c.id, c.person_id, now() - c.days * interval '1 day', w.what, '{}'::jsonb
      from copies c cross join (values ('order-placed'), ('attempt-started'), ('attempt-collected'), ('order-paid')) as w (what)`)
    await tx.execute(sql`insert into messages (id, mode, kind, person_id, order_id, state, created_at, sent_at)
      select gen_random_uuid(), 'practice', 'receipt', c.person_id, c.id, 'sent', now(), now() from copies c`)
  })
  await db.execute(sql`vacuum analyze`)
  await transaction(db, async (tx) => {
    // A few pay by another payment method, which is looked for among all.
    await tx.execute(sql`set local session_replication_role = replica`)
    const few = sql`(select id from orders where number % 500 = 7)`
    await tx.execute(sql`update attempts set connection_id = ${rare?.id as string} where order_id in ${few}`)
    await tx.execute(sql`update agreements set connection_id = ${rare?.id as string} where order_id in ${few}`)
    await tx.execute(sql`delete from money_deltas`)
    await tx.execute(sql`delete from money_sums`)
    await tx.execute(sql`insert into money_sums (mode, day, offer_id, adapter, state, pay, n)
      select mode, day, offer_id, adapter, state, sum(pay), count(*) from money_parts group by 1, 2, 3, 4, 5`)
    await tx.execute(sql`insert into ledger (transaction, mode, day, at, kind, currency, account, amount, method, order_id, line_id, payment_id, offer_id, attempt_id)
      select 1000000 + row_number() over (order by p.due, p.id, x.account) / 4, p.mode, p.due, p.collected_at, 'payment', 'EUR', x.account, x.amount,
        c.adapter, p.order_id, p.line_id, p.id, p.offer_id, p.attempt_id
      from payments p join attempts a on a.id = p.attempt_id join connections c on c.id = a.connection_id
      cross join lateral (values ('assets:gateway:' || c.adapter, p.pay - p.fee), ('expenses:fees:' || c.adapter, p.fee),
        ('income:sales:copies', p.tax - p.pay), ('liabilities:vat', -p.tax)) as x (account, amount)
      where p.state = 'collected' and x.amount <> 0 and a.key like 'copy %'`)
    await tx.execute(sql`delete from moved_deltas`)
    await tx.execute(sql`delete from moved_sums`)
    await tx.execute(sql`insert into moved_sums (mode, day, offer_id, method, account, currency, is_back, amount)
      select mode, day, offer_id, method, account, currency, false, sum(amount) from ledger group by 1, 2, 3, 4, 5, 6`)
  })
  await db.execute(sql`select setval('ledger_numbers', 100000000)`)
  await db.execute(sql`vacuum analyze ledger`)
  await db.execute(sql`select setval('practice_order_numbers', ${ORDERS + 3000})`)
}

interface Asked {
  name: string
  path: () => string
}

/** Every list and board, asked for through the API like the studio does, on varied pages. */
async function measure() {
  const counts = await db.execute(
    sql`select (select count(*) from orders)::int as orders, (select count(*) from payments)::int as payments, (select count(*) from agreements)::int as agreements`,
  )
  console.log(JSON.stringify(counts.rows[0]))
  const [creator] = await db.select().from(creators)
  const token = await openSession(services, { creatorId: creator?.id as string })
  const cookie = `acorn_studio=${token}; acorn_mode=practice`
  const ids = (
    await db.execute(
      sql`select o.id, o.person_id, l.offer_id, l.product_id as course_id from orders o join order_lines l on l.order_id = o.id where o.number > 2000 order by o.number desc limit 400`,
    )
  ).rows as {
    id: string
    person_id: string
    offer_id: string
    course_id: string
  }[]
  const any = () => ids[Math.floor(Math.random() * ids.length)] as (typeof ids)[number]
  const month = (n: number) => {
    const from = after(`${new Date().toISOString().slice(0, 7)}-01`, n, { count: 1, unit: 'month' })
    return `from=${from}&until=${addDays(after(from, 1, { count: 1, unit: 'month' }), -1)}`
  }
  const years = `from=${addDays(new Date().toISOString().slice(0, 10), -DAYS_BACK)}&until=${addDays(new Date().toISOString().slice(0, 10), 400)}`
  const between = (from: number, to: number) => from + Math.floor(Math.random() * (to - from + 1))
  let cursor = ''
  const asked: Asked[] = [
    { name: 'orders, first page', path: () => '/api/orders' },
    { name: 'orders, a page far down', path: () => `/api/orders?before=${between(3000, ORDERS)}` },
    { name: 'orders, one state', path: () => '/api/orders?state=waiting' },
    { name: 'orders, searched', path: () => `/api/orders?search=buyer${between(1000, ORDERS)}` },
    { name: 'orders, in a sentence', path: () => '/api/orders/sum' },
    { name: 'one order', path: () => `/api/orders/${any().id}` },
    { name: 'what needs a look', path: () => '/api/orders/attention' },
    { name: 'people, first page', path: () => '/api/people' },
    { name: 'people, searched', path: () => `/api/people?search=buyer${between(1000, ORDERS)}` },
    { name: 'one person', path: () => `/api/people/${any().person_id}` },
    { name: 'money by month', path: () => '/api/money/months' },
    { name: 'money by month, one offer', path: () => `/api/money/months?offer=${any().offer_id}` },
    { name: 'money by month, one way', path: () => '/api/money/months?paymentMethod=thistle' },
    { name: 'money by month, one buyer', path: () => `/api/money/months?search=buyer${between(1000, ORDERS)}` },
    { name: 'payments of a month', path: () => `/api/money/payments?${month(between(-11, 12))}` },
    {
      name: 'payments of a month, a page far down',
      path: () => `/api/money/payments?${month(0)}&after=${encodeURIComponent(cursor)}`,
    },
    {
      name: 'payments of a month, one course',
      path: () => `/api/money/payments?${month(between(-11, 12))}&course=${any().course_id}`,
    },
    { name: 'payments of a month, the late ones', path: () => `/api/money/payments?${month(0)}&status=late` },
    { name: 'a month by day', path: () => `/api/money/span?${month(between(-11, 12))}` },
    { name: 'all years', path: () => `/api/money/span?${years}` },
    { name: 'payments of all years', path: () => `/api/money/payments?${years}` },
    { name: 'payments of all years, to come', path: () => `/api/money/payments?${years}&status=to-come` },
    { name: 'payments of all years, one course', path: () => `/api/money/payments?${years}&course=${any().course_id}` },
    {
      name: 'payments of all years, a rare payment method',
      path: () => `/api/money/payments?${years}&paymentMethod=moor`,
    },
    { name: 'payments of all years, one way', path: () => `/api/money/payments?${years}&paymentMethod=thistle` },
    { name: 'what moved in a month', path: () => `/api/money/movements?${month(between(-11, 0))}` },
    { name: 'what moved in all years', path: () => `/api/money/movements?${years}` },
    {
      name: 'what moved in all years, one course',
      path: () => `/api/money/movements?${years}&course=${any().course_id}`,
    },
    {
      name: 'what moved in all years, a rare payment method',
      path: () => `/api/money/movements?${years}&paymentMethod=moor`,
    },
    {
      name: 'what moved for one buyer',
      path: () => `/api/money/movements?${years}&search=buyer${between(1000, ORDERS)}`,
    },
    { name: 'where the money is', path: () => '/api/money/accounts' },
    { name: 'everything late', path: () => '/api/money/late?status=late' },
    { name: 'everything given up', path: () => '/api/money/late?status=given-up' },
    { name: 'the shelf', path: () => '/api/catalogue/shelf' },
    { name: 'one offer', path: () => `/api/offers/${any().offer_id}` },
    { name: 'gateways', path: () => '/api/gateways' },
    { name: 'what would stop', path: () => '/api/gateways/thistle/stops' },
    { name: 'before going live', path: () => '/api/school/live' },
  ]
  const ask = async (path: string) => {
    const begun = performance.now()
    const response = await fetch(product.origin + path, { headers: { cookie, origin: product.origin } })
    const body = await response.text()
    if (!response.ok) throw new Error(`${path}: ${response.status} ${body}`)
    return { ms: performance.now() - begun, body }
  }
  // A cursor some thousand payments down the month.
  const { rows: far } = await db.execute(
    sql`select due, order_id, id from payments where mode = 'practice' and due >= ${`${new Date().toISOString().slice(0, 7)}-01`} order by due, order_id, id offset ${Math.min(20_000, ORDERS / 10)} limit 1`,
  )
  const at = far[0] as { due: string; order_id: string; id: string } | undefined
  if (at) cursor = `${at.due}|${at.order_id}|${at.id}`
  console.log(`${'list or board'.padEnd(40)}   p50 ms   p95 ms`)
  const slow: string[] = []
  for (const { name, path } of asked) {
    for (let warm = 0; warm < 4; warm++) await ask(path())
    const taken: number[] = []
    for (let round = 0; round < ROUNDS; round++) taken.push((await ask(path())).ms)
    taken.sort((a, b) => a - b)
    const [p50, p95] = [taken[Math.floor(ROUNDS * 0.5)] ?? 0, taken[Math.floor(ROUNDS * 0.95)] ?? 0]
    if (p95 > 100) slow.push(name)
    console.log(`${name.padEnd(40)} ${p50.toFixed(1).padStart(8)} ${p95.toFixed(1).padStart(8)}`)
  }
  console.log(
    slow.length === 0 ? 'all answer within 100 ms at the 95th percentile' : `above 100 ms: ${slow.join(', ')}`,
  )
  if (values.plans) await plans(month(0))
}

/** How PostgreSQL reads the lists that grow. */
async function plans(month: string) {
  const explain = async (name: string, query: ReturnType<typeof sql>) => {
    console.log(`\n-- ${name}`)
    const { rows } = await db.execute(sql`explain (analyze, costs off, timing off, summary off) ${query}`)
    for (const row of rows) console.log((row as { 'QUERY PLAN': string })['QUERY PLAN'])
  }
  await explain(
    'orders, a page far down',
    sql`select id, number from orders where mode = 'practice' and number < 50000 order by number desc limit 41`,
  )
  await explain(
    'orders, searched',
    sql`select id from orders where mode = 'practice' and search_text like '%buyer77777@%' order by number desc limit 41`,
  )
  await explain(
    'payments of a month',
    sql`select p.id from payments p join orders o on o.id = p.order_id and o.state = 'paid' where p.mode = 'practice' and p.due >= ${`${month}-01`} and p.due < (${`${month}-01`}::date + interval '1 month')::date order by p.due, p.order_id, p.id limit 201`,
  )
  await explain('money by day', sql`select day, sum(pay) from money_sums where mode = 'practice' group by day`)
  await explain(
    'late',
    sql`select p.pay from agreements a join payments p on p.line_id = a.line_id and p.state = 'due' where a.mode = 'practice' and a.state = 'active' and a.tries > 0 and p.due <= current_date`,
  )
}
