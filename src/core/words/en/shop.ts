/**
 * What buyers read in the shop, in English: a group for each kind of page, so that a page loads only its own. What
 * messages and receipts say is in `mail.ts` and `receipt.ts`, prices in `price.ts`.
 */

/** Around every page. */
export const FRAME = {
  allCourses: 'All courses',
  myCourses: 'My courses',
  terms: 'Terms of sale',
  signIn: 'Sign in',
  signOut: 'Sign out',
  practice: '{practice} No real money moves here; pay with a sample card.',
  practiceOwnView:
    '{practice} No real money moves here; pay with a sample card. Only you see this; visitors see the live shop.',
  practiceWord: 'Practice.',
  liveOwnView: '{live} Strangers see the practice shop until you open the live one.',
  liveWord: 'Live; only you see it.',
} as const

/** The school's page and a course's. */
export const CATALOGUE = {
  title: 'Courses of {school}',
  none: 'Nothing is on sale at the moment. Please check back soon.',
  lessons: 'Lessons',
  noLessons: 'The lessons are being written.',
  owned: 'You have this course.',
  open: 'Open it',
  notOnSale: 'Not on sale at the moment.',
  forMembers: 'For members of {courses}',
} as const

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

export const CHECKOUT = {
  owned: 'You have this course.',
  open: 'Open it',
  get: 'What you get',
  noLessons: 'The lessons appear here when they are published.',
  about: 'About the course',
  howYouPay: 'How you pay',
  forWhom: 'For whom this is',
  membersOnly: '“{offer}” is for members of {courses}.',
  forMembers: 'for members of {courses}',
  asMember: 'for you, as a member of {courses}',
  yourPrice: 'Your price',
  inCurrency: 'In {currency}',
  atLeast: 'At least {money}.',
  anyPrice: 'Any price; 0 is fine too.',
  minimum: 'The minimum is {money}.',
  who: 'Who you are',
  name: 'Name',
  namePlace: 'First and last name',
  nameMissing: 'Write your name.',
  email: 'Email',
  emailPlace: 'for receipt and access',
  emailMissing: 'Write your email address.',
  method: 'Payment method',
  yourMethod: 'Your {method}',
  dates: 'Dates',
  cannotPay:
    '{school} cannot take payments for this at the moment. Nothing is wrong on your side; please check back soon.',
  elsewhere: 'You began to pay elsewhere and have not finished there. Nothing was charged so far. {there}, or {anew}.',
  there: 'Continue there',
  anew: 'order it anew',
  checking: 'The outcome of your payment is not known yet. This page finds out by itself; please do not pay again.',
  pay: 'Pay',
  waiting: 'Waiting for the result…',
  busy: 'One moment…',
  goThere: 'Continue to {gateway}, {money}',
  transfer: 'Order and transfer {money}',
  accept: 'By ordering you accept the {terms}.',
  terms: 'terms of sale',
  theGateway: 'the gateway',
  laterByCard:
    'By ordering you allow {school} to charge the later payments to this card, which {gateway} keeps for it.',
  laterElsewhere: 'By ordering you allow {school} to charge the later payments by {gateway}, as you approve there.',
  nothing: 'Nothing to pay.',
  offline: 'The next page says where to send the money. Access begins once it is received.',
  knownLater:
    'Charged once. {gateway} takes the payment; access begins once the money is received, mostly within hours.',
  once: 'Charged once. {gateway} takes the payment.',
  onceByCard: 'Charged once. {gateway} takes the payment; your card number never reaches {school}.',
  todayOpen: 'Today, and the course is open {lasts}',
  todayOpensOn: 'Today; the course opens on {day}, {lasts}',
  whilePaying: 'while you pay',
  until: 'until {day}',
  forGood: 'for good',
  unknown: '–',
  free: 'free',
  firstPayment: 'First payment',
  more: 'and {number} more, the last on {day}',
  endless: 'and so on, until you cancel',
  inAll: 'In all',
  vat: 'VAT {rate}, inside',
  vatOfToday: 'VAT {rate}, inside today’s payment',
  gone: 'This offer is no longer on sale. Nothing was charged. See the others.',
  changed: 'The price is now {money}. Nothing was charged. Press the button again if you agree.',
  notCharged: '{why} Nothing was charged.',
  notChargedOther: '{why} Nothing was charged. Pay another way.',
  lost: 'The connection was lost. Checking whether you have paid…',
  lostBefore: 'The connection was lost before anything was charged. You can try again.',
} as const

/** Paying: the methods and the gateway's own fields, at the checkout and for a plan. */
export const PAYING = {
  method: 'Payment method',
  fields: '{method} fields of {gateway}',
  notLoaded: 'The card fields did not load. Reload the page.',
  noAnswer: 'The card fields do not answer. Reload the page and try again.',
  serviceDown: 'The card service does not answer.',
  check: 'Check the card fields.',
  elsewhereLater: 'You pay from your own bank at {gateway}, then come back here. The money arrives some hours later.',
  elsewhere: 'You approve it at {gateway}, then come back here.',
  offline: 'You get the bank details and a reference as soon as you order.',
  isDown: '(does not answer)',
  downChooseAnother: '{gateway} does not answer at the moment. Choose another payment method, or try it anyway.',
  downTryAnyway: '{gateway} does not answer at the moment. You can try it anyway.',
  confirm: 'Confirm the payment',
  confirmation: 'The bank’s confirmation',
  untilApproved: 'Nothing is charged until you approve.',
  close: 'Close',
} as const

/** Why a payment did not come, and what to do. */
export const DECLINED = {
  notEnoughMoney: 'The card or account does not have enough money. Nothing was charged. Try again, or pay another way.',
  refusedByBuyer: 'You did not approve the payment. Nothing was charged. Try again, or pay another way.',
  expired: 'This card has expired. Nothing was charged. Use another card.',
  badToken: 'The card details could not be used. Nothing was charged. Enter them again.',
  overLimit: 'This is more than your wallet allows us to charge. Nothing was charged. Pay another way.',
  approvalEnded: 'The approval in your wallet has expired. Nothing was charged. Approve it again, or pay another way.',
  notArrived: 'We received no transfer from you. Nothing was charged. You can order again.',
  refused: 'The payment was refused. Nothing was charged. Try again, or pay another way.',
  abandoned: 'The payment was not finished. Nothing was charged. You can try again.',
} as const
