import { expect, it } from 'vitest'
import { formatOffered } from './offered.ts'

const connected = { pausedAt: null, isKeyLost: false, transfer: null }
const paymentMethod = (name: string, change: object = {}) => ({
  takesCurrency: true,
  capabilities: { name },
  connection: connected,
  ...change,
})
const said = (...gateways: ReturnType<typeof paymentMethod>[]) =>
  formatOffered({ gateways, onSale: 2, uncollected: [] })

it('names what buyers can use, in order: nothing that is paused, not connected, unreadable or of another currency', () => {
  const gateways = [
    paymentMethod('Card'),
    paymentMethod('Euro only', { takesCurrency: false }),
    paymentMethod('Paused', { connection: { ...connected, pausedAt: '2027-01-01T00:00:00Z' } }),
    paymentMethod('Key lost', { connection: { ...connected, isKeyLost: true } }),
    paymentMethod('Not connected', { connection: null }),
    paymentMethod('Transfer', { connection: { ...connected, transfer: { title: 'By bank' } } }),
  ]
  expect(said(...gateways)).toBe(
    'Buyers can pay by Card or By bank, in this order. Together they collect all 2 offers on sale.',
  )
  expect(said(paymentMethod('Euro only', { takesCurrency: false }))).toMatch(/nothing that costs money can be bought/)
})

it('names the offers that nothing connected can collect', () => {
  const list = { gateways: [paymentMethod('Card')], onSale: 3, uncollected: [{ name: 'Club: Monthly' }] }
  expect(formatOffered(list)).toContain('1 of 3 offers on sale cannot be collected by any of them: Club: Monthly.')
})
