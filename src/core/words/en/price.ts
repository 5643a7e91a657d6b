/** Prices in words, in English; apart by where they stand, so that a page loads only what it says. */

/** Several in a row. */
export const LIST = {
  and: '{first} and {last}',
  or: '{first} or {last}',
  more: '{one}, {next}',
  /** The same of titles, each in quotation marks; the first mark and the last stand around them. */
  titles: { and: '{first}” and “{last}', or: '{first}” or “{last}', more: '{one}”, “{next}' },
  quoted: '“{titles}”',
} as const

/** The button that pays. */
export const PAY = {
  now: 'Pay {money}',
  today: 'Pay {money} today',
  start: 'Start for {money} today',
  get: 'Get the course',
} as const

export const PRICE = {
  lengths: {
    day: { one: '{count} day', other: '{count} days' },
    week: { one: '{count} week', other: '{count} weeks' },
    month: { one: '{count} month', other: '{count} months' },
    year: { one: '{count} year', other: '{count} years' },
  },
  every: {
    day: { one: 'every day', other: 'every {count} days' },
    week: { one: 'every week', other: 'every {count} weeks' },
    month: { one: 'every month', other: 'every {count} months' },
    year: { one: 'every year', other: 'every {count} years' },
  },
  rates: { day: 'a day', week: 'a week', month: 'a month', year: 'a year' },
  oneThen: '{first}, then {next}',
  plus: '{first} + {next}',

  free: 'free',
  yourPrice: 'your price',
  nameIt: 'name your price',
  nameItFrom: 'name your price, {from}',
  from: 'from {money}',
  atRate: '{money} {rate}',
  times: '{number} × {money}',
  toBegin: '{money} to begin',
  forLength: '{money} for {length}',
  theFirst: 'the first {length}',
  firstOnes: { day: 'the first day', week: 'the first week', month: 'the first month', year: 'the first year' },
  listed: '{one}, {next}',
  lengthFree: '{length} free',
  deposit: '{money} deposit',
  inBrackets: '{price} ({all} in all)',
  setupFee: 'Set-up fee',
  depositPayment: 'Deposit',
  trialPayment: 'Trial',
  firstLength: 'First {length}',
} as const

/** The name of an offer that nobody has named. */
export const OFFER_NAME = {
  free: 'Free',
  single: 'One payment',
  openPrice: 'Name your price',
  installments: { one: '{count} installment', other: '{count} installments' },
  deposit: { one: 'Deposit + {count} installment', other: 'Deposit + {count} installments' },
  every: {
    day: { one: 'Daily', other: 'Every {count} days' },
    week: { one: 'Weekly', other: 'Every {count} weeks' },
    month: { one: 'Monthly', other: 'Every {count} months' },
    year: { one: 'Yearly', other: 'Every {count} years' },
  },
} as const

/** What stands below a price, and on the button of a course page. */
export const OFFER = {
  orAnother: '{first}, or {next}',
  morePrices: { one: '{prices}, or {count} more price', other: '{prices}, or {count} more prices' },
  forMembers: 'Included for members',
  nameYourPrice: 'Name your price',
  from: 'From {money}',
  tryFree: 'Try {length} free',
  enrol: 'Enrol for {money}',
  enrolToday: 'Enrol for {money} today',
  thenLater: 'then {payments}',
  dot: '{one} · {next}',
  opensAtOnce: 'opens at once',
  opensOn: 'opens on {day}',
  forGood: 'yours for good',
  whilePaying: 'while you pay',
  whileMember: 'as long as your membership lasts',
  until: 'until {day}',
  forLength: 'for {length}',
  endless: '{money} {every} from {day} until cancelled',
  onDays: '{money} on {days}',
  series: '{number} payments of {money}, one {every}, the first on {day}',
} as const

/** Opening dates of an offer's courses, where they differ. */
export const OPENING = {
  later: { one: '“{titles}” opens on {day}.', other: '“{titles}” open on {day}.' },
  laterUntil: {
    one: '“{titles}” opens on {day}, and closes on {until}.',
    other: '“{titles}” open on {day}, and close on {until}.',
  },
  lost: 'Your payments start today. Days before the opening are not refunded.',
  notIncluded: '“{title}” is not included: it opens on {day}, after this access ends.',
} as const

/** A price as a whole, in sentences, as its creator reads it. */
export const SENTENCE = {
  free: 'Free. {access}',
  openPrice: 'The buyer names the price; {suggested} is suggested. {access}',
  openPriceFrom: 'The buyer names the price, from {minimum}; {suggested} is suggested. {access}',
  price: '{payments}. {access}',
  priceInAll: '{payments}. {all} in all. {access}',
  partsInAll: '{parts}; {all} in all',
  today: '{money} today',
  depositToday: '{money} deposit today',
  listed: '{one}, {next}',
  forTheFirst: '{money} for the first {length}',
  todayForTheFirst: '{money} today for the first {length}',
  open: 'Open',
  opensOn: 'Opens on {day} and stays open',
  whilePaid: '{opens} while it is paid.',
  whilePaidGrace: {
    one: '{opens} while it is paid and {count} day longer.',
    other: '{opens} while it is paid and {count} days longer.',
  },
  whileMember: '{opens} as long as the membership lasts.',
  until: '{opens} until {day}.',
  forGood: '{opens} for good.',
} as const

/** A running sale, in one sentence. */
export const SALE = {
  now: 'Sale price.',
  untilThen: 'Sale price {until}; then {money}.',
  lowest: 'Sale price. Lowest price of the 30 days before it: {money}.',
  untilLowest: 'Sale price {until}. Lowest price of the 30 days before it: {money}.',
  endOfDay: 'until the end of {day} ({place})',
  atTime: 'until {day}, {time} ({place})',
} as const
