import { expect, it } from 'vitest'
import { type Adapter, GatewayRefused, type Outcome } from '../../gateways/contract.ts'
import type { Services } from '../platform/context.ts'
import { callGateway } from './call.ts'

const attempt = { id: 'a', orderId: 'o', key: 'k', amount: 1900, currency: 'EUR' }
const collected: Outcome = {
  state: 'collected',
  reference: 'r',
  amount: 1900,
  currency: 'EUR',
  fee: 51,
  method: 'card ending 4821',
  savedMethod: null,
  expires: null,
}
const confirming: Outcome = { state: 'confirming', reference: 'r', url: 'http://x/' }

/** Charges a kept method by a gateway that answers so. */
const call = (answers: Partial<Pick<Adapter, 'begin' | 'abandon'>>, isUnattended = true) =>
  callGateway({} as Services, {
    open: () => ({ adapter: answers as Adapter, credentials: { account: 'x', secret: 'y' } }),
    attempt,
    source: { savedMethod: 'm' },
    schoolName: 'Wachs & Döcht',
    titles: ['Candles', 'Wicks'],
    isUnattended,
  })

it('says what is paid for and by whom, in what fits', async () => {
  const asked: unknown[] = []
  const begin: Adapter['begin'] = async (_, payment) => {
    asked.push([payment.key, payment.amount, payment.reference, payment.statement])
    return collected
  }
  expect(await call({ begin })).toEqual(collected)
  expect(asked).toEqual([['k', 1900, 'Wachs & Döcht: Candles, Wicks', 'WACHS DOCHT']])
})

it('what nobody is there to approve is closed, and counts as declined', async () => {
  const closed: string[] = []
  const abandon: Adapter['abandon'] = async (_, key) => {
    closed.push(key)
    return { state: 'abandoned' }
  }
  const begin = async () => confirming
  expect(await call({ begin, abandon })).toMatchObject({ state: 'declined', reason: 'refused' })
  expect(closed).toEqual(['k'])
  expect(await call({ begin }, false)).toEqual(confirming)
})

it('money that came all the same while it was being closed is collected', async () => {
  expect(await call({ begin: async () => confirming, abandon: async () => collected })).toEqual(collected)
})

it('a method that the gateway does not know any more is none', async () => {
  const begin = async () => {
    throw new GatewayRefused('bad-token', 'unknown method')
  }
  expect(await call({ begin })).toMatchObject({ state: 'declined', reason: 'no-method' })
})
