import { EVERYDAY_PAGE } from './checkoutPage.ts'

/** The version in which content is kept: what creators write of courses and offers, and the quotes of orders. */
const VERSION = 6

/** Content as it is kept, with its version beside its fields. */
export function storeContent<T extends object>(content: T): T & { version: number } {
  return { ...content, version: VERSION }
}

/**
 * Content of any version as it is now. What was kept before versions were, is of the first. A change of what is kept
 * raises the version and lifts the older ones here, so that nobody else asks.
 * @throws RangeError where it was kept by a newer product.
 */
export function readContent<T extends object>(stored: T & { version?: number }): T {
  const { version = 1, ...content } = stored
  if (version > VERSION) throw new RangeError(`This was saved by a newer version of the product (${version}).`)
  const second = version < 2 ? fromFirst(content) : content
  const third = version < 3 ? fromSecond(second) : second
  const fourth = version < 4 ? fromThird(third) : third
  const fifth = version < 5 ? fromFourth(fourth) : fourth
  return (version < 6 ? fromFifth(fifth) : fifth) as unknown as T
}

/** What the first version called `cloth` is the colour of a course's cover. */
function fromFirst(content: object): object {
  if (!('cloth' in content)) return content
  const { cloth: coverColor, ...others } = content
  return { ...others, coverColor }
}

/** In the second version a checkout page had no order bumps. */
function fromSecond(content: object): object {
  return 'offers' in content && 'chosen' in content && !('bumps' in content) ? { ...content, bumps: [] } : content
}

/** In the third version nothing was offered behind a checkout page, and the shop had no basket. */
function fromThird(content: object): object {
  if ('headline' in content && 'sections' in content) return { hasBasket: false, ...content }
  return 'bumps' in content && 'chosen' in content ? { upsells: [], upsellsByTransfer: false, ...content } : content
}

/** In the fourth version a checkout page had no parts of its own: it is as one that nobody has shaped. */
function fromFourth(content: object): object {
  return 'bumps' in content && 'chosen' in content ? { ...EVERYDAY_PAGE, ...content } : content
}

/** In the fifth version a course had no day on which it opens. */
function fromFifth(content: object): object {
  return 'lessons' in content && 'summary' in content ? { ...content, opens: null } : content
}
