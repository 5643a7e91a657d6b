import { sql } from 'drizzle-orm'
import { startAttempts } from '../charging/start.ts'
import type { Mode } from '../db/schema/columns.ts'
import { people } from '../db/schema/index.ts'
import type { Attempt } from '../fulfilment/notes.ts'
import { inTransaction, type Services, type Within } from '../platform/context.ts'
import { Together } from '../platform/together.ts'
import { askedOf, keepPlaced, linesOfOrders, numbered, orderOf, placedEvent } from './orderRows.ts'
import type { Placing } from './placing.ts'

/** So many orders are stored in one transaction. */
const AT_ONCE = 25
/** Where many buy, one waits so long for others. */
const GATHER_MS = 8

interface Asked {
  services: Services
  placing: Placing
}

const queues = new WeakMap<Services['db'], Map<Mode, Together<Asked, Attempt | null>>>()

/**
 * Stores an order of a buyer who is new here before money moves, together with others that are placed at the same time.
 * Who is new has nothing of it yet, and no other order. An order with codes, of nothing, or after another is not meant.
 * @returns the attempt to be charged; null where it is not so plain: it is then prepared by itself, which decides.
 */
export function prepareTogether(services: Services, placing: Placing): Promise<Attempt | null> {
  const { quoted, found, follows, shopper } = placing
  if (quoted.quote.today.pay === 0 || found.length > 0 || follows) return Promise.resolve(null)
  const byMode = queues.get(services.db) ?? new Map<Mode, Together<Asked, Attempt | null>>()
  queues.set(services.db, byMode)
  const queue =
    byMode.get(shopper.mode) ??
    new Together<Asked, Attempt | null>(AT_ONCE, GATHER_MS, async (all) => {
      const [first] = all
      const placings = all.map((one) => one.placing)
      // Where one fails, each is prepared by itself: it is known then which of them it is.
      const stored = first ? await storeAll(first.services, placings).catch(() => null) : null
      return stored ?? all.map(() => null)
    })
  byMode.set(shopper.mode, queue)
  return queue.ask({ services, placing })
}

function storeAll(services: Services, all: readonly Placing[]): Promise<(Attempt | null)[]> {
  return inTransaction(services, async (services) => {
    const at = services.now()
    const stored = (await putNewBuyers(services, all)).map(({ buyer, placing }) => ({
      placing,
      order: orderOf(buyer, placing, null, at),
    }))
    const rows = [numbered(stored.map(({ order }) => order)), ...linesOfOrders(stored)]
    const started = await startAttempts(
      services,
      stored.map(({ order, placing }, index) => ({
        about: { orderId: order.id, personId: order.personId },
        asked: askedOf(order, placing, at),
        before: [placedEvent(order, 'order-placed')],
        isFirst: true,
        ...(index === 0 ? { rows } : {}),
      })),
    )
    await keepPlaced(
      services.db,
      stored.map(({ order, placing }) => ({ orderId: order.id, placing })),
    )
    return all.map((placing) => started[stored.findIndex((one) => one.placing === placing)] ?? null)
  })
}

/** Stores those buyers who are new, each with the first order of theirs; the others are left out. */
async function putNewBuyers({ db: tx, now }: Within, all: readonly Placing[]) {
  const rows = all.map(({ shopper: { mode }, request: { email, name } }) => ({ mode, email, name }))
  const stored = await tx.execute<{ id: string; email: string }>(sql`
    insert into ${people} (mode, email, name, created_at)
    select r.mode, r.email, r.name, ${now()}
    from jsonb_to_recordset(${JSON.stringify(rows)}::jsonb) as r (mode text, email text, name text) order by r.email
    on conflict do nothing returning id, email`)
  return stored.rows.flatMap((buyer) => {
    const placing = all.find(({ request: { email } }) => email === buyer.email)
    return placing ? [{ buyer, placing }] : []
  })
}
