import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { formatMoney } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { NoteDialog } from '../people/NoteDialog.tsx'
import { useSession } from '../session/session.ts'
import type { GatewayList } from './gateways.ts'

const load = () => unwrap(api.gateways.unknown.$get())

/** Payments in the gateways' books that no order knows: to be refunded, or settled otherwise with a note. */
export function UnknownPayments({ list }: { list: GatewayList }) {
  const { mode, school } = useSession()
  const { data } = useQuery({ queryKey: ['unknown-payments', mode], queryFn: load })
  const [settling, setSettling] = useState<string | null>(null)
  const once = useOnce()
  const refund = useMutation({
    mutationFn: (id: string) => once((header) => api.gateways.unknown[':id'].refund.$post({ param: { id }, header })),
    onSuccess: () => toast('Refunded.'),
  })
  if (!data || data.payments.length === 0) return null
  const nameOf = (adapter: string) => list.gateways.find(({ id }) => id === adapter)?.capabilities.name ?? adapter
  return (
    <section className="mt-4 rounded-field bg-late-soft px-3.5 py-3">
      <h2 className="text-[15.5px]">Payments without an order</h2>
      <p className="mt-1 text-[13.5px]">
        They are in the gateway’s books but not in yours, for example after restoring a backup. Refund them, or give the
        buyer access and say so here.
      </p>
      <ul className="mt-2 text-[13.5px]">
        {data.payments.map(({ id, adapter, amount, currency, method, about, collectedAt }) => (
          <li key={id} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-t border-line-2 py-2">
            <State shape="failed">{formatMoney(amount, { ...school, currency })}</State>
            <span className="min-w-0 break-words">
              “{about}” · {nameOf(adapter)}, {method} · {formatMoment(collectedAt, school.timeZone)}
            </span>
            <span className="ml-auto flex gap-3">
              <Button kind="link" onClick={() => refund.mutate(id)}>
                Refund it
              </Button>
              <Button kind="link" onClick={() => setSettling(id)}>
                Settled…
              </Button>
            </span>
          </li>
        ))}
      </ul>
      {settling && (
        <NoteDialog
          title="Settled another way"
          text="It is no longer listed. Nothing is refunded."
          action="Settled"
          run={(note, send) =>
            send((header) =>
              api.gateways.unknown[':id'].settle.$post({ param: { id: settling }, json: { note }, header }),
            )
          }
          onClose={() => setSettling(null)}
        />
      )}
    </section>
  )
}
