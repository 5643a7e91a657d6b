import { and, asc, desc, eq, inArray, sql } from 'drizzle-orm'
import type { Queryable, Transaction } from '../db/client.ts'
import { bundles, checkoutPages, coupons, courses, creators, fronts, offers, versions } from '../db/schema/index.ts'
import { notFound, Problem } from '../http/problem.ts'

/** Whatever is edited as a draft and published: by its name in `versions`, with its table. */
const TABLES = { course: courses, bundle: bundles, offer: offers, page: checkoutPages, coupon: coupons, front: fronts }
export type Subject = keyof typeof TABLES
export type Drafted<S extends Subject> = (typeof TABLES)[S]['$inferSelect']
export type Content<S extends Subject> = Drafted<S>['draft']
type Columns<S extends Subject> = Partial<(typeof TABLES)[S]['$inferInsert']>

/** The tables have their drafts' columns in common; by one of them all are spoken to. */
const tableOf = (subject: Subject) => TABLES[subject] as typeof courses

/** @throws Problem 404. */
export async function findDrafted<S extends Subject>(db: Queryable, subject: S, id: string): Promise<Drafted<S>> {
  const table = tableOf(subject)
  const [row] = await db.select().from(table).where(eq(table.id, id))
  if (!row) throw notFound(subject)
  return row as Drafted<S>
}

/** A draft or a publish met another one that came in between: both are in what is answered, and nothing is lost. */
function changedElsewhere(theirs: { draft: unknown; draftRev: number; draftAt: Date }): Problem {
  return new Problem(409, 'changed-elsewhere', 'This was changed in another window.', [], {
    theirs: { draft: theirs.draft, draftRev: theirs.draftRev, draftAt: theirs.draftAt.toISOString() },
  })
}

/**
 * Saves a draft that was edited from revision `baseRev`; `also` is written beside it.
 * @throws Problem 404, or 409 `changed-elsewhere` with what the other one wrote, where `baseRev` is old.
 */
export async function saveDraft<S extends Subject>(
  db: Queryable,
  subject: S,
  id: string,
  { baseRev, draft, at, also }: { baseRev: number; draft: Content<S>; at: Date; also?: Columns<S> },
): Promise<Drafted<S>> {
  const table = tableOf(subject)
  const set = { ...also, draft, draftAt: at, draftRev: sql`${table.draftRev} + 1` } as object
  const [saved] = await db
    .update(table)
    .set(set)
    .where(and(eq(table.id, id), eq(table.draftRev, baseRev)))
    .returning()
  if (!saved) throw changedElsewhere(await findDrafted(db, subject, id))
  return saved as Drafted<S>
}

/**
 * The row, locked, whose draft of revision `rev` is to be published.
 * @throws Problem 404, or 409 `changed-elsewhere` where the draft is another by now.
 */
export async function holdDraft<S extends Subject>(
  tx: Transaction,
  subject: S,
  id: string,
  rev: number,
): Promise<Drafted<S>> {
  const table = tableOf(subject)
  const [row] = await tx.select().from(table).where(eq(table.id, id)).for('update')
  if (!row) throw notFound(subject)
  if (row.draftRev !== rev) throw changedElsewhere(row)
  return row as Drafted<S>
}

/**
 * Makes content what buyers see, and keeps it as a version; `also` is written beside it. The row must be locked by the
 * caller. @returns the version's number.
 */
export async function makeLive<S extends Subject>(
  tx: Transaction,
  subject: S,
  row: Pick<Drafted<S>, 'id' | 'liveVersion'>,
  { live, at, by, also }: { live: Content<S>; at: Date; by: string | null; also?: Columns<S> },
): Promise<number> {
  const table = tableOf(subject)
  const version = row.liveVersion + 1
  await tx
    .update(table)
    .set({ ...also, live, liveVersion: version, liveAt: at } as object)
    .where(eq(table.id, row.id))
  await tx
    .insert(versions)
    .values({ subject, subjectId: row.id, version, content: live, publishedAt: at, publishedBy: by })
  return version
}

/** What was published of one thing, and when (ISO 8601). */
export interface Published<S extends Subject> {
  content: Content<S>
  publishedAt: string
}

/** What was published of several and when, oldest first, as far as it compares with what is published today. */
export async function publishedOf<S extends Subject>(
  db: Queryable,
  subject: S,
  ids: readonly string[],
): Promise<Map<string, Published<S>[]>> {
  const found = new Map<string, Published<S>[]>()
  if (ids.length === 0) return found
  const rows = await db
    .select({ id: versions.subjectId, content: versions.content, publishedAt: versions.publishedAt })
    .from(versions)
    .where(and(eq(versions.subject, subject), inArray(versions.subjectId, [...ids]), versions.isComparable))
    .orderBy(asc(versions.version))
  for (const { id, content, publishedAt } of rows) {
    const of = found.get(id) ?? []
    found.set(id, of)
    of.push({ content: content as Content<S>, publishedAt: publishedAt.toISOString() })
  }
  return found
}

/** What was published as one version; null where there is none such. */
export async function versionOf<S extends Subject>(
  db: Queryable,
  subject: S,
  id: string,
  version: number,
): Promise<Content<S> | null> {
  const [row] = await db
    .select({ content: versions.content })
    .from(versions)
    .where(and(eq(versions.subject, subject), eq(versions.subjectId, id), eq(versions.version, version)))
  return (row?.content as Content<S> | undefined) ?? null
}

/** Most versions that are listed. */
const MAX_LISTED = 100

/** The versions that were published of one thing, the newest first: when, and by whom (null: not by a creator). */
export async function versionsOf(db: Queryable, subject: Subject, id: string) {
  return db
    .select({ version: versions.version, publishedAt: versions.publishedAt, by: creators.name })
    .from(versions)
    .leftJoin(creators, eq(creators.id, versions.publishedBy))
    .where(and(eq(versions.subject, subject), eq(versions.subjectId, id)))
    .orderBy(desc(versions.version))
    .limit(MAX_LISTED)
}

/** What was published of a kind so far says nothing any more about what is published from now on. */
export async function forgetComparing(tx: Transaction, subject: Subject): Promise<void> {
  await tx.update(versions).set({ isComparable: false }).where(eq(versions.subject, subject))
}
