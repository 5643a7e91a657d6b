import { and, eq, isNotNull, ne, or, sql } from 'drizzle-orm'
import { EVERYDAY_PAGE, type PageContent } from '../../core/content/checkoutPage.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { compiled } from '../db/compiled.ts'
import { checkoutPages, pageAddresses } from '../db/schema/index.ts'
import { makeLive } from '../drafts/drafts.ts'

/** A checkout page as buyers see it. */
export interface LivePage {
  id: string
  /** What it sells; null of the one at which a basket is paid. */
  productId: string | null
  /** Its address now: it may have been found by an older one. */
  slug: string
  version: number
  live: PageContent
  isRetired: boolean
}

/** The page that a product has without being asked; it is live from the beginning. */
export async function makeEverydayPage(tx: Transaction, productId: string, slug: string, at: Date): Promise<void> {
  const [page] = await tx
    .insert(checkoutPages)
    .values({ productId, slug, isEveryday: true, isMain: true, draft: EVERYDAY_PAGE, draftAt: at, createdAt: at })
    .returning()
  if (!page) throw new Error('The page was not stored.')
  await makeLive(tx, 'page', page, { live: EVERYDAY_PAGE, at, by: null })
}

/** The everyday page goes with its product's address. */
export async function moveEverydayPage(tx: Transaction, productId: string, slug: string): Promise<void> {
  await tx
    .update(checkoutPages)
    .set({ slug })
    .where(and(eq(checkoutPages.productId, productId), checkoutPages.isEveryday))
}

/** From now on the buttons that sell a product lead to this page of it. */
export async function leadTo(tx: Transaction, productId: string, pageId: string): Promise<void> {
  await tx
    .update(checkoutPages)
    .set({ isMain: false })
    .where(and(eq(checkoutPages.productId, productId), ne(checkoutPages.id, pageId)))
  await tx.update(checkoutPages).set({ isMain: true }).where(eq(checkoutPages.id, pageId))
}

const pageAt = compiled<{ slug: string }>()((db, given) => {
  const slug = sql`${given('slug')}::text`
  const old = db.select({ id: pageAddresses.pageId }).from(pageAddresses).where(eq(pageAddresses.slug, slug))
  return db
    .select()
    .from(checkoutPages)
    .where(and(or(eq(checkoutPages.slug, slug), sql`${checkoutPages.id} in (${old})`), isNotNull(checkoutPages.live)))
    .orderBy(sql`${checkoutPages.slug} = ${slug} desc`)
    .limit(1)
})

/** The page at an address, or that had it before; null where there is none that was ever live. */
export async function findLivePage(db: Queryable, slug: string): Promise<LivePage | null> {
  const [page] = await pageAt(db, { slug })
  return page ? asLive(page) : null
}

/** A page by its id; null where it was never live. */
export async function livePageById(db: Queryable, id: string): Promise<LivePage | null> {
  const [page] = await db.select().from(checkoutPages).where(eq(checkoutPages.id, id))
  return page ? asLive(page) : null
}

function asLive(page: typeof checkoutPages.$inferSelect): LivePage | null {
  if (!page.live) return null
  const { id, productId, slug, liveVersion: version, live, retiredAt } = page
  return { id, productId, slug, version, live, isRetired: retiredAt !== null }
}
