import { and, eq, inArray, sql } from 'drizzle-orm'
import * as v from 'valibot'
import { split } from '../../core/money/arithmetic.ts'
import type { Mode } from '../db/schema/columns.ts'
import { catalogue, lineCourses, offers, refunds } from '../db/schema/index.ts'
import { movedByOffer } from '../ledger/sums.ts'
import { inMode, type Services } from '../platform/context.ts'
import { type MovedOf, movedByLine, movedByOfferOfBuyers } from './movements.ts'
import { spanQuery } from './query.ts'

/** product: a bundle's money is its own · course: it is its courses', by their shares. */
export const productsQuery = v.intersect([spanQuery, v.object({ by: v.picklist(['product', 'course']) })])

/** What moved in a span for one product, in minor units. */
export interface ProductSums extends MovedOf {
  id: string
  title: string
  kind: 'course' | 'bundle'
}

/**
 * What moved in a span by the products that were sold, the most received first. By course, each movement of a bundle
 * is split by the weights that its order fixed, a refund over the courses that it was for, the largest remainders
 * first (pricing rules, section 9); so both ways add up to the same.
 */
export async function sumProducts(
  base: Services,
  mode: Mode,
  { by, from, until, ...query }: v.InferOutput<typeof productsQuery>,
): Promise<{ products: ProductSums[] }> {
  const services = await inMode(base, mode)
  const { db } = services
  const span = { from, until }
  const moved = query.search
    ? await movedByOfferOfBuyers(services, mode, span, query)
    : await movedByOffer(db, mode, from, until, query)
  const ids = moved.map(({ offerId }) => offerId)
  const sold = await db
    .select({ offerId: offers.id, id: catalogue.id, kind: catalogue.kind })
    .from(offers)
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .where(inArray(offers.id, ids))
  const productOf = new Map(sold.map((row) => [row.offerId, row]))
  const sums = new Map<string, MovedOf>()
  const add = (id: string, figures: MovedOf) => {
    const sum = sums.get(id) ?? { received: 0, receivedTax: 0, fees: 0, givenBack: 0, givenBackTax: 0 }
    for (const figure of FIGURES) sum[figure] += figures[figure]
    sums.set(id, sum)
  }
  const bundled = by === 'course' ? sold.filter(({ kind }) => kind === 'bundle').map(({ offerId }) => offerId) : []
  const isBundled = new Set(bundled)
  for (const { offerId, ...figures } of moved) {
    const product = productOf.get(offerId)
    if (product && !isBundled.has(offerId)) add(product.id, figures)
  }
  if (bundled.length > 0) await addShares(services, mode, span, { ...query, offers: bundled }, add)
  const named = await db
    .select({ id: catalogue.id, kind: catalogue.kind, live: catalogue.live, draft: catalogue.draft })
    .from(catalogue)
    .where(inArray(catalogue.id, [...sums.keys()]))
  const products = named.flatMap(({ id, kind, live, draft }) => {
    const figures = sums.get(id)
    return figures && FIGURES.some((figure) => figures[figure] !== 0)
      ? [{ id, kind, title: (live ?? draft).title, ...figures }]
      : []
  })
  return { products: products.sort((a, b) => b.received - a.received || a.title.localeCompare(b.title)) }
}

const FIGURES = ['received', 'receivedTax', 'fees', 'givenBack', 'givenBackTax'] as const

/** Adds the movements of bundles to the courses that their orders hold. */
async function addShares(
  services: Services,
  mode: Mode,
  span: Parameters<typeof movedByLine>[2],
  query: Parameters<typeof movedByLine>[3],
  add: (courseId: string, figures: MovedOf) => void,
): Promise<void> {
  const { db } = services
  const rows = await movedByLine(services, mode, span, query)
  const held = await db
    .select({
      lineId: lineCourses.lineId,
      courseId: lineCourses.courseId,
      weight: lineCourses.weight,
      paidThrough: lineCourses.paidThrough,
    })
    .from(lineCourses)
    .where(sql`${lineCourses.lineId} = any(${sql.param([...new Set(rows.map(({ lineId }) => lineId))])}::uuid[])`)
    .orderBy(lineCourses.lineId, lineCourses.position)
  const coursesOf = new Map<string, typeof held>()
  for (const course of held) coursesOf.set(course.lineId, [...(coursesOf.get(course.lineId) ?? []), course])
  const subjects = rows.flatMap(({ subjectId }) => subjectId ?? [])
  const given = await db
    .select({ id: refunds.id, courseIds: refunds.courseIds })
    .from(refunds)
    .where(and(sql`${refunds.id} = any(${sql.param(subjects)}::uuid[])`, sql`${refunds.courseIds} is not null`))
  const onlyFor = new Map(given.map(({ id, courseIds }) => [id, courseIds]))
  for (const { lineId, subjectId, n, ...figures } of rows) {
    const only = subjectId ? onlyFor.get(subjectId) : null
    const parts = (coursesOf.get(lineId) ?? []).filter(({ courseId }) => !only || only.includes(courseId))
    const weights = parts.map(({ weight, paidThrough }) =>
      paidThrough !== null && n !== null && n > paidThrough ? 0 : weight,
    )
    const shares = FIGURES.map((figure) => shareOut(figures[figure], weights))
    for (const [place, { courseId }] of parts.entries()) {
      const [received = 0, receivedTax = 0, fees = 0, givenBack = 0, givenBackTax = 0] = shares.map(
        (of) => of[place] ?? 0,
      )
      add(courseId, { received, receivedTax, fees, givenBack, givenBackTax })
    }
  }
}

/** The same split of an amount that a correction may have turned below 0. */
function shareOut(amount: number, weights: readonly number[]): number[] {
  return amount < 0 ? split(-amount, weights).map((part) => -part) : split(amount, weights)
}
