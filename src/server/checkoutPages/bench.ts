import { and, asc, desc, eq, isNotNull, isNull } from 'drizzle-orm'
import { type PageContent, type PageSurroundings, pageProblems } from '../../core/content/checkoutPage.ts'
import { isSame } from '../../core/content/isSame.ts'
import { lowestAlone } from '../catalogue/alone.ts'
import { getProduct } from '../catalogue/products.ts'
import { cleanRichText } from '../catalogue/richText.ts'
import { findCodes } from '../coupons/codes.ts'
import type { Queryable } from '../db/client.ts'
import { CATALOGUE_COLUMNS, catalogue, checkoutPages, offers } from '../db/schema/index.ts'
import { findDrafted, holdDraft, makeLive, saveDraft, versionOf, versionsOf } from '../drafts/drafts.ts'
import { notFound, Problem } from '../http/problem.ts'
import { inTransaction, type Services } from '../platform/context.ts'
import { getSchool } from '../school/service.ts'
import { pagesToLeadTo, wasOrderedOn } from './make.ts'

/** Every checkout page with the product that it sells, in the order of the shelf. */
export async function listPages({ db }: Services) {
  const rows = await db
    .select({ page: checkoutPages, product: CATALOGUE_COLUMNS })
    .from(checkoutPages)
    .leftJoin(catalogue, eq(catalogue.id, checkoutPages.productId))
    .where(isNull(catalogue.retiredAt))
    .orderBy(
      desc(catalogue.kind),
      asc(catalogue.position),
      asc(catalogue.createdAt),
      desc(checkoutPages.isEveryday),
      asc(checkoutPages.createdAt),
    )
  return rows.map(({ page, product }) => ({
    id: page.id,
    productId: page.productId,
    slug: page.slug,
    /** What its creator calls it; empty: by what it sells. */
    name: page.draft.name,
    isEveryday: page.isEveryday,
    /** Buttons lead to it. */
    isMain: page.isMain,
    isLive: page.live !== null,
    isRetired: page.retiredAt !== null,
    ends: page.draft.ends?.at ?? null,
    /** Null of the page at which a basket is paid. */
    title: product?.draft.title ?? null,
    kind: product?.kind ?? null,
    coverColor: product?.draft.coverColor ?? null,
    bumps: page.draft.bumps.length,
    upsells: page.draft.upsells.length,
    isProductLive: product?.live != null,
    isChanged: page.live !== null && !isSame(page.live, page.draft),
  }))
}

/** Offers that a page could add to an order, of every product, in the order of the shelf. */
async function addableOffers(db: Queryable) {
  const rows = await db
    .select({ offer: offers, product: CATALOGUE_COLUMNS })
    .from(offers)
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .where(and(isNotNull(offers.live), eq(offers.isTestPurchase, false)))
    .orderBy(desc(catalogue.kind), asc(catalogue.position), asc(offers.position), asc(offers.createdAt))
  return rows.flatMap(({ offer, product }) => {
    if (!offer.live) return []
    const shown = product.live ?? product.draft
    return [
      {
        id: offer.id,
        productId: product.id,
        kind: product.kind,
        product: shown.title,
        summary: shown.summary,
        coverColor: shown.coverColor,
        coverId: shown.coverId,
        content: offer.live,
        namesPrice: offer.live.terms.kind === 'openPrice',
        isOnSale: offer.onSale && offer.retiredAt === null && product.live !== null && product.retiredAt === null,
      },
    ]
  })
}

/** One checkout page as the bench shows it: with its product, and what could be added to an order there. */
export async function openPage({ db, now }: Services, id: string) {
  const page = await findDrafted(db, 'page', id)
  const [product, addable, school, others, wasSold] = await Promise.all([
    page.productId === null ? null : getProduct(db, page.productId),
    addableOffers(db),
    getSchool(db),
    pagesToLeadTo(db, id),
    wasOrderedOn(db, id),
  ])
  const lowest = await lowestAlone(db, school, [...new Set(addable.map(({ productId }) => productId))], now())
  return {
    ...page,
    /** Pages that it can lead to when it has ended. */
    others,
    wasSold,
    /** What it sells; null of the page at which a basket is paid. */
    product: product && {
      id: product.id,
      kind: product.kind,
      title: (product.live ?? product.draft).title,
      summary: (product.live ?? product.draft).summary,
      isLive: product.live !== null,
    },
    offers: addable
      .filter(
        ({ isOnSale, id: offerId }) =>
          isOnSale || [...page.draft.bumps, ...page.draft.upsells].some((one) => one.offerId === offerId),
      )
      /** `inShop`: the lowest price for which everybody gets it there. */
      .map((offer) => ({ ...offer, inShop: lowest.get(offer.productId) ?? null })),
  }
}

/** @throws Problem 409 `changed-elsewhere` where `baseRev` is old. */
export function savePageDraft({ db, now }: Services, id: string, baseRev: number, content: PageContent) {
  return saveDraft(db, 'page', id, { baseRev, draft: cleanPage(content), at: now() })
}

/** A page whose rich texts hold nothing that a page may not show. */
export function cleanPage(page: PageContent): PageContent {
  return {
    ...page,
    parts: page.parts.map((part) => (part.kind === 'text' ? { ...part, html: cleanRichText(part.html) } : part)),
  }
}

/**
 * Makes the draft of revision `rev` what buyers see.
 * @throws Problem 409 where it was changed meanwhile, 422 at the field where something is missing or not on sale.
 */
export async function publishPage(services: Services, id: string, rev: number, by: string | null): Promise<void> {
  await inTransaction(services, async ({ db: tx, now }) => {
    const page = await holdDraft(tx, 'page', id, rev)
    const problems = pageProblems(page.draft, await surroundings(tx, page, now()))
    if (problems.length > 0) {
      throw new Problem(422, 'not-ready', 'Something is missing before this can be published.', problems)
    }
    await makeLive(tx, 'page', page, { live: page.draft, at: now(), by })
  })
}

/** What a draft is held against before it is published. */
async function surroundings(
  db: Queryable,
  { id, productId, draft }: { id: string; productId: string | null; draft: PageContent },
  at: Date,
): Promise<PageSurroundings> {
  const [addable, others, found] = await Promise.all([
    addableOffers(db),
    pagesToLeadTo(db, id),
    findCodes(db, draft.code === '' ? [] : [draft.code]),
  ])
  return {
    productId,
    offers: addable,
    pages: others.map((page) => page.id),
    isCodeKnown: draft.code === '' || found.length > 0,
    at: at.toISOString(),
  }
}

/** What was published of a page before, the newest first. */
export function pageVersions({ db }: Services, id: string) {
  return versionsOf(db, 'page', id)
}

/** One published version as it was. @throws Problem 404. */
export async function pageVersion({ db }: Services, id: string, version: number): Promise<PageContent> {
  const content = await versionOf(db, 'page', id, version)
  if (!content) throw notFound('version')
  return content
}
