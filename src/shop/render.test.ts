import { describe, expect, it } from 'vitest'
import { EVERYDAY_PAGE } from '../core/content/checkoutPage.ts'
import { type DraftTerms, newOffer } from '../core/content/offer.ts'
import { describeOffer } from '../core/content/quoteInput.ts'
import { PLAIN_LOOK } from '../core/look/look.ts'
import { formatWholePrice, todayInParts } from '../core/sentence/sentence.ts'
import type { ShopOffer, ShopPage, ShopView } from '../server/client.ts'
import { renderShop } from './render.tsx'

const school = {
  name: 'Fold & Quire',
  currency: 'EUR',
  language: 'en',
  leaveOutZeros: false,
  taxMode: 'inclusive',
  taxRate: 2000,
  look: PLAIN_LOOK,
  hasTerms: false,
} as const
const card = {
  kind: 'course' as const,
  slug: 'coptic',
  buy: '/buy/coptic',
  title: 'Coptic binding',
  summary: 'Flat.',
  coverColor: 'spruce',
  coverId: null,
} as const
const every = { count: 1, unit: 'month' } as const
const paymentMethod = {
  connectionId: 'c',
  adapter: 'thistle',
  gateway: 'Thistle Card',
  method: 'Card',
  description: '',
  style: 'embedded' as const,
  known: 'at-once' as const,
  fieldsUrl: 'http://localhost:1/fields',
  isDown: false,
  can: {
    name: 'Thistle Card',
    currencies: ['EUR'],
    smallest: {},
    largest: 1_000_000,
    chargesAgain: true,
    againUpTo: null,
    keepsUnused: true,
  },
}

function offer(terms: DraftTerms, name = 'One payment', highlighted = false): ShopOffer {
  const said = describeOffer(
    { ...school, timeZone: 'UTC' },
    { id: name, courses: [{ id: 'c' }], content: { ...newOffer(name), terms } },
    '2027-01-31T10:00:00Z',
  )
  if (!said) throw new Error('not quotable')
  return {
    id: name,
    name,
    button: '',
    highlighted,
    terms: said.priced.terms,
    opening: { opens: said.quote.purchaseDay, closes: null, isWhileMember: false, count: 1, first: 1, notes: [] },
    membersOf: null,
    access: said.priced.access,
    quote: said.quote,
    price: formatWholePrice(said.priced),
    today: todayInParts(said.priced),
    taxRate: 2000,
    lines: [],
    sale: null,
    needs: null,
  }
}
const whole = (view: ShopView, more: Partial<ShopPage> = {}) =>
  renderShop({ school, mode: 'live', basket: null, isOwnView: false, visitor: null, view, ...more })
const render = (view: ShopView, more: Partial<ShopPage> = {}) => whole(view, more).markup.replaceAll('<!-- -->', '')
/** A checkout of one course, to which nothing is added. */
const plain = {
  product: card,
  gets: ['One'],
  saving: null,
  bumps: [],
  hasUpsells: false,
  slug: 'coptic',
  isBasket: false,
  heading: 'Coptic binding',
  also: [],
  warnings: [],
  chosenPrice: null,
  prefill: { name: '', email: '' },
  from: '',
  answered: null,
  declined: null,
  page: {
    shaped: EVERYDAY_PAGE,
    facts: {
      school: { name: school.name, language: 'en', timeZone: 'UTC', look: PLAIN_LOOK },
      product: { ...card, about: { label: 'About the course', href: '/course/coptic' } },
      titles: ['One'],
      titlesOf: 'lessons' as const,
      saving: null,
      prices: [],
      ends: { sale: null, page: null, code: null },
      at: '2027-01-31T10:00:00Z',
      videos: {},
      pictures: {},
    },
  },
}
const checkout = (offers: ShopOffer[], more: object = {}) =>
  render({
    name: 'checkout',
    ...plain,
    offers,
    chosen: offers[0]?.id ?? '',
    linked: null,
    codes: [],
    paymentMethods: [paymentMethod],
    isOwned: false,
    held: null,
    pending: null,
    ...more,
  })

describe('the checkout page', () => {
  it('says price, tax and button, and holds the gateway’s frame', () => {
    const html = checkout([offer({ kind: 'single', amount: 12_900 })])
    expect(html).toContain('>Pay €129.00</button>')
    expect(html).toContain('€21.50')
    expect(html).toContain('<iframe')
    expect(html).not.toContain('How you pay')
  })

  it('asks for no card where nothing is ever due, and for one where a trial is free', () => {
    expect(checkout([offer({ kind: 'free' })])).not.toContain('<iframe')
    const trial = { length: { count: 7, unit: 'day' as const }, amount: 0 }
    const html = checkout([offer({ kind: 'subscription', amount: 1900, every, payments: null, setupFee: null, trial })])
    expect(html).toContain('<iframe')
    expect(html).toContain('>Start for €0.00 today</button>')
    expect(html).toContain('and so on, until you cancel')
    expect(html).toContain('you allow Fold &amp; Quire to charge the later payments')
  })

  it('lists what comes when, and marks the suggestion by a word', () => {
    const parts = offer(
      { kind: 'installments', count: 8, every, amount: 9000, total: null, deposit: 80_000, trial: null },
      'Deposit',
      true,
    )
    const html = checkout([parts, offer({ kind: 'single', amount: 150_000 })])
    expect(html).toContain('28 February')
    expect(html).toContain('and 3 more, the last on 30 September')
    expect(html).toContain('€1,520.00')
    expect(html).toContain('our suggestion')
  })

  it('says that nothing can be paid where no gateway is connected, and does not let one try', () => {
    const html = checkout([offer({ kind: 'single', amount: 12_900 })], { paymentMethods: [] })
    expect(html).toContain('cannot take payments for this at the moment')
    expect(html).toMatch(/<button[^>]*disabled=""[^>]*>Pay €129\.00/)
  })

  it('sends who has the course to it, with no button that pays', () => {
    const html = checkout([offer({ kind: 'single', amount: 12_900 })], { isOwned: true })
    expect(html).toContain('You have this course.')
    expect(html).not.toContain('Pay €')
  })
})

it('only what a buyer fills in is taken over by the browser; what only shows loads no code', () => {
  const offers = [offer({ kind: 'single', amount: 12_900 })]
  const seen = {
    ...plain,
    offers,
    chosen: 'x',
    linked: null,
    codes: [],
    paymentMethods: [paymentMethod],
    held: null,
  }
  const checkoutOf = (isOwned: boolean) => whole({ name: 'checkout', ...seen, isOwned, pending: null })
  const visitor = { name: 'Ada', email: 'ada@post.example' }
  expect(whole({ name: 'school', headline: '', intro: '', sections: [], finding: null }, { visitor }).parts).toEqual([])
  expect(
    whole({ name: 'course', course: { ...card, description: '', lessons: [] }, offers, isOwned: false, opensOn: null })
      .parts,
  ).toEqual([])
  expect(checkoutOf(true).parts).toEqual([])
  expect(whole({ name: 'my', courses: [], plans: [], waiting: [], orders: [] }).parts).toEqual([])
  expect(whole({ name: 'my', courses: [], plans: [], waiting: [], orders: [] }, { visitor }).parts).toEqual(['details'])
  const description = '<p>Write <code>&lt;div data-part="checkout"</code>, or  data-part="gone".</p>'
  const page = whole({
    name: 'course',
    course: { ...card, description, lessons: [] },
    offers,
    isOwned: false,
    opensOn: null,
  })
  expect(page.markup).toContain('data-part="gone"')
  expect(page.parts).toEqual([])
  const { markup, parts } = checkoutOf(false)
  expect(parts).toEqual(['checkout'])
  const [around, form] = markup.split('data-part="checkout"')
  expect(around).toContain('Coptic binding')
  expect(form).toContain('>Pay €129.00</button>')
})

it('a form that is sent before the page listens loads nothing anew, so that nothing typed is lost', () => {
  const pages = [
    checkout([offer({ kind: 'single', amount: 12_900 })]),
    render({ name: 'sign-in', goTo: '/my', email: '', titles: ['Coptic binding'] }),
    render({ name: 'password', token: 't', email: 'ada@post.example' }),
  ]
  for (const html of pages) {
    const forms = html.match(/<form[^>]*>/g) ?? []
    expect(forms).toHaveLength(1)
    expect(forms[0]).toContain('method="dialog"')
  }
})

it('Practice is said on every page, and Live is not shouted', () => {
  const view: ShopView = { name: 'school', headline: '', intro: '', sections: [], finding: null }
  expect(render(view, { mode: 'practice' })).toContain('No real money moves here')
  expect(render(view)).not.toContain('No real money')
  expect(render(view, { isOwnView: true })).toContain('only you see it')
})

it('a course that opens later is not said to be open', () => {
  const { quote } = offer({ kind: 'single', amount: 100 })
  const order = { id: 'x', number: 1001, state: 'paid', method: null, paidOn: '2027-01-31' } as const
  const view: ShopView = {
    name: 'thanks',
    order,
    awaited: null,
    bought: [
      {
        product: card,
        courses: [{ title: card.title, slug: card.slug, opens: '2027-03-01', closes: '2028-03-01', isOpen: false }],
        offer: 'One payment',
        opens: '2027-03-01',
        isOpen: false,
        hasEnded: false,
        membership: null,
        isPaidTwice: false,
        closes: '2028-03-01',
      },
    ],
    quote,
    things: [{ course: card.title, offer: 'One payment' }],
    amounts: { rows: [], taxMode: 'inclusive', taxes: [{ rate: 1000, tax: 9 }], paid: 100 },
    codesLater: [],
    laterEach: [],
    payments: [],
    path: '/thanks/o',
    email: 'a@post.example',
    needsPassword: false,
    followers: [],
    stillInBasket: [],
    receiptPdf: null,
  }
  const html = render(view)
  expect(html).toContain('Coptic binding opens on 1 March 2027.')
  expect(html).toContain('It stays open until 1 March 2028; after that you can buy it again')
  expect(html).toContain('VAT 10%, inside')
  expect(html).not.toContain('Open the course')
})

it('My courses says what each is, and what comes next', () => {
  const shown = { ...card, lessons: 6, opens: null, closes: null, owes: null, renews: null, hangsOnPayments: false }
  const courses = [
    { ...shown, state: 'open' as const },
    { ...shown, slug: 'monthly', state: 'open' as const, hangsOnPayments: true },
    { ...shown, slug: 'later', state: 'opens-later' as const, opens: '2027-03-01' },
    { ...shown, slug: 'past', state: 'closed' as const, closes: '2026-03-01' },
  ]
  const payments = [
    { due: '2027-01-31', pay: 4300, name: null, state: 'collected' as const },
    { due: '2027-02-28', pay: 4300, name: null, state: 'to-come' as const },
  ]
  const html = render({
    name: 'my',
    waiting: [],
    orders: [],
    courses,
    plans: [
      {
        course: 'Coptic binding',
        offer: 'In two parts',
        method: 'card ending 4821',
        currency: 'EUR',
        endless: false,
        id: 'plan',
        state: 'active',
        next: { pay: 4300, on: '2027-02-28', isAgain: false },
        payments,
      },
    ],
  })
  for (const said of [
    'yours for good',
    'open for good, as long as it is paid',
    'opens on 1 March 2027',
    'ended on 1 March 2026',
    '€43.00 of €86.00 paid.',
    'Next: €43.00 on 28 February 2027, by card ending 4821.',
  ]) {
    expect(html).toContain(said)
  }
})
