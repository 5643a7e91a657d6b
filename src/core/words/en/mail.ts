/**
 * All that messages say, in English. The greeting stands on a line of its own. Another language
 * is another file of these names.
 */
export const MAIL = {
  hello: 'Hello {name},',
  helloNobody: 'Hello,',
  myCourses: { text: '“My courses” shows all payments, past and to come.', label: 'My courses' },
  linkNote: 'The link needs no password and expires after 30 days.',
  setPassword: 'Set your password',
  passwordFirst: 'Set a password first. The link works once and expires after 24 hours.',
  practice: '{subject} (practice)',

  receipt: {
    subject: 'Your receipt {number}: {titles}',
    thanks: 'Thank you. {text}',
    ended:
      '“{course}” is paid, but it ended on {day}, before your money was received. We have been notified, and will write to you about a refund.',
    paidTwice:
      '“{course}” was open already, by another order of yours, so you have paid for it twice. We have been notified and will refund it.',
    opensLater: '“{course}” is yours; it opens on {day}.',
    opensLaterIn: '“{course}” opens on {day}; we will write to you then.',
    paidAndOpen: '“{course}” is paid and open.',
    paidAndOpenBundle: '“{course}” is paid, and its courses are open.',
    free: '“{course}” is yours and open.',
    freeBundle: '“{course}” is yours, and its courses are open.',
    whileMember: '“{course}” stays open as long as your membership in “{titles}” lasts.',
    staysOpen: 'It stays open until {day}. After that you can buy it again and go on where you were.',
    namedStaysOpen: '“{course}” stays open until {day}. After that you can buy it again and go on where you were.',
    findIt: 'You find it here:',
    findThem: 'You find them here:',
    findMore: 'And here:',
    open: 'Open {course}',
    laterEndless:
      'The next payment is {money} on {day}; and so on until you cancel. It is charged automatically. “My courses” shows all dates.',
    laterThenEndless:
      'The next payment is {money} on {day}; then {steady} each time from {from}, until you cancel. It is charged automatically. “My courses” shows all dates.',
    laterOf: '{title}:',
    later:
      'The next payment is {money} on {day}; {all} in all. It is charged automatically. “My courses” shows all dates.',
    password:
      'Set a password so that you can come back from any device. The link works once and expires after 24 hours; we can send a new one at any time.',
    receipt: { text: 'Your receipt, also as a PDF:', label: 'Your receipt' },
    paidWith: 'Paid with {method}.',
  },

  password: {
    subject: 'Set your password',
    text: 'Set a new password here. The link works once and expires after 24 hours. If you did not ask for it, there is nothing to do.',
  },

  alreadyOwned: {
    subject: 'You already have {course}',
    text: 'Someone tried to order “{course}” with your email address. You already have it, so nothing was ordered and nothing was charged. If it was not you, there is nothing to do.',
    setPassword: 'Set a password and open it',
    open: 'Open your courses',
  },

  bundleGrew: {
    subject: '{course} is yours too',
    text: '“{course}” was added to “{bundle}”, which you have. It is open for you; there is nothing to pay.',
    textLater:
      '“{course}” was added to “{bundle}”, which you have. It opens for you on {day}; there is nothing to pay.',
    label: 'Open the course',
  },

  given: {
    subject: { one: '{course} is yours', other: '{course} are yours' },
    text: '{school} has given you “{course}”.',
    opensOn: { one: 'It opens on {day}.', other: 'They open on {day}.' },
    until: { one: 'It is open until {day}.', other: 'They are open until {day}.' },
    label: 'Open your courses',
  },

  collected: {
    subject: 'Paid: {money} for {course}',
    text: 'Thank you. {money} for “{course}” was received on {day}. {then}',
    textBy: 'Thank you. {money} for “{course}” was received on {day} by {method}. {then}',
    next: 'The next one is {money} on {day}.',
    receipt: { text: 'Its receipt:', label: 'Receipt' },
    last: 'That was the last one; no further payments are charged.',
  },

  declined: {
    subject: 'A payment for {course} failed',
    text: 'The payment of {money} for “{course}”, due on {day}, failed.',
    textWhy: 'The payment of {money} for “{course}”, due on {day}, failed: {why}.',
    again: 'We retry it on {day}.',
    paused: 'Access to “{course}” has been paused since {day}, and opens again once it is paid.',
    stillOpen: '“{course}” stays open until {day} meanwhile.',
    pay: 'You can pay it now, also with another payment method. The link needs no password and expires after 30 days.',
    label: 'Pay {money}',
  },

  stopped: {
    subject: '{course}: payments have stopped',
    text: 'The payment of {money} for “{course}” failed again, and we do not retry it any more. {pause} Once you have paid, it opens where you left it.',
    paused: 'Access is paused until it is paid.',
    pausedSince: 'Access has been paused since {day}.',
    pausedFrom: 'Access is paused from {day} on.',
    label: 'Pay {money}',
  },

  ended: {
    subject: '{course}: your subscription has ended',
    text: 'The last payment for “{course}” failed, and no further payments are charged. You can buy it again at any time and go on where you were.',
    textEnded:
      'The last payment for “{course}” failed, and no further payments are charged. Access ended on {day}. You can buy it again at any time and go on where you were.',
    textEnds:
      'The last payment for “{course}” failed, and no further payments are charged. Access ends on {day}. You can buy it again at any time and go on where you were.',
    label: 'Buy {course} again',
  },

  cancelled: {
    subject: '{course} is cancelled',
    text: '“{course}” is cancelled, and no further payments are charged. You can buy it again at any time.',
    textEnded:
      '“{course}” is cancelled, and no further payments are charged. Access has ended. You can buy it again at any time.',
    textOpen:
      '“{course}” is cancelled, and no further payments are charged. Access stays open until {day}. You can buy it again at any time.',
  },

  methodChanged: {
    subject: 'New payment method for {course}',
    text: 'The payments for “{course}” are charged to {method} from now on. Nothing was charged today.',
    another: 'another payment method',
  },

  dueMoved: {
    subject: '{course}: your payment is now due on {day}',
    text: '{school} has moved your next payment of {money} for “{course}” to {day}. Access stays open until then, and the payment is charged automatically.',
  },

  notCancelled: {
    subject: '{course} is no longer cancelled',
    text: '“{course}” is no longer cancelled. Nothing was charged for that.',
    next: 'The next payment is {money} on {day}.',
  },

  renews: {
    subject: '{course} renews on {day}',
    text: '“{course}” renews on {day}: {money} is charged automatically. If you do not want that, cancel before that day under “My courses”.',
    textTo:
      '“{course}” renews on {day}: {money} is charged automatically to {method}. If you do not want that, cancel before that day under “My courses”.',
  },

  payLink: {
    subjectDue: 'Your link to pay {money} for {course}',
    due: '{money} for “{course}” has been due since {day}. Here you can pay it.',
    pay: 'Pay {money}',
    subject: 'Your link to pay for {course}',
    next: 'The next payment for “{course}” is {money} on {day}. Here you can pay it now, or choose another payment method for it.',
    label: 'Pay or change the payment method',
  },

  cardExpiring: {
    subject: 'Your card for {course} expires before the next payment',
    text: 'The {method} for “{course}” expires before the next payment of {money} on {day}.',
    card: 'card',
    add: 'Add another card now; nothing is charged for that.',
    label: 'Use another card',
  },

  notReceived: {
    subject: 'No transfer received for {course}',
    text: 'We received no transfer of {money} for “{course}”. Nothing was charged, and the course is not open. You can order it again.',
    label: 'Order {course} again',
  },

  onItsWay: {
    subject: 'On its way: {money} for {course}',
    text: 'Thank you. Your payment of {money} for “{course}” is on its way from your bank. “{course}” opens as soon as the money is received, which mostly takes some hours; we will write to you.',
    textLater:
      'Thank you. Your payment of {money} for “{course}” is on its way from your bank. “{course}” opens on {day}, once the money is received, which mostly takes some hours; we will write to you.',
    label: 'Your order',
  },

  transfer: {
    subject: 'Order {number}: please transfer {money} for {course}',
    text: 'Thank you for your order. “{course}” opens as soon as {money} has been received by bank transfer.',
    textLater: 'Thank you for your order. “{course}” opens on {day}, once {money} has been received by bank transfer.',
    amount: 'Amount',
    to: 'To',
    iban: 'IBAN',
    account: 'Account number',
    bankCode: 'Bank code',
    otherCode: 'BIC or other code',
    bank: 'Bank',
    bic: 'BIC',
    reference: 'Reference',
    scan: 'Or scan this with your banking app:',
    code: 'QR code of the transfer: {money} to {iban}',
    seeHere: 'You can also see it here:',
    label: 'Your order',
    after: 'Please write the reference, so that we know the transfer is from you.',
  },

  transferPart: {
    subject: 'Order {number}: {money} still to be transferred',
    text: '{came} of {all} for “{course}” has been received. {money} is still missing. “{course}” opens once all of it has been received. Please transfer the rest with the same reference.',
  },

  transferSurplus: {
    subject: 'Order {number}: you have transferred {money} too much',
    text: '{money} more than you owed for “{course}” (order {number}) has been received. {school} was told, and returns it to the account from which it came; there is nothing for you to do.',
    label: 'Your order',
  },

  opened: {
    subject: { one: '{titles} is open', other: '{titles} are open' },
    text: { one: '“{titles}” is open from today on.', other: '“{titles}” are open from today on.' },
  },

  openingMoved: {
    subject: '{course} opens on {day}',
    text: 'The opening day of “{course}” has changed: it now opens on {day}. We will write to you then; there is nothing you need to do.',
    until: 'It is then open until {day}.',
    tooLate:
      'The opening day of “{course}” has changed: it now opens on {day}, after your access ends on {until}. Reply to this message, and we will find a solution.',
  },

  endsSoon: {
    subject: 'Access to {titles} ends on {day}',
    text: 'Access to “{titles}” ends on {day}. Until then you find it here:',
    again: 'After that you can buy it again and go on where you were.',
    label: 'Buy it again',
  },

  refunded: {
    subject: 'Refund of {money} for {course}',
    text: '{money} for “{course}” was refunded {to} on {day}. Depending on your bank it takes a few days to show.',
    toBank: 'to your bank account',
    toMethod: 'to your {method}',
    asPaid: 'the way you paid',
    outside: '({reference})',
    ended: { one: 'Access to the course has ended.', other: 'Access to the courses has ended.' },
    noMore: {
      one: 'Access to the course has ended, and no further payments are charged for it.',
      other: 'Access to the courses has ended, and no further payments are charged for them.',
    },
    goesOn: 'The payments for “{course}” go on: the next one is {money} on {day}.',
    kept: { one: 'The course stays open.', other: 'The courses stay open.' },
    receipt: { text: 'The receipt of what was charged again:', label: 'Receipt' },
    again: 'You will see two amounts: {whole} refunded, and {charged} charged again for “{kept}”, which you keep.',
  },

  codeRefused: {
    subject: 'Your order of “{course}”',
    text: 'Somebody, probably you, tried to order “{course}” with a discount code that cannot be used with this email address any more. Nothing was ordered and nothing was charged. You can order it without the code.',
    label: 'Order without the code',
  },

  paidTwice: {
    subject: 'Paid twice: {money} for {course}',
    text: '{money} for “{course}” (order {number}) was received when another order of yours had been paid already. We have been notified and will refund it; there is nothing for you to do.',
    label: 'Your order',
  },

  why: {
    notEnough: 'there was not enough money',
    overLimit: 'it is more than your wallet allows us to charge',
    approvalEnded: 'the approval in your wallet has expired',
    expired: 'the card has expired',
    noMethod: 'there is no payment method to charge',
    refused: 'the payment was refused',
  },

  /** To the creator. */
  told: {
    order: 'Order {number}',
    thing: '“{course}” ({offer})',
    declined: {
      subject: '{buyer}: a payment of {money} failed',
      text: 'The payment of {money} by {buyer} for “{course}” failed{why}. It is retried automatically, and {buyer} has a link to pay it.',
    },
    stopped: {
      subject: '{buyer}: payments for {course} have stopped',
      text: 'The last retry of {money} for “{course}” was declined too{why}. It is not retried any more.',
    },
    cancelled: {
      subject: '{buyer} has cancelled {course}',
      text: '{buyer} has cancelled “{course}”. No further payments are charged.',
    },
    disputed: {
      subject: '{buyer} disputes {money} for {course}',
      text: '{buyer} has asked their bank to return {money} for “{course}”{why}. Access stays open for now; decide what to do.',
    },
    won: {
      subject: 'You keep {money}: the dispute of {buyer} is won',
      text: 'The dispute of {buyer} about {money} for “{course}” was decided in your favour. You keep the money, and there is nothing to do.',
    },
    lost: {
      subject: 'The dispute of {buyer} is lost: {money}',
      text: '{money} for “{course}” was returned to {buyer} through the bank. Access is still open; decide whether to keep it.',
    },
    sold: {
      subject: 'You sold {course}: {money}',
      text: '{buyer} bought {things}. {money} was received.',
    },
    awaiting: {
      subject: '{buyer} ordered {course} by bank transfer: {money}',
      text: '{buyer} ordered {things} and pays {money} by bank transfer. The reference is {reference}. Mark it as received once it stands in your account.',
    },
    soldFree: {
      subject: 'You sold {course}',
      text: '{buyer} ordered {things}. Nothing to pay today.',
    },
    day: {
      subject: { one: 'You sold: {count} order, {money}', other: 'You sold: {count} orders, {money}' },
      text: {
        one: 'On {day} you received {count} order, and {money} for it.',
        other: 'On {day} you received {count} orders, and {money} for them.',
      },
      label: 'See the orders',
      row: '{number} · {buyer}: {course}, {offer}',
      more: 'and {count} more',
    },
  },

  account: {
    newPassword: {
      subject: 'Set a new password for your studio',
      text: 'Set a new password here. The link works once and expires after 24 hours. If you did not ask for it, there is nothing to do.',
      label: 'Set a new password',
    },
    newEmail: {
      subject: 'Confirm your new email address',
      studio:
        'This becomes the email you sign in with to your studio, once you confirm it. The link works once and expires after 24 hours. If you did not ask for it, there is nothing to do.',
      school:
        'This becomes the email you sign in with at {school}, once you confirm it. The link works once and expires after 24 hours. If you did not ask for it, there is nothing to do.',
      label: 'Confirm this address',
    },
    test: 'Test: {subject}',
  },
} as const
