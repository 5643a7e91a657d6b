import { readFileSync } from 'node:fs'
import { type ServerType, serve } from '@hono/node-server'
import { and, desc, eq, min } from 'drizzle-orm'
import sharp from 'sharp'
import { Temporal } from 'temporal-polyfill'
import type { CourseContent } from '../src/core/content/course.ts'
import { newOffer, type OfferContent } from '../src/core/content/offer.ts'
import { speakOffer } from '../src/core/content/quoteInput.ts'
import { allGateways } from '../src/gateways/registry.ts'
import { giveCourse, listGrants, takeBack } from '../src/server/access/service.ts'
import { keepPicture } from '../src/server/catalogue/pictures.ts'
import { createCourse, publishCourse, saveCourseDraft } from '../src/server/catalogue/service.ts'
import { lookUpUntilSettled } from '../src/server/checkout/lookup.ts'
import { type Placed, placeOrder } from '../src/server/checkout/place.ts'
import { checkOrder } from '../src/server/checkout/standing.ts'
import { readAgreement } from '../src/server/collecting/agreements.ts'
import { cancelAgreement, payableByHand, payByHand } from '../src/server/collecting/byHand.ts'
import { agreementsDue, collectAgreement } from '../src/server/collecting/collect.ts'
import type { Config } from '../src/server/config.ts'
import type { Services } from '../src/server/context.ts'
import { connect } from '../src/server/db/client.ts'
import type { Mode } from '../src/server/db/schema/columns.ts'
import { agreements, connections, courses, orders } from '../src/server/db/schema/index.ts'
import { connectGateway } from '../src/server/gateways/service.ts'
import type { JobData, JobName, Jobs } from '../src/server/jobs.ts'
import { sendMessage, smtpPost } from '../src/server/messages/send.ts'
import { createOffer, getOffer, publishOffer, saveOfferDraft, setOnSale } from '../src/server/offers/service.ts'
import { findPerson, makePasswordLink, setPassword } from '../src/server/people/service.ts'
import { getSchool, schoolDay, setUp } from '../src/server/school/service.ts'
import { hashToken, loadSecrets } from '../src/server/secrets.ts'
import { makeStandins } from '../src/standins/app.ts'
import { SAMPLE_CARDS } from '../src/standins/thistle/cards.ts'

interface DemoCourse {
  key: string
  title: string
  summary: string
  description: string
  cloth: CourseContent['cloth']
  state: 'live' | 'changed' | 'off' | 'draft'
  pattern: 'waves' | 'grain' | 'marble' | null
  lessons: [string, string][]
  offers: DemoOffer[]
}

interface DemoOffer {
  key: string
  name: string
  /** A one-time price; null: free. */
  amount?: number | null
  /** One-time prices that were published before. */
  earlier?: number[]
  /** A one-time price that stands in the draft alone. */
  draftAmount?: number
  /** Anything else that its content says. */
  content?: Partial<OfferContent>
  /** A sale price that began six days ago, for so many days from the loading of the demo. */
  sale?: { amount: number; untilInDays: number; scope?: 'first' }
  /** The course whose holders alone may buy. */
  holdersOf?: string
  /** Opens so many days after the loading of the demo. */
  opensInDays?: number
}

interface DemoSchool {
  school: Parameters<typeof setUp>[1]['school']
  creator: Parameters<typeof setUp>[1]['creator']
  courses: DemoCourse[]
  people: string[]
}

/** The demo school as data. */
export function readDemo(): DemoSchool {
  return JSON.parse(readFileSync(new URL('./school.json', import.meta.url), 'utf8')) as DemoSchool
}

const DAY_MS = 86_400_000
const ACCOUNT = 'th-foldquire'

/**
 * Makes the demo school by running the product's own services over moved time, against a stand-in
 * of its own that writes into the stand-ins' store. The database must be migrated and empty.
 */
export async function loadDemo(config: Config, standinsData: string | null): Promise<void> {
  const demo = readDemo()
  const today = Date.now()
  let clock = today - 415 * DAY_MS
  const now = () => new Date(clock)
  const standins = makeStandins({ dataDir: standinsData, origin: config.standinsOrigin, now })
  // The answers say it all; events would be sent to a product that does not listen yet.
  standins.world.eventsLost = true
  const mailPort = await standins.mailbox.listen(0)
  const { server, port } = await listen(standins.app.fetch)
  const { db, pool } = connect(config.databaseUrl)
  const queue: { name: JobName; data: JobData[JobName] }[] = []
  const jobs: Jobs = { send: async (_tx, name, data) => void queue.push({ name, data }) }
  const services: Services = {
    config,
    db,
    jobs,
    now,
    gateways: allGateways(`http://127.0.0.1:${port}`, config.origin),
    secrets: loadSecrets(config.dataDir),
  }
  const post = smtpPost(mailPort)
  const work = async () => {
    for (let job = queue.shift(); job; job = queue.shift()) {
      if (job.name === 'message-send')
        await sendMessage(services, (job.data as JobData['message-send']).messageId, post)
    }
  }
  try {
    const account = standins.books.accounts.get(ACCOUNT) ?? standins.books.openAccount(demo.school.name, ACCOUNT)
    await setUp(services, { school: demo.school, creator: demo.creator })
    for (const mode of ['practice', 'live'] as const) {
      await connectGateway(services, mode, { adapter: 'thistle', account: ACCOUNT, secret: account.keys[mode] })
    }
    const made = await makeCatalogue(services, demo.courses)
    for (const course of demo.courses) await makeForHolders(services, course, made)
    const moveTo = (moment: number) => {
      clock = moment
    }
    const shop = new DemoShop(services, standins.books, demo.people, work, { moveTo })
    for (const mode of ['practice', 'live'] as const) {
      moveTo(today - 415 * DAY_MS)
      await shop.liveThrough(mode, made, today)
    }
    clock = today - 6 * DAY_MS
    for (const course of demo.courses) await publishSales(services, course, made)
    clock = today - 2 * DAY_MS
    await byHand(services, demo, work)
    for (const course of demo.courses) await leaveAs(services, course, made)
    clock = today
  } finally {
    standins.events.stop()
    server.close()
    await standins.mailbox.close()
    await pool.end()
  }
}

function listen(
  fetch: (request: Request) => Response | Promise<Response>,
): Promise<{ server: ServerType; port: number }> {
  return new Promise((resolve) => {
    const server = serve({ fetch, port: 0, hostname: '127.0.0.1' }, ({ port }) => resolve({ server, port }))
  })
}

type Made = Map<string, { courseId: string; slug: string; offers: Map<string, string> }>

async function makeCatalogue(services: Services, all: DemoCourse[]): Promise<Made> {
  const made: Made = new Map()
  for (const course of all) {
    const { id } = await createCourse(services, course.title)
    const coverId = course.pattern ? (await keepPicture(services, await cover(course.pattern))).id : null
    const content: CourseContent = {
      title: course.title,
      summary: course.summary,
      description: course.description,
      cloth: course.cloth,
      coverId,
      lessons: course.lessons.map(([title, body], index) => ({ id: `${course.key}-${index + 1}`, title, body })),
    }
    const saved = await saveCourseDraft(services, id, 1, content)
    const entry = { courseId: id, slug: saved.slug, offers: new Map<string, string>() }
    made.set(course.key, entry)
    if (course.state !== 'draft') await publishCourse(services, id, saved.draftRev, null)
    for (const offer of course.offers) {
      const { id: offerId } = await createOffer(services, id)
      entry.offers.set(offer.key, offerId)
      if (offer.holdersOf) continue
      let rev = 1
      for (const content of contentsOf(offer)) {
        const draft = await saveOfferDraft(services, offerId, rev, content)
        rev = draft.draftRev
        if (course.state !== 'draft') await publishOffer(services, offerId, rev, null)
      }
    }
  }
  return made
}

function offerContent(name: string, amount: number | null): OfferContent {
  return { ...newOffer(name), terms: amount === null ? { kind: 'free' } : { kind: 'single', amount } }
}

/** What an offer said over time, the last of which is live. */
function contentsOf(offer: DemoOffer): OfferContent[] {
  const inDays = (days: number) => new Date(Date.now() + days * DAY_MS)
  const earlier = (offer.earlier ?? []).map((amount) => offerContent(offer.name, amount))
  const now: OfferContent = { ...offerContent(offer.name, offer.amount ?? null), ...offer.content }
  if (offer.opensInDays) now.access = { ...now.access, from: inDays(offer.opensInDays).toISOString().slice(0, 10) }
  return [...earlier, now]
}

/** Offers for who holds another course, once every course is there. */
async function makeForHolders(services: Services, course: DemoCourse, made: Made) {
  for (const offer of course.offers) {
    const of = offer.holdersOf && made.get(offer.holdersOf)?.courseId
    const id = made.get(course.key)?.offers.get(offer.key)
    const [content] = contentsOf(offer)
    if (!of || !id || !content) continue
    const { draftRev } = await saveOfferDraft(services, id, 1, { ...content, audience: { who: 'holders', of: [of] } })
    await publishOffer(services, id, draftRev, null)
  }
}

/** The sales that run now, published later than the prices that they are held against. */
async function publishSales(services: Services, course: DemoCourse, made: Made) {
  for (const offer of course.offers) {
    if (!offer.sale) continue
    const id = made.get(course.key)?.offers.get(offer.key) as string
    const { draft, draftRev } = await getOffer(services.db, id)
    const { amount, untilInDays, scope = 'every' } = offer.sale
    const until = Temporal.Now.zonedDateTimeISO('Europe/Vienna')
      .add({ days: untilInDays })
      .startOfDay()
      .toString({ timeZoneName: 'never', smallestUnit: 'second' })
    const saved = await saveOfferDraft(services, id, draftRev, { ...draft, sale: { amount, from: null, until, scope } })
    await publishOffer(services, id, saved.draftRev, null)
  }
}

/** Leaves a course in the state that the demo wants to show: a changed draft, or taken off sale. */
async function leaveAs(services: Services, course: DemoCourse, made: Made) {
  for (const offer of course.offers) {
    const id = made.get(course.key)?.offers.get(offer.key) as string
    if (course.state === 'off') await setOnSale(services, id, false)
    if (offer.draftAmount) {
      const { draftRev } = await getOffer(services.db, id)
      await saveOfferDraft(services, id, draftRev, offerContent(offer.name, offer.draftAmount))
    }
  }
}

type Ending = 'paid' | 'pays-once' | 'declined' | 'declined-then-paid' | 'confirmed' | 'refused' | 'left'

/** Buyers who come by over a year, each order placed by the product's own checkout. */
class DemoShop {
  private seed = 20_261
  constructor(
    private readonly services: Services,
    private readonly books: ReturnType<typeof makeStandins>['books'],
    private readonly people: string[],
    private readonly work: () => Promise<void>,
    private readonly clock: { moveTo: (moment: number) => void },
  ) {}

  /**
   * Everything that happened in a mode over the year, in the order of time; between two happenings the payments
   * come that are due, as the worker would collect them.
   */
  async liveThrough(mode: Mode, made: Made, today: number) {
    const happenings = [...this.singleOrders(mode, made, today), ...this.overTime(mode, made, today)]
    for (const { at, run } of happenings.sort((a, b) => a.at - b.at)) {
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
      const buyer = this.people[(index * 5 + (mode === 'live' ? 3 : 0)) % this.people.length] as string
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
    if (mode === 'live') {
      return [
        begin(205, 'coptic', 'coptic-3', 'Agnes Thorup'),
        begin(120, 'workshop', 'workshop-month', 'Ruben Lindqvist'),
        begin(62, 'leather', 'leather-8', 'Judit Farkas'),
      ]
    }
    return [
      begin(395, 'workshop', 'workshop-year', 'Emil Zauner'),
      begin(372, 'coptic', 'coptic-3', 'Lena Vogelsang'),
      begin(350, 'leather', 'leather-8', 'Samir Rahal', 'confirmed'),
      begin(318, 'workshop', 'workshop-month', 'Nadia Benali'),
      begin(290, 'workshop', 'workshop-month', 'Marek Dolny', 'pays-once'),
      begin(250, 'workshop', 'workshop-month', 'Sara Brandao'),
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

  /** The buyer follows the link in the message, and pays what is due with another card. */
  private async payByHand(agreementId: string) {
    const held = await readAgreement(this.services.db, agreementId)
    const payable = payableByHand(held.agreement, await schoolDay(this.services))
    const token = this.token(held.row.mode, 'pays')
    await payByHand(this.services, agreementId, {
      connectionId: held.row.connectionId,
      token,
      agreed: payable.reduce((sum, { pay }) => sum + pay, 0),
    })
    await this.work()
  }

  private token(mode: Mode, behaviour: string): string {
    const card = SAMPLE_CARDS.find((sample) => sample.behaviour === behaviour)
    return this.books.tokenise(ACCOUNT, mode, card?.number ?? '').token
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

  private async order(mode: Mode, made: Made, key: string, name: string, ending: Ending, offerKey?: string) {
    const course = made.get(key)
    const offerId = offerKey
      ? course?.offers.get(offerKey)
      : [...(course?.offers.values() ?? [])].at(key === 'leather' ? 1 : 0)
    if (!course || !offerId) return
    const tries: Ending[] = ending === 'declined-then-paid' ? ['declined', 'paid'] : [ending]
    for (const attempt of tries) {
      const placed = await this.place(mode, course, offerId, name, attempt)
      await this.work()
      if (placed.state === 'confirming') await this.answer(placed, attempt)
    }
    await this.work()
  }

  private async place(
    mode: Mode,
    course: { slug: string },
    offerId: string,
    name: string,
    ending: Ending,
  ): Promise<Placed> {
    const email = emailOf(name)
    const { live } = await getOffer(this.services.db, offerId)
    const school = await getSchool(this.services.db)
    const said =
      live && speakOffer(school, { id: offerId, courseId: offerId, content: live }, this.services.now().toISOString())
    const pay = said?.quote.today.pay ?? 0
    const needsCard = pay > 0 || (said?.quote.later.length ?? 0) > 0
    const cards: Partial<Record<Ending, string>> = {
      declined: 'not-enough-money',
      paid: 'pays',
      'pays-once': 'pays-once',
    }
    const token = this.token(mode, cards[ending] ?? 'confirms')
    const connectionId = await this.connection(mode)
    const browserHash = hashToken(`demo ${mode} ${email}`)
    return placeOrder(
      this.services,
      course.slug,
      {
        offerId,
        chosen: null,
        name,
        email,
        agreed: { pay, currency: 'EUR' },
        payment: needsCard ? { connectionId, token } : null,
      },
      { mode, browserHash, person: null },
    )
  }

  private async answer(placed: Extract<Placed, { state: 'confirming' }>, ending: Ending) {
    if (ending === 'left') return this.leave(placed.orderId)
    const url = new URL(placed.url)
    this.books.confirm(url.pathname.split('/').at(-1) ?? '', url.searchParams.get('s') ?? '', ending === 'confirmed')
    const [order] = await this.services.db.select().from(orders).where(eq(orders.id, placed.orderId))
    await checkOrder(this.services, placed.orderId, order?.browserHash ?? '')
  }

  /** The buyer walked away; half an hour later the look-up closes the attempt. */
  private async leave(orderId: string) {
    const later = { ...this.services, now: () => new Date(this.services.now().getTime() + 1_800_000) }
    const attempts = await this.services.db.query.attempts.findMany({
      where: (attempt, { eq: is }) => is(attempt.orderId, orderId),
    })
    for (const { id } of attempts) await lookUpUntilSettled(later, id)
  }

  private async connection(mode: Mode): Promise<string> {
    const [row] = await this.services.db
      .select({ id: connections.id })
      .from(connections)
      .where(eq(connections.mode, mode))
    return row?.id as string
  }

  /** A small generator, so that every load makes the same school. */
  private random(): number {
    this.seed = (this.seed * 1_103_515_245 + 12_345) % 2_147_483_648
    return this.seed / 2_147_483_648
  }
}

/** What the creator did by hand: a course given, another taken back; and one buyer with a password. */
async function byHand(services: Services, demo: DemoSchool, work: () => Promise<void>) {
  const ida = await findPerson(services.db, 'practice', emailOf('Ida Brandner'))
  const [marbling] = await services.db.select().from(courses).where(eq(courses.slug, 'paper-marbling'))
  if (!ida || !marbling) throw new Error('The demo’s people or courses are missing.')
  const link = await makePasswordLink(services, ida.id)
  await setPassword(services, link.split('/').at(-1) ?? '', demo.creator.password)
  await giveCourse(services, ida.id, marbling.id, 'Helped at the winter fair')

  const agnes = await findPerson(services.db, 'practice', emailOf('Agnes Thorup'))
  if (!agnes) throw new Error('Agnes has not ordered anything.')
  await giveCourse(services, agnes.id, marbling.id, 'Won it in the raffle')
  const given = (await listGrants(services.db, { personId: agnes.id })).find(({ orderId }) => orderId === null)
  await takeBack(services, given?.id as string, 'It was another Agnes')
  await work()
}

function emailOf(name: string): string {
  return `${name.toLowerCase().replaceAll(' ', '.')}@post.example`
}

/** A cover drawn for the demo: lines of thread, grain or marbled paper. */
function cover(pattern: NonNullable<DemoCourse['pattern']>): Promise<Buffer> {
  const colours = { waves: ['#2f5d50', '#dfe8cf'], grain: ['#8c3a46', '#f0d9cf'], marble: ['#a8762a', '#f6ecd2'] }[
    pattern
  ]
  const lines = Array.from({ length: 26 }, (_, index) => {
    const y = index * 32 + 8
    const bend = pattern === 'grain' ? 6 : pattern === 'waves' ? 22 : 60 + 40 * Math.sin(index)
    return `<path d="M-20 ${y}c120 ${-bend} 200 ${bend} 320 0s200 ${-bend} 320 0 200 ${bend} 320 0 200 ${-bend} 320 0" fill="none" stroke="${colours[1]}" stroke-opacity="${0.25 + (index % 4) * 0.15}" stroke-width="${pattern === 'marble' ? 9 : 3}"/>`
  })
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="1200" height="800"><rect width="1200" height="800" fill="${colours[0]}"/>${lines.join('')}</svg>`
  return sharp(Buffer.from(svg)).jpeg({ quality: 88 }).toBuffer()
}
