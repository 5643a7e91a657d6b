import pg from 'pg'
import { newCoupon } from '../../src/core/content/coupon.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../../src/server/coupons/service.ts'
import type { Services } from '../../src/server/platform/context.ts'
import { putOnSale } from '../../src/testing/school.ts'
import { servicesFor } from './empty.ts'
import { practiceConnection, tokenOf } from './orders.ts'
import { startMeasured } from './server.ts'

const ROUNDS = 6
const A_ROUND = 40

/** A checkout of five lines and two codes, the whole request with the stand-in answering at once, against one of one line. */
export async function benchBasket(): Promise<void> {
  const { config, close } = await startMeasured()
  const pool = new pg.Pool({ connectionString: config.databaseUrl, max: 2 })
  const { services, end } = servicesFor(config)
  try {
    const offers: string[] = []
    for (let n = 0; n < 5; n++) {
      const { offerId } = await putOnSale(services, `Bench ${n}`, { terms: { kind: 'single', amount: 2000 } })
      offers.push(offerId)
    }
    const codes = ['BENCHONE', 'BENCHTWO']
    for (const code of codes) await publish(services, code)
    const { connectionId, account } = await practiceConnection(pool)
    const tokens: string[] = []
    for (let n = 0; n < 2 * ROUNDS * A_ROUND; n++) tokens.push(await tokenOf(config.standinsOrigin, account))
    const ask = (path: string, n: number, body: object) =>
      fetch(`${config.origin}/api/shop/checkout/basket${path}`, {
        method: 'POST',
        headers: {
          origin: config.origin,
          'content-type': 'application/json',
          cookie: `acorn_browser=bench-${n}`,
          'idempotency-key': crypto.randomUUID(),
        },
        body: JSON.stringify(body),
      }).then((response) => response.json())
    const linesOf = (offerIds: string[]) => offerIds.map((offerId) => ({ offerId, chosen: null }))
    const quoted = (await ask('/quote', 0, { lines: linesOf(offers), codes })) as { quote: { today: { pay: number } } }
    const payForFive = quoted.quote.today.pay
    const order = async (n: number, offerIds: string[], entered: string[], pay: number) => {
      const placed = (await ask('', n, {
        lines: linesOf(offerIds),
        codes: entered,
        name: `Bench ${n}`,
        email: `bench-${n}@post.example`,
        agreed: { pay, currency: 'EUR' },
        payment: { connectionId, token: tokens[n] },
      })) as { state: string }
      if (placed.state !== 'paid') throw new Error(JSON.stringify(placed))
    }
    const seconds = { five: 0, one: 0 }
    let n = 0
    for (let round = 0; round < ROUNDS; round++) {
      for (let each = 0; each < A_ROUND; each++) {
        // By turns, so that a busy moment of the machine meets both.
        const one = await timed(() => order(n++, offers.slice(0, 1), [], 2000))
        const five = await timed(() => order(n++, offers, codes, payForFive))
        if (round === 0) continue
        seconds.one += one
        seconds.five += five
      }
    }
    console.log(
      `  a checkout of five lines and two codes: ratio ${(seconds.five / seconds.one).toFixed(2)} to one of one line (goal: at most 1.6), whole requests one after the other`,
    )
  } finally {
    await end()
    await pool.end()
    await close()
  }
}

async function publish(services: Services, code: string): Promise<void> {
  const { id } = await createCoupon(services)
  const content = { ...newCoupon(), code, rate: 1000, combines: true, limitPerBuyer: null }
  const { draftRev } = await saveCouponDraft(services, id, 1, content)
  await publishCoupon(services, id, draftRev, null)
}

async function timed(run: () => Promise<unknown>): Promise<number> {
  const began = performance.now()
  await run()
  return (performance.now() - began) / 1000
}
