import { fork } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import { eq, sql } from 'drizzle-orm'
import pg from 'pg'
import { readRehearsal } from '../../src/core/collecting/read.ts'
import { rehearse } from '../../src/core/collecting/rehearse.ts'
import { documentOf } from '../../src/core/quote/stored.ts'
import { allGateways } from '../../src/gateways/registry.ts'
import { placeOrder } from '../../src/server/checkout/place.ts'
import { agreementsDue, collectAgreements } from '../../src/server/collecting/collect.ts'
import { connect, migrateDatabase } from '../../src/server/db/client.ts'
import { attempts, connections, orders, school } from '../../src/server/db/schema/index.ts'
import { connectGateway } from '../../src/server/gateways/service.ts'
import { hashToken } from '../../src/server/platform/secrets.ts'
import { putOnSale, setUpSchool } from '../../src/testing/school.ts'
import { chaosServices } from '../chaos/services.ts'
import { dropDatabase } from '../databases.ts'
import { ensureDatabase, startCluster } from '../postgres.ts'

const AGREEMENTS = 320
const AT_ONCE = 8
const DAY_MS = 86_400_000

/**
 * Payments collected a second by one worker, with the stand-in answering at once, against the plain SQL that the same
 * bookkeeping needs, with the same commits, on the same cluster; and how many years of collecting are rehearsed a minute.
 */
export async function benchCollecting(): Promise<void> {
  const cluster = await startCluster({ dir: '.data/bench-postgres', port: 7630 })
  const url = cluster.url('acorn_collecting')
  await dropDatabase(url)
  await ensureDatabase(url)
  const { db, pool } = connect(url, AT_ONCE + 2)
  const plain = new pg.Pool({ connectionString: url, max: AT_ONCE })
  const standin = await forkStandin(AGREEMENTS)
  try {
    await migrateDatabase(db)
    // As patient with the gateway as the product is.
    const services = {
      ...chaosServices(db, { databaseUrl: url, standinsOrigin: standin.origin, patienceMs: 250 }),
      gateways: allGateways(standin.origin, 'http://127.0.0.1'),
    }
    await fill()
    await collectMonth(1)
    // The half that plain SQL writes for is left alone by the worker from here on.
    const { rows: halves } = await db.execute<{ id: string }>(
      sql`select a.id from attempts a join orders o on o.id = a.order_id where a.agreement_id is not null and o.number % 2 = 0`,
    )
    await db.execute(
      sql`update agreements set next_try = null where order_id in (select id from orders where number % 2 = 0)`,
    )
    const seconds = { worker: 0, sql: 0 }
    // By turns, so that a busy moment of the machine meets both; the first turn warms both up.
    for (let month = 2; month <= 5; month++) {
      const byWorker = await collectMonth(month)
      const bySql = await timed(() => inParallel(halves, ({ id }) => keepPlainly(id, month)))
      if (month === 2) continue
      seconds.worker += byWorker
      seconds.sql += bySql
    }
    const rate = (time: number) => (3 * (AGREEMENTS / 2)) / time
    console.log(
      `  payments collected a second: ${rate(seconds.worker).toFixed(0)} by one worker, ${rate(seconds.sql).toFixed(0)} by the plain SQL of the same bookkeeping`,
    )
    console.log(
      `  ratio ${(seconds.sql / seconds.worker).toFixed(2)} (goal: at least 0.5), ${AT_ONCE} at a time; worker, stand-in and PostgreSQL share this machine`,
    )
    await rehearsals()

    async function collectMonth(month: number): Promise<number> {
      // A day more than the longest month, so that the hour at which it is run plays no part.
      await db.update(school).set({ practiceAheadMs: month * 32 * DAY_MS })
      const due = await agreementsDue(services, 'practice')
      const before = await db.$count(attempts, eq(attempts.state, 'collected'))
      const taken = await timed(() => collectAgreements(services, due))
      const collected = (await db.$count(attempts, eq(attempts.state, 'collected'))) - before
      if (collected < due.length || due.length === 0) throw new Error(`${collected} of ${due.length} were collected`)
      return taken
    }

    async function fill() {
      await setUpSchool(services, 'Bench', 'owner@bench.example')
      const { account, secret, tokens } = standin
      await connectGateway(services, 'practice', { adapter: 'thistle', account, secret })
      const [connection] = await db.select().from(connections)
      const every = { count: 1, unit: 'month' } as const
      const terms = { kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial: null } as const
      const { offerId, slug } = await putOnSale(services, 'Monthly', { terms })
      await inParallel(
        Array.from({ length: AGREEMENTS }, (_, n) => n),
        (n) =>
          placeOrder(
            services,
            slug,
            {
              lines: [{ offerId, chosen: null }],
              name: `Bench ${n}`,
              email: `bench${n}@bench.example`,
              agreed: { pay: 1900, currency: 'EUR' },
              payment: { connectionId: connection?.id as string, token: tokens[n] as string },
            },
            { mode: 'practice', browserHash: hashToken(`bench ${n}`), person: null },
          ),
      )
    }

    /** The rows that one collected payment writes, again: the attempt before, and all that follows from it after. */
    async function keepPlainly(attemptId: string, month: number) {
      const client = await plain.connect()
      const key = crypto.randomUUID()
      try {
        await client.query('begin')
        await client.query(
          `select o.id from orders o join attempts a on a.order_id = o.id where a.id = $1 for no key update of o`,
          [attemptId],
        )
        await client.query(
          `insert into attempts (id, order_id, agreement_id, from_n, to_n, day, made_by, key, connection_id, amount, currency, state, started_at)
           select $2::uuid, order_id, agreement_id, from_n + $4::int, to_n + $4::int, day, made_by, $3, connection_id, amount, currency, 'started', now() from attempts where id = $1`,
          [attemptId, key, key, 100 * month],
        )
        await client.query(
          `insert into journal (order_id, at, what, data) select order_id, now(), 'attempt-started', '{}' from attempts where id = $1`,
          [attemptId],
        )
        await client.query('commit')
        await client.query('begin')
        await client.query(
          `select o.id from orders o join attempts a on a.order_id = o.id where a.id = $1 for no key update of o`,
          [attemptId],
        )
        await client.query(
          `update attempts set state = 'collected', reference = 'plain', fee = 51, method = 'card ending 4821', settled_at = now() where id = $1`,
          [key],
        )
        await client.query(
          `update payments p set collected_at = now() from attempts a join agreements g on g.id = a.agreement_id where a.id = $1 and p.line_id = g.line_id and p.n = a.from_n`,
          [attemptId],
        )
        // All rows of a transaction of the ledger come by one statement.
        await client.query(
          `insert into ledger (transaction, mode, day, at, kind, currency, account, amount, method, order_id, line_id, payment_id, offer_id, attempt_id)
           select n.transaction, g.mode, current_date, now(), 'payment', 'EUR', x.account, x.amount, 'thistle', g.order_id, g.line_id, g.line_id, (select offer_id from order_lines where id = g.line_id), $2::uuid
           from (select nextval('ledger_numbers') as transaction) n, attempts a join agreements g on g.id = a.agreement_id,
             (values ('assets:gateway:thistle', 1849), ('expenses:fees:thistle', 51), ('income:sales:monthly', -1583), ('liabilities:vat', -317)) as x (account, amount)
           where a.id = $1`,
          [attemptId, key],
        )
        await client.query(
          `update agreements g set tries = 0, last_collected = g.last_collected from attempts a where a.id = $1 and g.id = a.agreement_id`,
          [attemptId],
        )
        await client.query(
          `update grants r set closes = r.closes from attempts a join agreements g on g.id = a.agreement_id where a.id = $1 and r.line_id = g.line_id`,
          [attemptId],
        )
        await client.query(
          `insert into payments (order_id, line_id, offer_id, mode, n, kind, due, list, price, discount, tax, pay, state)
           select g.order_id, g.line_id, (select offer_id from order_lines where id = g.line_id), g.mode, (select max(n) + 1 from payments where line_id = g.line_id), 'regular', current_date, 0, 0, 0, 0, 0, 'due' from attempts a join agreements g on g.id = a.agreement_id where a.id = $1`,
          [attemptId],
        )
        await client.query(
          `insert into messages (mode, kind, person_id, order_id, agreement_id, state, created_at)
           select g.mode, 'collected', g.person_id, g.order_id, g.id, 'waiting', now() from attempts a join agreements g on g.id = a.agreement_id where a.id = $1`,
          [attemptId],
        )
        await client.query(
          `insert into journal (order_id, at, what, data) select order_id, now(), w, '{}' from attempts, unnest(array['payment-collected', 'message-queued']) w where id = $1`,
          [attemptId],
        )
        await client.query('commit')
      } finally {
        client.release()
      }
    }

    /** Years of one monthly subscription, as the rehearse command reads and answers them. */
    async function rehearsals() {
      const [order] = await db.select().from(orders)
      const from = (order?.quote.purchaseDay as string) ?? ''
      const until = `${Number(from.slice(0, 4)) + 1}${from.slice(4)}`.replace('-02-29', '-02-28')
      const input = {
        quote: documentOf(order?.quoteInput),
        policy: { retryAfterDays: [1, 3, 7] },
        attempts: ['ok', 'ok', 'declined'],
        until,
      }
      const rounds = 2000
      for (let warm = 0; warm < 200; warm++) rehearse(readRehearsal(input))
      const taken = await timed(async () => {
        for (let round = 0; round < rounds; round++) rehearse(readRehearsal(input))
      })
      const aMinute = (rounds / taken) * 60
      console.log(
        `  one-year rehearsals a minute, one process: ${aMinute.toFixed(0)}, ${(aMinute / 3000).toFixed(1)} times the goal`,
      )
    }
  } finally {
    standin.stop()
    await plain.end()
    await pool.end()
    cluster.stop()
  }
}

interface Standin {
  origin: string
  account: string
  secret: string
  tokens: string[]
}

/** The stand-ins in their own process, with so many tokens of a card that pays. */
function forkStandin(tokens: number): Promise<Standin & { stop: () => void }> {
  const child = fork(fileURLToPath(new URL('./standin.ts', import.meta.url)), [String(tokens)], {
    execArgv: ['--import', 'tsx'],
  })
  return new Promise((resolve, reject) => {
    child.once('message', (ready) => resolve({ ...(ready as Standin), stop: () => child.kill() }))
    child.once('exit', (code) => reject(new Error(`The stand-ins ended with ${code}.`)))
  })
}

async function timed(run: () => Promise<unknown>): Promise<number> {
  const begun = performance.now()
  await run()
  return (performance.now() - begun) / 1000
}

async function inParallel<T>(list: readonly T[], run: (item: T) => Promise<unknown>): Promise<void> {
  const left = [...list]
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      for (let item = left.shift(); item !== undefined; item = left.shift()) await run(item)
    }),
  )
}
