import { csv, plainIn } from '../money/files.ts'
import { dayFor } from '../school/service.ts'
import type { ordersFor } from './orders.ts'

type Row = Awaited<ReturnType<typeof ordersFor>>[number]

/** What moved by the books: what came, what gateways kept of it, what went back, and the tax in what is left. */
function figuresOf(moved: Row['moved']) {
  const sum = (pick: (one: Row['moved'][number]) => number) => moved.reduce((all, one) => all + pick(one), 0)
  return {
    received: sum(({ received }) => received),
    fee: sum(({ fees }) => fees),
    refunded: sum(({ givenBack }) => givenBack),
    tax: sum(({ receivedTax, givenBackTax }) => receivedTax - givenBackTax),
  }
}

/** What a line cost on the day of the purchase: in the list, less a sale, less codes. */
function todayOf({ quoted, purchaseDay }: Row['items'][number]) {
  const due = quoted.payments.filter((payment) => payment.due === purchaseDay)
  const sum = (pick: (payment: (typeof due)[number]) => number) => due.reduce((all, payment) => all + pick(payment), 0)
  return {
    list: sum(({ list }) => list),
    sale: sum(({ list, price }) => list - price),
    discount: sum(({ discount }) => discount),
    pay: sum(({ pay }) => pay),
  }
}

const ROLES = { main: 'item', bump: 'order bump', upsell: 'upsell' } as const

/**
 * Orders as CSV (RFC 4180): amounts with a point and the currency's decimals, days as ISO 8601 in the school's zone. What
 * was received, with its fee, its tax and what went back of it, is what the books say of the order.
 */
export function ordersCsv(rows: readonly Row[], timeZone: string): string {
  const fields = [
    'order',
    'ordered on',
    'buyer',
    'email',
    'course',
    'offer',
    'article number',
    'sold as',
    'follows order',
    'codes',
    'currency',
    'list price',
    'discount',
    'due at order',
    'received',
    'tax',
    'fee',
    'refunded',
    'state',
    'agreement',
    'payments received',
    'payments in all',
    'checkout page',
    'page version',
    'came from',
    'upsells',
  ]
  const data = rows.map((row) => {
    const plain = plainIn(row.currency)
    const { received, fee, refunded, tax } = figuresOf(row.moved)
    const today = row.items.map(todayOf)
    const list = today.reduce((all, one) => all + one.list, 0)
    const off = today.reduce((all, one) => all + one.sale + one.discount, 0)
    // Of several things each has an agreement of its own: they stand in the file of payments.
    const agreed = row.lines === 1 ? row.agreement : null
    return [
      row.number,
      dayFor({ timeZone }, row.createdAt),
      row.buyer,
      row.email,
      row.course,
      row.offer,
      row.items
        .map(({ sku }) => sku)
        .filter(Boolean)
        .join(', '),
      row.items.map(({ role }) => ROLES[role]).join(', '),
      row.follows ?? '',
      row.codes ?? '',
      row.currency,
      plain(list),
      plain(off),
      plain(row.payToday),
      plain(received),
      plain(tax),
      plain(fee),
      plain(refunded),
      row.state === 'paid' ? 'paid' : (row.last?.split(' ')[0] ?? 'not paid'),
      agreed?.state ?? '',
      agreed?.collected ?? '',
      agreed?.count ?? '',
      row.page ?? '',
      row.pageVersion ?? '',
      row.cameFrom,
      row.upsells.map(({ title, isTaken }) => `${title}: offered, ${isTaken ? 'yes' : 'no'}`).join('; '),
    ]
  })
  return csv(fields, data)
}

/** The items of orders as CSV, one row each, by the same rules. What was received and belongs to no item has a row of its own. */
export function itemsCsv(rows: readonly Row[], timeZone: string): string {
  const fields = [
    'order',
    'ordered on',
    'buyer',
    'email',
    'course',
    'offer',
    'article number',
    'sold as',
    'currency',
    'list price',
    'sale',
    'discount',
    'due at order',
    'received',
    'tax',
    'fee',
    'refunded',
  ]
  const data = rows.flatMap((row) => {
    const plain = plainIn(row.currency)
    const head = [row.number, dayFor({ timeZone }, row.createdAt), row.buyer, row.email]
    const money = (moved: Row['moved']) => {
      const { received, tax, fee, refunded } = figuresOf(moved)
      return [plain(received), plain(tax), plain(fee), plain(refunded)]
    }
    const ids = new Set(row.items.map(({ id }) => id))
    const left = row.moved.filter(({ lineId }) => lineId === null || !ids.has(lineId))
    return [
      ...row.items.map((item) => {
        const { list, sale, discount, pay } = todayOf(item)
        return [
          ...head,
          ...[item.title, item.offerName, item.sku, ROLES[item.role], row.currency],
          ...[plain(list), plain(sale), plain(discount), plain(pay)],
          ...money(row.moved.filter(({ lineId }) => lineId === item.id)),
        ]
      }),
      ...(left.length > 0 ? [[...head, '', '', '', '', row.currency, '', '', '', '', ...money(left)]] : []),
    ]
  })
  return csv(fields, data)
}
