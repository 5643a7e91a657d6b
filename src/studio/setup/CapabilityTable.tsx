import type { ReactNode } from 'react'
import { Link } from 'react-router'
import { formatMoney, formatRate, type MoneyFormat } from '../../core/money/format.ts'
import { State } from '../../ui/State.tsx'
import { useMoney } from '../session/session.ts'
import type { Gateway, GatewayList } from './gateways.ts'

/** What each payment method can do, and how it stands against what is on sale. */
export function CapabilityTable({ list }: { list: GatewayList }) {
  const money = useMoney()
  const { gateways, onSale } = list
  const rows: [string, (gateway: Gateway) => ReactNode][] = [
    ['At the checkout', stateOf],
    [
      `Your ${onSale} ${onSale === 1 ? 'offer' : 'offers'} on sale`,
      (gateway) => <Against gateway={gateway} onSale={onSale} />,
    ],
    ['Automatic later payments', ({ capabilities }) => formatLater(capabilities, money)],
    ['A free trial first', ({ capabilities: can }) => (can.chargesAgain && can.keepsUnused ? 'yes' : 'no')],
    [
      `Takes ${money.currency}`,
      ({ capabilities, takesCurrency }) => formatCurrencies(capabilities.currencies, takesCurrency),
    ],
    ['Smallest payment', ({ capabilities: can }) => formatMoney(can.smallest[money.currency] ?? 1, money)],
    ['Money is known', ({ capabilities: can }) => formatKnown(can)],
    ['It costs you', ({ capabilities: can }) => formatFee(can.fee, money)],
    ['Refunds', ({ capabilities: can }) => formatRefunds(can)],
  ]
  return (
    <div className="relative overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-2 [&_td]:pr-3 [&_td]:align-top">
        <thead>
          <tr>
            <td className="w-[150px]" />
            {gateways.map(({ id, capabilities }) => (
              <th key={id} scope="col" className="border-b border-line-2 py-1.5 pr-3 text-left font-semibold">
                {capabilities.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([label, say]) => (
            <tr key={label}>
              <th scope="row" className="border-b border-line py-2 pr-3 text-left align-top font-normal text-ink-3">
                {label}
              </th>
              {gateways.map((gateway) => (
                <td key={gateway.id}>{say(gateway)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

function stateOf({ connection, takesCurrency }: Gateway): ReactNode {
  if (!connection) return <span className="text-ink-3">not connected</span>
  if (connection.pausedAt) return <State shape="off">paused</State>
  if (!takesCurrency) return <State shape="late">other currency</State>
  if (connection.downSince) return <State shape="late">not answering</State>
  return <State shape="received">offered</State>
}

/** How much of what is on sale it cannot collect and why, and which. */
function Against({ gateway: { cannot }, onSale }: { gateway: Gateway; onSale: number }) {
  const missing = cannot.reduce((sum, { offers }) => sum + offers.length, 0)
  if (onSale === 0) return <>–</>
  if (missing === 0) return <>collects all</>
  return (
    <>
      cannot collect <b className="font-semibold">{missing}</b>
      <span className="sr-only"> of {onSale}</span>
      {cannot.map(({ why, says, offers }) => (
        <details key={why} className="mt-1 text-[12.5px] leading-snug text-ink-2">
          <summary className="cursor-pointer">
            it {says}
            {cannot.length > 1 && <>: {offers.length}</>}
          </summary>
          <ul className="mt-1 grid gap-1">
            {offers.map(({ id, name }) => (
              <li key={id}>
                <Link className="link" to={`/studio/sell/offers/${id}`}>
                  {name}
                </Link>
              </li>
            ))}
          </ul>
        </details>
      ))}
    </>
  )
}

type Can = Gateway['capabilities']

function formatLater({ chargesAgain, againUpTo }: Can, money: MoneyFormat): string {
  if (!chargesAgain) return 'no'
  const most = againUpTo?.[money.currency]
  return most === undefined ? 'yes' : `up to ${formatMoney(most, money, true)} each`
}

function formatCurrencies(currencies: Can['currencies'], takes: boolean): string {
  if (currencies === 'any') return 'yes, any currency'
  const all = currencies.length === 1 ? `${currencies[0]} only` : `${currencies.length} currencies`
  return `${takes ? 'yes' : 'no'}, ${all}`
}

function formatKnown({ known, style }: Can): string {
  if (style === 'offline') return 'when you mark it'
  return known === 'at-once' ? 'at once' : 'hours later'
}

function formatFee({ rate, fixed }: Can['fee'], money: MoneyFormat): string {
  const part = fixed[money.currency] ?? 0
  if (rate === 0 && part === 0) return 'nothing'
  return `${formatRate(rate, money.language)}${part ? ` + ${formatMoney(part, money)}` : ''}`
}

function formatRefunds({ refunds, style }: Can): string {
  if (style === 'offline') return 'by hand, at your bank'
  return refunds === 'part' ? 'all or a part' : refunds === 'whole' ? 'whole payments only' : 'nothing'
}
