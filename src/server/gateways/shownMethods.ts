import { type CollectingMethod, takesCurrency } from '../../core/paymentMethods/collects.ts'
import type { Mode } from '../db/schema/columns.ts'
import type { Services } from '../platform/context.ts'
import { adapterOf, offeredMethods } from './service.ts'

export interface PaymentMethod {
  connectionId: string
  adapter: string
  gateway: string
  method: string
  /** For bank transfer, what the creator wrote. */
  description: string
  style: 'embedded' | 'redirect' | 'offline'
  /** Whether the money is known to have come at once, or hours or days later. */
  known: 'at-once' | 'later'
  /** The page of the gateway's own fields, for a frame; null where it has none. */
  fieldsUrl: string | null
  /** It does not answer at the moment. */
  isDown: boolean
  /** What it can collect. */
  can: CollectingMethod
}

/** The payment methods in a currency as buyers see them, in their order; which of them can collect what is theirs to tell. */
export async function shownPaymentMethods(services: Services, mode: Mode, currency: string): Promise<PaymentMethod[]> {
  const paymentMethods = await offeredMethods(services, mode)
  const at = services.now().toISOString()
  return paymentMethods
    .filter(({ capabilities }) => takesCurrency(capabilities, currency))
    .map(({ connectionId, adapter, account, capabilities, isDown, transfer }) => {
      const { name, style, method, smallest, largest, chargesAgain, againUpTo, keepsUnused, known } = capabilities
      const isOffline = style === 'offline'
      return {
        connectionId,
        adapter,
        gateway: name,
        method: transfer?.title ?? method,
        description: transfer?.description ?? '',
        style,
        known,
        fieldsUrl: isOffline ? null : adapterOf(services.gateways, adapter).fieldsUrl(account, mode, at),
        isDown,
        can: { name, currencies: [currency], smallest, largest, chargesAgain, againUpTo, keepsUnused },
      }
    })
}
