import { eq, or, sql } from 'drizzle-orm'
import type { Transaction } from '../db/client.ts'
import { catalogue, checkoutPages, products } from '../db/schema/index.ts'

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

/** A slug that no other product has: with a number behind it where needed. It stays free until the transaction ends. */
export async function freeSlug(db: Transaction, title: string, own?: string): Promise<string> {
  await db.execute(sql`select pg_advisory_xact_lock(${CHOOSING_A_SLUG})`)
  const base = slugOf(title)
  for (let n = 1; ; n++) {
    const slug = n === 1 ? base : `${base}-${n}`
    if (slug === BASKET_SLUG) continue
    const taken = await db
      .select({ id: products.id })
      .from(products)
      .leftJoin(catalogue, eq(catalogue.id, products.id))
      .leftJoin(checkoutPages, eq(checkoutPages.productId, products.id))
      // A first address names its product in the books for ever; a checkout page has an address of the same kind.
      .where(or(eq(catalogue.slug, slug), eq(products.bookName, slug), eq(checkoutPages.slug, slug)))
    if (taken.every(({ id }) => id === own)) return slug
  }
}
