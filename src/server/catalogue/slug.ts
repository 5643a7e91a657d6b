import { eq, or, sql } from 'drizzle-orm'
import type { Transaction } from '../db/client.ts'
import { catalogue, checkoutPages, pageAddresses, products } from '../db/schema/index.ts'

/** A title as the last part of an address: small letters, figures and hyphens. */
export function slugOf(title: string): string {
  const slug = title
    .replaceAll('ß', 'ss')
    .normalize('NFKD')
    .replace(/\p{Mark}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60)
  return slug || 'course'
}

/** The address of the page at which a basket is paid, `/buy/basket`: no product has it. */
export const BASKET_SLUG = 'basket'

/** Held while a slug is chosen, so that two products of one title at the same moment get two. */
const CHOOSING_A_SLUG = 7310

/** Until the transaction ends nobody else chooses an address. */
export async function holdSlugs(tx: Transaction): Promise<void> {
  await tx.execute(sql`select pg_advisory_xact_lock(${CHOOSING_A_SLUG})`)
}

/** A slug that no other product has: with a number behind it where needed. It stays free until the transaction ends. */
export async function freeSlug(db: Transaction, title: string, own?: string): Promise<string> {
  await holdSlugs(db)
  const base = slugOf(title)
  for (let n = 1; ; n++) {
    const slug = n === 1 ? base : `${base}-${n}`
    if (slug === BASKET_SLUG) continue
    const taken = await db
      .select({
        id: products.id,
        page: checkoutPages.slug,
        isEveryday: checkoutPages.isEveryday,
        old: pageAddresses.slug,
      })
      .from(products)
      .leftJoin(catalogue, eq(catalogue.id, products.id))
      .leftJoin(checkoutPages, eq(checkoutPages.productId, products.id))
      .leftJoin(pageAddresses, eq(pageAddresses.pageId, checkoutPages.id))
      // A first address names its product in the books for ever; a checkout page has, or had, one of the same kind.
      .where(
        or(
          eq(catalogue.slug, slug),
          eq(products.bookName, slug),
          eq(checkoutPages.slug, slug),
          eq(pageAddresses.slug, slug),
        ),
      )
    const isFree = taken.every(
      ({ id, page, isEveryday, old }) => id === own && old !== slug && (page !== slug || isEveryday),
    )
    if (isFree) return slug
  }
}
