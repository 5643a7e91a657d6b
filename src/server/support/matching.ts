import { type SQL, sql } from 'drizzle-orm'
import { isCreditorReference } from '../../core/bank/reference.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { readMoney } from '../../core/money/parse.ts'
import { likely } from '../db/matching.ts'
import type { Mode } from '../db/schema/columns.ts'
import { orders } from '../db/schema/index.ts'

/** The number of an order, as it stands on its receipt ("1001", "#1001") or in the reference of its transfer ("RF18 P1001"). */
export function orderNumberIn(search: string, mode: Mode): number | null {
  const plain = search.replace(/\s/g, '').toUpperCase()
  const body = isCreditorReference(plain) ? plain.slice(4) : plain
  const [, of = '', digits] = /^(?:#|ORDER)?([PL]?)(\d{1,9})$/.exec(body) ?? []
  if (!digits || (of !== '' && of !== (mode === 'practice' ? 'P' : 'L'))) return null
  return Number(digits)
}

/**
 * Orders of a mode that fit what was typed: by buyer, address and titles, whatever their case and accents; and by what
 * stands on a bank's or a gateway's paper: numbers, references, amounts.
 */
export function ordersFitting(mode: Mode, search: string, money: MoneyFormat): SQL {
  const named = sql`plain_text(${orders.searchText}) like ${likely(search)}`
  // Letters alone are a name, unless they are one long word: a gateway's reference may be without a figure.
  if (!/\d/.test(search) && !/^\S{8,}$/.test(search.trim())) return named
  const number = orderNumberIn(search, mode)
  const read = readMoney(search, money)
  const reference = search.trim()
  const amount = read.ok && read.amount > 0 ? read.amount : null
  return sql`${orders.id} in (
    select o.id from orders o where o.mode = ${mode} and plain_text(o.search_text) like ${likely(search)}
    ${number === null ? sql`` : sql`union all select o.id from orders o where o.mode = ${mode} and o.number = ${number}`}
    union all select a.order_id from attempts a where lower(a.reference) = lower(${reference})
    union all select r.order_id from refunds r where lower(r.reference) = lower(${reference})
    union all select d.order_id from disputes d where lower(d.reference) = lower(${reference})
    ${
      amount === null
        ? sql``
        : sql`union all select a.order_id from attempts a where a.amount = ${amount} and a.state in ('collected', 'awaiting')
    union all select t.order_id from transfers t where t.amount = ${amount}
    union all select r.order_id from refunds r where r.amount = ${amount}`
    })`
}
