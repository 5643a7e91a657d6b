import { expect, it } from 'vitest'
import { formatOffered } from './offered.ts'

const connected = { pausedAt: null, isKeyLost: false, transfer: null }
const way = (name: string, change: object = {}) => ({
  takesCurrency: true,
  capabilities: { name },
  connection: connected,
  ...change,
})
const said = (...gateways: ReturnType<typeof way>[]) => formatOffered({ gateways, onSale: 2, uncollected: [] })

it('names what buyers can use, in order: nothing that is paused, not connected, unreadable or of another currency', () => {
  const gateways = [
    way('Card'),
    way('Euro only', { takesCurrency: false }),
    way('Paused', { connection: { ...connected, pausedAt: '2027-01-01T00:00:00Z' } }),
    way('Key lost', { connection: { ...connected, isKeyLost: true } }),
    way('Not connected', { connection: null }),
    way('Transfer', { connection: { ...connected, transfer: { title: 'By bank' } } }),
  ]
  expect(said(...gateways)).toBe(
    'Buyers can pay by Card or By bank, in this order. Together they collect all 2 offers on sale.',
  )
  expect(said(way('Euro only', { takesCurrency: false }))).toMatch(/nothing that costs money can be bought/)
})

it('names the offers that nothing connected can collect', () => {
  const list = { gateways: [way('Card')], onSale: 3, uncollected: [{ name: 'Club: Monthly' }] }
  expect(formatOffered(list)).toContain('1 of 3 offers on sale cannot be collected by any of them: Club: Monthly.')
})
