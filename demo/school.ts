import { readFileSync } from 'node:fs'
import type { CouponContent } from '../src/core/content/coupon.ts'
import type { CourseContent } from '../src/core/content/course.ts'
import type { OfferContent } from '../src/core/content/offer.ts'
import type { TransferSettings } from '../src/server/db/schema/index.ts'
import type { setUp } from '../src/server/session/signIn.ts'

export interface DemoCourse {
  key: string
  title: string
  summary: string
  description: string
  coverColor: CourseContent['coverColor']
  state: 'live' | 'changed' | 'off' | 'draft'
  pattern: 'waves' | 'grain' | 'marble' | null
  lessons: [string, string][]
  offers: DemoOffer[]
}

export interface DemoOffer {
  key: string
  name: string
  /** A one-time price; null: free. */
  amount?: number | null
  /** One-time prices that were published before. */
  earlier?: number[]
  /** A one-time price that stands in the draft alone. */
  draftAmount?: number
  /** Anything else that its content says. */
  content?: Partial<OfferContent>
  /** A sale price that began six days ago, for so many days from the loading of the demo. */
  sale?: { amount: number; untilInDays: number; scope?: 'first' }
  /** The course whose holders alone may buy. */
  holdersOf?: string
  /** Opens so many days after the loading of the demo. */
  opensInDays?: number
}

/** Several courses sold as one, by their keys; null: all of them. */
export interface DemoBundle
  extends Pick<DemoCourse, 'key' | 'title' | 'summary' | 'description' | 'coverColor' | 'pattern'> {
  of: string[] | null
  /** A course that joined it so many days ago, for those who had it too. */
  joins?: { key: string; daysAgo: number; notifies: boolean }
  offers: DemoOffer[]
}

/** A checkout page that was shaped: the product whose page it is, its order bumps and its upsells, by keys. */
export interface DemoPage {
  of: string
  bumps: { of: string; offer: string; title?: string; text?: string; tick?: string }[]
  /** What follows an answer is the number of a step, or the thanks page. */
  upsells?: { of: string; offer: string; title?: string; text?: string; onYes: number | null; onNo: number | null }[]
}

/** A coupon: what differs from a new one, and the courses that it is for, by their keys. */
export interface DemoCoupon extends Partial<Omit<CouponContent, 'from' | 'until' | 'appliesTo'>> {
  code: string
  /** Ends so many days after the loading of the demo; below 0, before. */
  untilInDays?: number
  of?: string[]
  isDraft?: boolean
  /** How many single-use codes are made. */
  codes?: number
}

export interface DemoSchool {
  school: Parameters<typeof setUp>[1]['school']
  creator: Parameters<typeof setUp>[1]['creator']
  courses: DemoCourse[]
  bundles: DemoBundle[]
  pages: DemoPage[]
  /** The shop's front, with its products by their keys. */
  front: { headline: string; intro: string; sections: { title: string; of: string[] }[] }
  coupons: DemoCoupon[]
  people: string[]
  transfer: TransferSettings
}

/** The demo school as data. */
export function readDemo(): DemoSchool {
  return JSON.parse(readFileSync(new URL('./school.json', import.meta.url), 'utf8')) as DemoSchool
}

export const DAY_MS = 86_400_000

export function emailOf(name: string): string {
  return `${name.toLowerCase().replaceAll(' ', '.')}@post.example`
}
