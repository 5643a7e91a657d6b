import { eq } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { catalogue } from '../db/schema/index.ts'
import { notFound } from '../http/problem.ts'

/** What every kind of product has. */
export type Product = typeof catalogue.$inferSelect

/** @throws Problem 404. */
export async function getProduct(db: Queryable, id: string): Promise<Product> {
  const [product] = await db.select().from(catalogue).where(eq(catalogue.id, id))
  if (!product) throw notFound('course')
  return product
}

/** The path of the checkout page to which the buttons lead that sell a product. */
export function buyPathOf({ slug, pageSlug }: Pick<Product, 'slug'> & Partial<Pick<Product, 'pageSlug'>>): string {
  return `/buy/${pageSlug ?? slug}`
}

/** Where something is bought again: the offer that it was, which its page shows where it is still on sale. */
export function buyAgainPathOf(product: Parameters<typeof buyPathOf>[0], offerId: string | null): string {
  return offerId === null ? buyPathOf(product) : `${buyPathOf(product)}?offer=${offerId}`
}

/** The path of a product's own page in the shop. */
export function pagePathOf({ kind, slug }: Pick<Product, 'kind' | 'slug'>): string {
  return `/${kind}/${slug}`
}
