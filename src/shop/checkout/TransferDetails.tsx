import { transferRows } from '../../core/bank/transferRows.ts'
import { THANKS } from '../../core/words/en/shop.ts'
import type { TransferView } from '../../server/client.ts'

/** All that a buyer needs for a transfer to the school's account, written out and to be scanned. */
export function TransferDetails({ amount, transfer }: { amount: string; transfer: TransferView }) {
  const rows = transferRows(amount, transfer, THANKS)
  return (
    <div className="mt-6 grid items-start gap-8 md:grid-cols-[1fr_auto]">
      <dl className="grid max-w-[560px] grid-cols-[110px_1fr]">
        {rows.map(([label, value]) => (
          <div key={label} className="col-span-2 grid grid-cols-subgrid border-b border-line py-2">
            <dt className="text-ink-3">{label}</dt>
            <dd className="font-semibold whitespace-pre-line select-all [overflow-wrap:anywhere]">{value}</dd>
          </div>
        ))}
      </dl>
      {transfer.code && (
        <figure className="w-[190px]">
          <svg
            viewBox={`-4 -4 ${transfer.code.side + 8} ${transfer.code.side + 8}`}
            role="img"
            aria-label={THANKS.code}
            className="w-full rounded border border-line bg-white"
            shapeRendering="crispEdges"
          >
            <path d={transfer.code.path} fill="#000" />
          </svg>
          <figcaption className="mt-1.5 text-[13px] text-ink-2">{THANKS.scan}</figcaption>
        </figure>
      )}
    </div>
  )
}
