import type { ReactNode } from 'react'
import { PAYING } from '../../core/words/en/paying.ts'
import { say } from '../../core/words/message.ts'
import type { PaymentMethod } from '../../server/client.ts'

interface PaymentMethodsProps {
  paymentMethods: PaymentMethod[]
  chosen: PaymentMethod
  choose: (connectionId: string) => void
  isBusy: boolean
  fields: ReactNode
}

/** The payment methods that can collect what is chosen, and what the chosen one needs. */
export function PaymentMethods({ paymentMethods, chosen, choose, isBusy, fields }: PaymentMethodsProps) {
  return (
    <>
      {paymentMethods.length > 1 && (
        <fieldset disabled={isBusy} className="mb-2.5 flex flex-wrap gap-x-5 gap-y-1">
          <legend className="sr-only">{PAYING.method}</legend>
          {paymentMethods.map(({ connectionId, method, gateway, style, isDown }) => (
            <label key={connectionId} className="flex cursor-pointer items-baseline gap-2 py-1">
              <input
                type="radio"
                name="payment-method"
                checked={connectionId === chosen.connectionId}
                onChange={() => choose(connectionId)}
                className="size-4 translate-y-0.5 accent-leaf"
              />
              <span className={connectionId === chosen.connectionId ? 'font-semibold' : ''}>
                {style === 'redirect' ? gateway : method}
                {isDown && <span className="font-normal text-late"> {PAYING.isDown}</span>}
              </span>
            </label>
          ))}
        </fieldset>
      )}
      {chosen.isDown && (
        <p role="status" className="mb-2 rounded-field bg-late-soft px-3 py-2">
          {say(paymentMethods.some(({ isDown }) => !isDown) ? PAYING.downChooseAnother : PAYING.downTryAnyway, {
            gateway: chosen.gateway,
          })}
        </p>
      )}
      {chosen.style === 'embedded' && fields}
      {chosen.style === 'redirect' && (
        <p className="text-ink-2">
          {say(chosen.known === 'later' ? PAYING.elsewhereLater : PAYING.elsewhere, { gateway: chosen.gateway })}
        </p>
      )}
      {chosen.style === 'offline' && <p className="text-ink-2">{chosen.description || PAYING.offline}</p>}
    </>
  )
}
