/** An offer with its price, its sale and for whom it is. */
export const CARD = {
  suggestion: 'our suggestion',
  untitled: 'Untitled offer',
  noPrice: 'no price yet',
  enrol: 'Enrol',
  forMembers: 'For members of {courses}.',
  struck: 'Lowest price before the sale: ',
  now: ', now ',
  saleInAll: '{money} in all',
  saleEach: '{money} each',
  saleFirst: '{money} first payment',
  needs: '{courses}, or {signIn} if you have it.',
  or: ' or ',
  see: 'See {course}',
  signIn: 'sign in',
} as const
