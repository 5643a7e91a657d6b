import { feeOf } from '../core/money/fee.ts'
import type { Adapter, Credentials, DeclineReason, GatewayMode, NewPayment, Outcome } from './contract.ts'

type Confirming = Extract<Outcome, { state: 'confirming' }>
/** What a buyer's method does: pays; is declined for the harness's reason; asks to be approved first. */
export type Behaviour = 'pays' | 'declines' | 'confirms'

/** What the kit needs of the world around an adapter: a gateway that really answers. */
export interface Harness {
  adapter: Adapter
  credentials: Credentials
  mode: GatewayMode
  /** Why a method that `declines` does. */
  declineReason: DeclineReason
  /** What is charged, as the gateway's own fields or its redirect want it, of a method that behaves so. */
  source(behaviour: Behaviour, keep?: boolean): Promise<NewPayment['source']>
  /** Does the buyer's part of a payment that is to be approved; null: they refuse, or go back. */
  answer(outcome: Confirming, behaviour: Behaviour | null): Promise<void>
  /** Lets money that is on its way come to its end. */
  arrive(): Promise<void>
  /** Has the payer dispute a collected payment; absent where there are no disputes. */
  dispute?(paymentReference: string): Promise<void>
  /** Runs a call whose answer is lost after the gateway has done its work. */
  losingAnswers<T>(call: () => Promise<T>): Promise<T>
  /** Runs a call during which every event is sent twice. */
  doublingEvents<T>(call: () => Promise<T>): Promise<T>
  /** The events that the gateway sent to a listener since, oldest first. */
  events(signingSecret: string): Promise<{ headers: Record<string, string>; body: string }[]>
  /** Where the listener listens. */
  listenerUrl: string
}

export interface Check {
  name: string
  run(harness: Harness): Promise<void>
}

function ensure(holds: boolean, why: string): void {
  if (!holds) throw new Error(why)
}

async function rejects(call: () => Promise<unknown>, errorName: string, why: string) {
  try {
    await call()
  } catch (error) {
    ensure(error instanceof Error && error.name === errorName, `${why}: it threw ${String(error)}`)
    return
  }
  throw new Error(why)
}

const AMOUNT = 12_900
const payment = (key: string, source: NewPayment['source'], amount = AMOUNT, currency = 'EUR'): NewPayment => ({
  key,
  source,
  amount,
  currency,
  reference: 'Conformance',
  statement: 'CONFORMANCE',
})
const newKey = () => crypto.randomUUID()

/** Begins a payment; what the buyer has to do is not done yet. */
async function begin({ adapter, credentials, source }: Harness, behaviour: Behaviour, key = newKey(), keep = false) {
  return { key, outcome: await adapter.begin(credentials, payment(key, await source(behaviour, keep))) }
}

/** Begins a payment and sees it to its end, as a buyer with such a method would. */
async function settled(harness: Harness, behaviour: 'pays' | 'declines', keep = false) {
  const { key, outcome } = await begin(harness, behaviour, newKey(), keep)
  if (outcome.state !== 'confirming') return { key, outcome }
  await harness.answer(outcome, behaviour)
  const { adapter, credentials } = harness
  const isLater = adapter.capabilities.known === 'later'
  if (isLater) {
    const { state } = await adapter.lookUp(credentials, key)
    ensure(state === 'awaited', `before the money is received, it is ${state}`)
    await harness.arrive()
  }
  return { key, outcome: await adapter.lookUp(credentials, key) }
}

async function collected(harness: Harness, keep = false) {
  const { key, outcome } = await settled(harness, 'pays', keep)
  if (outcome.state !== 'collected') throw new Error(`it is ${JSON.stringify(outcome)}`)
  return { key, outcome }
}

const referenceIn = (outcome: Outcome) => ('reference' in outcome ? outcome.reference : outcome.state)

/** Everything that an adapter must hold to; each check is one sentence of the contract. */
export const CHECKS: Check[] = [
  {
    name: 'good credentials are verified with their mode and the account’s name',
    async run({ adapter, credentials, mode }) {
      const verified = await adapter.verify(credentials)
      ensure(verified.ok && verified.mode === mode && verified.accountName !== '', JSON.stringify(verified))
    },
  },
  {
    name: 'a wrong key and an unknown account are told apart',
    async run({ adapter, credentials }) {
      const wrongKey = await adapter.verify({ ...credentials, secret: 'nonsense' })
      ensure(!wrongKey.ok && wrongKey.why === 'wrong-key', `wrong key: ${JSON.stringify(wrongKey)}`)
      const unknown = await adapter.verify({ ...credentials, account: 'nobody' })
      ensure(!unknown.ok && unknown.why === 'unknown-account', `unknown account: ${JSON.stringify(unknown)}`)
    },
  },
  {
    name: 'listening twice at one address gives one signing secret',
    async run({ adapter, credentials, listenerUrl }) {
      const [first, second] = [
        await adapter.listen(credentials, listenerUrl),
        await adapter.listen(credentials, listenerUrl),
      ]
      ensure(first.signingSecret === second.signingSecret && first.signingSecret !== '', 'the secrets differ')
    },
  },
  {
    name: 'an embedded gateway has fields for a frame, another has none',
    async run({ adapter, credentials, mode }) {
      const url = adapter.fieldsUrl(credentials.account, mode, new Date().toISOString())
      ensure((url !== null) === (adapter.capabilities.style === 'embedded'), `its fields are at ${url}`)
      if (url) ensure((await fetch(url)).ok, 'its fields do not open')
    },
  },
  {
    name: 'a payment is collected with amount, currency, reference, method and the fee of its capabilities',
    async run(harness) {
      const { outcome } = await collected(harness)
      const fee = feeOf(AMOUNT, 'EUR', harness.adapter.capabilities.fee)
      ensure(
        outcome.amount === AMOUNT && outcome.currency === 'EUR',
        `it collected ${outcome.amount} ${outcome.currency}`,
      )
      ensure(outcome.fee === fee, `the fee is ${outcome.fee}, its capabilities say ${fee}`)
      ensure(outcome.reference !== '' && outcome.method !== '', 'reference or method is missing')
    },
  },
  {
    name: 'a decline says why, and is final',
    async run(harness) {
      const { key, outcome } = await settled(harness, 'declines')
      ensure(outcome.state === 'declined' && outcome.reason === harness.declineReason, JSON.stringify(outcome))
      const again = await harness.adapter.lookUp(harness.credentials, key)
      ensure(again.state === 'declined', `looked up, it is ${again.state}`)
    },
  },
  {
    name: 'the same key twice is one charge, also at the same moment',
    async run(harness) {
      const key = newKey()
      const source = await harness.source('pays')
      const outcomes = await Promise.all(
        [1, 2, 3].map(() => harness.adapter.begin(harness.credentials, payment(key, source))),
      )
      const references = new Set(outcomes.map(referenceIn))
      ensure(references.size === 1, `it made ${[...references].join(', ')}`)
    },
  },
  {
    name: 'a key that was used for another amount is refused',
    async run(harness) {
      const { key } = await begin(harness, 'pays')
      const source = await harness.source('pays')
      await rejects(
        () => harness.adapter.begin(harness.credentials, payment(key, source, 500)),
        'GatewayRefused',
        'it took another amount for the same key',
      )
    },
  },
  {
    name: 'a token is good once',
    async run({ adapter, credentials, source }) {
      if (adapter.capabilities.style !== 'embedded') return
      const token = await source('pays')
      await adapter.begin(credentials, payment(newKey(), token))
      await rejects(
        () => adapter.begin(credentials, payment(newKey(), token)),
        'GatewayRefused',
        'it took a token twice',
      )
    },
  },
  {
    name: 'currencies and amounts outside its capabilities are refused, and nothing is charged',
    async run({ adapter, credentials, source }) {
      const { smallest, largest } = adapter.capabilities
      const least = smallest.EUR ?? 1
      const wrong: [string, number][] = [
        ['EUR', largest + 1],
        ...(least > 1 ? [['EUR', least - 1] as [string, number]] : []),
        // The code that ISO 4217 keeps for tests is no currency.
        ['XTS', AMOUNT],
      ]
      for (const [currency, amount] of wrong) {
        const key = newKey()
        const tried = payment(key, await source('pays'), amount, currency)
        await rejects(() => adapter.begin(credentials, tried), 'GatewayRefused', `it took ${amount} ${currency}`)
        const { state } = await adapter.lookUp(credentials, key)
        ensure(state === 'absent', `refused, ${amount} ${currency} is ${state}`)
      }
    },
  },
  {
    name: 'a payment whose answer was lost is found by its key',
    async run(harness) {
      const key = newKey()
      const source = await harness.source('pays')
      await rejects(
        () => harness.losingAnswers(() => harness.adapter.begin(harness.credentials, payment(key, source))),
        'GatewayUnreachable',
        'a lost answer was not called unreachable',
      )
      const { state } = await harness.adapter.lookUp(harness.credentials, key)
      ensure(state === 'collected' || state === 'confirming', `looked up, it is ${state}`)
    },
  },
  {
    name: 'an unseen key is absent; abandoned, it can never be charged',
    async run(harness) {
      const key = newKey()
      ensure((await harness.adapter.lookUp(harness.credentials, key)).state === 'absent', 'an unseen key is not absent')
      ensure((await harness.adapter.abandon(harness.credentials, key)).state === 'abandoned', 'it was not abandoned')
      const late = await harness.adapter.begin(harness.credentials, payment(key, await harness.source('pays')))
      ensure(late.state === 'abandoned', `a late call made it ${late.state}`)
    },
  },
  {
    name: 'abandoning what was collected says so, and changes nothing',
    async run(harness) {
      const { key } = await collected(harness)
      ensure(
        (await harness.adapter.abandon(harness.credentials, key)).state === 'collected',
        'it was abandoned after all',
      )
    },
  },
  {
    name: 'what is to be approved is approved, refused, or abandoned, each for good',
    async run(harness) {
      const ready = harness.adapter.capabilities.known === 'later' ? 'awaited' : 'collected'
      for (const [behaviour, expected] of [
        ['pays', ready],
        [null, 'declined'],
      ] as const) {
        const { key, outcome } = await begin(harness, 'confirms')
        ensure(outcome.state === 'confirming' && outcome.url !== '', JSON.stringify(outcome))
        if (outcome.state !== 'confirming') return
        await harness.answer(outcome, behaviour)
        const { state } = await harness.adapter.lookUp(harness.credentials, key)
        ensure(state === expected, `it is ${state}, not ${expected}`)
      }
      const { key, outcome } = await begin(harness, 'confirms')
      await harness.adapter.abandon(harness.credentials, key)
      if (outcome.state === 'confirming') await harness.answer(outcome, 'pays')
      ensure(
        (await harness.adapter.lookUp(harness.credentials, key)).state === 'abandoned',
        'a late approval was taken',
      )
    },
  },
  {
    name: 'a kept method is charged again without the buyer, once a key, up to its limit',
    async run(harness) {
      const { adapter, credentials } = harness
      const { chargesAgain, againUpTo } = adapter.capabilities
      if (!chargesAgain) return
      const { outcome: first } = await collected(harness, true)
      const savedMethod = first.savedMethod
      if (savedMethod === null) throw new Error('nothing was kept')
      const later = newKey()
      const charge = (key: string, amount?: number) => adapter.begin(credentials, payment(key, { savedMethod }, amount))
      const [one, two] = [await charge(later), await charge(later)]
      ensure(
        one.state === 'collected' && two.state === 'collected' && one.reference === two.reference,
        'the same key charged twice',
      )
      const most = againUpTo?.EUR
      if (most !== undefined) {
        const over = await charge(newKey(), most + 1)
        ensure(over.state === 'declined' && over.reason === 'over-limit', `above the limit it is ${over.state}`)
        ensure((await charge(newKey(), most)).state === 'collected', 'at the limit it was not collected')
      }
      const { outcome: unkept } = await collected(harness)
      ensure(unkept.savedMethod === null, 'a method was kept that nobody let it keep')
    },
  },
  {
    name: 'a method is kept without a charge, once a key, where the capabilities say so',
    async run({ adapter, credentials, source }) {
      const token = async () => {
        const made = await source('pays')
        return 'token' in made ? made.token : ''
      }
      const key = newKey()
      if (!adapter.capabilities.keepsUnused) {
        const keep = async () => adapter.keep(credentials, { key, token: await token() })
        return rejects(keep, 'GatewayRefused', 'it kept a method')
      }
      const savedMethod = await adapter.keep(credentials, { key, token: await token() })
      const again = await adapter.keep(credentials, { key, token: 'spent' })
      ensure(again.reference === savedMethod.reference, 'the same key kept two methods')
    },
  },
  {
    name: 'a method that is forgotten is charged no more, and no other with it',
    async run(harness) {
      const { adapter, credentials } = harness
      if (!adapter.capabilities.chargesAgain) return
      const saved = async () => (await collected(harness, true)).outcome.savedMethod ?? ''
      const [gone, other] = [await saved(), await saved()]
      for (let n = 0; n < 2; n++) await adapter.forget(credentials, gone)
      await adapter.forget(credentials, 'never-seen')
      const charge = (savedMethod: string) => adapter.begin(credentials, payment(newKey(), { savedMethod }))
      const refused = await charge(gone).catch((error: Error) => ({ state: error.name }))
      ensure(['declined', 'GatewayRefused'].includes(refused.state), `forgotten, it is ${refused.state}`)
      ensure((await charge(other)).state === 'collected', 'another method was forgotten with it')
    },
  },
  {
    name: 'refunds are what the capabilities say, once a key, and never more than was paid',
    async run(harness) {
      const { adapter, credentials } = harness
      const { refunds } = adapter.capabilities
      const { outcome } = await collected(harness)
      const { reference } = outcome
      const give = (key: string, amount: number) => adapter.refund(credentials, { key, reference, amount })
      const part = await give(newKey(), 900)
      ensure((part.state === 'refunded') === (refunds === 'part'), `a part: ${part.state}`)
      const rest = refunds === 'part' ? AMOUNT - 900 : AMOUNT
      ensure((await give(newKey(), rest + 1)).state === 'refused', 'it gave back more than was left')
      if (refunds === 'none') return
      const key = newKey()
      const [first, again] = await Promise.all([give(key, rest), give(key, rest)])
      ensure(
        first.state === 'refunded' && again.state === 'refunded' && again.reference === first.reference,
        'the same key gave money back twice',
      )
      ensure((await give(newKey(), 1)).state === 'refused', 'it gave back what was given back already')
    },
  },
  {
    name: 'a dispute is told of by an event, and moves nothing before it is answered',
    async run(harness) {
      const { adapter, credentials, listenerUrl } = harness
      if (!harness.dispute || !adapter.answerDispute) return ensure(!adapter.answerDispute, 'nobody can dispute')
      const { signingSecret } = await adapter.listen(credentials, listenerUrl)
      const { key, outcome } = await collected(harness)
      await harness.dispute(outcome.reference)
      const notice = (await harness.events(signingSecret))
        .map(({ headers, body }) => adapter.readEvent(signingSecret, headers, body))
        .find((event) => event.dispute?.key === key)
      const reference = notice?.dispute?.reference ?? ''
      ensure(notice?.dispute?.state === 'open' && notice.dispute.amount === AMOUNT, JSON.stringify(notice))
      const lost = await adapter.answerDispute(credentials, { reference, accept: true })
      ensure(lost.state === 'lost', `given up, it is ${lost.state}`)
      const left = await adapter.refund(credentials, { key: newKey(), reference: outcome.reference, amount: AMOUNT })
      ensure(left.state === 'refused', 'what a dispute took was given back once more')
    },
  },
  {
    name: 'what was collected since an instant is listed, page by page, and nothing else',
    async run(harness) {
      const { adapter, credentials } = harness
      const before = await collected(harness)
      await new Promise((resolve) => setTimeout(resolve, 5))
      const since = new Date()
      const first = await collected(harness)
      await settled(harness, 'declines')
      const second = await collected(harness)
      const listed = await adapter.listCollected(credentials, since)
      ensure(
        listed.map(({ key }) => key).join() === [first.key, second.key].join(),
        `listed were ${listed.map(({ key }) => key).join()}`,
      )
      const [one] = listed
      ensure(JSON.stringify(one?.outcome) === JSON.stringify(first.outcome), `it is ${JSON.stringify(one?.outcome)}`)
      ensure(one?.about === 'Conformance' && one.at >= since.toISOString(), `about ${one?.about}, at ${one?.at}`)
      const all = await adapter.listCollected(credentials, new Date(0))
      ensure(
        all.some(({ key }) => key === before.key),
        'an older payment is not listed',
      )
    },
  },
  {
    name: 'events are signed, read as the outcome of their key, and have one id however often they come',
    async run(harness) {
      const { adapter, credentials, listenerUrl } = harness
      const { signingSecret } = await adapter.listen(credentials, listenerUrl)
      const { key } = await harness.doublingEvents(() => collected(harness))
      const sent = (await harness.events(signingSecret)).map(({ headers, body }) =>
        adapter.readEvent(signingSecret, headers, body),
      )
      const about = sent.filter(({ payment: of }) => of?.key === key && of.outcome.state === 'collected')
      ensure(about.length === 2, `${about.length} events told of it`)
      ensure(about[0]?.id === about[1]?.id, 'one event came with two ids')
    },
  },
  {
    name: 'forged, changed and old events are refused',
    async run(harness) {
      const { adapter, credentials, listenerUrl } = harness
      const { signingSecret } = await adapter.listen(credentials, listenerUrl)
      await collected(harness)
      const [event] = await harness.events(signingSecret)
      if (!event) throw new Error('no event came')
      const read = (secret: string, headers: Record<string, string>, body: string) => async () =>
        adapter.readEvent(secret, headers, body)
      const other = `whsec_${btoa('another secret of 24 byte')}`
      await rejects(read(other, event.headers, event.body), 'EventRefused', 'it believed another secret')
      await rejects(
        read(signingSecret, event.headers, event.body.replace('12900', '12901')),
        'EventRefused',
        'it believed a changed body',
      )
      await rejects(
        read(signingSecret, { ...event.headers, 'webhook-timestamp': '1700000000' }, event.body),
        'EventRefused',
        'it believed an old time',
      )
      await rejects(read(signingSecret, {}, event.body), 'EventRefused', 'it believed an unsigned event')
    },
  },
]
