import { type Mutant, of } from './mutant.ts'
import { PAGE_MUTANTS } from './pages.ts'

const QUOTE = ['src/core/quote']
const COLLECTING = ['src/core/collecting']
const LATER = ['src/server/collecting']
const CHECKOUT = ['src/server/checkout']
const REFUNDS = ['src/server/refunds']

/** What could break a sale, where it would break it. */
export const MUTANTS: readonly Mutant[] = [
  ...PAGE_MUTANTS,
  ...of('src/core/quote/sums.ts', QUOTE, [
    ['what goes on is committed', 'if (untilCancelled) committed = null', ''],
    ['two payments of one day are listed apart', 'if (known) known.pay += pay\n        else {', '{'],
    ['a second line’s price is not in the sum', 'today.price += price', 'today.price = price'],
  ]),
  ...of(
    'src/server/money/products.ts',
    [],
    [
      ['a refund of one course is spread over all', '!only || only.includes(courseId)', 'courseId !== null'],
      ['a bundle’s money is counted twice', 'product && !isBundled.has(offerId)', 'product'],
    ],
  ),
  ...of('src/core/quote/codes.ts', QUOTE, [
    [
      'a fixed coupon takes more than is left',
      'split(Math.min(reduction.amount, most), lefts)',
      'split(reduction.amount, lefts)',
    ],
    [
      'a percentage is rounded down',
      'roundRatio(leftOf(payment), reduction.rate, 10_000)',
      'Math.floor((leftOf(payment) * reduction.rate) / 10_000)',
    ],
    [
      'a percentage is taken of the whole price',
      'roundRatio(leftOf(payment), reduction.rate',
      'roundRatio(payment.price, reduction.rate',
    ],
    [
      'a code counts beside a sale that it must not',
      '!(coupon.skipsSale && saleInForce)',
      '!(coupon.skipsSale && !saleInForce)',
    ],
    ['the minimum itself is not enough', "worth < coupon.minimum ? 'below", "worth <= coupon.minimum ? 'below"],
    ['a code works once more than it may', 'coupon.used >= coupon.limit)', 'coupon.used > coupon.limit)'],
    [
      'a buyer uses a code once more than they may',
      'coupon.usedByBuyer >= coupon.limitPerBuyer',
      'coupon.usedByBuyer > coupon.limitPerBuyer',
    ],
    ['a second purchase is a first', 'buyer.purchases > 0', 'buyer.purchases > 1'],
    [
      'one code that stands alone is combined',
      '!other.combines || !coupon.combines',
      '!other.combines && !coupon.combines',
    ],
    ['one payment less is reduced', 'payment.n <= reach', 'payment.n < reach'],
    ['a code works at the instant of its end', '!isBefore(at, endsAt)', 'isBefore(endsAt, at)'],
    ['a code for bumps works on the course', 'coupon.roles.has(line.role) &&', ''],
    ['a code is tried twice', "entered.has(coupon) ? 'already-entered' : ", ''],
    [
      'a later payment goes below zero',
      'Math.min(shares[index] as number, leftOf(payment))',
      '(shares[index] as number)',
    ],
  ]),
  ...of('src/core/quote/tax.ts', QUOTE, [
    [
      'tax is rounded down',
      'roundRatio(charge, rate, mode',
      '((a: number, b: number, c: number) => Math.floor((a * b) / c))(charge, rate, mode',
    ],
    ['tax on top is taken out of the price', "mode === 'exclusive' ? 10_000 : 10_000 + rate", '10_000 + rate'],
    ['tax on top is not charged', "pay: mode === 'exclusive' ? charge + tax : charge", 'pay: charge'],
  ]),
  ...of('src/core/quote/quote.ts', QUOTE, [
    [
      'tax is taken of the price before codes',
      'taxOf(payment.price - payment.discount, tax)',
      'taxOf(payment.price, tax)',
    ],
    ['an offer’s own tax rate is forgotten', 'line.offer.taxRate ?? request.tax.rate', 'request.tax.rate'],
    ['courses in two lines are not noticed', 'count > 1', 'count > 2'],
    [
      'shares are taken before the discount',
      'first.price - first.discount,\n        courses',
      'first.price,\n        courses',
    ],
  ]),
  ...of('src/core/quote/schedule.ts', QUOTE, [
    [
      'a sale holds at the instant of its end',
      'return !sale.until || isBefore(at, sale.until)',
      'return !sale.until || !isBefore(sale.until, at)',
    ],
    [
      'installments after a deposit begin at once',
      'after(anchor, deposit === null ? i - 1 : i, every)',
      'after(anchor, i - 1, every)',
    ],
    ['a sale on the first payment is on all', "(sale.scope === 'every' || n === 1)", '(n >= 1)'],
    [
      'payments are counted from the one before',
      'after(anchor, n - 1, terms.every)',
      'after(after(anchor, Math.max(0, n - 2), terms.every), n > 1 ? 1 : 0, terms.every)',
    ],
    [
      'a trial does not move the payments',
      'return trial ? after(purchaseDay, 1, trial.length) : purchaseDay',
      'return purchaseDay',
    ],
    ['a set-up fee is left out', 'if (terms.setupFee > 0)', 'if (terms.setupFee > 100_000_000)'],
  ]),
  ...of(
    'src/core/money/arithmetic.ts',
    ['src/core/money', 'src/core/quote'],
    [
      ['halves are rounded down', 'const top = 2 * a * b + c', 'const top = 2 * a * b + c - 1'],
      ['the last part gets what is left over', 'x === y ? a - b', 'x === y ? b - a'],
    ],
  ),
  ...of(
    'src/core/quote/access.ts',
    ['src/core/quote', 'src/core/collecting'],
    [
      ['access for a span begins at the purchase', "lasts === 'whilePaying' ? purchaseDay : placedOn", 'purchaseDay'],
      ['grace is forgotten', ', paid, terms.every), access.graceDays)', ', paid, terms.every), 0)'],
    ],
  ),
  ...of('src/core/collecting/agreement.ts', COLLECTING, [
    ['an agreement stops one try early', 'tries > retryAfterDays.length', 'tries >= retryAfterDays.length'],
    ['it is tried twice a day', 'addDays(agreement.lastTried, 1)', 'agreement.lastTried'],
    [
      'tries are counted from the due day',
      'agreement.firstTried ?? later(payment.due, agreement.lastCollected)',
      'later(payment.due, agreement.lastCollected)',
    ],
    [
      'a payment is tried before the one that is late came',
      'later(payment.due, agreement.lastCollected)',
      'payment.due',
    ],
    [
      'a cancelling comes undone by money on its way',
      "agreement.state === 'cancelled' ? 'cancelled' : isDone",
      'isDone',
    ],
    ['a stopped subscription is owed', "(state === 'stopped' && kind === 'installments')", "state === 'stopped'"],
    ['a payment of 0 is charged', "payment.pay === 0 ? 'settle' : 'try'", "'try'"],
    ['a cancelling is taken back too late', 'next.due < day) return null', 'next.due < addDays(day, -1)) return null'],
  ]),
  ...of('src/core/collecting/access.ts', COLLECTING, [
    ['a debt shuts the course at once', 'return addDays(unpaid.due, access.graceDays)', 'return unpaid.due'],
    [
      'a cancelled plan still shuts',
      'unpaid.due >= agreement.cancelled.on',
      'unpaid.due > addDays(agreement.cancelled.on, 400)',
    ],
    ['a moved due day shuts the course before it', 'later(byPaid, addDays(unpaid.due, graceDays))', 'byPaid'],
  ]),
  ...of('src/core/collecting/refund.ts', COLLECTING, [
    ['more is taken of a charge than is left', 'Math.min(left, rest)', 'rest'],
    [
      'a whole payment is given back in part',
      "gives === 'part' && left > 0)\n  const wholes",
      'left > 0)\n  const wholes',
    ],
  ]),
  ...of(
    'src/core/paymentMethods/collects.ts',
    ['src/core/paymentMethods'],
    [
      [
        'payments of two things are asked for in one',
        'const later = quote.lines.flatMap(({ payments }) =>\n    payments.filter(({ due }) => due !== quote.purchaseDay).map(({ pay }) => pay),\n  )',
        'const later = quote.later.map(({ pay }) => pay)',
      ],
      [
        'a later payment above the wallet’s limit is taken on',
        'later.some((amount) => amount > most)',
        'later.some((amount) => amount > most + 1)',
      ],
      [
        'what cannot charge again is offered for a plan',
        'if (hasLaterPayments && !paymentMethod.chargesAgain)',
        'if (hasLaterPayments && !paymentMethod.chargesAgain && later.length > 1)',
      ],
    ],
  ),
  ...of(
    'src/core/money/fee.ts',
    ['src/core/money'],
    [['a fee is larger than its payment', 'Math.min(amount, ', 'Math.max(0, ']],
  ),
  ...of(
    'src/server/fulfilment/settle.ts',
    [...CHECKOUT, 'src/server/events/events.test.ts'],
    [
      ['the currency of what was collected is not looked at', ' && collected.currency === asked.currency', ''],
      ['the sum of what was collected is not looked at', 'collected.amount === asked.amount && ', ''],
      [
        'money for a paid order opens it again',
        "if (order.state === 'paid') {",
        "if ((order.state as string) === 'never') {",
      ],
      [
        'a decline leaves the order paying',
        ".set({ state: 'open' })\n    .where(and(eq(orders.id, id)",
        ".set({ state: 'paying' })\n    .where(and(eq(orders.id, id)",
      ],
    ],
  ),
  ...of(
    'src/server/charging/states.ts',
    ['src/server/charging'],
    [
      [
        'a late decline undoes a payment',
        'collected: {},\n  declined',
        "collected: { declined: 'declined' },\n  declined",
      ],
      ['money for a closed attempt is lost', "abandoned: { collected: 'collected' },", 'abandoned: {},'],
      [
        'a payment on its way is asked for again',
        "awaiting: { collected: 'collected',",
        "awaiting: { confirming: 'confirming', collected: 'collected',",
      ],
    ],
  ),
  ...of(
    'src/server/charging/call.ts',
    ['src/server/charging', ...CHECKOUT, ...LATER],
    [
      [
        'an unanswered call is taken for a decline',
        'await leaveUnknown(services, attempt, error)\n    return null',
        "return declined('refused')",
      ],
      [
        'a payment that nobody can approve is left open',
        "if (outcome.state !== 'confirming' || !isUnattended) return outcome",
        'return outcome',
      ],
      [
        'money that came while it was closed is lost',
        "closed.state === 'abandoned' ? declined('refused') : closed",
        "declined('refused')",
      ],
    ],
  ),
  ...of(
    'src/server/charging/paymentMethods.ts',
    [...CHECKOUT, 'src/server/gateways'],
    [
      ['a paused connection takes orders', ' || connection.pausedAt !== null', ''],
      ['a connection of the other mode takes orders', 'connection?.mode !== mode || ', '!connection || '],
      [
        'a gateway that is down is asked for money',
        'if (!(error instanceof GatewayUnreachable)) throw error\n    return false',
        'if (!(error instanceof GatewayUnreachable)) throw error\n    return true',
      ],
    ],
  ),
  ...of('src/server/fulfilment/fulfil.ts', CHECKOUT, [
    [
      'later payments count as collected at once',
      'payment.orderId === id && payment.due === quote.purchaseDay',
      'payment.orderId === id',
    ],
    ['only the first line opens', 'const granted = begun.flatMap(', 'const granted = begun.slice(0, 1).flatMap('],
    [
      'the fee stands at one line',
      'shareFee(one.by?.fee ?? 0, due)',
      'shareFee(one.by?.fee ?? 0, due).map((p, n) => ({ ...p, fee: n === 0 ? (one.by?.fee ?? 0) : 0 }))',
    ],
    ['what another order opened meanwhile opens again', 'if (first) duplicates.set(line.id, first)', 'void first'],
    ['money that was not owed is a sale', "duplicates.has(lineId) ? ('overpaid'", "duplicates.has('') ? ('overpaid'"],
    ['an order that was paid twice is charged on', ".set({ state: 'written-off' })", ".set({ state: 'due' })"],
  ]),
  ...of(
    'src/server/coupons/uses.ts',
    ['src/server/coupons'],
    [
      ['coupons are not held while they are counted', ".for('no key update')", ''],
      ['anybody holds any number of codes', '>= MAX_HELD', '< 0'],
      ['a browser holds any number of codes', 'Math.max(byBrowser, byEmail,', 'Math.max(byEmail,'],
      ['an email holds any number of codes', 'Math.max(byBrowser, byEmail,', 'Math.max(byBrowser,'],
      ['an address holds any number of codes', 'isScarce ? fromThere : 0', '0'],
      [
        'a paid order leaves its codes reserved',
        "set({ state: 'used', heldFrom: null })",
        "set({ state: 'reserved' })",
      ],
      [
        'a declined try keeps its codes',
        "set({ state: 'released' })\n    .where(and(eq(codeUses.orderId, orderId), eq(codeUses.state, 'reserved')",
        "set({ state: 'reserved' })\n    .where(and(eq(codeUses.orderId, orderId), eq(codeUses.state, 'reserved')",
      ],
    ],
  ),
  ...of(
    'src/server/coupons/codes.ts',
    ['src/server/coupons'],
    [
      ['uses of the other mode count', 'eq(codeUses.mode, mode),', ''],
      ['two codes of one set count', 'return (known ?? of).code', 'return of.code'],
      ['a code that was withdrawn counts', '[endedAt, withdrawnAt]', '[endedAt, null as Date | null]'],
      ['released uses count', "<> 'released'`,", "<> 'never'`,"],
      ['a code that was freed is found', 'isNull(codes.freedAt)', 'sql`true`'],
      ['a coupon that was ended goes on', '[endedAt, withdrawnAt]', '[null as Date | null, withdrawnAt]'],
    ],
  ),
  ...of(
    'src/server/checkout/prepare.ts',
    ['src/server/coupons'],
    [
      [
        'a stranger learns that an address used a code',
        "await notifyOwner(services, person, 'code-refused'",
        "await Promise.all([services, person, 'code-refused'",
      ],
      [
        'a code that counts no more is charged',
        'if (!before.counts || !after || after.counts) continue',
        'if (before || after) continue',
      ],
    ],
  ),
  ...of(
    'src/server/fulfilment/fees.ts',
    ['src/server/checkout/twoLines.test.ts'],
    [['the fee is split evenly', 'ordered.map(({ pay }) => pay),', 'ordered.map(() => 1),']],
  ),
  ...of('src/server/checkout/prepare.ts', CHECKOUT, [
    [
      'a stranger is told what an address has',
      "await notifyOwner(services, person, 'already-owned', product.title)\n      return { kind: 'refused' }",
      "return { kind: 'owned', title: product.title }",
    ],
    [
      'what is had already may be in a basket',
      "if (isOutlasted || own) return { kind: 'owned', title: product.title }",
      "if ((isOutlasted || own) && lines.length === 1) return { kind: 'owned', title: product.title }",
    ],
    [
      'an order of another browser is gone on with',
      'return order.browserHash === browserHash || order.personId === person?.id',
      'return order.browserHash !== ""',
    ],
    ['what costs nothing is left open', 'if (order.payToday === 0) {', 'if (order.payToday < 0) {'],
  ]),
  ...of('src/server/checkout/orderRows.ts', CHECKOUT, [
    [
      'the same things the other way round are another order',
      '({ product }) => product.id).sort())',
      '({ product }) => product.id))',
    ],
    [
      'a course of another line opens with the first',
      'courses.map(({ id: courseId, title',
      'courses.slice(0, 1).map(({ id: courseId, title',
    ],
  ]),
  ...of('src/server/fulfilment/known.ts', CHECKOUT, [
    [
      'two orders of one buyer settle in one moment',
      'sql`pg_advisory_xact_lock(hashtextextended(',
      'sql`coalesce(hashtextextended(',
    ],
  ]),
  ...of(
    'src/server/platform/limits.ts',
    [],
    [
      ['what stands behind what is used up is counted', 'await this.#giveBack(asked.slice(usedUp + 1))', ''],
      ['of many at once all count as one', 'times: (found.get(key)?.times ?? 0) + 1', 'times: 1'],
      [
        'what was counted long ago counts on',
        'case when c.expire > $' + '{now}::bigint then c.points else 0 end',
        'c.points',
      ],
    ],
  ),
  ...of('src/server/checkout/place.ts', CHECKOUT, [
    ['a members’ price stands beside the membership', 'requireNotInOneBasket(product.title, audience.of, lines)\n', ''],
    ['a later line’s method is not kept', 'const isPaidLater = hasLater(quoted.quote)', 'const isPaidLater = false'],
    ['another price is charged than the button said', 'request.agreed.pay !== pay || ', ''],
    ['another currency is charged than the button said', ' || request.agreed.currency !== school.currency', ''],
    [
      'a payment method that cannot collect it is used',
      'if (paymentMethod && whyNot(',
      'if (paymentMethod && false && whyNot(',
    ],
    ['a method is not kept for later payments', 'hasLater || isKeptForUpsells', 'isKeptForUpsells'],
  ]),
  ...of('src/server/access/heldAlready.ts', CHECKOUT, [
    [
      'buying again is refused on the closing day',
      'closes === null || closes > day) &&',
      'closes === null || closes >= day) &&',
    ],
    ['a course that ends sooner makes buying pointless', 'closes >= wanted)', 'closes < wanted)'],
    ['an order from before counts as meanwhile', 'paidAt > order.createdAt,', 'paidAt !== null,'],
  ]),
  ...of('src/server/checkout/audience.ts', CHECKOUT, [
    ['a holder buys for another address', 'eq(people.email, email),\n', ''],
    ['whoever holds nothing buys', 'if (!isMet)', 'if (!isMet && email === "")'],
  ]),
  ...of('src/server/fulfilment/bankTransfer.ts', CHECKOUT, [
    ['a part of a transfer pays the order', 'if (isSurplus || amount < missing) return', 'if (isSurplus) return'],
    ['a transfer is marked ahead of its day', 'if (day > (await schoolDay(services)))', "if (day > '2999-01-01')"],
    [
      'a mark that was taken back still counts',
      'isNull(transfers.takenBackAt), eq(transfers.isSurplus, false))',
      'eq(transfers.isSurplus, false))',
    ],
    [
      'money given back at the bank is given back twice',
      'isNull(transfers.takenBackAt), isNull(transfers.givenBackOn), eq',
      'isNull(transfers.takenBackAt), eq',
    ],
  ]),
  ...of('src/server/fulfilment/outcome.ts', LATER, [
    [
      'a later payment out of order is accepted, or counts twice',
      'first !== undefined && first.n === agreement.payments[agreement.collected]?.n',
      'first !== undefined',
    ],
    ['paying by hand counts as a try', "const isTry = attempt.madeBy === 'worker' && ", 'const isTry = '],
    [
      'a new card is used once only',
      "savedMethod && attempt.madeBy === 'buyer'",
      "savedMethod && attempt.madeBy === 'worker'",
    ],
    [
      'a stopped agreement does not go on when it is paid',
      "held.agreement.state === 'stopped' && state === 'active'",
      "held.agreement.state === 'stopped' && state !== 'active'",
    ],
  ]),
  ...of('src/server/collecting/collect.ts', LATER, [
    [
      'a course that was shut is charged for',
      'const ended = held.isTakenBack ? afterGivenBack(agreement, day) : null',
      'const ended = null as ReturnType<typeof afterGivenBack>',
    ],
    [
      'payments are collected before six',
      'hourIn(timeZone, at) >= FROM_HOUR ? day : addDays(day, -1)',
      'hourIn(timeZone, at) >= 0 ? day : addDays(day, -1)',
    ],
    ['a second try is made while one is under way', 'one.isUnderWay ? null : await takeTurn', 'await takeTurn'],
  ]),
  ...of(
    'src/server/collecting/deeds.ts',
    [...LATER, ...REFUNDS],
    [
      ['a due day is moved onto the one after it', 'day >= following.due', 'day > following.due'],
      [
        'a due day is moved into the past',
        'if (day < (await schoolDay(services))) throw',
        "if (day < '2000-01-01') throw",
      ],
      [
        'a cancelling is taken back after a refund',
        'if ((await tx.$count(refunds, eq(refunds.lineId, line.id))) > 0)',
        'if ((await tx.$count(refunds, eq(refunds.lineId, line.id))) > 9)',
      ],
    ],
  ),
  ...of(
    'src/server/coupons/entered.ts',
    ['src/server/coupons'],
    [
      ['several codes of one quote count as one', 'fresh.length)', '1)'],
      ['codes of placed orders are not given back', 'if (count > 0) await', 'if (count < 0) await'],
      ['a right code is said over the limit', 'typed.filter((code) => !refused.has(codeKey(code))),', 'typed,'],
      [
        'a refused code is free when it is entered again',
        'if (wait > 0) for (const key of fresh)',
        'if (wait < 0) for (const key of fresh)',
      ],
    ],
  ),
  ...of(
    'src/server/coupons/held.ts',
    ['src/server/coupons'],
    [
      ['a transfer holds a use for ever', 'const HELD_MS = 86_400_000', 'const HELD_MS = 8_640_000_000'],
      ['a transfer holds a use for no time', 'const HELD_MS = 86_400_000', 'const HELD_MS = 0'],
      ['unlimited uses are let go too', 'isLimited,\n      ),', '),'],
    ],
  ),
  ...of(
    'src/server/platform/clock.ts',
    ['src/server/platform/clock.test.ts'],
    [
      [
        'a clock that is behind is trusted',
        'Math.abs(aheadSeconds) <= clockTolerance',
        'aheadSeconds <= clockTolerance',
      ],
      [
        'a wrong clock is not said',
        '.onConflictDoUpdate({ target: upkeep.name, set: row })\n  return false',
        '.onConflictDoUpdate({ target: upkeep.name, set: row })\n  return true',
      ],
    ],
  ),
  ...of(
    'src/server/platform/consume.ts',
    ['src/server/platform/consume.test.ts'],
    [
      ['what was done is said once, or never', 'if (isStopping) return null', 'return null'],
      ['what failed is said to be done', 'jobs.filter(({ id }) => !failed.has(id))', 'jobs'],
    ],
  ),
  ...of(
    'src/server/ledger/plainText.ts',
    ['src/server/ledger'],
    [['a title in brackets is a date', ".replaceAll('[', '(')", '']],
  ),
  ...of(
    'src/server/media/pictures.ts',
    ['src/server/media'],
    [
      [
        'small pictures are kept as they were sent',
        'const isKept = keepsPlain && isBounded',
        'const isKept = isBounded',
      ],
      ['bytes behind a picture are not seen', 'if (bytes.readUInt32LE(4) + 8 !== bytes.length) return false', ''],
      ['pictures of any size are decoded', 'if (width * height > MAX_PIXELS) {', 'if (width * height < 0) {'],
    ],
  ),
  ...of(
    'src/server/platform/keyedRequest.ts',
    ['src/server/pressed.test.ts'],
    [
      ['another body with the same key is answered', 'if (row.fingerprint !== fingerprint) throw usedOtherwise()', ''],
      ['a second request does not wait for the first', 'const BUSY_SECONDS = 40', 'const BUSY_SECONDS = 0'],
      ['what was committed is done again', 'if (row?.result) return row.result.value as T', ''],
      ['what was committed is forgotten', 'await keepResults(tx, [{ request, value }])', ''],
      ['a key is everybody’s', 'eq(keyedRequests.who, who), ', ''],
    ],
  ),
  ...of(
    'src/server/collecting/manualPayment.ts',
    [...LATER, 'src/server/load.test.ts'],
    [['more is charged by hand than the button said', ' && asked.agreed === amount)', ')']],
  ),
  ...of(
    'src/server/collecting/payLinks.ts',
    [...LATER, 'src/server/people'],
    [
      [
        'a used link pays again',
        'isNull(payLinks.usedAt), gt(payLinks.expiresAt, now())',
        'gt(payLinks.expiresAt, now())',
      ],
      ['a link pays for ever', ', gt(payLinks.expiresAt, now())', ''],
    ],
  ),
  ...of(
    'src/server/refunds/service.ts',
    [...REFUNDS, 'src/server/checkout/twoLines.test.ts'],
    [
      [
        'another line’s money is given back',
        '.filter((charge) => charge.lineId === lineId)\n    const shares',
        '\n    const shares',
      ],
      ['a whole payment is given back after a part of it was', 'isDisputed || given > 0)) {', 'isDisputed)) {'],
      [
        'an order of the other mode is refunded',
        '.where(and(eq(orders.id, orderId), eq(orders.mode, mode)))',
        '.where(eq(orders.id, orderId))',
      ],
      [
        'what is kept counts as refunded',
        'charge.againBy === null && !kept.includes(charge)',
        'charge.againBy === null',
      ],
      [
        'what was charged again is charged once more',
        'before === null ? charges.filter(({ lineId }) => keep.includes(lineId)) : []',
        'charges.filter(({ lineId }) => keep.includes(lineId))',
      ],
      [
        'what is charged again is given back by other means',
        '!charge.isDisputed && charge.againBy === null',
        '!charge.isDisputed',
      ],
    ],
  ),
  ...of(
    'src/server/refunds/charges.ts',
    [...REFUNDS, 'src/server/checkout/twoLines.test.ts'],
    [
      [
        'the oldest payment is given back first',
        'desc(attempts.settledAt), desc(attempts.startedAt)',
        'attempts.settledAt, attempts.startedAt',
      ],
      ['a refund under way is given back again', "ne(refunds.state, 'refused')", "eq(refunds.state, 'refunded')"],
      ['what is disputed is given back too', 'const cannot = isDisputed || ', 'const cannot = '],
    ],
  ),
  ...of(
    'src/server/refunds/settle.ts',
    [...REFUNDS, 'src/server/checkout/twoLines.test.ts'],
    [
      [
        'a refund that is told twice is booked twice',
        ".where(and(eq(refunds.key, key), eq(refunds.state, 'started')))\n    .orderBy",
        '.where(eq(refunds.key, key))\n    .orderBy',
      ],
      [
        'a refund closes a course that the buyer keeps',
        "if (access !== 'close') continue",
        "if (access === 'close') continue",
      ],
      [
        'one call gives back of the first line only',
        'const amount = (await sumOf(base.db, key))',
        'const amount = row.refund.amount',
      ],
      [
        'a refund does not wait for what is charged again',
        'if (again && OPEN_ATTEMPTS.includes(again.state)) {',
        'if (!again && !row) {',
      ],
      [
        'a refund goes on though the rest was declined',
        "if (again && again.state !== 'collected') {",
        'if (again && !row) {',
      ],
      ['what is charged again does not go back', ' + (again?.amount ?? 0)', ''],
      ['what is kept goes on being of the refunded payment', 'if (again) await countAsCollectedBy(tx, again)', ''],
    ],
  ),
  ...of('src/server/refunds/chargeAgain.ts', REFUNDS, [
    ['a method that has expired is charged', '&& (expires === null || expires >= day)', ''],
    [
      'a gateway that is paused is asked',
      'isNull(connections.disconnectedAt), isNull(connections.pausedAt)',
      'isNull(connections.disconnectedAt)',
    ],
    ['more is charged than may be', 'if (why !== null) {', 'if (why === undefined) {'],
  ]),
  ...of('src/server/fulfilment/chargedAgain.ts', REFUNDS, [
    [
      'money for a refund that was called off counts',
      '(await tx.$count(refunds, awaited)) === 0',
      '(await tx.$count(refunds, awaited)) < 0',
    ],
    ['the first fee of what was charged again is lost', '{payments.fee} + $', ''],
  ]),
  ...of(
    'src/server/pages/pending.ts',
    ['src/server/baskets'],
    [
      [
        'another browser learns that an order was paid',
        ', eq(orders.browserHash, browserHash))\n  return',
        ')\n  return',
      ],
    ],
  ),
  ...of(
    'src/server/fulfilment/outcome.ts',
    ['src/server/collecting/batch.test.ts'],
    [['the fee of several payments stands at each of them', 'fee: fees[index] as number', 'fee']],
  ),
  ...of(
    'src/core/ledger/postings.ts',
    ['src/core/ledger'],
    [
      [
        'the last part given back leaves a cent of tax',
        'share >= payment.left ? taxLeft',
        'share > payment.left ? taxLeft',
      ],
      ['money refunded is earned still', '[lost, share - back],', '[lost, share],'],
    ],
  ),
  ...of(
    'src/core/quote/stored.ts',
    ['src/core/quote', 'src/server/collecting/collecting.test.ts'],
    [
      [
        'an order from before is not read any more',
        'isWrapped(stored) ? stored.document : stored',
        '(stored as StoredQuote).document',
      ],
    ],
  ),
  ...of(
    'src/server/refunds/disputes.ts',
    [...REFUNDS, 'src/server/checkout/twoLines.test.ts'],
    [
      [
        'a lost dispute stands at the first line',
        'lines.map(({ pay }) => pay),\n  )\n  const day',
        'lines.map((_, index) => (index === 0 ? 1 : 0)),\n  )\n  const day',
      ],
      [
        'an older word about a dispute undoes a newer',
        'ORDER.indexOf(state) <= ORDER.indexOf(known.state)',
        'ORDER.indexOf(state) === ORDER.indexOf(known.state)',
      ],
      ['two gateways share a reference', 'key: `dispute $' + '{attemptId} $', 'key: `dispute $'],
      ['a lost dispute costs nothing', "if (state === 'lost') await bookLoss", "if (state === 'won') await bookLoss"],
    ],
  ),
  ...of(
    'src/server/events/events.ts',
    [...CHECKOUT, ...REFUNDS],
    [
      [
        'an event of another connection settles an attempt',
        "and(eq(attempts.key, given('key')), eq(attempts.connectionId, given('connectionId')))",
        "eq(attempts.key, given('key'))",
      ],
      ['an event interrupted by a crash is not taken up', "if (row?.state !== 'received') return", 'if (row) return'],
      [
        'an event that nobody signed is believed',
        'if (!(error instanceof EventRefused)) throw error\n    await countRefusal(services, connectionId, error.message)\n    throw',
        'if (!(error instanceof EventRefused)) throw error\n    await countRefusal(services, connectionId, error.message)\n    return\n    throw',
      ],
    ],
  ),
  ...of(
    'src/server/session/sessions.ts',
    ['src/server/people', 'src/server/school'],
    [
      [
        'a buyer’s session never ends',
        'innerJoin(people, eq(people.id, sessions.personId))\n    .where(and(eq(sessions.tokenHash, hashToken(token)), gt(sessions.expiresAt, now())))',
        'innerJoin(people, eq(people.id, sessions.personId))\n    .where(eq(sessions.tokenHash, hashToken(token)))',
      ],
      [
        'a creator’s session never ends',
        'innerJoin(creators, eq(creators.id, sessions.creatorId))\n    .where(and(eq(sessions.tokenHash, hashToken(token)), gt(sessions.expiresAt, now())))',
        'innerJoin(creators, eq(creators.id, sessions.creatorId))\n    .where(eq(sessions.tokenHash, hashToken(token)))',
      ],
    ],
  ),
  ...of(
    'src/server/session/links.ts',
    ['src/server/people', 'src/server/school'],
    [
      [
        'a password link works twice',
        'isNull(passwordLinks.usedAt), gt(passwordLinks.expiresAt, at))',
        'gt(passwordLinks.expiresAt, at))',
      ],
      [
        'a password link works for ever',
        'isNull(passwordLinks.usedAt), gt(passwordLinks.expiresAt, at))',
        'isNull(passwordLinks.usedAt))',
      ],
      ['an old session outlives a new password', 'await tx.delete(sessions).where(eq(sessions.personId, id))\n', ''],
    ],
  ),
  ...of(
    'src/server/access/service.ts',
    ['src/server/people', 'src/server/checkout'],
    [
      [
        'the browser that bought has the course for ever',
        '            gt(orders.paidAt, browserAccessSince(now())),\n',
        '',
      ],
      ['a course opens before its day', 'grant.opens <= day && isStillOpen', 'isStillOpen'],
    ],
  ),
  ...of(
    'src/server/session/visitor.ts',
    ['src/server/rights.test.ts', 'src/server/matrix.test.ts', 'src/server/people', 'src/server/pages'],
    [['a buyer of practice has courses in live', 'person?.mode === mode ? person : null', 'person']],
  ),
  ...of(
    'src/server/session/guard.ts',
    ['src/server/rights.test.ts', 'src/server/door.test.ts', 'src/server/school'],
    [
      [
        'another page’s requests are answered',
        "c.req.header('origin') !== origin",
        "c.req.header('origin') === 'null'",
      ],
    ],
  ),
  ...of(
    'src/server/upkeep/reconcile.ts',
    ['src/server/upkeep'],
    [
      [
        'a payment of another sum pays an order',
        'order?.payToday === amount ? null : undefined',
        'order ? null : undefined',
      ],
    ],
  ),
  ...of(
    'src/server/upsells/walk.ts',
    [],
    [
      ['an upsell is offered for ever', 'if (now() >= ends) return null', ''],
      ['an upsell is offered behind the thanks page', 'if (order.upsellsEndedAt !== null) return null', ''],
      ['what was refused is offered again', 'refused.has(id) ? []', 'false ? []'],
      [
        'a yes leads where a no does',
        "step = upsellAfter(upsells, step, 'yes')",
        "step = upsellAfter(upsells, step, 'no')",
      ],
      ['upsells follow any transfer', 'if (isByTransfer && !page.upsellsByTransfer) return null', ''],
    ],
  ),
  ...of(
    'src/server/upsells/answer.ts',
    [],
    [
      ['another browser takes an upsell', 'if (!order || !isOwnOrder(order, shopper))', 'if (!order)'],
      ['any step can be taken', 'standing?.step.id !== upsell', 'standing === null'],
      ['what is offered later is not forgotten early', 'sql`least(', 'sql`greatest('],
    ],
  ),
  ...of(
    'src/server/upsells/inherited.ts',
    [],
    [
      ['a code goes on to upsells that it is not for', "&& roles.has('upsell')", ''],
      ['an amount goes on', "reduction.kind === 'percent' && ", ''],
      ['a code for other things goes on', 'offers === null || apply.has(codeKey(code))', 'true'],
    ],
  ),
  ...of(
    'src/server/upsells/forget.ts',
    [],
    [
      [
        'a method that later payments need is forgotten',
        '!isSaved || (await isNeeded(services, connectionId, savedMethod))',
        '!isSaved',
      ],
      ['a method is forgotten before its time', 'lte(attempts.forgetAt, services.now()),', ''],
    ],
  ),
  ...of(
    'src/server/baskets/basket.ts',
    [],
    [
      ['a browser keeps what an account has', '.set({ personId, tokenHash: null })', '.set({ personId })'],
      [
        'what was bought stays in the basket',
        'or(gte(orders.paidAt, basketLines.addedAt), exists(awaited))',
        'exists(awaited)',
      ],
      [
        'what waits for a transfer stays in the basket',
        'or(gte(orders.paidAt, basketLines.addedAt), exists(awaited))',
        'gte(orders.paidAt, basketLines.addedAt)',
      ],
      [
        'what was taken out comes back by itself',
        'set({ takenOutAt: isTakenOut ? services.now() : null })',
        'set({ takenOutAt: null })',
      ],
      ['a basket takes what is only added', "|| line.offer.live.audience.who === 'added'", ''],
    ],
  ),
  ...of(
    'src/server/baskets/shown.ts',
    [],
    [
      ['what its buyer has is ordered again', 'if (buyable.length === 0) return', 'if (buyable.length < 0) return'],
      ['a members’ price is for all', 'if (!needs.isMet) return', 'if (needs.courses.length === 0) return'],
      ['a changed price is not said', 'row.priceSeen === said.listed ? null : row.priceSeen', 'null'],
    ],
  ),
  ...of(
    'src/server/coupons/set.ts',
    [],
    [
      [
        'what is being made does not count',
        'const before = (await countCodes(tx, couponId)) + coupon.codesToMake',
        'const before = await countCodes(tx, couponId)',
      ],
      ['codes of a retired set are made', 'live?.isSet && retiredAt === null', 'live?.isSet'],
    ],
  ),
]
