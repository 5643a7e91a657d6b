import { formatDay } from '../../core/calendar/formatDay.ts'
import { RECEIPT } from '../../core/words/en/receipt.ts'
import { say } from '../../core/words/message.ts'
import type { ReceiptView, ShopPage } from '../../server/client.ts'
import { State } from '../../ui/State.tsx'
import { Sheet } from '../Sheet.tsx'
import { ReceiptLines } from './ReceiptLines.tsx'

/** The receipt of one payment that was received. */
export default function ReceiptPage({ page, view }: { page: ShopPage; view: ReceiptView }) {
  const { receipt, order } = view
  const { parties, day, method, number, currency } = receipt
  const { buyer, language } = parties
  const money = { language, currency, leaveOutZeros: page.school.leaveOutZeros }
  const when = formatDay(day, language)
  return (
    <Sheet narrow>
      <p className="text-[14px] font-semibold">{parties.name}</p>
      <h1 className="mt-1 text-[26px]">{say(RECEIPT.title, { number })}</h1>
      <p className="mt-3 whitespace-pre-line text-ink-2">
        {[buyer.name, buyer.postalAddress, buyer.email].filter(Boolean).join('\n')}
      </p>
      <div className="mt-4 text-[14.5px]">
        <ReceiptLines things={receipt.things} amounts={receipt} money={money} />
      </div>
      <p className="mt-4 flex flex-wrap items-center gap-x-2 text-[14.5px]">
        <State shape="received">{RECEIPT.received}</State>
        <span className="text-ink-2">{method ? say(RECEIPT.dayBy, { day: when, method }) : when}</span>
      </p>
      <p className="mt-5">
        <a className="link" href={order}>
          {RECEIPT.order}
        </a>
      </p>
    </Sheet>
  )
}
