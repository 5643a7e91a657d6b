import { type CouponContent, newCoupon } from '../src/core/content/coupon.ts'
import { createCoupon, publishCoupon, saveCouponDraft } from '../src/server/coupons/service.ts'
import { makeCodes } from '../src/server/coupons/set.ts'
import type { Services } from '../src/server/platform/context.ts'
import type { Made } from './catalogue.ts'
import { DAY_MS, type DemoCoupon } from './school.ts'

/** Makes the coupons: published where they are not meant to stay a draft. `today` is the moment of loading. */
export async function makeCoupons(services: Services, all: readonly DemoCoupon[], made: Made, today: number) {
  for (const { untilInDays, of, isDraft = false, codes = 0, ...said } of all) {
    const products = (of ?? []).map((key) => made.get(key)?.courseId as string)
    const content: CouponContent = {
      ...newCoupon(),
      ...said,
      until: untilInDays === undefined ? null : midnight(today + untilInDays * DAY_MS),
      appliesTo: of ? { products, offers: [] } : null,
    }
    const { id } = await createCoupon(services)
    const { draftRev } = await saveCouponDraft(services, id, 1, content)
    if (!isDraft) await publishCoupon(services, id, draftRev, null)
    if (codes > 0) await makeCodes(services, id, codes)
  }
}

/** The midnight in Vienna, more or less, that ends a day: to the minute it is of no matter to the demo. */
function midnight(at: number): string {
  return `${new Date(at).toISOString().slice(0, 10)}T23:00:00Z`
}
