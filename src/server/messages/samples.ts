import { inGroups } from '../../core/bank/reference.ts'
import { addDays } from '../../core/calendar/day.ts'
import { newOffer } from '../../core/content/offer.ts'
import { describeQuote, quoteInputOf } from '../../core/content/quoteInput.ts'
import { RECEIPT } from '../../core/words/en/receipt.ts'
import { say } from '../../core/words/message.ts'
import type { MessageKind } from '../db/schema/messages.ts'
import { amountsOf } from '../orders/bought.ts'
import type { PaymentReceipt } from '../orders/paymentReceipt.ts'
import type { Services } from '../platform/context.ts'
import { type School, schoolDay } from '../school/service.ts'
import {
  composeAlreadyOwned,
  composeBundleGrew,
  composeCodeRefused,
  composeGiven,
  composePassword,
  composeReceipt,
  type Email,
} from './compose.ts'
import { composeEndsSoon, composeOpened, composeOpeningMoved } from './composeAccess.ts'
import { type AgreementFacts, composeAgreement, isAboutAgreement } from './composeAgreement.ts'
import { composeForCreator, isForCreator } from './composeForCreator.ts'
import { type AwaitedFacts, composeAwaited, composePaidTwice, composeRefunded, composeSurplus } from './composeOrder.ts'

const COURSE = 'Your course'
const OFFER = 'One payment'
const BUYER = 'Ada Example'
/** In minor units. */
const PRICE = 12_900
const PART = 4300

/** A message of a kind as a buyer would get it, with a made-up buyer, course and sums; its links lead nowhere. */
export async function sampleOf(
  services: Services,
  school: School,
  kind: MessageKind,
  ownWords: string,
): Promise<Email> {
  const { origin } = services.config
  const today = await schoolDay(services)
  const nowhere = `${origin}/my`
  if (isAboutAgreement(kind)) {
    const made = composeAgreement(school, BUYER, kind, agreementFacts(school, kind, today, nowhere), ownWords)
    if (!made) throw new Error(`There is no sample of ${kind}.`)
    return made
  }
  if (isForCreator(kind)) {
    return composeForCreator(school, kind, {
      number: 1001,
      buyer: BUYER,
      things: [{ course: COURSE, offer: OFFER }],
      currency: school.currency,
      amount: kind === 'creator-sold' ? PRICE : PART,
      why: kind === 'creator-declined' || kind === 'creator-stopped' ? 'there was not enough money' : null,
      ended: kind === 'creator-dispute-ended' ? 'lost' : null,
      reference: inGroups('RF86L1001'),
      isPractice: false,
      orderLink: `${origin}/studio/orders`,
    })
  }
  switch (kind) {
    case 'password':
      return composePassword(school, BUYER, nowhere)
    case 'given':
      return composeGiven(school, BUYER, { titles: [COURSE], opens: null, closes: null }, nowhere, nowhere)
    case 'already-owned':
      return composeAlreadyOwned(school, BUYER, COURSE, nowhere, null)
    case 'receipt': {
      const content = { ...newOffer(OFFER), terms: { kind: 'single' as const, amount: PRICE } }
      const input = quoteInputOf(
        school,
        { id: 'sample', courses: [{ id: 'sample' }], content },
        services.now().toISOString(),
      )
      const { quote } = describeQuote(school, input)
      return composeReceipt(
        school,
        BUYER,
        {
          number: 1001,
          bought: [
            {
              course: COURSE,
              offer: OFFER,
              opens: [{ title: COURSE, link: nowhere, later: null }],
              isBundle: false,
              closes: null,
              opensLater: null,
              hasEnded: false,
              membership: null,
              isPaidTwice: false,
            },
          ],
          ...amountsOf(
            { quote, quoteInput: input, currency: school.currency },
            [{ line: { position: 0, title: COURSE, offerName: OFFER }, isPaidTwice: false }],
            school,
          ),
          method: 'card ending 4821',
          receiptLink: nowhere,
          passwordLink: nowhere,
        },
        ownWords,
      )
    }
    case 'awaiting':
    case 'not-arrived':
    case 'transfer-part': {
      const came = kind === 'transfer-part' ? PART : 0
      const made = composeAwaited(school, BUYER, kind, awaitedFacts(school, nowhere, came), ownWords)
      if (!made) throw new Error(`There is no sample of ${kind}.`)
      return made
    }
    case 'bundle-grew':
      return composeBundleGrew(
        school,
        BUYER,
        { course: COURSE, bundle: 'Your bundle', opens: null, learnLink: nowhere },
        null,
      )
    case 'code-refused':
      return composeCodeRefused(school, BUYER, COURSE, nowhere)
    case 'transfer-surplus':
      return composeSurplus(school, BUYER, { ...awaitedFacts(school, nowhere), amount: PART }, ownWords)
    case 'opened':
    case 'ends-soon': {
      const facts = {
        courses: [{ title: COURSE, link: nowhere }],
        closes: addDays(today, 7),
        buyAgain: nowhere,
        passwordLink: nowhere,
      }
      return (kind === 'opened' ? composeOpened : composeEndsSoon)(school, BUYER, facts, ownWords)
    }
    case 'opening-moved':
      return composeOpeningMoved(school, BUYER, { course: COURSE, opens: addDays(today, 14), closes: null }, ownWords)
    case 'paid-twice':
      return composePaidTwice(school, BUYER, awaitedFacts(school, nowhere), ownWords)
    case 'refunded':
      return composeRefunded(
        school,
        BUYER,
        {
          titles: [COURSE],
          courses: 1,
          currency: school.currency,
          amount: PART,
          method: 'card ending 4821',
          isByHand: false,
          outside: null,
          access: 'keep',
          endsPayments: false,
          goesOn: [],
          isOpen: true,
          again: null,
          day: today,
        },
        ownWords,
      )
  }
}

function agreementFacts(school: School, kind: MessageKind, today: string, nowhere: string): AgreementFacts {
  const isLate = kind === 'declined' || kind === 'stopped' || kind === 'pay-link'
  return {
    course: COURSE,
    currency: school.currency,
    method: 'card ending 4821',
    isInstallments: kind !== 'renewal-ahead' && kind !== 'cancelled',
    last: { pay: PART, day: today },
    receipt: { of: paymentReceipt(school, today), link: nowhere },
    due: isLate ? PART : 0,
    dueSince: isLate ? today : null,
    next: { pay: PART, on: addDays(today, kind === 'declined' ? 3 : 7) },
    why: 'there was not enough money',
    closedFrom: addDays(today, 10),
    isClosed: false,
    payLink: nowhere,
    myCourses: nowhere,
    buyAgain: nowhere,
  }
}

function awaitedFacts({ currency, name }: School, nowhere: string, came = 0): AwaitedFacts {
  return {
    number: 1001,
    titles: [COURSE],
    opensLater: null,
    currency,
    amount: PRICE,
    awaited: {
      amount: PRICE,
      came,
      method: 'bank transfer',
      transfer: {
        instructions: '',
        holder: name,
        iban: inGroups('AT000000000000000000'),
        ...{ accountNumber: '', bankCode: '', bankCodeName: '', bic: '', lines: '' },
        reference: inGroups('RF00P1001'),
        code: null,
      },
    },
    code: null,
    orderLink: nowhere,
    checkoutLink: nowhere,
  }
}

/** The receipt of a second part. */
function paymentReceipt({ name, language, currency, taxMode }: School, today: string): PaymentReceipt {
  const nothingOff = { sale: 0, discount: 0, codes: [] }
  return {
    number: 1001,
    currency,
    day: today,
    method: 'card ending 4821',
    parties: { name, language, buyer: { name: BUYER, email: 'ada@post.example', postalAddress: '' } },
    things: [{ course: COURSE, offer: OFFER }],
    rows: [{ line: 0, name: say(RECEIPT.paymentOf, { n: 2, all: 3 }), list: PART, price: PART, ...nothingOff }],
    taxMode,
    taxes: [],
    paid: PART,
  }
}
