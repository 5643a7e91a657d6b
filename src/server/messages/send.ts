import { and, desc, eq, isNull } from 'drizzle-orm'
import { createTransport } from 'nodemailer'
import { transaction } from '../db/client.ts'
import { attempts, messages, orders, people } from '../db/schema/index.ts'
import { record } from '../journal/journal.ts'
import { log } from '../log/log.ts'
import { amountsOf, boughtOf } from '../orders/bought.ts'
import { makeOrderLink } from '../orders/orderLinks.ts'
import { ALWAYS, notificationOf } from '../outbox/notifications.ts'
import { inMode, type Services } from '../platform/context.ts'
import { getSchool, type School } from '../school/service.ts'
import { makePasswordLink } from '../session/links.ts'
import { accessFacts, givenFacts, openingFacts } from './accessFacts.ts'
import { factsOf } from './agreementFacts.ts'
import {
  composeAlreadyOwned,
  composeBundleGrew,
  composeCodeRefused,
  composeGiven,
  composePassword,
  composeReceipt,
  type Email,
} from './compose.ts'
import { composeEndsSoon, composeOpened, composeOpeningMoved } from './composeAccess.ts'
import { composeAgreement, isAboutAgreement } from './composeAgreement.ts'
import { composeForCreator, isForCreator } from './composeForCreator.ts'
import { composeAwaited, composePaidTwice, composeRefunded, composeSurplus } from './composeOrder.ts'
import {
  awaitedFacts,
  creatorAddress,
  creatorFacts,
  grewFacts,
  paidTwiceFacts,
  refundFacts,
  surplusFacts,
} from './facts.ts'
import { renewedOf, storedEmail } from './sentEmail.ts'

type Message = typeof messages.$inferSelect
type Person = typeof people.$inferSelect

/** Takes an email to its address, or throws. */
export type Mailer = (email: Email & { to: string; from: Sender; replyTo: string }) => Promise<void>
interface Sender {
  name: string
  address: string
}

/** A mail server that does not answer is given up after so long, and asked again later. */
const SMTP_LIMITS = { connectionTimeout: 10_000, greetingTimeout: 10_000, socketTimeout: 20_000, dnsTimeout: 5_000 }

export function smtpPost(port: number, limits = SMTP_LIMITS): Mailer {
  const transport = createTransport({ host: '127.0.0.1', port, secure: false, ignoreTLS: true, ...limits })
  return async (email) => {
    const { pictures = [], ...mail } = email
    const attachments = pictures.map(({ cid, png }) => ({ filename: `${cid}.png`, content: png, cid }))
    await transport.sendMail({ ...mail, attachments })
  }
}

/** Whom the school's mail comes from. A name is kept on one line; what else it holds is the mail library's to quote. */
export function senderOf({ name, senderName }: Pick<School, 'name' | 'senderName'>): Sender {
  return { name: (senderName || name).replace(/\p{Cc}+/gu, ' ').trim(), address: 'school@young-acorn.example' }
}

/** From whom an email comes, and where an answer to it goes: to the school's own address, or else to the creator. */
export async function senderIn(services: Services, school: School): Promise<{ from: Sender; replyTo: string }> {
  return { from: senderOf(school), replyTo: school.replyTo || (await creatorAddress(services)) }
}

/** For so long a message that cannot be sent is tried again by itself. */
const TRIED_MS = 3 * 86_400_000

/**
 * Makes and sends one message. Its links are made now, so that no secret lies in the database.
 * @throws where it could not be sent within three days; the queue tries again.
 */
export async function sendMessage(base: Services, messageId: string, post: Mailer): Promise<void> {
  const { db } = base
  const [row] = await db
    .select({ message: messages, person: people, buyerName: orders.buyerName })
    .from(messages)
    .innerJoin(people, eq(people.id, messages.personId))
    .leftJoin(orders, eq(orders.id, messages.orderId))
    .where(eq(messages.id, messageId))
  if (!row || row.message.state === 'sent' || row.message.state === 'dropped') return
  const { message, person } = row
  // What they called themselves for the order, where it is about one.
  const buyer = row.buyerName ?? person.name
  const services = await inMode(base, message.mode)
  const { now } = services
  const school = await getSchool(db)
  const notification = message.againOf ? ALWAYS : notificationOf(school, message.kind)
  const email = notification.isOn
    ? ((await onceMore(services, message)) ??
      (await compose(services, school, message, { ...person, name: buyer }, notification.ownWords)))
    : null
  const about = { orderId: message.orderId, personId: message.personId }
  if (!email) {
    await db.update(messages).set({ state: 'dropped' }).where(eq(messages.id, messageId))
    if (!notification.isOn) await record(db, now(), about, 'message-off', { kind: message.kind })
    return
  }
  const to = isForCreator(message.kind) ? await creatorAddress(services) : person.email
  try {
    await post({ ...email, to, ...(await senderIn(services, school)) })
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error)
    await transaction(db, async (tx) => {
      await tx.update(messages).set({ state: 'failed', error: why }).where(eq(messages.id, messageId))
      await record(tx, now(), about, 'message-failed', { kind: message.kind, why })
    })
    // Given up it stands under attention until somebody sends it again.
    if (now().getTime() - message.createdAt.getTime() >= TRIED_MS) {
      log('error', `a message (${message.kind}) could not be sent for three days; no more tries`)
      return
    }
    throw error
  }
  await transaction(db, async (tx) => {
    const sent = { to, email: storedEmail(email, services.config.origin) }
    await tx
      .update(messages)
      .set({ state: 'sent', sentAt: now(), error: null, ...sent })
      .where(eq(messages.id, messageId))
    await record(tx, now(), about, 'message-sent', { kind: message.kind, to })
  })
}

/** The message that this one sends once more, as it was but with new links; null where it is none, or none is stored. */
async function onceMore(services: Services, { againOf }: Message): Promise<Email | null> {
  if (!againOf) return null
  const [first] = await services.db.select().from(messages).where(eq(messages.id, againOf))
  return first?.email ? renewedOf(services, first, first.email) : null
}

async function compose(
  services: Services,
  school: School,
  message: Message,
  person: Person,
  ownWords: string,
): Promise<Email | null> {
  const { config } = services
  const link = async () => (person.passwordHash ? null : await makePasswordLink(services, person.id))
  const { kind } = message
  if (isAboutAgreement(kind)) {
    const facts = await factsOf(services, message.agreementId as string, message.attemptId)
    return composeAgreement(school, person.name, kind, facts, ownWords)
  }
  if (isForCreator(kind)) {
    const facts = await creatorFacts(services, message, person)
    return facts && composeForCreator(school, kind, facts)
  }
  switch (kind) {
    case 'password':
      return composePassword(school, person.name, await makePasswordLink(services, person.id))
    case 'given':
      return composeGiven(school, person.name, await givenFacts(services, message), `${config.origin}/my`, await link())
    case 'receipt': {
      const receipt = { ...(await receiptOf(services, message.orderId as string)), passwordLink: await link() }
      return composeReceipt(school, person.name, receipt, ownWords)
    }
    case 'awaiting':
    case 'not-arrived':
    case 'transfer-part':
      return composeAwaited(
        school,
        person.name,
        kind,
        await awaitedFacts(services, message.orderId as string),
        ownWords,
      )
    case 'transfer-surplus': {
      const facts = await surplusFacts(services, message.orderId as string)
      return facts && composeSurplus(school, person.name, facts, ownWords)
    }
    case 'opened':
    case 'ends-soon': {
      const facts = await accessFacts(services, message)
      const write = kind === 'opened' ? composeOpened : composeEndsSoon
      return facts && write(school, person.name, { ...facts, passwordLink: await link() }, ownWords)
    }
    case 'opening-moved': {
      const facts = await openingFacts(services, message)
      return facts && composeOpeningMoved(school, person.name, facts, ownWords)
    }
    case 'already-owned':
      return composeAlreadyOwned(school, person.name, message.courseTitle ?? '', `${config.origin}/my`, await link())
    case 'bundle-grew': {
      const facts = await grewFacts(services, message)
      return composeBundleGrew(school, person.name, facts, await link())
    }
    case 'code-refused':
      return composeCodeRefused(school, person.name, message.courseTitle ?? '', config.origin)
    case 'paid-twice': {
      const facts = await paidTwiceFacts(services, message.orderId as string)
      return facts && composePaidTwice(school, person.name, facts, ownWords)
    }
    case 'refunded':
      return composeRefunded(school, person.name, await refundFacts(services, message.refundId as string), ownWords)
  }
}

async function receiptOf(services: Services, orderId: string) {
  const { db, config } = services
  const [order] = await db.select().from(orders).where(eq(orders.id, orderId))
  if (!order) throw new Error(`There is no order ${orderId}.`)
  const placedOn = order.placedOn ?? order.quote.purchaseDay
  const bought = await boughtOf(db, order, placedOn)
  const [collected] = await db
    .select({ method: attempts.method })
    .from(attempts)
    .where(and(eq(attempts.orderId, orderId), eq(attempts.state, 'collected'), isNull(attempts.agreementId)))
    .orderBy(desc(attempts.settledAt))
  return {
    number: order.number,
    bought: bought.map(({ line, product, courses: all, opens, closes, hasEnded, membership, isPaidTwice }) => ({
      course: line.title,
      offer: line.offerName,
      opens: all.map(({ title, slug, ...days }) => ({
        title,
        link: `${config.origin}/learn/${slug}`,
        later: days.opens > opens ? days.opens : null,
      })),
      isBundle: product.kind === 'bundle',
      opensLater: opens > placedOn ? opens : null,
      closes,
      hasEnded,
      membership,
      isPaidTwice,
    })),
    ...amountsOf(order, bought, await getSchool(db)),
    method: collected?.method ?? null,
    receiptLink: await makeOrderLink(services, orderId),
  }
}
