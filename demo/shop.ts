import { and, desc, eq, isNull, min, sql } from 'drizzle-orm'
import { heldAlready } from '../src/server/access/heldAlready.ts'
import { readAgreement } from '../src/server/agreements/agreements.ts'
import { linesOf } from '../src/server/checkout/asked.ts'
import { quoteWithCodes } from '../src/server/checkout/codedQuote.ts'
import { quoteOnPage } from '../src/server/checkout/pageQuote.ts'
import { placeBasket, placeOrder } from '../src/server/checkout/place.ts'
import type { Placed } from '../src/server/checkout/placing.ts'
import { checkOrder } from '../src/server/checkout/status.ts'
import { cancelAgreement } from '../src/server/collecting/actions.ts'
import { announceIn } from '../src/server/collecting/announce.ts'
import { agreementsDue, collectAgreement } from '../src/server/collecting/collect.ts'
import { manualPaymentOn, payManually } from '../src/server/collecting/manualPayment.ts'
import { findCodes } from '../src/server/coupons/codes.ts'
import type { Mode } from '../src/server/db/schema/columns.ts'
import {
  agreements,
  attempts,
  codes,
  codeUses,
  connections,
  coupons,
  orderLines,
  orders,
} from '../src/server/db/schema/index.ts'
import { lookUpUntilSettled } from '../src/server/lookup/lookup.ts'
import { getOffer } from '../src/server/offers/service.ts'
import { upsellView } from '../src/server/pages/upsell.ts'
import { findPerson } from '../src/server/people/service.ts'
import type { Services } from '../src/server/platform/context.ts'
import { hashToken } from '../src/server/platform/secrets.ts'
import { answerDispute, noteDispute } from '../src/server/refunds/disputes.ts'
import { refundLine } from '../src/server/refunds/service.ts'
import { getSchool, schoolDay } from '../src/server/school/service.ts'
import { recordTransferReceived } from '../src/server/transfers/marks.ts'
import { refuseUpsell, takeUpsell } from '../src/server/upsells/answer.ts'
import type { makeStandins } from '../src/standins/app.ts'
import { endOfMonth, SAMPLE_CARDS } from '../src/standins/thistle/cards.ts'
import { growDemo, type Made } from './catalogue.ts'
import { DAY_MS, type DemoLife, emailOf } from './school.ts'

/** The demo's account at each gateway. */
export const ACCOUNT = 'th-foldquire'
export const WALLET_ACCOUNT = 'mw-foldquire'

type Ending =
  | 'paid'
  | 'pays-once'
  | 'declined'
  | 'declined-then-paid'
  | 'confirmed'
  | 'refused'
  | 'left'
  | 'expiring'
  | 'wallet'
  | 'wallet-pays-once'
  | 'transfer'

/** Buyers who come by over a year, each order placed by the product's own checkout. */
export class DemoShop {
  private seed = 20_261
  constructor(
    private readonly services: Services,
    private readonly standins: ReturnType<typeof makeStandins>,
    private readonly life: Pick<DemoLife, 'people' | 'joins'>,
    private readonly work: () => Promise<void>,
    private readonly clock: { moveTo: (moment: number) => void },
  ) {}

  /**
   * Everything that happened in a mode over the year, in the order of time; between two happenings the payments
   * come that are due, as the worker would collect them.
   */
  async liveThrough(mode: Mode, made: Made, today: number) {
    const purchases = [...this.singleOrders(mode, made, today), ...this.overTime(mode, made, today)]
    for (const { at, run } of purchases.sort((a, b) => a.at - b.at)) {
      await this.collectUntil(mode, at)
      this.clock.moveTo(at)
      await run()
    }
    await this.collectUntil(mode, today)
    this.clock.moveTo(today)
  }

  private singleOrders(mode: Mode, made: Made, today: number): { at: number; run: () => Promise<unknown> }[] {
    const count = mode === 'practice' ? 42 : 9
    const keys = [
      'coptic',
      'coptic',
      'notebook',
      'marbling',
      'leather',
      'coptic',
      'boxes',
      'notebook',
      'japanese',
      'marbling',
    ]
    return Array.from({ length: count }, (_, index) => {
      const daysAgo = 400 - (index * 378) / count - this.random() * 4
      // Between eight in the morning and ten at night in Vienna, more or less.
      const at = Math.floor((today - daysAgo * DAY_MS) / DAY_MS) * DAY_MS + (7 + this.random() * 13) * 3_600_000
      const key = keys[index % keys.length] as string
      const buyer = this.life.people[(index * 5 + (mode === 'live' ? 3 : 0)) % this.life.people.length] as string
      return { at, run: () => this.order(mode, made, key, buyer, this.ending(index)) }
    })
  }

  /** Agreements in every state: completed, going on, late, recovered, stopped, cancelled. */
  private overTime(mode: Mode, made: Made, today: number): { at: number; run: () => Promise<unknown> }[] {
    const begin = (daysAgo: number, key: string, offerKey: string, buyer: string, ending: Ending = 'paid') => ({
      at: today - daysAgo * DAY_MS,
      run: () => this.order(mode, made, key, buyer, ending, offerKey),
    })
    const byHand = (daysAgo: number, buyer: string, act: (agreementId: string) => Promise<unknown>) => ({
      at: today - daysAgo * DAY_MS,
      run: async () => act(await this.agreementOf(mode, buyer)),
    })
    const forOrder = (daysAgo: number, buyer: string, act: (orderId: string) => Promise<unknown>) => ({
      at: today - daysAgo * DAY_MS,
      run: async () => act(await this.orderOf(mode, buyer)),
    })
    /** An order with a code, of somebody who bought nothing yet; null: one of the single-use codes. */
    const coded = (
      daysAgo: number,
      key: string,
      offerKey: string,
      buyer: string,
      code: string | null,
      ending: Ending = 'paid',
    ) => ({
      at: today - daysAgo * DAY_MS,
      run: async () => this.order(mode, made, key, buyer, ending, offerKey, [code ?? (await this.unusedCode())]),
    })
    /** An order with what was ticked on the page of its first thing. */
    const withBump = (daysAgo: number, items: [key: string, offerKey: string][], buyer: string) => ({
      at: today - daysAgo * DAY_MS,
      run: async () => {
        const offerIds = items.map(([key, offerKey]) => made.get(key)?.offers.get(offerKey) ?? '')
        await this.place(mode, offerIds, buyer, 'paid', [], made.get(items[0]?.[0] ?? '')?.slug)
        await this.work()
      },
    })
    /** An order on the page of a product, and what its buyer answered to what was offered after it. */
    const withUpsells = (daysAgo: number, [key, offerKey]: [string, string], buyer: string, answers: boolean[]) => ({
      at: today - daysAgo * DAY_MS,
      run: async () => {
        const product = made.get(key)
        const { orderId } = await this.place(
          mode,
          [product?.offers.get(offerKey) ?? ''],
          buyer,
          'paid',
          [],
          product?.slug,
        )
        for (const isYes of answers) await this.answerUpsell(mode, orderId, buyer, isYes)
        await this.work()
      },
    })
    /** Several things in one order. */
    const together = (daysAgo: number, items: [key: string, offerKey: string][], buyer: string) => ({
      at: today - daysAgo * DAY_MS,
      run: async () => {
        const offerIds = items.map(([key, offerKey]) => made.get(key)?.offers.get(offerKey) ?? '')
        await this.place(mode, offerIds, buyer, 'paid')
        await this.work()
      },
    })
    const growths = this.life.joins.map((joins) => {
      const run = async () => {
        await growDemo(this.services, joins, made)
        await this.work()
      }
      return { at: today - joins.daysAgo * DAY_MS, run }
    })
    if (mode === 'live') {
      return [
        begin(84, 'shelf', 'shelf-once', 'Klara Oberhofer'),
        begin(27, 'everything', 'everything-once', 'Benedikt Sommer'),
        begin(205, 'coptic', 'coptic-3', 'Agnes Thorup'),
        begin(120, 'workshop', 'workshop-month', 'Ruben Lindqvist'),
        begin(62, 'leather', 'leather-8', 'Judit Farkas'),
      ]
    }
    return [
      ...growths,
      begin(260, 'shelf', 'shelf-once', 'Selma Krantz'),
      begin(214, 'shelf', 'shelf-3', 'Otto Brunner'),
      begin(160, 'shelf', 'shelf-once', 'Iris Novak'),
      forOrder(152, 'Iris Novak', (id) =>
        this.giveBack(id, 3122, 'close', 'She had made paper for years', 'marbling', made),
      ),
      begin(135, 'shelf', 'shelf-once', 'Felix Auer', 'transfer'),
      forOrder(130, 'Felix Auer', (id) => this.came(id, 19_900, 130)),
      withBump(
        104,
        [
          ['coptic', 'coptic-once'],
          ['marbling', 'marbling-beside'],
        ],
        'Nora Egger',
      ),
      withBump(
        18,
        [
          ['coptic', 'coptic-3'],
          ['marbling', 'marbling-beside'],
        ],
        'Ilse Maurer',
      ),
      withUpsells(93, ['boxes', 'boxes-once'], 'Wanda Brix', [true]),
      withUpsells(44, ['boxes', 'boxes-once'], 'Egon Prantl', [false, true]),
      withUpsells(14, ['boxes', 'boxes-once'], 'Thea Rosner', [false, false]),
      coded(71, 'shelf', 'shelf-once', 'Lotte Eberl', 'LINEN10'),
      begin(48, 'shelf', 'shelf-3', 'Kaspar Holm'),
      begin(21, 'everything', 'everything-once', 'Yara Steiner'),
      begin(395, 'workshop', 'workshop-year', 'Emil Zauner'),
      begin(372, 'coptic', 'coptic-3', 'Lena Vogelsang'),
      begin(350, 'leather', 'leather-8', 'Samir Rahal', 'confirmed'),
      begin(318, 'workshop', 'workshop-month', 'Nadia Benali'),
      begin(290, 'workshop', 'workshop-month', 'Marek Dolny', 'pays-once'),
      begin(250, 'workshop', 'workshop-month', 'Sara Brandao'),
      begin(225, 'coptic', 'coptic-3', 'Mirjam Haller', 'wallet'),
      begin(170, 'japanese', 'japanese-once', 'Oona Kivela', 'transfer'),
      forOrder(166, 'Oona Kivela', (id) => this.came(id, 7900, 166)),
      begin(131, 'workshop', 'workshop-year', 'Tomas Havlik', 'wallet'),
      begin(118, 'marbling', 'marbling-once', 'Greta Halvorsen'),
      forOrder(110, 'Greta Halvorsen', (id) => this.giveBack(id, 2400, 'close', 'Bought it twice by mistake')),
      begin(101, 'japanese', 'japanese-once', 'Anton Petrov', 'wallet'),
      forOrder(95, 'Anton Petrov', (id) => this.giveBack(id, 7900, 'close', 'Found it too easy')),
      begin(88, 'boxes', 'boxes-once', 'Claire Moreau'),
      forOrder(70, 'Claire Moreau', (id) => this.giveBack(id, 1500, 'keep', 'The tool list came late')),
      begin(64, 'coptic', 'coptic-once', 'Owen Pritchard'),
      forOrder(40, 'Owen Pritchard', (id) => this.dispute(id, true)),
      begin(37, 'coptic', 'coptic-3', 'Beatriz Lobo', 'wallet-pays-once'),
      coded(190, 'coptic', 'coptic-once', 'Rosa Lindner', 'LINEN10'),
      coded(150, 'boxes', 'boxes-once', 'Theo Brandl', 'FIRSTFOLD'),
      coded(90, 'coptic', 'coptic-once', 'Hana Sykora', 'WINTER'),
      coded(45, 'workshop', 'workshop-month', 'Milo Acker', 'GUILD'),
      coded(33, 'marbling', 'marbling-once', 'Vito Lamm', null),
      coded(31, 'marbling', 'marbling-once', 'Jana Kreuz', null),
      coded(12, 'japanese', 'japanese-once', 'Elif Demir', 'LINEN10'),
      together(
        57,
        [
          ['coptic', 'coptic-once'],
          ['workshop', 'workshop-month'],
        ],
        'Ines Falk',
      ),
      together(
        26,
        [
          ['japanese', 'japanese-once'],
          ['coptic', 'coptic-3'],
          ['workshop', 'workshop-month'],
        ],
        'Tobias Krenn',
      ),
      begin(29, 'leather', 'leather-once', 'Jakob Weiss'),
      forOrder(3, 'Jakob Weiss', (id) => this.dispute(id, false)),
      begin(23, 'coptic', 'coptic-3', 'Noor Verbeek', 'expiring'),
      begin(16, 'leather', 'leather-once', 'Henrik Dahl', 'transfer'),
      forOrder(9, 'Henrik Dahl', (id) => this.came(id, 30_000, 9)),
      begin(6, 'boxes', 'boxes-once', 'Pia Steindl', 'transfer'),
      begin(2, 'japanese', 'japanese-once', 'Fatma Yildiz', 'transfer'),
      byHand(142, 'Sara Brandao', (id) => cancelAgreement(this.services, id, 'period-end', 'buyer')),
      begin(190, 'leather', 'leather-8', 'Luca Ferrante', 'pays-once'),
      byHand(156, 'Luca Ferrante', (id) => this.payByHand(id)),
      begin(96, 'coptic', 'coptic-3', 'Paolo Serra', 'pays-once'),
      begin(75, 'workshop', 'workshop-month', 'Ida Brandner'),
      begin(33, 'coptic', 'coptic-3', 'Vera Klement', 'pays-once'),
      begin(19, 'leather', 'leather-8', 'Agnes Thorup', 'confirmed'),
      begin(11, 'workshop', 'workshop-month', 'Judit Farkas'),
      begin(8, 'workshop', 'workshop-year', 'Ruben Lindqvist'),
      begin(5, 'marbling', 'marbling-own', 'Judit Farkas'),
      begin(4, 'coptic', 'coptic-3', 'Emil Zauner', 'declined'),
      begin(3, 'boxes', 'boxes-presale', 'Luca Ferrante'),
    ]
  }

  /** Collects day by day what is due until a moment, at eight in the morning of each day. */
  private async collectUntil(mode: Mode, moment: number) {
    for (;;) {
      const [row] = await this.services.db
        .select({ on: min(agreements.nextTry) })
        .from(agreements)
        .where(eq(agreements.mode, mode))
      const at = row?.on ? Date.parse(`${row.on}T07:00:00Z`) : Number.POSITIVE_INFINITY
      if (at > moment) return
      this.clock.moveTo(Math.max(at, this.services.now().getTime()))
      for (const id of await agreementsDue(this.services, mode)) await collectAgreement(this.services, id)
      await announceIn(this.services, mode)
      await this.work()
    }
  }

  private async agreementOf(mode: Mode, buyer: string): Promise<string> {
    const person = await findPerson(this.services.db, mode, emailOf(buyer))
    const [row] = await this.services.db
      .select({ id: agreements.id })
      .from(agreements)
      .where(and(eq(agreements.personId, person?.id ?? ''), eq(agreements.mode, mode)))
      .orderBy(desc(agreements.createdAt))
    if (!row) throw new Error(`${buyer} has no agreement.`)
    return row.id
  }

  private async orderOf(mode: Mode, buyer: string): Promise<string> {
    const person = await findPerson(this.services.db, mode, emailOf(buyer))
    const [row] = await this.services.db
      .select({ id: orders.id })
      .from(orders)
      .where(and(eq(orders.personId, person?.id ?? ''), eq(orders.mode, mode)))
      .orderBy(desc(orders.createdAt))
    if (!row) throw new Error(`${buyer} has ordered nothing.`)
    return row.id
  }

  /** The creator sees money in the account, and marks it. */
  private async came(orderId: string, amount: number, daysAgo: number) {
    const day = new Date(this.services.now().getTime() - (daysAgo > 100 ? DAY_MS : 0)).toISOString().slice(0, 10)
    await recordTransferReceived(this.services, 'practice', orderId, { amount, day, note: 'Seen in the account' })
    await this.work()
  }

  /** Of a bundle it may be for one of its courses, by its key. */
  private async giveBack(
    orderId: string,
    amount: number,
    access: 'keep' | 'close',
    note: string,
    key?: string,
    made?: Made,
  ) {
    const courseIds = key ? [made?.get(key)?.courseId as string] : null
    const [line] = await this.services.db.select().from(orderLines).where(eq(orderLines.orderId, orderId))
    await refundLine(this.services, 'practice', orderId, {
      lineId: line?.id as string,
      amount,
      courseIds,
      access,
      note,
    })
    await this.work()
  }

  /** The buyer has the bank ask the money back; the creator contests it and wins, or has not answered yet. */
  private async dispute(orderId: string, isAnswered: boolean) {
    const { db } = this.services
    const [attempt] = await db
      .select()
      .from(attempts)
      .where(and(eq(attempts.orderId, orderId), isNull(attempts.agreementId), eq(attempts.state, 'collected')))
    const opened = this.standins.books.dispute(attempt?.reference ?? '', 'The payer says they did not order this.')
    const noted = { ...opened.dispute, reference: opened.dispute.id, key: attempt?.key ?? '' }
    await noteDispute(this.services, 'practice', attempt?.id as string, noted)
    await this.work()
    if (!isAnswered) return
    const dispute = await db.query.disputes.findFirst({ where: (row, { eq: is }) => is(row.orderId, orderId) })
    const answer = { accept: false, access: 'keep' as const, note: 'They have opened nine lessons since' }
    await answerDispute(this.services, 'practice', dispute?.id as string, answer)
    const { dispute: ended } = this.standins.books.decideDispute(opened.dispute.id, true)
    await noteDispute(this.services, 'practice', attempt?.id as string, { ...noted, state: ended.state })
    await this.work()
  }

  /** The buyer follows the link in the message, and pays what is due with another card. */
  private async payByHand(agreementId: string) {
    const held = await readAgreement(this.services.db, agreementId)
    const asked = manualPaymentOn(held.agreement, await schoolDay(this.services))
    if (!asked) throw new Error('Nothing can be paid by hand.')
    const token = this.token(held.row.mode, 'pays')
    await payManually(this.services, agreementId, {
      connectionId: held.row.connectionId,
      token,
      ...asked,
    })
    await this.work()
  }

  private token(mode: Mode, behaviour: string, expires: string | null = null): string {
    const card = SAMPLE_CARDS.find((sample) => sample.behaviour === behaviour)
    return this.standins.books.tokenise(ACCOUNT, mode, card?.number ?? '', expires).token
  }

  private ending(index: number): Ending {
    const endings: Partial<Record<number, Ending>> = {
      3: 'declined-then-paid',
      8: 'declined',
      14: 'confirmed',
      19: 'refused',
      25: 'declined-then-paid',
      31: 'left',
      36: 'confirmed',
      39: 'declined',
    }
    return endings[index] ?? 'paid'
  }

  private async order(
    mode: Mode,
    made: Made,
    key: string,
    name: string,
    ending: Ending,
    offerKey?: string,
    codes: string[] = [],
  ) {
    const course = made.get(key)
    const offerId = offerKey
      ? course?.offers.get(offerKey)
      : [...(course?.offers.values() ?? [])].at(key === 'leather' ? 1 : 0)
    if (!course || !offerId || (await this.hasIt(mode, offerId, name))) return
    const tries: Ending[] = ending === 'declined-then-paid' ? ['declined', 'paid'] : [ending]
    for (const attempt of tries) {
      const placed = await this.place(mode, [offerId], name, attempt, codes)
      await this.work()
      if (placed.state === 'confirming') await this.answer(placed, attempt)
    }
    await this.work()
  }

  /** The first of the single-use codes that nobody has. */
  private async unusedCode(): Promise<string> {
    const { db } = this.services
    const [row] = await db
      .select({ code: codes.code })
      .from(codes)
      .innerJoin(coupons, eq(coupons.id, codes.couponId))
      .leftJoin(codeUses, eq(codeUses.codeId, codes.id))
      .where(and(sql`${coupons.live}->>'isSet' = 'true'`, isNull(codeUses.id)))
      .orderBy(codes.createdAt, codes.id)
      .limit(1)
    if (!row) throw new Error('No single-use code is left.')
    return row.code
  }

  /** Nobody buys what they have. */
  private async hasIt(mode: Mode, offerId: string, name: string): Promise<boolean> {
    const { db } = this.services
    const person = await findPerson(db, mode, emailOf(name))
    const { productId } = await getOffer(db, offerId)
    return person !== null && (await heldAlready(db, person.id, productId, await schoolDay(this.services))).length > 0
  }

  private async place(
    mode: Mode,
    offerIds: string[],
    name: string,
    ending: Ending,
    codes: string[] = [],
    page?: string,
  ): Promise<Placed> {
    const email = emailOf(name)
    const lines = offerIds.map((offerId) => ({ offerId, chosen: null }))
    const shopper = { mode, browserHash: hashToken(`demo ${mode} ${email}`), person: null }
    const basket = page ? null : await linesOf(this.services, { lines }, shopper)
    const { db } = this.services
    const coded = { lines: basket ?? [], codes, found: await findCodes(db, codes) }
    const counting = { mode, personId: null, except: { browserHash: shopper.browserHash } }
    const { quote } = page
      ? await quoteOnPage(this.services, page, { lines, codes }, shopper)
      : await quoteWithCodes(db, await getSchool(db), coded, counting, this.services.now())
    const { pay } = quote.today
    const needsCard = pay > 0 || quote.later.length > 0
    const cards: Partial<Record<Ending, string>> = {
      declined: 'not-enough-money',
      paid: 'pays',
      'pays-once': 'pays-once',
      expiring: 'pays',
    }
    const paymentMethod = ending.startsWith('wallet') ? 'moor' : ending === 'transfer' ? 'transfer' : 'thistle'
    // A card that ends with the month before the third payment.
    const expires = ending === 'expiring' ? endOfMonth(this.services.now(), 0).day : null
    const token = paymentMethod === 'thistle' ? this.token(mode, cards[ending] ?? 'confirms', expires) : ''
    const connectionId = await this.connection(mode, paymentMethod)
    const request = {
      lines,
      codes,
      name,
      email,
      agreed: { pay, currency: 'EUR' },
      payment: needsCard ? { connectionId, token } : null,
    }
    if (page) return placeOrder(this.services, page, request, shopper)
    return placeBasket(this.services, coded.lines, request, shopper)
  }

  /** A yes or a no to what is offered after an order. */
  private async answerUpsell(mode: Mode, orderId: string, name: string, isYes: boolean) {
    const shopper = { mode, browserHash: hashToken(`demo ${mode} ${emailOf(name)}`), person: null }
    const view = await upsellView(this.services, await getSchool(this.services.db), orderId, shopper)
    if (!view) throw new Error(`Nothing is offered to ${name}.`)
    const { id, quote } = view.offered
    if (!isYes) return refuseUpsell(this.services, orderId, id, shopper)
    const agreed = { pay: quote.today.pay, currency: 'EUR' }
    await takeUpsell(this.services, orderId, id, { agreed, payment: null }, shopper)
  }

  private async answer(placed: Extract<Placed, { state: 'confirming' }>, ending: Ending) {
    if (ending === 'left') return this.leave(placed.orderId)
    const url = new URL(placed.url)
    if (ending.startsWith('wallet')) {
      const behaviour = ending === 'wallet' ? ('pays' as const) : ('pays-once' as const)
      this.standins.wallets.answer(url.pathname.split('/').at(-1) ?? '', url.searchParams.get('s') ?? '', behaviour)
      return this.check(placed.orderId)
    }
    this.standins.books.confirm(
      url.pathname.split('/').at(-1) ?? '',
      url.searchParams.get('s') ?? '',
      ending === 'confirmed',
    )
    await this.check(placed.orderId)
  }

  /** The buyer's page asks how the order stands. */
  private async check(orderId: string) {
    const [order] = await this.services.db.select().from(orders).where(eq(orders.id, orderId))
    await checkOrder(this.services, orderId, { mode: 'practice', browserHash: order?.browserHash ?? '', person: null })
  }

  /** The buyer walked away; half an hour later the look-up closes the attempt. */
  private async leave(orderId: string) {
    const later = { ...this.services, now: () => new Date(this.services.now().getTime() + 1_800_000) }
    const left = await this.services.db.query.attempts.findMany({
      where: (attempt, { eq: is }) => is(attempt.orderId, orderId),
    })
    for (const { id } of left) await lookUpUntilSettled(later, id)
  }

  private async connection(mode: Mode, adapter: string): Promise<string> {
    const [row] = await this.services.db
      .select({ id: connections.id })
      .from(connections)
      .where(and(eq(connections.mode, mode), eq(connections.adapter, adapter)))
    return row?.id as string
  }

  /** A small generator, so that every load makes the same school. */
  private random(): number {
    this.seed = (this.seed * 1_103_515_245 + 12_345) % 2_147_483_648
    return this.seed / 2_147_483_648
  }
}
