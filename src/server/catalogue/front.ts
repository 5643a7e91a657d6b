import { type FrontContent, PLAIN_FRONT } from '../../core/content/front.ts'
import type { Queryable } from '../db/client.ts'
import { fronts } from '../db/schema/index.ts'
import { holdDraft, makeLive, saveDraft } from '../drafts/drafts.ts'
import { inTransaction, type Services } from '../platform/context.ts'

/** The shop's front as buyers see it. */
export async function liveFront(db: Queryable): Promise<FrontContent> {
  const [front] = await db.select({ live: fronts.live }).from(fronts)
  return front?.live ?? PLAIN_FRONT
}

/** The shop's front as the bench shows it; made here where nobody has shaped it yet, live as it was without. */
export async function openFront(services: Services): Promise<typeof fronts.$inferSelect> {
  const { db } = services
  const [known] = await db.select().from(fronts)
  if (known) return known
  return inTransaction(services, async ({ db: tx, now }) => {
    const at = now()
    const [made] = await tx
      .insert(fronts)
      .values({ draft: PLAIN_FRONT, draftAt: at, createdAt: at })
      .onConflictDoNothing()
      .returning()
    if (made) await makeLive(tx, 'front', made, { live: PLAIN_FRONT, at, by: null })
    const [front] = await tx.select().from(fronts)
    if (!front) throw new Error('The front was not stored.')
    return front
  })
}

/** @throws Problem 409 `changed-elsewhere` where `baseRev` is old. */
export async function saveFrontDraft(services: Services, baseRev: number, draft: FrontContent) {
  const { id } = await openFront(services)
  return saveDraft(services.db, 'front', id, { baseRev, draft, at: services.now() })
}

/** Makes the draft of revision `rev` what buyers see. @throws Problem 409 where it was changed meanwhile. */
export async function publishFront(services: Services, rev: number, by: string | null): Promise<void> {
  const { id } = await openFront(services)
  await inTransaction(services, async ({ db: tx, now }) => {
    const front = await holdDraft(tx, 'front', id, rev)
    await makeLive(tx, 'front', front, { live: front.draft, at: now(), by })
  })
}
