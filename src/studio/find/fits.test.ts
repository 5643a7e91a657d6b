import { expect, it } from 'vitest'
import { commandsAt } from './commands.ts'
import { fits } from './fits.ts'

it.each([
  ['', 'Anything', true],
  ['bind', 'Coptic binding', true],
  ['cop bin', 'Coptic binding', true],
  ['Čopťic', 'Coptic binding', true],
  ['straße', 'Strasse', true],
  ['inding', 'Coptic binding', false],
  // Digits are looked for in names alone.
  ['4', 'Coptic binding', false],
  ['2027', 'Summer 2027', true],
] as const)('“%s” in “%s”: %s', (typed, name, does) => {
  expect(fits(typed, name)).toBe(does)
})

it.each([
  'refund',
  'publish',
  'price',
  'tax',
  'password',
  'sign out',
  'export',
  'dispute',
  'pay link',
  'iban',
  'terms',
])('“%s” finds something to do', (typed) => {
  const found = commandsAt('/studio/sell', 'practice').filter(({ name, words }) => fits(typed, name, words))
  expect(found.length).toBeGreaterThan(0)
})

it('what is done about an order is offered there first', () => {
  expect(commandsAt('/studio/orders/4f3a', 'live')[0]).toMatchObject({ to: '/studio/orders/4f3a#refunds' })
})
