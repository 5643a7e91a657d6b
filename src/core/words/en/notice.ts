/** Pages of the shop that say why something is not here or not open, what a buyer has already, and the titles of pages. */
export const NOTICE = {
  basketEmpty: { title: 'Your basket is empty', text: 'Nothing in it can be ordered at the moment.' },
  allCourses: 'See all courses',
  otherPrices: 'See the other prices',
  aboutCourse: 'About the course',
  aboutBundle: 'About the bundle',
  signIn: 'Sign in',
  myCourses: 'My courses',
  openCourse: 'Open the course',
  payNow: 'Pay it now',
  buyAgain: 'Buy it again',
  buy: 'Buy the course',
  tryAgain: 'Try again',
  missing: { title: 'There is no such page.', text: 'The address may be mistyped, or the page has gone.' },
  retired: { title: '{title} is no longer sold.', text: 'Those who have it keep it. See what else there is.' },
  pageOver: { title: '{page} is over.', text: 'Nothing can be ordered on this page any more. See what else there is.' },
  pageRetired: {
    title: '{page} is no longer here.',
    text: 'Nothing can be ordered on this page any more. See what else there is.',
  },
  mistyped: 'The address may be mistyped.',
  away: {
    title: 'This school cannot be reached at the moment.',
    text: 'We are working on it. Nothing was charged. Try again in a minute.',
  },
  busy: { title: 'We are very busy at the moment.', text: 'Nothing was charged. Wait a moment, then try again.' },
  broken: {
    title: 'This page could not be shown.',
    text: 'Something went wrong on our side, and we have been notified. Nothing was charged.',
  },
  terms: 'Terms of sale',
  offerEnded: { title: '{offer} ended on {day}.', text: 'This offer of the course can no longer be bought.' },
  notOnSale: {
    title: '{course} is not on sale at the moment.',
    text: 'People who have it keep it. See what else there is.',
  },
  seeOrder: { title: 'Sign in to see this order.', text: 'It was paid over an hour ago. You find it in your account.' },
  orderLink: {
    title: 'This link has expired, or is not complete.',
    text: 'Check that the whole link was copied. Your courses and payments are under My courses.',
  },
  received: {
    title: 'Thank you. Payment received.',
    text: '“{course}” continues as agreed. A message about it is on its way.',
  },
  payLink: {
    title: 'This link has expired or is not yours.',
    text: 'It works once, for 30 days. You find all your payments under My courses.',
  },
  opensLater: {
    title: '{course} opens on {day}.',
    text: 'It is already yours; there is nothing to do until then.',
  },
  paused: {
    title: 'Access to {course} has been paused since {day}: a payment is overdue.',
    text: 'It opens as soon as the payment is received, and everything is where you left it.',
  },
  closed: { title: 'Your access to {course} ended on {day}.', text: 'You can buy it again and go on where you were.' },
  signInToOpen: {
    title: 'Sign in to open {course}.',
    text: 'If you bought it, it is in your account. If not, you can buy it now.',
  },
  notYours: {
    title: 'You do not have {course} yet.',
    text: 'You are signed in as {email}. If you bought it with another email, sign in with that one.',
  },
} as const

/** What a buyer has of a course already, on its checkout page. */
export const HELD = {
  has: { one: 'You have this course.', other: 'You have all of its courses.' },
  until: { one: 'You have this course until {day}.', other: 'You have all of its courses until {day}.' },
  asMember: {
    one: 'You have this course as long as your membership lasts.',
    other: 'You have all of its courses as long as your membership lasts.',
  },
  some: 'You have {courses} of this already. What you order here is paid in full, and opens the others too.',
  pays: { one: 'You already pay for this course.', other: 'You already pay for its courses.' },
  paysNext: {
    one: 'You already pay for this course; the next payment is on {day}.',
    other: 'You already pay for its courses; the next payment is on {day}.',
  },
  overlap: '{has} What you order here is paid today and starts today.',
  overlapOther:
    '{has} What you order here is paid today and starts today. The other one continues until you cancel it.',
  cancelled: '{has} You cancelled it; you can undo that without a charge.',
  payments: 'See your payments',
  uncancel: 'Undo the cancellation',
  myCourses: 'My courses',
} as const

/** What stands in a browser's tab, and what search engines read. */
export const PAGE = {
  title: '{what} · {school}',
  school: 'Courses of {school}: {courses}',
  thanks: 'Thank you',
  my: 'My courses',
  signIn: 'Sign in',
  password: 'Set a password',
  email: 'Confirm your email',
} as const
