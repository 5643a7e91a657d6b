/** Why an order or a payment is refused, and what to do: what the shop's addresses answer. */
export const REFUSED = {
  notForYou:
    'This price is for people who have {courses}. Sign in with the email you bought it with; nothing was charged.',
  otherEmail: 'Use the email that has {courses}. This price is only for that email.',
  priceChanged: 'The price changed while this page was open. Nothing was charged.',
  dueChanged: 'What is due changed while this page was open. Nothing was charged.',
  methodCannot: 'This payment method cannot be used for this order. Choose another; nothing was charged.',
  methodMissing: 'Choose how to pay.',
  methodNotOffered: 'This payment method is not offered any more. Reload the page.',
  methodPaused: 'This payment method is not offered at the moment. Reload the page.',
  gatewayDown:
    '{gateway} does not answer at the moment. Nothing was charged. Use another payment method, or try again later.',
  methodNotLater: 'This payment method cannot be used for the later payments.',
  methodGone: 'Your payment method is no longer saved. Reload the page.',
  notOnSale: 'This is not on sale any more.',
  inBasket: 'This is already in the basket.',
  needsItBefore:
    '“{title}” at this price is for people who already have “{membership}”. Order that first, then this; nothing was charged.',
  owned: 'You have this course already. You find it under My courses; nothing was charged.',
  ownedOne:
    'You have “{course}” already. You find it under My courses. Take it out of the basket; nothing was charged.',
  mayComeBack:
    'You cancelled this. You can undo the cancellation under My courses, without a charge. Nothing was charged.',
  payingAlready: 'You already pay for this. You find it under My courses. Nothing was charged.',
  heldAlready:
    'You already have access to this course for some time. Nothing was charged. Reload the page to see until when, then order again if you want.',
  address:
    'This cannot be ordered with this email. If it is yours, we have sent you a message with what to do. Nothing was charged.',
  busy: 'This order could not be paid at the moment. Nothing was charged twice; try again.',
  onItsWay:
    'A payment for this course is already on its way. Access opens as soon as the money is received; nothing was charged.',
  minimum: 'The minimum is {money}.',
  notSavedForLater: 'This card could not be saved for the later payments. Nothing was charged; use another card.',
  notChecked: 'The card could not be checked at the moment. Nothing was charged; try again.',
  notSaved: 'This card could not be saved. Nothing was changed; use another card.',
  notCheckedUnchanged: 'The card could not be checked at the moment. Nothing was changed; try again.',
  ended: 'This agreement has ended; no further payments are charged.',
  nothingDue: 'Nothing is due. Nothing was charged.',
  linkEnded: 'This link has expired or is not yours. Sign in and look under My courses.',
  cancelByLink: 'Sign in to cancel. This link is only for paying.',
  uncancelByLink: 'Sign in to undo the cancellation. This link is only for paying.',
  price: 'Write a price.',
  belowZero: 'A price cannot be below zero.',
  empty: 'Nothing is in the basket.',
  tooMany: 'At most {number} things can be bought at once.',
  signInFirst: 'Sign in first.',
  noMatch: 'This email and password do not match.',
  passwordShort: 'A password has at least 10 characters.',
  passwordLong: 'A password has at most 200 characters.',
  linkUsed: 'This link has been used or has expired. Ask for a new one.',
  emailTaken: 'Another buyer has this email.',
  email: 'Write an email address, like ada@example.org.',
  emailLong: 'This address is too long.',
  againInSeconds: {
    one: '{title} Try again in {count} second.',
    other: '{title} Try again in {count} seconds.',
  },
  againInMinutes: {
    one: '{title} Try again in {count} minute.',
    other: '{title} Try again in {count} minutes.',
  },
  tooManyTries: 'Too many tries.',
  tooManyPasswords: 'Too many wrong passwords.',
  tooManyLinks: 'Too many links that do not exist.',
  tooManyOrders: 'Too many unpaid orders.',
  name: 'Write your name.',
  nameTooLong: 'Use at most 100 characters.',
} as const
