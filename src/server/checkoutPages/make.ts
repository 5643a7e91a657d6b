import { and, eq, isNull, ne, or, sql } from 'drizzle-orm'
import { type Arrangement, arranged } from '../../core/checkoutPages/arrangements.ts'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { leadTo } from '../catalogue/pages.ts'
import { getProduct } from '../catalogue/products.ts'
import { BASKET_SLUG, holdSlugs, slugOf } from '../catalogue/slug.ts'
import type { Queryable, Transaction } from '../db/client.ts'
import { catalogue, checkoutPages, orders, pageAddresses, products } from '../db/schema/index.ts'
import { findDrafted } from '../drafts/drafts.ts'
import { fieldProblem, Problem } from '../http/problem.ts'
import { inTransaction, type Services } from '../platform/context.ts'

/** What a new page begins with: an arrangement, or another page as it stands. */
export type Beginning = { arrangement: Arrangement } | { copyOf: string }

export interface NewPage {
  productId: string
  name: string
  from: Beginning
  /** It begins with the order bumps and upsells of the page to which the product's buttons lead. */
  takesOver?: boolean
}

/** Makes a page beside those that a product has. It sells nothing before it is published. @throws Problem 404. */
export function createPage(
  services: Services,
  { productId, name, from, takesOver = false }: NewPage,
): Promise<{ id: string }> {
  return inTransaction(services, async ({ db: tx, now }) => {
    const [product, content] = await Promise.all([getProduct(tx, productId), beginning(tx, productId, from)])
    const slug = await freePageSlug(tx, slugOf(name || product.draft.title))
    const draft: PageContent = { ...content, ...(takesOver && (await additionsOf(tx, productId))), name }
    const at = now()
    const [page] = await tx
      .insert(checkoutPages)
      .values({ productId, slug, isEveryday: false, draft, draftAt: at, createdAt: at })
      .returning({ id: checkoutPages.id })
    return { id: page?.id as string }
  })
}

async function beginning(tx: Transaction, productId: string, from: Beginning): Promise<PageContent> {
  if ('arrangement' in from) return arranged(from.arrangement)
  const copied = await findDrafted(tx, 'page', from.copyOf)
  return copied.productId === productId ? copied.draft : forAnother(copied.draft)
}

/** The order bumps and upsells of a product's main page. */
async function additionsOf(
  tx: Transaction,
  productId: string,
): Promise<Partial<Pick<PageContent, 'bumps' | 'upsells' | 'upsellsByTransfer'>>> {
  const [main] = await tx
    .select({ draft: checkoutPages.draft })
    .from(checkoutPages)
    .where(and(eq(checkoutPages.productId, productId), checkoutPages.isMain))
  if (!main) return {}
  const { bumps, upsells, upsellsByTransfer } = main.draft
  return { bumps, upsells, upsellsByTransfer }
}

/** A page as another product takes it over: without the offers that are not its own. */
function forAnother(page: PageContent): PageContent {
  return {
    ...page,
    offers: null,
    chosen: null,
    parts: page.parts.map((part) => (part.kind === 'prices' ? { ...part, highlighted: null } : part)),
  }
}

/** The address, or the same with a number behind it. It stays free until the transaction ends. */
async function freePageSlug(tx: Transaction, base: string): Promise<string> {
  await holdSlugs(tx)
  for (let n = 1; ; n++) {
    const slug = n === 1 ? base : `${base}-${n}`
    if (!(await isTaken(tx, slug, null))) return slug
  }
}

/** Whether another page has an address, or had it; a product's address is its everyday page's. */
async function isTaken(tx: Transaction, slug: string, own: string | null): Promise<boolean> {
  if (slug === BASKET_SLUG) return true
  const [page, old, product] = await Promise.all([
    tx.$count(checkoutPages, and(eq(checkoutPages.slug, slug), own === null ? undefined : ne(checkoutPages.id, own))),
    tx.$count(
      pageAddresses,
      and(eq(pageAddresses.slug, slug), own === null ? undefined : ne(pageAddresses.pageId, own)),
    ),
    tx
      .select({ id: products.id })
      .from(products)
      .leftJoin(catalogue, eq(catalogue.id, products.id))
      .where(or(eq(catalogue.slug, slug), eq(products.bookName, slug)))
      .limit(1),
  ])
  return page + old + product.length > 0
}

/**
 * Gives a page another address; the one that it had leads on to it.
 * @throws Problem 422 at `/slug` where another page has it, 409 of the page that has its product's address.
 */
export function movePage(services: Services, id: string, slug: string): Promise<void> {
  return inTransaction(services, async ({ db: tx, now }) => {
    const page = await own(tx, id)
    if (page.slug === slug) return
    await holdSlugs(tx)
    if (await isTaken(tx, slug, id)) throw fieldProblem('/slug', 'Another page has this address, or had it.')
    await tx.delete(pageAddresses).where(eq(pageAddresses.slug, slug))
    // Nobody can know an address that was never live.
    if (page.live) await tx.insert(pageAddresses).values({ slug: page.slug, pageId: id, createdAt: now() })
    await tx.update(checkoutPages).set({ slug }).where(eq(checkoutPages.id, id))
  })
}

/** Makes a page the one to which buttons of shop, basket and messages lead. @throws Problem 409 where it is not live. */
export function makeMain(services: Services, id: string): Promise<void> {
  return inTransaction(services, async ({ db: tx }) => {
    const page = await findDrafted(tx, 'page', id)
    if (!page.live || page.retiredAt !== null || page.productId === null) {
      throw new Problem(409, 'not-live', 'Publish the page first: buttons cannot lead to it before.')
    }
    await leadTo(tx, page.productId, id)
  })
}

/**
 * Retires a page, or brings it back. Buttons that led to it lead to its product's everyday page.
 * @throws Problem 409 of the pages that are there by themselves.
 */
export function setPageRetired(services: Services, id: string, isRetired: boolean): Promise<void> {
  return inTransaction(services, async ({ db: tx, now }) => {
    const page = await own(tx, id)
    await tx
      .update(checkoutPages)
      .set({ retiredAt: isRetired ? now() : null })
      .where(eq(checkoutPages.id, id))
    if (!isRetired || !page.isMain || page.productId === null) return
    const [everyday] = await tx
      .select({ id: checkoutPages.id })
      .from(checkoutPages)
      .where(and(eq(checkoutPages.productId, page.productId), checkoutPages.isEveryday))
    if (everyday) await leadTo(tx, page.productId, everyday.id)
  })
}

/** @throws Problem 409 where something was ordered on it, or another page leads to it. */
export function deletePage(services: Services, id: string): Promise<void> {
  return inTransaction(services, async ({ db: tx }) => {
    const page = await own(tx, id)
    if (await wasOrderedOn(tx, id)) {
      throw new Problem(409, 'was-sold', 'Something was ordered on it. Retire it instead.')
    }
    if (page.isMain) throw new Problem(409, 'is-main', 'Buttons lead to this page. Let them lead to another one first.')
    await tx.execute(sql`delete from versions where subject = 'page' and subject_id = ${id}`)
    await tx.delete(checkoutPages).where(eq(checkoutPages.id, id))
  })
}

export async function wasOrderedOn(db: Queryable, id: string): Promise<boolean> {
  return (await db.$count(orders, eq(orders.pageId, id))) > 0
}

/** A page that its creator made. @throws Problem 404, or 409 of one that is there by itself. */
async function own(tx: Transaction, id: string) {
  const page = await findDrafted(tx, 'page', id)
  if (page.isEveryday || page.productId === null) {
    throw new Problem(409, 'there-by-itself', 'This page is there by itself, as long as what it sells.')
  }
  return page
}

/** Pages that another one can lead to: published, not retired, and not the one itself. */
export async function pagesToLeadTo(db: Queryable, id: string) {
  const rows = await db
    .select({ page: checkoutPages, title: sql<string>`${catalogue.draft}->>'title'` })
    .from(checkoutPages)
    .innerJoin(catalogue, eq(catalogue.id, checkoutPages.productId))
    .where(and(isNull(checkoutPages.retiredAt), isNull(catalogue.retiredAt), ne(checkoutPages.id, id)))
    .orderBy(checkoutPages.createdAt)
  return rows.flatMap(({ page, title }) =>
    page.live ? [{ id: page.id, name: page.live.name || title, slug: page.slug }] : [],
  )
}
