import { and, asc, desc, eq, isNull, lt, or, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { parseInstant } from '../../core/calendar/instant.ts'
import { explainGrants } from '../access/why.ts'
import type { Queryable } from '../db/client.ts'
import { nameFits } from '../db/matching.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, codeUses, grants, journal, orderLines, orders, people } from '../db/schema/index.ts'
import { refreshSearch } from '../db/searchText.ts'
import type { ClientAddress } from '../http/clientAddress.ts'
import { isId } from '../http/isId.ts'
import { notFound, Problem } from '../http/problem.ts'
import { record, recordAll } from '../journal/journal.ts'
import { agreementStatus, firstAgreement, orderStatusColumns, orderTitles } from '../orders/status.ts'
import { listMessages } from '../outbox/listed.ts'
import { queueMessage } from '../outbox/queue.ts'
import { inMode, inTransaction, type Services, type Within } from '../platform/context.ts'
import { emailSchema } from '../school/service.ts'
import { takeEmail } from '../session/links.ts'
import { checkPassword, type SignInTry } from '../session/passwords.ts'
import { openSession, type Person } from '../session/sessions.ts'

const PAGE = 40

/** Where a page ended: `<created>|<id>`. */
function isCursor(text: string): boolean {
  const [at = '', id = '', ...rest] = text.split('|')
  return rest.length === 0 && parseInstant(at) !== null && isId(id)
}

export const peopleQuery = v.object({
  search: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(100)), ''),
  /** Who has it, or bought it: a course, or a bundle. */
  course: v.optional(v.pipe(v.string(), v.uuid('There is no such course.'))),
  /** Who used a code of this coupon. */
  coupon: v.optional(v.pipe(v.string(), v.uuid('There is no such coupon.'))),
  /** Where the page before ended: `<created>|<id>`. */
  after: v.optional(v.pipe(v.string(), v.check(isCursor, 'This page does not exist.'))),
})

/** Buyers of a mode, newest first, a page at a time. */
export async function listPeople({ db }: Services, mode: Mode, { after, ...query }: v.InferOutput<typeof peopleQuery>) {
  const rows = await readPeople(db, mode, query, after).limit(PAGE + 1)
  const page = rows.slice(0, PAGE)
  const last = page.at(-1)
  return { people: page, next: rows.length > PAGE && last ? `${last.createdAt.toISOString()}|${last.id}` : null }
}

/** All buyers that fit, newest first, for a file. */
export async function peopleFor({ db }: Services, mode: Mode, query: Omit<v.InferOutput<typeof peopleQuery>, 'after'>) {
  return readPeople(db, mode, query, undefined)
}

function readPeople(
  db: Queryable,
  mode: Mode,
  { search, course, coupon }: Omit<v.InferOutput<typeof peopleQuery>, 'after'>,
  after: string | undefined,
) {
  const [createdAt, id] = after?.split('|') ?? []
  return db
    .select({
      id: people.id,
      name: people.name,
      email: people.email,
      createdAt: people.createdAt,
      orders: sql<number>`(select count(*)::int from orders where orders.person_id = people.id and orders.state = 'paid')`,
      courses: sql<number>`(select count(*)::int from grants where grants.person_id = people.id and grants.ended_at is null)`,
    })
    .from(people)
    .where(
      and(
        eq(people.mode, mode),
        search ? nameFits(search) : undefined,
        course
          ? sql`${people.id} in (
              select g.person_id from ${grants} g where g.course_id = ${course} and g.ended_at is null
              union all select o.person_id from ${orderLines} l join ${orders} o on o.id = l.order_id
              where l.product_id = ${course} and o.state = 'paid')`
          : undefined,
        coupon
          ? sql`${people.id} in (select o.person_id from ${codeUses} u join ${orders} o on o.id = u.order_id
              where u.coupon_id = ${coupon} and u.state = 'used')`
          : undefined,
        createdAt && id
          ? or(
              lt(people.createdAt, new Date(createdAt)),
              and(eq(people.createdAt, new Date(createdAt)), lt(people.id, id)),
            )
          : undefined,
      ),
    )
    .orderBy(desc(people.createdAt), desc(people.id))
    .$dynamic()
}

/** One buyer with their orders, grants, messages and what happened to them. */
export async function openPerson(services: Services, mode: Mode, id: string) {
  const { db } = services
  const [person] = await db
    .select({
      id: people.id,
      name: people.name,
      email: people.email,
      postalAddress: people.postalAddress,
      createdAt: people.createdAt,
      erasedAt: people.erasedAt,
      hasPassword: sql<boolean>`${people.passwordHash} is not null`,
    })
    .from(people)
    .where(and(eq(people.id, id), eq(people.mode, mode)))
  if (!person) throw notFound('person')
  const [theirOrders, theirGrants, sent, events] = await Promise.all([
    db
      .select({
        id: orders.id,
        number: orders.number,
        state: orders.state,
        payToday: orders.payToday,
        currency: orders.currency,
        createdAt: orders.createdAt,
        course: orderTitles.course,
        lines: orderTitles.lines,
        ...orderStatusColumns,
        agreement: agreementStatus,
      })
      .from(orders)
      .leftJoin(agreements, eq(agreements.id, firstAgreement))
      .where(eq(orders.personId, id))
      .orderBy(desc(orders.number)),
    explainGrants(await inMode(services, mode), { personId: id }),
    listMessages(db, { personId: id }),
    db
      .select()
      .from(journal)
      .where(and(eq(journal.personId, id), isNull(journal.orderId)))
      .orderBy(asc(journal.id)),
  ])
  return { person, orders: theirOrders, grants: theirGrants, messages: sent, journal: events }
}

/** Adds a buyer by hand, or finds the one who has this address. */
export async function addPerson(
  { db, now }: Services,
  mode: Mode,
  name: string,
  email: string,
): Promise<{ id: string }> {
  const [person] = await db
    .insert(people)
    .values({ mode, name, email, createdAt: now() })
    // Found by the same statement: in between, they could get another address.
    .onConflictDoUpdate({ target: [people.mode, people.email], set: { email } })
    .returning({ id: people.id })
  if (!person) throw new Error('The person was not stored.')
  return person
}

export async function findPerson(db: Queryable, mode: Mode, email: string): Promise<Person | null> {
  const [person] = await db
    .select()
    .from(people)
    .where(and(eq(people.mode, mode), eq(people.email, email)))
  return person ?? null
}

/**
 * Sends a new link where the address is known. What is answered, and how often it may be asked, is the same where it is
 * not; of many asked for at once one is sent.
 * @throws Problem 429 where one place asks too often.
 */
export async function resendPassword(
  services: Services,
  mode: Mode,
  email: string,
  address: ClientAddress | null,
): Promise<void> {
  const { limits } = services
  await limits.count({ 'mail:ip': address?.ip ?? null, 'mail:range': address?.range ?? null })
  const key = `${mode} ${email}`
  if (!(await limits.isWithin('mail:moment', key)) || !(await limits.isWithin('mail:email', key))) return
  const person = await findPerson(services.db, mode, email)
  if (!person) return
  await inTransaction(services, async (services) => {
    const { queued, rows } = queueMessage(services, { mode, kind: 'password', personId: person.id })
    await recordAll(services.db, services.now(), [queued], rows)
  })
}

/** Sends a buyer a link for a password, by the creator. @throws Problem 404, or 409 where their data was deleted. */
export async function sendPasswordLink(services: Services, mode: Mode, id: string): Promise<void> {
  const { person } = await openPerson(services, mode, id)
  if (person.erasedAt)
    throw new Problem(409, 'erased', 'The data of this buyer was deleted, so there is no email to write to.')
  await inTransaction(services, async (services) => {
    const { queued, rows } = queueMessage(services, { mode, kind: 'password', personId: id })
    await recordAll(services.db, services.now(), [queued], rows)
  })
}

/** Signs a buyer in. `known` marks the browser as one that did. @throws Problem 401, 429. */
export async function signInPerson(
  services: Services,
  mode: Mode,
  email: string,
  password: string,
  from: Pick<SignInTry, 'address' | 'known'>,
): Promise<{ token: string; known: string }> {
  const person = await findPerson(services.db, mode, email)
  const account = `buyer ${mode} ${email}`
  await checkPassword(services, { ...from, account }, person?.passwordHash ?? null, password)
  const token = await openSession(services, { personId: person?.id as string })
  return { token, known: services.secrets.mark(account) }
}

export const detailsSchema = v.object({
  name: v.pipe(v.string(), v.trim(), v.nonEmpty('Write a name.'), v.maxLength(100, 'Use at most 100 characters.')),
  email: emailSchema,
})

const note = v.pipe(
  v.string(),
  v.trim(),
  v.nonEmpty('Say why. It is kept in the history.'),
  v.maxLength(300, 'Use at most 300 characters.'),
)
export const correctionSchema = v.object({
  ...detailsSchema.entries,
  postalAddress: v.pipe(v.string(), v.trim(), v.maxLength(400, 'Use at most 400 characters.')),
  note,
})

/**
 * Puts a buyer's name, email and postal address right, by the creator, who says why. Another email ends the buyer's
 * sessions; they sign in with it by a link. @throws Problem 404, or at `/email` where another buyer has it.
 */
export async function correctPerson(
  services: Services,
  mode: Mode,
  id: string,
  { name, email, postalAddress, note: why }: v.InferOutput<typeof correctionSchema>,
): Promise<void> {
  await inTransaction(services, async (services) => {
    const { db: tx, now } = services
    const [person] = await tx
      .select()
      .from(people)
      .where(and(eq(people.id, id), eq(people.mode, mode), isNull(people.erasedAt)))
      .for('update')
    if (!person) throw notFound('person')
    await rename(services, person, name, why)
    await takeEmail({ db: tx, now }, person, email, why)
    if (postalAddress === person.postalAddress) return
    await tx.update(people).set({ postalAddress }).where(eq(people.id, id))
    await record(tx, now(), { personId: id }, 'address-changed', {
      from: person.postalAddress,
      to: postalAddress,
      note: why,
    })
  })
}

/** A buyer puts their own name right. */
export async function renameSelf(services: Services, person: Person, name: string): Promise<void> {
  await inTransaction(services, (services) => rename(services, person, name))
}

async function rename(
  { db: tx, now }: Within,
  person: Pick<Person, 'id' | 'name'>,
  name: string,
  why: string | null = null,
): Promise<void> {
  if (name === person.name) return
  await tx.update(people).set({ name }).where(eq(people.id, person.id))
  await refreshSearch(tx, person.id)
  await record(tx, now(), { personId: person.id }, 'name-changed', {
    from: person.name,
    to: name,
    ...(why ? { note: why } : {}),
  })
}

/**
 * Sends a link to a new address of a buyer's own, by which they take it on. What is answered is the same where another
 * buyer has it. @throws Problem 429.
 */
export async function askNewEmail(
  { limits, jobs, db }: Services,
  { id: personId, mode }: Person,
  email: string,
  address: ClientAddress | null,
): Promise<void> {
  await limits.count({
    'mail:ip': address?.ip ?? null,
    'mail:range': address?.range ?? null,
    'mail:email': `${mode} ${email}`,
  })
  await jobs.send(db, 'account-mail', { kind: 'new-email', personId, email })
}
