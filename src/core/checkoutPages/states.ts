/** The states in which a creator looks at a page before a buyer does. */
export const PAGE_STATES = [
  'first',
  'known',
  'owned',
  'declined',
  'free',
  'code',
  'saleOver',
  'pageOver',
  'noMethod',
] as const
export type PageState = (typeof PAGE_STATES)[number]
