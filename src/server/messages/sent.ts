import { and, asc, count, desc, eq, ne } from 'drizzle-orm'
import type { Mode } from '../db/schema/columns.ts'
import { type MessageKind, messages, people } from '../db/schema/index.ts'
import { notFound, Problem } from '../http/problem.ts'
import { recordAll } from '../journal/journal.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services } from '../platform/context.ts'
import { takeEmail } from '../session/links.ts'
import type { Creator } from '../session/sessions.ts'
import { isForCreator } from './composeForCreator.ts'
import { maskedOf } from './sentEmail.ts'

/** So many failed messages are listed. */
const MAX_LISTED = 30

/** What waits to be sent in a mode, and what could not be: tried again by itself for more than a day. */
export async function openOutbox({ db }: Services, mode: Mode) {
  const [[waiting], failed] = await Promise.all([
    db
      .select({ n: count() })
      .from(messages)
      .where(and(eq(messages.mode, mode), eq(messages.state, 'waiting'))),
    db
      .select({
        id: messages.id,
        kind: messages.kind,
        to: people.email,
        why: messages.error,
        createdAt: messages.createdAt,
        orderId: messages.orderId,
      })
      .from(messages)
      .innerJoin(people, eq(people.id, messages.personId))
      .where(and(eq(messages.mode, mode), eq(messages.state, 'failed')))
      .orderBy(desc(messages.createdAt), asc(messages.id))
      .limit(MAX_LISTED),
  ])
  return { waiting: waiting?.n ?? 0, failed }
}

/** A message as it was sent, its links that work once taken out. @throws Problem 404, or 409 where none is kept. */
export async function readMessage({ db, config }: Services, mode: Mode, id: string) {
  const [row] = await db
    .select({ message: messages, email: people.email })
    .from(messages)
    .innerJoin(people, eq(people.id, messages.personId))
    .where(and(eq(messages.id, id), eq(messages.mode, mode)))
  if (!row) throw notFound('message')
  const { kind, to, sentAt, email } = row.message
  if (!email)
    throw new Problem(409, 'not-kept', 'The text of this message is not kept: it was not sent, or was deleted.')
  return {
    id,
    kind,
    to: to ?? row.email,
    sentAt,
    isForCreator: isForCreator(kind),
    ...maskedOf(email, config.origin),
    email: row.email,
  }
}

/**
 * Sends a message once more, as it was but with new links, to the buyer's address; another one given here becomes the
 * buyer's from then on. @throws Problem 404, 409 where none is kept, or at `/email`.
 */
export async function sendOnceMore(base: Services, mode: Mode, id: string, email: string): Promise<void> {
  const services = await inMode(base, mode)
  await readMessage(services, mode, id)
  await inTransaction(services, async (services) => {
    const { db: tx } = services
    const [row] = await tx
      .select({ message: messages, person: people })
      .from(messages)
      .innerJoin(people, eq(people.id, messages.personId))
      .where(eq(messages.id, id))
      .for('update', { of: people })
    if (!row) throw notFound('message')
    const { message, person } = row
    if (!isForCreator(message.kind)) await takeEmail(services, person, email)
    const { kind, personId, orderId, agreementId, refundId, courseTitle } = message
    const again = { mode, kind, personId, orderId, agreementId, refundId, courseTitle, againOf: id }
    const { queued, rows } = queueMessage(services, again)
    await recordAll(tx, services.now(), [queued], rows)
  })
}

/** Sends a message anew that could not be sent, at once. @throws Problem 404, or 409 where it has been sent. */
export async function sendAgain(services: Services, mode: Mode, id: string): Promise<void> {
  await inTransaction(services, async ({ db: tx, jobs }) => {
    const [message] = await tx
      .update(messages)
      .set({ state: 'waiting', error: null })
      .where(
        and(eq(messages.id, id), eq(messages.mode, mode), ne(messages.state, 'sent'), ne(messages.state, 'dropped')),
      )
      .returning({ id: messages.id })
    if (!message) {
      const ofMode = and(eq(messages.id, id), eq(messages.mode, mode))
      throw (await tx.$count(messages, ofMode)) > 0
        ? new Problem(409, 'sent', 'This message has been sent.')
        : notFound('message')
    }
    await jobs.send(tx, 'message-send', { messageId: id })
  })
}

/** Sends the creator a message of a kind as buyers get it, with made-up figures. @throws Problem 429. */
export async function sendTest(
  { db, limits, jobs }: Services,
  { id: creatorId, email }: Pick<Creator, 'id' | 'email'>,
  kind: MessageKind,
  ownWords: string,
): Promise<void> {
  await limits.count({ 'mail:email': `test ${email}` })
  await jobs.send(db, 'account-mail', { kind: 'test', creatorId, of: kind, ownWords })
}
