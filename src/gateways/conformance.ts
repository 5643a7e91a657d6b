import type { Adapter, Credentials, GatewayMode, Outcome } from './contract.ts'

/** What the kit needs of the world around an adapter: a gateway that really answers. */
export interface Harness {
  adapter: Adapter
  credentials: Credentials
  mode: GatewayMode
  /** A token as the gateway's own fields give it, of a method that behaves so. */
  token(behaviour: 'pays' | 'not-enough-money' | 'confirms'): Promise<string>
  /** Answers a confirmation as the buyer would. */
  confirm(outcome: Extract<Outcome, { state: 'confirming' }>, approved: boolean): Promise<void>
  /** Runs a call whose answer is lost after the gateway has done its work. */
  losingAnswers<T>(call: () => Promise<T>): Promise<T>
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

const payment = (key: string, token: string, amount = 12_900) => ({
  key,
  source: { token, keep: false },
  amount,
  currency: 'EUR',
  reference: 'Conformance',
  statement: 'CONFORMANCE',
})
const newKey = () => crypto.randomUUID()

async function begin(
  { adapter, credentials, token }: Harness,
  behaviour: Parameters<Harness['token']>[0],
  key = newKey(),
) {
  return { key, outcome: await adapter.begin(credentials, payment(key, await token(behaviour))) }
}

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
    name: 'a payment is collected with amount, currency, reference, method and the fee of its capabilities',
    async run(harness) {
      const { outcome } = await begin(harness, 'pays')
      ensure(outcome.state === 'collected', JSON.stringify(outcome))
      if (outcome.state !== 'collected') return
      const { rate, fixed } = harness.adapter.capabilities.fee
      const fee = Math.floor((2 * 12_900 * rate + 10_000) / 20_000) + (fixed.EUR ?? 0)
      ensure(
        outcome.amount === 12_900 && outcome.currency === 'EUR',
        `it collected ${outcome.amount} ${outcome.currency}`,
      )
      ensure(outcome.fee === fee, `the fee is ${outcome.fee}, its capabilities say ${fee}`)
      ensure(outcome.reference !== '' && outcome.method !== '', 'reference or method is missing')
    },
  },
  {
    name: 'a decline says why, and is final',
    async run(harness) {
      const { key, outcome } = await begin(harness, 'not-enough-money')
      ensure(outcome.state === 'declined' && outcome.reason === 'not-enough-money', JSON.stringify(outcome))
      const again = await harness.adapter.lookUp(harness.credentials, key)
      ensure(again.state === 'declined', `looked up, it is ${again.state}`)
    },
  },
  {
    name: 'the same key twice is one charge, also at the same moment',
    async run(harness) {
      const key = newKey()
      const token = await harness.token('pays')
      const outcomes = await Promise.all(
        [1, 2, 3].map(() => harness.adapter.begin(harness.credentials, payment(key, token))),
      )
      const references = new Set(
        outcomes.map((outcome) => (outcome.state === 'collected' ? outcome.reference : outcome.state)),
      )
      ensure(references.size === 1, `it made ${[...references].join(', ')}`)
    },
  },
  {
    name: 'a key that was used for another amount is refused',
    async run(harness) {
      const { key } = await begin(harness, 'pays')
      const token = await harness.token('pays')
      await rejects(
        () => harness.adapter.begin(harness.credentials, payment(key, token, 500)),
        'GatewayRefused',
        'it took another amount for the same key',
      )
    },
  },
  {
    name: 'a token is good once',
    async run(harness) {
      const token = await harness.token('pays')
      await harness.adapter.begin(harness.credentials, payment(newKey(), token))
      await rejects(
        () => harness.adapter.begin(harness.credentials, payment(newKey(), token)),
        'GatewayRefused',
        'it took a token twice',
      )
    },
  },
  {
    name: 'a payment whose answer was lost is found by its key',
    async run(harness) {
      const key = newKey()
      const token = await harness.token('pays')
      await rejects(
        () => harness.losingAnswers(() => harness.adapter.begin(harness.credentials, payment(key, token))),
        'GatewayUnreachable',
        'a lost answer was not called unreachable',
      )
      const found = await harness.adapter.lookUp(harness.credentials, key)
      ensure(found.state === 'collected', `looked up, it is ${found.state}`)
    },
  },
  {
    name: 'an unseen key is absent; abandoned, it can never be charged',
    async run(harness) {
      const key = newKey()
      ensure((await harness.adapter.lookUp(harness.credentials, key)).state === 'absent', 'an unseen key is not absent')
      ensure((await harness.adapter.abandon(harness.credentials, key)).state === 'abandoned', 'it was not abandoned')
      const late = await harness.adapter.begin(harness.credentials, payment(key, await harness.token('pays')))
      ensure(late.state === 'abandoned', `a late call made it ${late.state}`)
    },
  },
  {
    name: 'abandoning what was collected says so, and changes nothing',
    async run(harness) {
      const { key } = await begin(harness, 'pays')
      ensure(
        (await harness.adapter.abandon(harness.credentials, key)).state === 'collected',
        'it was abandoned after all',
      )
    },
  },
  {
    name: 'a confirmation is approved, refused, or abandoned, each for good',
    async run(harness) {
      const endings = [
        [true, 'collected'],
        [false, 'declined'],
      ] as const
      for (const [approved, expected] of endings) {
        const { key, outcome } = await begin(harness, 'confirms')
        ensure(outcome.state === 'confirming' && outcome.url !== '', JSON.stringify(outcome))
        if (outcome.state !== 'confirming') return
        await harness.confirm(outcome, approved)
        const settled = await harness.adapter.lookUp(harness.credentials, key)
        ensure(settled.state === expected, `it is ${settled.state}, not ${expected}`)
      }
      const { key, outcome } = await begin(harness, 'confirms')
      await harness.adapter.abandon(harness.credentials, key)
      if (outcome.state === 'confirming') await harness.confirm(outcome, true)
      ensure(
        (await harness.adapter.lookUp(harness.credentials, key)).state === 'abandoned',
        'a late approval was taken',
      )
    },
  },
  {
    name: 'a kept method is charged again without the buyer, once a key; one is kept without a charge too',
    async run({ adapter, credentials, token }) {
      if (!adapter.capabilities.chargesAgain) return
      const first = await adapter.begin(credentials, {
        ...payment(newKey(), ''),
        source: { token: await token('pays'), keep: true },
      })
      ensure(first.state === 'collected' && first.kept !== null, `nothing was kept: ${JSON.stringify(first)}`)
      const key = newKey()
      const kept = await adapter.keep(credentials, { key, token: await token('pays') })
      const again = await adapter.keep(credentials, { key, token: 'spent' })
      ensure(again.reference === kept.reference, 'the same key kept two methods')
      const later = newKey()
      const charge = () => adapter.begin(credentials, { ...payment(later, ''), source: { kept: kept.reference } })
      const [one, two] = [await charge(), await charge()]
      ensure(
        one.state === 'collected' && two.state === 'collected' && one.reference === two.reference,
        'the same key charged twice',
      )
      const unkept = await adapter.begin(credentials, payment(newKey(), await token('pays')))
      ensure(unkept.state === 'collected' && unkept.kept === null, 'a method was kept that nobody let it keep')
    },
  },
  {
    name: 'refunds are what the capabilities say, once a key, and never more than was paid',
    async run(harness) {
      const { adapter, credentials } = harness
      const { outcome } = await begin(harness, 'pays')
      if (outcome.state !== 'collected') throw new Error(outcome.state)
      const { reference } = outcome
      const key = newKey()
      const part = await adapter.refund(credentials, { key, reference, amount: 900 })
      ensure((part.state === 'refunded') === (adapter.capabilities.refunds === 'part'), `a part: ${part.state}`)
      if (part.state !== 'refunded') return
      const again = await adapter.refund(credentials, { key, reference, amount: 900 })
      ensure(again.state === 'refunded' && again.reference === part.reference, 'the same key gave money back twice')
      const rest = await adapter.refund(credentials, { key: newKey(), reference, amount: 12_001 })
      ensure(rest.state === 'refused', 'it gave back more than was left')
    },
  },
  {
    name: 'events are signed, and read as the outcome of their key',
    async run(harness) {
      const { adapter, credentials, listenerUrl } = harness
      const { signingSecret } = await adapter.listen(credentials, listenerUrl)
      const { key } = await begin(harness, 'pays')
      const sent = (await harness.events(signingSecret)).map(({ headers, body }) =>
        adapter.readEvent(signingSecret, headers, body),
      )
      const about = sent.find((event) => event.payment?.key === key)
      ensure(about?.payment?.outcome.state === 'collected', `no event told of it: ${JSON.stringify(sent)}`)
    },
  },
  {
    name: 'forged, changed and old events are refused',
    async run(harness) {
      const { adapter, credentials, listenerUrl } = harness
      const { signingSecret } = await adapter.listen(credentials, listenerUrl)
      await begin(harness, 'pays')
      const [event] = await harness.events(signingSecret)
      if (!event) throw new Error('no event came')
      const read = (secret: string, headers: Record<string, string>, body: string) => async () =>
        adapter.readEvent(secret, headers, body)
      const other = `whsec_${btoa('another secret of 24 byte')}`
      await rejects(read(other, event.headers, event.body), 'EventRefused', 'it believed another secret')
      await rejects(
        read(signingSecret, event.headers, event.body.replace('12900', '1')),
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
