import { useRef } from 'react'
import { formatMoney } from '../../core/money/format.ts'
import { hasLater } from '../../core/quote/later.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { UPSELLS } from '../../core/words/en/upsells.ts'
import { say } from '../../core/words/message.ts'
import type { PaymentMethod, ShopPage, UpsellView } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { UpsellBox } from '../../ui/UpsellBox.tsx'
import { AfterPress } from '../checkout/AfterPress.tsx'
import { CardFrame } from '../checkout/CardFrame.tsx'
import { ConfirmDialog } from '../checkout/ConfirmDialog.tsx'
import { PaymentMethods } from '../checkout/PaymentMethods.tsx'
import { Terms } from '../checkout/Terms.tsx'
import { WhatHappensTogether } from '../checkout/WhatHappensTogether.tsx'
import { useUpsell } from './useUpsell.ts'

/** One thing that is offered after the payment: what it is, what it costs, and two buttons of one weight. */
export function UpsellForm({ page, view }: { page: ShopPage; view: UpsellView }) {
  const frame = useRef<HTMLIFrameElement>(null)
  const upsell = useUpsell(page, view, frame)
  const { phase, message, paymentMethod, isBySavedMethod } = upsell
  const { offered, before, order, until } = view
  const { school } = page
  const { quote } = offered
  const { pay } = quote.today
  const isPaidLater = hasLater(quote)
  const isBusy = phase.kind !== 'idle'
  return (
    <>
      <h2 className="text-[17px]">{UPSELLS.more}</h2>
      <div className="mt-3">
        <UpsellBox
          {...offered}
          before={before}
          note={
            <>
              <p className="mt-0.5 text-[13.5px] text-ink-2">{offered.opens}</p>
              {!isPaidLater &&
                offered.opening.notes.map((note) => (
                  <p key={note} className="mt-0.5 text-[13.5px] text-ink-2">
                    {note}
                  </p>
                ))}
              <p className="mt-1 text-[13px] text-ink-3">
                {offered.tax && `${offered.tax} `}
                {say(UPSELLS.until, { time: until })}
              </p>
            </>
          }
        />
      </div>
      {isPaidLater && (
        <div className="mt-4">
          <WhatHappensTogether
            page={page}
            quote={quote}
            before={null}
            titles={[offered.product]}
            accesses={[offered.access]}
            openings={[offered.opening]}
            maxRows={3}
          />
        </div>
      )}
      {!isBySavedMethod && paymentMethod && (
        <div className="mt-4">
          <PaymentMethods
            paymentMethods={upsell.paymentMethods}
            chosen={paymentMethod}
            choose={upsell.choose}
            isBusy={isBusy}
            fields={
              <CardFrame
                key={paymentMethod.connectionId}
                ref={frame}
                paymentMethod={paymentMethod}
                mode={page.mode}
                submit={() => void upsell.take()}
              />
            }
          />
        </div>
      )}
      <AfterPress message={message} phase={phase} anew={(orderId) => void upsell.leave(orderId)} />
      <div className="mt-4 grid gap-2.5 sm:grid-cols-2">
        <Button
          kind="press"
          className="rounded-lg border-[1.5px] border-ink py-3"
          disabled={isBusy}
          onClick={upsell.take}
        >
          {isBusy ? PAYING.busy : formatYes(page, isBySavedMethod ? undefined : paymentMethod, pay, isPaidLater)}
        </Button>
        <Button
          className="rounded-lg border-[1.5px] !border-ink py-3 font-semibold"
          disabled={isBusy && phase.kind !== 'elsewhere'}
          onClick={upsell.refuse}
        >
          {UPSELLS.no}
        </Button>
      </div>
      <p className="mt-2 text-[13px] text-ink-3">
        {isBySavedMethod ? formatCharge(page, view, pay, isPaidLater) : formatOther(paymentMethod, pay, isPaidLater)}{' '}
        {isBySavedMethod && upsell.hasOthers && !isBusy && (
          <button type="button" className="link" onClick={upsell.useAnother}>
            {UPSELLS.another}
          </button>
        )}
        <Terms school={school} />
      </p>
      {phase.kind === 'confirming' && (
        <ConfirmDialog
          url={phase.url}
          done={() => void upsell.confirmed(phase.orderId)}
          leave={() => void upsell.leave(phase.orderId)}
          key={order.id}
        />
      )}
    </>
  )
}

/** What the yes says: with what it costs today, or that the buyer goes on elsewhere. */
function formatYes({ school }: ShopPage, method: PaymentMethod | undefined, pay: number, hasLater: boolean): string {
  const money = formatMoney(pay, school)
  if (pay === 0) return hasLater ? UPSELLS.yesLater : UPSELLS.yesFree
  if (method?.style === 'redirect') return say(UPSELLS.elsewhere, { gateway: method.gateway, money })
  if (method?.style === 'offline') return say(UPSELLS.transfer, { money })
  return say(hasLater ? UPSELLS.yesToday : UPSELLS.yes, { money })
}

/** What one press does, before it is pressed. */
function formatCharge({ school }: ShopPage, { savedMethod }: UpsellView, pay: number, hasLater: boolean): string {
  const values = { money: formatMoney(pay, school), method: savedMethod ?? '' }
  if (pay === 0) return hasLater ? say(UPSELLS.chargesLater, values) : UPSELLS.chargesNothing
  return say(hasLater ? UPSELLS.chargesToday : UPSELLS.chargesOnce, values)
}

function formatOther(method: PaymentMethod | undefined, pay: number, hasLater: boolean): string {
  if (pay === 0 && !hasLater) return UPSELLS.chargesNothing
  return method?.style === 'offline' ? UPSELLS.byTransfer : UPSELLS.byFields
}
