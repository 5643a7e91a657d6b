import pg from 'pg'
import { SAMPLE_CARDS } from '../../src/standins/thistle/cards.ts'
import { startMeasured } from './server.ts'

const ROUNDS = 12
const A_ROUND = 80
const AT_ONCE = 8

/** Every table that a paid order writes into, in the order in which plain SQL may insert. */
const FIRST = ['people', 'orders', 'order_lines', 'line_courses', 'payments', 'attempts'] as const

type Row = Record<string, unknown>

/**
 * Paid orders a second through the HTTP API, with the stand-in answering at once, against the same
 * rows inserted by plain SQL into the same cluster with the same commits.
 */
export async function benchOrders(): Promise<void> {
  const { config, close } = await startMeasured()
  const pool = new pg.Pool({ connectionString: config.databaseUrl, max: AT_ONCE })
  try {
    const { offerId, courseSlug, pay } = await coptic(pool)
    const { connectionId, account } = await practiceConnection(pool)
    const columns = await columnsOf(pool)
    const tokens = await inParallel(ROUNDS * A_ROUND, () => tokenOf(config.standinsOrigin, account))
    const order = async (n: number) => {
      const response = await fetch(`${config.origin}/api/shop/checkout/${courseSlug}`, {
        method: 'POST',
        headers: {
          origin: config.origin,
          'content-type': 'application/json',
          cookie: `acorn_browser=bench-${n}`,
          'idempotency-key': crypto.randomUUID(),
        },
        body: JSON.stringify({
          lines: [{ offerId, chosen: null }],
          name: `Bench ${n}`,
          email: `bench${Math.floor(n / A_ROUND)}-${n}@post.example`,
          agreed: { pay, currency: 'EUR' },
          payment: { connectionId, token: tokens[n] },
        }),
      })
      const placed = (await response.json()) as { state: string }
      if (placed.state !== 'paid') throw new Error(JSON.stringify(placed))
    }
    // Warm both up, then measure them by turns, so that a busy moment of the machine meets both.
    const seconds = { api: 0, sql: 0 }
    for (let round = 0; round < ROUNDS; round++) {
      const first = round * A_ROUND
      const byApi = await timed(() => inParallel(A_ROUND, (n) => order(first + n)))
      await new Promise((resolve) => setTimeout(resolve, 1000))
      const copies = await copyRows(pool, round)
      if (copies.length !== A_ROUND) throw new Error(`${copies.length} orders were made`)
      const bySql = await timed(() => inParallel(A_ROUND, (n) => insertPlainly(pool, columns, copies[n] as Copy)))
      if (round === 0) continue
      seconds.api += byApi
      seconds.sql += bySql
    }
    const rate = (time: number) => ((ROUNDS - 1) * A_ROUND) / time
    console.log(
      `  paid orders a second: ${rate(seconds.api).toFixed(0)} through the API, ${rate(seconds.sql).toFixed(0)} by plain SQL with the same rows and commits`,
    )
    console.log(
      `  ratio ${(seconds.sql / seconds.api).toFixed(2)} (goal: at least 0.4), ${AT_ONCE} at a time; client, server, stand-in and PostgreSQL share this machine`,
    )
  } finally {
    await pool.end()
    await close()
  }
}

type Columns = Map<string, string>

/** The columns of each table that can be written; those that PostgreSQL works out itself are left to it. */
async function columnsOf(pool: pg.Pool): Promise<Columns> {
  const { rows } = await pool.query(
    `select table_name as table, string_agg(quote_ident(column_name), ', ' order by ordinal_position) as columns
     from information_schema.columns where table_schema = 'public' and is_generated = 'NEVER' group by 1`,
  )
  return new Map(rows.map(({ table, columns }) => [table as string, columns as string]))
}

async function coptic(pool: pg.Pool) {
  const { rows } = await pool.query(
    `select o.id, c.slug, o.live->'terms'->>'amount' as amount from offers o join courses c on c.id = o.product_id where c.slug = 'coptic-binding'`,
  )
  return { offerId: rows[0].id as string, courseSlug: rows[0].slug as string, pay: Number(rows[0].amount) }
}

export async function practiceConnection(pool: pg.Pool) {
  const { rows } = await pool.query(
    `select id, account from connections where mode = 'practice' and adapter = 'thistle'`,
  )
  return { connectionId: rows[0].id as string, account: rows[0].account as string }
}

export async function tokenOf(standins: string, account: string): Promise<string> {
  const body = JSON.stringify({
    account,
    mode: 'practice',
    number: SAMPLE_CARDS[0].number,
    expiry: '04 / 31',
    code: '123',
  })
  const response = await fetch(`${standins}/thistle/fields/tokens`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body,
  })
  return ((await response.json()) as { token: string }).token
}

interface Copy {
  first: [string, Row][]
  updates: { orderId: string; attempt: Row }
  second: [string, Row][]
  /** One transaction, by one statement. */
  ledger: Row[]
  event: Row
}

/** The rows of the measured orders with new ids, ready to be inserted again. */
async function copyRows(pool: pg.Pool, round: number): Promise<Copy[]> {
  const all = async (table: string, where: string) =>
    (await pool.query(`select to_jsonb(t) as row from ${table} t where ${where}`)).rows.map(({ row }) => row as Row)
  const ids = `select o.id from orders o join people p on p.id = o.person_id where p.email like 'bench${round}-%'`
  const orders = await all('orders', `t.id in (${ids})`)
  const ofOrders = async (table: string) => group(await all(table, `t.order_id in (${ids})`))
  const ledger = group(await all('ledger', `t.order_id in (${ids})`))
  const [lines, payments, attempts, grants, journal, messages] = [
    await ofOrders('order_lines'),
    await ofOrders('payments'),
    await ofOrders('attempts'),
    await ofOrders('grants'),
    await ofOrders('journal'),
    await ofOrders('messages'),
  ]
  const opened = await all('line_courses', `t.line_id in (select l.id from order_lines l where l.order_id in (${ids}))`)
  const people = new Map((await all('people', `t.email like 'bench${round}-%'`)).map((row) => [row.id, row]))
  const events = await all('gateway_events', `t.type = 'payment.captured'`)
  const jobs = await all('jobs', `t.name in ('attempt-lookup', 'message-send')`)
  const lookUp = jobs.find(({ name }) => name === 'attempt-lookup') as Row
  const send = jobs.find(({ name }) => name === 'message-send') as Row
  return orders.map((order, index) => {
    const renamed = renamer(round * A_ROUND + index)
    const id = order.id as string
    const rows = {
      people: [people.get(order.person_id) as Row],
      orders: [{ ...order, state: 'paying', paid_at: null }],
      order_lines: lines.get(id) ?? [],
      line_courses: opened.filter(({ line_id }) => lines.get(id)?.some((line) => line.id === line_id)),
      payments: (payments.get(id) ?? []).map((row) => ({ ...row, state: 'due', attempt_id: null })),
      attempts: (attempts.get(id) ?? []).map((row) => ({ ...row, state: 'started', settled_at: null })),
    }
    const entries = journal.get(id) ?? []
    const before = entries.findIndex(({ what }) => what === 'attempt-collected')
    const put = (table: string, list: Row[]): [string, Row][] => list.map((row) => [table, renamed(row)])
    return {
      first: [
        ...FIRST.flatMap((table) => put(table, rows[table])),
        ...put('journal', entries.slice(0, before)),
        ...put('jobs', [lookUp]),
      ],
      updates: { orderId: renamed(order).id as string, attempt: renamed(attempts.get(id)?.[0] as Row) },
      second: [
        ...put('grants', grants.get(id) ?? []),
        ...put('journal', entries.slice(before)),
        ...put('messages', messages.get(id) ?? []),
        ...put('jobs', [send]),
      ],
      ledger: (ledger.get(id) ?? []).map((row) => ({
        ...renamed(row),
        transaction: 20_000_000 + round * A_ROUND + index,
      })),
      event: renamed(events[index % events.length] as Row),
    }
  })
}

function group(rows: Row[]): Map<string, Row[]> {
  const found = new Map<string, Row[]>()
  for (const row of rows) found.set(row.order_id as string, [...(found.get(row.order_id as string) ?? []), row])
  return found
}

const UNIQUE = new Set(['id', 'person_id', 'order_id', 'line_id', 'payment_id', 'attempt_id', 'key', 'event_id'])

/** Gives every id of a row a new one, the same for the same; numbers and addresses move on. */
function renamer(index: number) {
  const names = new Map<unknown, string>()
  const fresh = (id: unknown) => {
    if (!names.has(id)) names.set(id, crypto.randomUUID())
    return names.get(id) as string
  }
  return (row: Row): Row =>
    Object.fromEntries(
      Object.entries(row).map(([key, value]) => {
        if (key === 'number') return [key, 1_000_000 + index]
        if (key === 'email') return [key, `again${index}@post.example`]
        if (key === 'id' && typeof value === 'number') return [key, 10_000_000 + index * 100 + (Number(value) % 100)]
        return [key, UNIQUE.has(key) && typeof value === 'string' ? fresh(value) : value]
      }),
    )
}

async function insertPlainly(pool: pg.Pool, columns: Columns, { first, updates, second, ledger, event }: Copy) {
  const client = await pool.connect()
  const insert = (table: string, row: Row) =>
    client.query({
      name: `insert ${table}`,
      text: `insert into ${table} (${columns.get(table)}) select ${columns.get(table)} from jsonb_populate_record(null::${table}, $1)`,
      values: [JSON.stringify(row)],
    })
  try {
    await client.query('begin')
    for (const [table, row] of first) await insert(table, row)
    await client.query('commit')
    await client.query('begin')
    const { attempt, orderId } = updates
    await client.query({
      name: 'attempt',
      text: `update attempts set state = 'collected', reference = $2, fee = $3, method = $4, settled_at = now() where id = $1`,
      values: [attempt.id, attempt.reference, attempt.fee, attempt.method],
    })
    await client.query({
      name: 'order',
      text: `update orders set state = 'paid', paid_at = now() where id = $1`,
      values: [orderId],
    })
    await client.query({
      name: 'payments',
      text: `update payments set state = 'collected', attempt_id = $2, collected_at = now() where order_id = $1`,
      values: [orderId, attempt.id],
    })
    await client.query({
      name: 'insert ledger',
      text: 'insert into ledger select * from jsonb_populate_recordset(null::ledger, $1)',
      values: [JSON.stringify(ledger)],
    })
    for (const [table, row] of second) await insert(table, row)
    await client.query('commit')
    await insert('gateway_events', { ...event, state: 'received' })
    await client.query({
      name: 'event',
      text: `update gateway_events set state = 'handled' where id = $1`,
      values: [event.id],
    })
  } finally {
    client.release()
  }
}

/** Runs `count` pieces of work, some at a time, in order of their number. */
async function inParallel<T>(count: number, run: (n: number) => Promise<T>): Promise<T[]> {
  const results: T[] = []
  let next = 0
  const work = async () => {
    for (let n = next++; n < count; n = next++) results[n] = await run(n)
  }
  await Promise.all(Array.from({ length: AT_ONCE }, work))
  return results
}

async function timed(run: () => Promise<unknown>): Promise<number> {
  const began = performance.now()
  await run()
  return (performance.now() - began) / 1000
}
