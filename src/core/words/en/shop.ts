/**
 * What buyers read in the shop, in English. What a page loads with the form that it takes over has a file of its own, so
 * that it loads no other. Prices are in `price.ts`, messages in `mail.ts`, receipts in `receipt.ts`.
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

/** After paying, and an order that waits for its money. */
export const THANKS = {
  isOpen: 'Thank you. {course} is open.',
  opensOn: 'Thank you. {course} opens on {day}.',
  several: 'Thank you. {number} courses are yours.',
  closes: 'It stays open until {day}; after that you can buy it again and go on where you were.',
  receiptSent: 'The receipt is on its way to {email}.',
  lineOpen: '{offer} · open',
  lineOpenUntil: '{offer} · open, until {day}',
  lineOpensOn: '{offer} · opens on {opens}',
  lineOpensOnUntil: '{offer} · opens on {opens}, until {day}',
  lineEnded:
    'It ended on {day}, before your money was received. {school} was told, and will write to you about a refund.',
  lineTwice: 'Another order of yours had opened it already. {school} was told, and refunds what you paid for it here.',
  open: 'Open',
  openCourse: 'Open the course',
  comeBack: 'Come back from any device',
  password: 'The message holds a link to set a password. It works once and ends after 24 hours. {again}',
  unpaid: 'This order has not been paid.',
  nothingCharged: 'Nothing was charged for it so far.',
  backToCheckout: 'Back to the checkout',
  twice: 'You have paid for {courses} twice.',
  twiceText:
    'Another order of yours had opened what you ordered already. {school} was told, and refunds this one. A message about it is on its way to {email}.',
  ended: '{courses} ended on {day}.',
  endedText: 'Your money was received after that. {school} was told, and will write to you about a refund at {email}.',
  onItsWay: 'Thank you. {money} is on its way.',
  onItsWayText: '{opening}, mostly within some hours. You can close this page: we will write to {email}.',
  fromYourBank: 'on its way from your bank',
  transfer: 'Thank you. Please transfer {money} for {courses}.',
  transferText: '{opening}. All of this is in the message to {email} too; you can close this page.',
  transferTextPart:
    '{came} of {all} received so far. {opening}. All of this is in the message to {email} too; you can close this page.',
  opensAsSoon: '{courses} opens automatically as soon as the money is received',
  opensOnOnce: '{courses} opens on {day}, once the money is received',
  severalOpen: '{courses} open as soon as the money is received, or on the day on which they begin',
  amount: 'Amount',
  to: 'To',
  iban: 'IBAN',
  bic: 'BIC',
  reference: 'Reference',
  code: 'QR code of this transfer',
  scan: 'Scan it with your banking app.',
  waiting: 'order {number}, waiting for the transfer',
  otherMethod: 'Use another payment method instead',
  receipt: 'Receipt {number}',
  row: '{course}, {offer}',
  namedRow: '{course}, {offer}: {name}',
  vat: 'VAT {rate}',
  vatInside: 'VAT {rate}, inside',
  paid: 'Paid',
  next: 'Next: {money} on {day}. My courses shows all dates.',
  nextInAll: 'Next: {money} on {day}; {all} in all. My courses shows all dates.',
  nextEndless: 'Next: {money} on {day}, and so on until you cancel. My courses shows all dates.',
  receiptPdf: 'Receipt as PDF',
  received: 'received',
  nothingDue: 'nothing due today',
  paidOnBy: '{day}, {method}',
} as const

/** My courses, and an opened course. */
export const MY = {
  title: 'My courses',
  none: 'Nothing here yet. {see}; what you buy appears here by itself.',
  see: 'See what there is',
  open: 'Open',
  pay: 'Pay and open it',
  buyAgain: 'Buy it again',
  plans: 'Payment plans and subscriptions',
  plan: '{course}, {offer}',
  manage: 'Manage',
  details: 'Details',
  receipts: 'Receipts',
  receipt: '{number} · {course}',
  pdf: 'PDF',
  lessons: { one: '{count} lesson', other: '{count} lessons' },
  opensOn: '{lessons} · opens on {day}',
  paused: '{lessons} · paused since {day}: a payment is overdue',
  renews: '{lessons} · paid until {day}, renews then',
  ended: '{lessons} · ended on {day}',
  until: '{lessons} · open until {day}',
  whilePaid: '{lessons} · open for good, as long as it is paid',
  forGood: '{lessons} · yours for good',
} as const

export const LEARN = {
  lessons: 'Lessons',
  noLessons: 'No lessons yet. They appear here when they are published.',
  renews: 'Paid until {day}, renews then.',
  until: 'Open until {day}.',
  noText: 'This lesson has no text yet.',
  choose: 'Choose a lesson to begin.',
  next: 'Next: {lesson}',
  begin: 'Begin: {lesson}',
} as const
