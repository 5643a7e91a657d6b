import type { Mode } from '../../server/client.ts'

/** Something to do: where it is done, or what it does at once; and the words by which people look for it. */
export interface Command {
  name: string
  words: string
  to?: string
  act?: 'shop' | 'mode' | 'sign-out' | 'coupon'
}

/** All that can be done from anywhere; what belongs to the order that is open comes first. */
export function commandsAt(pathname: string, mode: Mode): Command[] {
  const [, order] = /^\/studio\/orders\/([\w-]+)/.exec(pathname) ?? []
  const ofOrder: Command[] = order
    ? [
        {
          name: 'Refund this order',
          words: 'refund reimburse return',
          to: `/studio/orders/${order}#refunds`,
        },
        {
          name: 'See the agreement of this order',
          words: 'pay link cancel move due write off',
          to: `/studio/orders/${order}#agreement`,
        },
      ]
    : []
  return [
    ...ofOrder,
    { name: 'New course', words: 'add create product', to: '/studio/sell?new' },
    { name: 'New bundle', words: 'add create product several courses package', to: '/studio/sell?new=bundle' },
    { name: 'New coupon', words: 'add create code discount voucher promotion percent off', act: 'coupon' },
    {
      name: 'New checkout page',
      words: 'add create sales landing campaign funnel',
      to: '/studio/sell?new=page',
    },
    {
      name: 'Switch the basket on or off',
      words: 'cart several things shop front',
      to: '/studio/sell/front#basket',
    },
    {
      name: 'Arrange the shop’s front',
      words: 'home page sections headline catalogue shelves',
      to: '/studio/sell/front',
    },
    {
      name: 'Change looks: font, colours, logo',
      words: 'looks type typeface font colour color logo design brand theme style corners',
      to: '/studio/setup/looks',
    },
    {
      name: 'Change tax and VAT',
      words: 'tax vat rate inclusive invoice receipt address',
      to: '/studio/setup/school#school',
    },
    {
      name: 'Write terms of sale',
      words: 'terms conditions refund policy legal privacy imprint',
      to: '/studio/setup/school#terms',
    },
    {
      name: 'Change retries and grace',
      words: 'failed payment dunning retry collect overdue grace days',
      to: '/studio/setup/school#collecting',
    },
    {
      name: 'Change a price, or publish',
      words: 'offer price publish draft live sale discount trial',
      to: '/studio/sell',
    },
    { name: 'Compare offers side by side', words: 'price kept fees', to: '/studio/sell/compare' },
    { name: 'Refund', words: 'refund reimburse return order', to: '/studio/orders?state=paid' },
    {
      name: 'See what needs attention',
      words: 'dispute chargeback late stopped failed transfer',
      to: '/studio/orders',
    },
    { name: 'See overdue payments', words: 'overdue owed reminder pay link', to: '/studio/orders?state=late' },
    { name: 'See orders', words: 'sales list export csv', to: '/studio/orders' },
    { name: 'See people', words: 'buyers customers access email address delete data', to: '/studio/people' },
    {
      name: 'See money',
      words: 'income revenue expected received export csv calendar bookkeeping',
      to: '/studio/money',
    },
    { name: 'Connect a gateway', words: 'payments card wallet key provider', to: '/studio/setup/gateways' },
    { name: 'Set up bank transfer', words: 'iban bic account', to: '/studio/setup/gateways' },
    {
      name: 'Change messages',
      words: 'messages mail email receipt reminder notify sender reply',
      to: '/studio/setup/messages',
    },
    {
      name: 'Change the school',
      words: 'currency money format time zone country name language settings',
      to: '/studio/setup/school',
    },
    { name: 'See what is missing before going live', words: 'ready real launch', to: '/studio/setup/live' },
    { name: 'Move practice time', words: 'clock days ahead test', to: '/studio/setup/practice' },
    { name: 'Your account', words: 'password email name devices sign in', to: '/studio/setup/account' },
    { name: 'Open the shop', words: 'see buyers view page store', act: 'shop' },
    {
      name: `Switch to ${mode === 'live' ? 'Practice' : 'Live'}`,
      words: 'switch mode practice live test real',
      act: 'mode',
    },
    { name: 'Sign out', words: 'log off leave', act: 'sign-out' },
  ]
}
