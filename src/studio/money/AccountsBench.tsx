import { useMutation, useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { atGateway, BANK, DISPUTES, OVERPAID, PREPAID, VAT } from '../../core/ledger/accounts.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { useSession } from '../session/session.ts'
import { PayoutDialog } from './PayoutDialog.tsx'
import type { Accounts } from './queries.ts'

interface AccountsProps {
  accounts: Accounts
  money: MoneyFormat
  today: string
}

/** Where the money is by the books: at gateways and the bank, what of it is owed to others, and what it was earned with. */
export function AccountsBench({ accounts: { balances, payouts, products }, money, today }: AccountsProps) {
  const { mode } = useSession()
  const [isEntering, setEntering] = useState(false)
  const gateways = useQuery({ queryKey: ['gateways', mode], queryFn: () => unwrap(api.gateways.$get()) })
  const nameOf = (method: string) =>
    gateways.data?.gateways.find(({ id }) => id === method)?.capabilities.name ?? method
  const say = (amount: number, currency: string) => formatMoney(amount, { ...money, currency })
  const held = balances
    .map((row) => ({ ...row, name: wordsOf(row.account, nameOf, products) }))
    .filter((row) => row.name !== null)
  const group = (title: string, isIn: (account: string) => boolean, sign: 1 | -1) => {
    const rows = held.filter(({ account }) => isIn(account))
    if (rows.length === 0) return null
    return (
      <Group key={title} title={title}>
        {rows.map(({ account, name, amount, currency }) => (
          <li key={`${account} ${currency}`} className="flex justify-between gap-4 border-b border-line py-2">
            <span>{name}</span>
            <span>{say(amount * sign, currency)}</span>
          </li>
        ))}
      </Group>
    )
  }
  const once = useOnce()
  const takeBack = useMutation({
    mutationFn: (id: string) => once((header) => api.money.payouts[':id'].$delete({ param: { id }, header })),
    onSuccess: () => toast('Removed. A correction of today undoes it in the books.'),
  })
  const paying = held.filter(({ account, amount }) => account.startsWith(atGateway('')) && amount > 0)
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-3">
        <h1 className="text-[27px]">Where the money is</h1>
        {paying.length > 0 && <Button onClick={() => setEntering(true)}>Enter a payout…</Button>}
      </div>
      <p className="display mt-2 mb-1 text-[18px] leading-[1.45] font-medium text-ink-2">
        {held.length === 0
          ? 'No money has moved yet.'
          : 'By the books of the school: every payment, fee, refund and payout since the first sale.'}
      </p>
      {group('What the school has', (account) => account.startsWith('assets:'), 1)}
      {group('What it owes', (account) => account.startsWith('liabilities:'), -1)}
      {group('Sales, without VAT', (account) => account.startsWith('income:'), -1)}
      {group('Costs', (account) => account.startsWith('expenses:'), 1)}
      {payouts.length > 0 && (
        <Group title="Payouts">
          {payouts.map(({ id, day, paymentMethod, amount, currency, note }) => (
            <li key={id} className="flex flex-wrap items-baseline justify-between gap-x-4 border-b border-line py-2">
              <span>
                {formatDay(day, money.language)}, from {nameOf(paymentMethod)}
                {note && <span className="text-ink-3"> · {note}</span>}
              </span>
              <span className="inline-flex items-baseline gap-4">
                {say(amount, currency)}
                <Button
                  kind="link"
                  onClick={() => takeBack.mutate(id)}
                  aria-label={`Remove the payout of ${say(amount, currency)}`}
                >
                  Remove
                </Button>
              </span>
            </li>
          ))}
        </Group>
      )}
      {isEntering && (
        <PayoutDialog
          gateways={paying.map(({ account }) => {
            const id = account.slice(atGateway('').length)
            return { id, name: nameOf(id) }
          })}
          money={money}
          today={today}
          onClose={() => setEntering(false)}
        />
      )}
    </>
  )
}

function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-5">
      <h2 className="border-b border-line-2 pb-1 text-[16px]">{title}</h2>
      <ul className="text-[13.5px]">{children}</ul>
    </section>
  )
}

/** An account of the ledger in everyday words; null for one that a newer version of the product may have. */
function wordsOf(account: string, nameOf: (method: string) => string, titles: Record<string, string>): string | null {
  const last = account.slice(account.lastIndexOf(':') + 1)
  if (account === BANK) return 'At the bank: transfers and payouts'
  if (account === VAT) return 'VAT of what was received'
  if (account === PREPAID) return 'Parts of transfers, for orders that are not complete'
  if (account === OVERPAID) return 'Received without being owed, to be refunded'
  if (account === DISPUTES) return 'Lost in disputes'
  if (account.startsWith('assets:')) return `At ${nameOf(last)}`
  if (account.startsWith('income:')) return titles[last] ?? last
  if (account.startsWith('expenses:')) return `Fees of ${nameOf(last)}`
  return null
}
