import { parseArgs } from 'node:util'
import { and, count, eq, inArray, isNull, lt, ne, notExists, sql } from 'drizzle-orm'
import { addDays, type Day, daysBetween } from '../src/core/calendar/day.ts'
import {
  agreements,
  attempts,
  bundleGrowths,
  OPEN_ATTEMPTS,
  refunds,
  school as schools,
} from '../src/server/db/schema/index.ts'
import { inMode } from '../src/server/platform/context.ts'
import { mapConcurrently } from '../src/server/platform/mapConcurrently.ts'
import { schoolDay } from '../src/server/school/service.ts'
import { GOOD_WEATHER } from '../src/standins/world.ts'
import { Dice } from '../src/testing/dice.ts'
import { People } from './chaos/buyers.ts'
import { compare } from './chaos/compare.ts'
import { Crew } from './chaos/crew.ts'
import { openSchool } from './chaos/school.ts'

/**
 * `npm run chaos -- --orders N --seed S`: orders of all kinds by every payment method over a moved year, with payments by hand,
 * cancels and refunds, workers killed at random, the gateways misbehaving. At the end our books, the gateways' books
 * and a rehearsal of every order by the core must agree, payment by payment.
 */
const { values } = parseArgs({
  options: { orders: { type: 'string', default: '150' }, seed: { type: 'string', default: '1' } },
})
const ORDERS = Number(values.orders)
const WORKERS = 3
const DAYS = 366
/** Orders come in the first days of the year. */
const BUYING_DAYS = 120
const BUYERS_AT_ONCE = 4
/** The bundle grows while orders still come. */
const GROWS_AFTER_DAYS = 60
/** Doings by hand over the year, for each order. */
const BY_HAND = { pay: 0.2, cancel: 0.1, refund: 0.1, refundOfSeveral: 0.05 }
const SAID_EVERY_MS = 30_000

const dice = new Dice(Number(values.seed))
const school = await openSchool(ORDERS)
const { db, services, standins } = school
const people = new People(school, dice)
const crew = await Crew.of(WORKERS, [school.url, standins.origin])
const began = Date.now()

let differences: string[] = []
let tries = 0
try {
  const until = await liveThrough()
  tries = await db.$count(attempts)
  differences = await compare(school, until)
} finally {
  crew.end()
  await school.close()
}
for (const difference of differences.slice(0, 20)) console.error(difference)
const { byHand, cancelled, givenBack, chargedAgain, upsold } = people
const lived = `${ORDERS} orders over ${DAYS} days, ${tries} attempts, ${byHand} paid by hand, ${cancelled} cancelled, ${givenBack} refunds (${chargedAgain} with what was kept charged again), ${upsold} upsells, ${crew.killed} workers killed, ${seconds()} s`
console.log(
  differences.length === 0
    ? `chaos: ${lived}: our books, the gateways’ and the rehearsals agree`
    : `chaos: ${lived}: ${differences.length} differences`,
)
process.exit(differences.length === 0 ? 0 : 1)

function seconds(): number {
  return Math.round((Date.now() - began) / 1000)
}

/** Buyers over the first months, then the year to its end; on each day until nothing is left to do. */
async function liveThrough(): Promise<Day> {
  const start = await schoolDay(services)
  const last = addDays(start, DAYS)
  const arrivals = Array.from({ length: ORDERS }, () => addDays(start, Math.floor(dice.roll() * BUYING_DAYS))).sort()
  let placed = 0
  let hasGrown = false
  let before = start
  let said = began
  for (let day = start; ; ) {
    const buyers = arrivals.slice(placed).filter((arrival) => arrival <= day)
    placed += buyers.length
    await mapConcurrently(BUYERS_AT_ONCE, buyers.map(people.next), (buyer) => people.buy(buyer))
    await settleDay(day)
    if (!hasGrown && day >= addDays(start, GROWS_AFTER_DAYS)) {
      hasGrown = true
      await people.grow()
    }
    await doByHand(day, daysBetween(before, day))
    await settleDay(day)
    if (Date.now() - said > SAID_EVERY_MS) {
      said = Date.now()
      console.log(`${seconds()} s: ${day}, ${placed} orders, ${await db.$count(attempts)} attempts`)
    }
    if (day >= last) return day
    before = day
    day = [(await nextDay()) ?? last, arrivals[placed] ?? last, last].filter((other) => other > day).sort()[0] ?? last
    await moveTo(day)
  }
}

async function doByHand(day: Day, days: number): Promise<void> {
  const times = (each: number) => Array.from({ length: dice.about((ORDERS * each * days) / DAYS) })
  for (const _ of times(BY_HAND.pay)) await people.payWhatIsLate(day)
  for (const _ of times(BY_HAND.cancel)) await people.cancel(day)
  for (const _ of times(BY_HAND.refund)) await people.giveBack()
  for (const _ of times(BY_HAND.refundOfSeveral)) await people.giveBackOfSeveral()
}

async function nextDay(): Promise<Day | null> {
  const [row] = await db.select({ on: sql<string | null>`min(${agreements.nextTry})` }).from(agreements)
  return row?.on ?? null
}

/** Practice time to noon of a day. */
async function moveTo(day: Day) {
  const practice = await inMode(services, 'practice')
  const ms = Date.parse(`${day}T11:00:00Z`) - practice.now().getTime()
  await moveOn(Math.max(0, ms))
}

async function moveOn(ms: number) {
  await db.update(schools).set({ practiceAheadMs: sql`${schools.practiceAheadMs} + ${ms}` })
}

/** Lets the workers work in bad weather, killing one now and then, until nothing of the day is left. */
async function settleDay(day: Day) {
  for (let round = 0; ; round++) {
    const left = await leftToDo(day)
    if (left.due + left.open + left.refunds === 0) return
    if (round > 20_000) throw new Error(`The day ${day} does not come to an end: ${JSON.stringify(left)}`)
    misbehave(round)
    if (dice.chance(0.012)) crew.kill(dice)
    await new Promise((resolve) => setTimeout(resolve, 25))
    // An attempt that a killed worker left is closed once no call can still be on its way: time goes on a little.
    if (left.due === 0 && left.open > 0 && round % 4 === 3) await moveOn(40_000)
  }
}

async function leftToDo(day: Day) {
  const underWay = db
    .select({ id: attempts.id })
    .from(attempts)
    .where(and(eq(attempts.agreementId, agreements.id), inArray(attempts.state, [...OPEN_ATTEMPTS])))
  const [due, open, asked] = await Promise.all([
    db
      .select({ n: count() })
      .from(agreements)
      .where(and(lt(agreements.nextTry, addDays(day, 1)), notExists(underWay))),
    // Money on its way takes hours; it is there on a later day.
    db
      .select({ n: count() })
      .from(attempts)
      .where(and(inArray(attempts.state, [...OPEN_ATTEMPTS]), ne(attempts.state, 'awaiting'))),
    db.select({ n: count() }).from(refunds).where(eq(refunds.state, 'started')),
  ])
  const growing = await db.$count(bundleGrowths, isNull(bundleGrowths.finishedAt))
  return { due: due[0]?.n ?? 0, open: open[0]?.n ?? 0, refunds: (asked[0]?.n ?? 0) + growing }
}

function misbehave(round: number) {
  // Every bad spell ends, or no day would.
  const isCalm = round % 6 === 5
  Object.assign(
    standins.world,
    GOOD_WEATHER,
    isCalm
      ? {}
      : {
          answersLost: dice.chance(0.12),
          down: dice.chance(0.08),
          eventsLost: dice.chance(0.4),
          eventsDoubled: dice.chance(0.3),
          eventsReordered: dice.chance(0.3),
        },
  )
}
