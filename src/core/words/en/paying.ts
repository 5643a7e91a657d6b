/** Paying: the methods and the gateway's own fields, at the checkout and for a plan. */
export const PAYING = {
  checking: 'The outcome of your payment is not known yet. This page finds out by itself; please do not pay again.',
  waiting: 'Waiting for the result…',
  busy: 'One moment…',
  there: 'Continue there',
  notCharged: '{why} Nothing was charged.',
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
