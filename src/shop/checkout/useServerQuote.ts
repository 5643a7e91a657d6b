import { useEffect, useState } from 'react'
import type { Quote } from '../../core/quote/types.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** For so long nothing is typed before the server is asked. */
const PAUSE_MS = 250

/** The field of the buyer's own price in a request. */
export const OWN_PRICE = '/lines/0/chosen'

type Answer = { quote: Quote } | { why: string }

/**
 * What the server says of a basket that the page did not come with, a moment after it was typed: its quote, or what is
 * wrong with its price. Null before it has said so of just this one, and while it cannot say; what is shown until then is
 * an estimate, and pressing the button asks again, and says whatever else is wrong.
 * @param chosen the price that the buyer names, in minor units; null where there is none to ask about.
 */
export function useServerQuote(slug: string, offerId: string, chosen: number | null): Answer | null {
  const [said, setSaid] = useState<{ of: string; answer: Answer } | null>(null)
  const asked = `${offerId} ${chosen}`
  useEffect(() => {
    if (chosen === null) return
    let isOver = false
    const ask = async () => {
      const json = { lines: [{ offerId, chosen }] }
      const answer = await unwrap(api.checkout[':slug'].quote.$post({ param: { slug }, json })).then(
        (quote) => ({ quote }),
        (error: unknown) => {
          if (!(error instanceof ApiError)) throw error
          const why = error.at(OWN_PRICE)
          return why === undefined ? null : { why }
        },
      )
      if (!isOver && answer) setSaid({ of: asked, answer })
    }
    const timer = setTimeout(() => void ask(), PAUSE_MS)
    return () => {
      isOver = true
      clearTimeout(timer)
    }
  }, [slug, offerId, chosen, asked])
  return said?.of === asked ? said.answer : null
}
