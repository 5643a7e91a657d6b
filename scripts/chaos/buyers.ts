import { and, asc, eq, gt, inArray, isNull, ne, notExists, or, sql } from 'drizzle-orm'
import type { Day } from '../../src/core/calendar/day.ts'
import { readAgreement } from '../../src/server/agreements/agreements.ts'
import { publishBundle, saveBundleDraft } from '../../src/server/bundles/service.ts'
import { linesOf } from '../../src/server/checkout/asked.ts'
import { quoteWithCodes } from '../../src/server/checkout/codedQuote.ts'
import { quoteOnPage } from '../../src/server/checkout/pageQuote.ts'
import { placeBasket, placeOrder } from '../../src/server/checkout/place.ts'
import type { Placed, PlacingLine, Shopper } from '../../src/server/checkout/placing.ts'
import { checkOrder } from '../../src/server/checkout/status.ts'
import { cancelAgreement } from '../../src/server/collecting/actions.ts'
import { manualPaymentOn, payManually } from '../../src/server/collecting/manualPayment.ts'
import { findCodes } from '../../src/server/coupons/codes.ts'
import {
  agreements,
  attempts,
  bundles,
  grants,
  OPEN_ATTEMPTS,
  orderLines,
  orders,
  payments,
  refunds,
} from '../../src/server/db/schema/index.ts'
import { Problem } from '../../src/server/http/problem.ts'
import { upsellView } from '../../src/server/pages/upsell.ts'
import { inMode, type Services } from '../../src/server/platform/context.ts'
import { hashToken } from '../../src/server/platform/secrets.ts'
import { savedMethodOf } from '../../src/server/refunds/chargeAgain.ts'
import { chargesOf, type RefundableCharge } from '../../src/server/refunds/charges.ts'
import { refundLine, refundWhole } from '../../src/server/refunds/service.ts'
import { getSchool, schoolDay } from '../../src/server/school/service.ts'
import { recordTransferReceived } from '../../src/server/transfers/marks.ts'
import { refuseUpsell, takeUpsell } from '../../src/server/upsells/answer.ts'
import { GOOD_WEATHER } from '../../src/standins/world.ts'
import type { Dice } from '../../src/testing/dice.ts'
import type { ChaosSchool, OfferedMethod, OnSale } from './school.ts'

const MAX_TRIES = 12
const NOT_NOW = ['gateway-unreachable', 'gateway-down', 'busy', 'code-changed', 'price-changed']

/** What people do: buy by every payment method, pay by hand what was declined, cancel, and are given money back. */
export class People {
  bought = 0
  byHand = 0
  cancelled = 0
  givenBack = 0
  chargedAgain = 0
  upsold = 0

  constructor(
    private readonly school: ChaosSchool,
    private readonly dice: Dice,
  ) {}

  /** A buyer with all that chance says of them, so that buyers may come at the same time. */
  readonly next = () => {
    const { dice, school } = this
    // A third of the orders hold two to five things.
    const count = dice.chance(1 / 3) ? (dice.chance(0.6) ? 2 : dice.chance(0.6) ? 3 : dice.chance(0.5) ? 4 : 5) : 1
    const offers: OnSale[] = []
    while (offers.length < count) {
      const offer = dice.pick(school.offers)
      if (!offers.includes(offer)) offers.push(offer)
    }
    // On the page of the first there is something to tick, and something follows the payment.
    const isOnPage = count === 1 && dice.chance(0.25)
    if (isOnPage) offers.splice(0, 1, school.offers[0] as OnSale, ...(dice.chance(0.5) ? [school.bump] : []))
    const answers = [dice.chance(0.6), dice.chance(0.6)]
    const codes = dice.chance(0.35) ? school.codes.filter(() => dice.chance(0.5)) : []
    const paymentMethod = dice.chance(0.55) ? 'card' : dice.pick(paymentMethodsFor(offers))
    const behaviour = dice.chance(0.3) ? 'pays-once' : dice.chance(0.08) ? 'not-enough-money' : 'pays'
    const comes = dice.chance(0.8)
    return {
      n: this.bought++,
      offers,
      isOnPage,
      codes,
      paymentMethod,
      behaviour,
      comes,
      asks: dice.chance(0.1),
      answers,
    }
  }

  /** Places an order. The world behaves meanwhile; what goes wrong there has tests of its own. */
  async buy({ n, ...of }: ReturnType<People['next']>): Promise<void> {
    const { offers, isOnPage, codes, paymentMethod, behaviour, comes, asks, answers } = of
    const { services, standins } = this.school
    Object.assign(standins.world, GOOD_WEATHER)
    const practice = await inMode(services, 'practice')
    const browserHash = hashToken(`browser ${n}`)
    const shopper: Shopper = { mode: 'practice', browserHash, person: null }
    const lines = offers.map(({ id }) => ({ offerId: id, chosen: null }))
    let pay = 0
    const request = () => ({
      lines,
      codes,
      name: `Buyer ${n}`,
      email: `buyer${n}@chaos.example`,
      agreed: { pay, currency: 'EUR' },
      payment: this.paymentBy(paymentMethod, paymentMethod === 'card' && asks ? 'confirms' : behaviour),
    })
    const [first] = offers
    // Another may have taken the last use of a code between its being said and the order: it is said anew.
    const placed = await again(async () => {
      const basket = isOnPage ? null : await linesOf(practice, { lines }, shopper)
      pay = await this.priceOf(practice, isOnPage ? (first?.slug ?? '') : null, { lines, codes }, basket ?? [], shopper)
      const asked = request()
      return basket
        ? placeBasket(practice, basket, asked, shopper)
        : placeOrder(practice, first?.slug ?? '', asked, shopper)
    })
    await this.finish(placed, paymentMethod, behaviour, comes, browserHash, pay)
    for (const isYes of answers) await this.answer(practice, placed.orderId, shopper, isYes)
  }

  /** A yes or a no to what is offered after an order, pressed twice; of a card that is not saved it is left. */
  private async answer(practice: Services, orderId: string, shopper: Shopper, isYes: boolean): Promise<void> {
    const view = await upsellView(practice, await getSchool(practice.db), orderId, shopper)
    if (!view) return
    const { id, quote } = view.offered
    if (!isYes || !view.savedMethod) return refuseUpsell(practice, orderId, id, shopper)
    const agreed = { pay: quote.today.pay, currency: 'EUR' }
    const press = () => again(() => takeUpsell(practice, orderId, id, { agreed, payment: null }, shopper))
    const placed = await Promise.all([press(), press()])
    if (placed.some(({ state }) => state === 'paid')) this.upsold++
  }

  /** What a basket costs today, as the server says it; on a page, or with nothing around it. */
  private async priceOf(
    practice: Services,
    page: string | null,
    { lines, codes }: { lines: { offerId: string; chosen: null }[]; codes: string[] },
    basket: PlacingLine[],
    shopper: Shopper,
  ): Promise<number> {
    if (page !== null) return (await quoteOnPage(practice, page, { lines, codes }, shopper)).quote.today.pay
    const { db } = practice
    const coded = { lines: basket, codes, found: await findCodes(db, codes) }
    const counting = { mode: 'practice' as const, personId: null, except: { browserHash: shopper.browserHash } }
    const { quote } = await quoteWithCodes(db, await getSchool(db), coded, counting, practice.now())
    return quote.today.pay
  }

  /** The creator adds a course to the bundle that grows, for those who have it too. */
  async grow(): Promise<void> {
    const { db, services, joins, offers } = this.school
    const grows = await db.select().from(bundles).orderBy(asc(bundles.position))
    const own = grows.filter(
      ({ id, live }) => live?.includesAll === false && offers.some((offer) => offer.productId === id),
    )
    for (const { id, draft, draftRev } of own) {
      const saved = await saveBundleDraft(services, id, draftRev, {
        ...draft,
        courses: [...draft.courses, { id: joins, figure: 3000 }],
      })
      await publishBundle(services, id, saved.draftRev, null, { opens: true, closes: false, notifies: false })
    }
  }

  private paymentBy(paymentMethod: OfferedMethod, behaviour: string) {
    const { standins, paymentMethods } = this.school
    return {
      connectionId: paymentMethods[paymentMethod],
      token: paymentMethod === 'card' ? standins.tokenOf(behaviour) : '',
    }
  }

  /** What is left to do once the order is placed: approve it, send the money, or mark it as come. */
  private async finish(
    placed: Placed,
    paymentMethod: OfferedMethod,
    behaviour: string,
    comes: boolean,
    browserHash: string,
    pay: number,
  ) {
    const { services } = this.school
    const practice = await inMode(services, 'practice')
    if (placed.state === 'confirming') {
      if (paymentMethod === 'card') {
        const secret = new URL(placed.url).searchParams.get('s') ?? ''
        await press(placed.url, { secret, answer: comes ? 'approve' : 'refuse' })
      } else if (paymentMethod === 'wallet') await press(placed.url, { answer: behaviour })
      else await press(placed.url, { answer: comes ? 'arrives' : 'lost' })
      await checkOrder(practice, placed.orderId, { mode: 'practice', browserHash, person: null })
    }
    if (paymentMethod === 'bank' && placed.state === 'awaiting' && comes) {
      const day = await schoolDay(practice)
      const first = Math.floor(pay / 3)
      await recordTransferReceived(practice, 'practice', placed.orderId, { amount: first, day, note: '' })
      await recordTransferReceived(practice, 'practice', placed.orderId, { amount: pay - first, day, note: '' })
    }
  }

  /** Somebody whose payment was declined, or whose plan was stopped, pays by hand what is due. */
  async payWhatIsLate(day: Day): Promise<void> {
    const { db, services } = this.school
    const late = or(
      and(eq(agreements.state, 'active'), gt(agreements.tries, 0), gt(agreements.nextTry, day)),
      eq(agreements.state, 'stopped'),
    )
    const id = await this.someone(day, late)
    if (!id) return
    const practice = await inMode(services, 'practice')
    const { agreement } = await readAgreement(db, id)
    const asked = manualPaymentOn(agreement, day)
    if (!asked) return
    await payManually(practice, id, {
      ...this.paymentBy('card', this.dice.chance(0.8) ? 'pays' : 'not-enough-money'),
      ...asked,
    }).catch((error: unknown) => {
      if (!(error instanceof Problem && NOT_NOW.includes(error.code))) throw error
    })
    this.byHand++
  }

  /** Somebody cancels their subscription. */
  async cancel(day: Day): Promise<void> {
    const going = and(eq(agreements.kind, 'subscription'), eq(agreements.state, 'active'), gt(agreements.nextTry, day))
    const id = await this.someone(day, going)
    if (!id) return
    const practice = await inMode(this.school.services, 'practice')
    await cancelAgreement(practice, id, this.dice.chance(0.5) ? 'now' : 'period-end', 'buyer')
    this.cancelled++
  }

  /** An agreement on which nothing was tried on a day: what happens by hand comes before that day's collecting. */
  private async someone(day: Day, where: ReturnType<typeof and>): Promise<string | null> {
    const { db } = this.school
    const tried = db
      .select({ id: attempts.id })
      .from(attempts)
      .where(
        and(
          eq(attempts.agreementId, agreements.id),
          or(eq(attempts.day, day), inArray(attempts.state, [...OPEN_ATTEMPTS])),
        ),
      )
    const rows = await db
      .select({ id: agreements.id })
      .from(agreements)
      .innerJoin(orders, eq(orders.id, agreements.orderId))
      .where(
        and(
          where,
          ne(agreements.lastCollected, day),
          sql`(${orders.quote}->>'purchaseDay') < ${day}`,
          notExists(tried),
        ),
      )
      .orderBy(asc(orders.number))
      .limit(200)
    return this.dice.pick(rows)?.id ?? null
  }

  /** Money of somebody's order goes back: of a single payment all of it, and its course closes; else some of it. */
  async giveBack(): Promise<void> {
    const { db, services } = this.school
    const given = db.select({ id: refunds.id }).from(refunds).where(eq(refunds.orderId, orders.id))
    const rows = await db
      .select({ orderId: orders.id, lineId: orderLines.id, agreementId: agreements.id })
      .from(orders)
      .innerJoin(orderLines, eq(orderLines.orderId, orders.id))
      .innerJoin(grants, and(eq(grants.lineId, orderLines.id), isNull(grants.endedAt)))
      .leftJoin(agreements, eq(agreements.lineId, orderLines.id))
      .where(and(eq(orders.state, 'paid'), notExists(given)))
      .orderBy(asc(orders.number), asc(orderLines.position))
      .limit(200)
    const found = this.dice.pick(rows)
    if (!found) return
    const { orderId, lineId, agreementId } = found
    const practice = await inMode(services, 'practice')
    const ofLine = (await chargesOf(practice, db, orderId)).filter((charge) => charge.lineId === lineId)
    const together = ofLine.find((charge) => charge.together !== null && charge.gives === 'whole')
    if (together) {
      await this.giveWholeBack(practice, orderId, together)
      return
    }
    const charges = ofLine.filter(({ left }) => left > 0)
    const isWhole = agreementId === null || charges.some(({ gives }) => gives === 'whole')
    const left = isWhole ? (charges[0]?.left ?? 0) : charges.reduce((sum, charge) => sum + charge.left, 0)
    if (left === 0) return
    const amount = isWhole ? left : 1 + Math.floor(this.dice.roll() * left)
    const access = agreementId === null ? 'close' : 'keep'
    await refundLine(practice, 'practice', orderId, { lineId, amount, access, note: 'Asked for it' })
    this.givenBack++
  }

  /** One thing of an order that a wallet paid for together with others goes back. */
  async giveBackOfSeveral(): Promise<void> {
    const { db, services, paymentMethods } = this.school
    const given = db.select({ id: refunds.id }).from(refunds).where(eq(refunds.orderId, attempts.orderId))
    const rows = await db
      .select({ orderId: attempts.orderId })
      .from(attempts)
      .innerJoin(payments, eq(payments.attemptId, attempts.id))
      .where(and(eq(attempts.connectionId, paymentMethods.wallet), notExists(given)))
      .groupBy(attempts.id)
      .having(sql`count(distinct ${payments.lineId}) filter (where ${payments.pay} > 0) > 1`)
      .orderBy(asc(attempts.startedAt))
      .limit(200)
    const found = this.dice.pick(rows)
    if (!found) return
    const practice = await inMode(services, 'practice')
    const charges = (await chargesOf(practice, db, found.orderId)).filter(
      ({ together, gives }) => together !== null && gives === 'whole',
    )
    const charge = this.dice.pick(charges)
    if (charge) await this.giveWholeBack(practice, found.orderId, charge)
  }

  /** What gives back whole payments only gives back all that was paid in one go, or charges again what its buyer keeps. */
  private async giveWholeBack(practice: Services, orderId: string, { id: attemptId, lineId }: RefundableCharge) {
    const { db } = this.school
    const saved = await savedMethodOf(practice, db, orderId, await schoolDay(practice))
    const others = (await chargesOf(practice, db, orderId)).filter(
      (charge) => charge.id === attemptId && charge.lineId !== lineId && charge.amount > 0,
    )
    const keep = saved && this.dice.roll() < 0.7 ? others.map((charge) => charge.lineId) : []
    const whole = { attemptId, keep, access: 'keep' as const, note: 'Asked for it' }
    const { refused } = await refundWhole(practice, 'practice', orderId, whole).catch((error: unknown) => {
      // More than may be charged with nobody there: nothing was done.
      if (error instanceof Problem && error.status === 422) return { refused: error.errors[0]?.why ?? '' }
      throw error
    })
    if (refused !== null) return
    this.givenBack++
    if (keep.length > 0) this.chargedAgain++
  }
}

/** The payment methods that can collect all of several offers. */
function paymentMethodsFor(offers: readonly OnSale[]): OfferedMethod[] {
  const [first, ...more] = offers
  const shared = (first?.paymentMethods ?? []).filter((paymentMethod) =>
    more.every(({ paymentMethods }) => paymentMethods.includes(paymentMethod)),
  )
  return shared.length > 0 ? shared : ['card']
}

/** On a busy machine an answer may take too long; nothing was charged, and the buyer tries again a moment later. */
async function again<T>(run: () => Promise<T>): Promise<T> {
  for (let go = 1; ; go++) {
    try {
      return await run()
    } catch (error) {
      if (go === MAX_TRIES || !(error instanceof Problem && NOT_NOW.includes(error.code))) throw error
      await new Promise((resolve) => setTimeout(resolve, go * 200))
    }
  }
}

async function press(url: string, form: Record<string, string>) {
  const response = await fetch(url, { method: 'POST', body: new URLSearchParams(form), redirect: 'manual' })
  if (response.status >= 400) throw new Error(`${url}: ${response.status} ${await response.text()}`)
}
