import { formatList } from '../../core/sentence/words.ts'

/** What of the gateways' list the sentence is made of. */
interface Offered {
  gateways: readonly {
    /** It takes the currency in which the school sells. */
    takesCurrency: boolean
    capabilities: { name: string }
    connection: { pausedAt: string | null; isKeyLost: boolean; transfer: { title: string } | null } | null
  }[]
  onSale: number
  /** Offers on sale that nothing connected can collect. */
  uncollected: readonly { name: string }[]
}

/** What buyers can pay with at present, and what nothing can collect. */
export function formatOffered({ gateways, onSale, uncollected }: Offered): string {
  const offered = gateways.filter(
    ({ connection, takesCurrency }) => connection && takesCurrency && !connection.pausedAt && !connection.isKeyLost,
  )
  if (offered.length === 0) {
    return 'A gateway takes the buyer’s money and pays it to you. None is connected yet, so nothing that costs money can be bought.'
  }
  const names = offered.map(({ capabilities, connection }) => connection?.transfer?.title ?? capabilities.name)
  const by = `Buyers can pay by ${formatList(names, 'or')}, in this order.`
  if (onSale === 0) return by
  if (uncollected.length === 0) return `${by} Together they collect all ${onSale} offers on sale.`
  return `${by} ${uncollected.length} of ${onSale} offers on sale cannot be collected by any of them: ${formatList(uncollected.map(({ name }) => name))}.`
}
