import { and, eq, isNotNull } from 'drizzle-orm'
import { EVERYDAY_PAGE, type PageContent } from '../../core/content/checkoutPage.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { checkoutPages } from '../db/schema/index.ts'
import { makeLive } from '../drafts/drafts.ts'

/** A checkout page as buyers see it. */
export interface LivePage {
  id: string
  /** What it sells; null of the one at which a basket is paid. */
  productId: string | null
  version: number
  live: PageContent
}

/** The page that a product has without being asked; it is live from the beginning. */
export async function makeEverydayPage(tx: Transaction, productId: string, slug: string, at: Date): Promise<void> {
  const [page] = await tx
    .insert(checkoutPages)
    .values({ productId, slug, isEveryday: true, draft: EVERYDAY_PAGE, draftAt: at, createdAt: at })
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

/** The page at an address; null where there is none that is live. */
export async function findLivePage(db: Queryable, slug: string): Promise<LivePage | null> {
  const [page] = await db
    .select()
    .from(checkoutPages)
    .where(and(eq(checkoutPages.slug, slug), isNotNull(checkoutPages.live)))
  return page?.live ? { id: page.id, productId: page.productId, version: page.liveVersion, live: page.live } : null
}
