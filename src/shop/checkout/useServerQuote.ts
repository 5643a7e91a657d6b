import { useEffect, useState } from 'react'
import type { BasketAnswer } from '../../server/client.ts'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** For so long nothing is typed before the server is asked. */
const PAUSE_MS = 250
/** After so long without an answer it is asked again. */
const AGAIN_MS = 2000

/** The field of the buyer's own price in a request. */
export const OWN_PRICE = '/lines/0/chosen'

/** What a basket comes to; or what is wrong with its price, with one of its lines, or with asking for its codes. */
export type Answer = BasketAnswer | { why: string; of: 'price' | 'codes' } | { why: string; of: 'line'; line: number }

type Mutable<T extends readonly unknown[]> = T[number][]

/** What is asked of a basket. */
interface QuoteRequest {
  /** The offers in it; of the first the price that the buyer names, in minor units, where they name one. */
  lines: readonly { offerId: string; chosen: number | null }[]
  /** The codes that were entered. */
  codes: readonly string[]
  /** Whether there is something to ask about: else the page came with the answer. */
  isNeeded: boolean
  /** Counts what makes an earlier answer old. */
  round: number
  /** What the page came with for what is asked first; null where it came without. */
  first?: BasketAnswer | null
}

/**
 * What the server says of a basket that the page did not come with, a moment after it was typed: its quote, or what is
 * wrong with it. Null before it has said so of just this one, and while it cannot say; what is shown until then is
 * an estimate, and pressing the button asks again, and says whatever else is wrong.
 */
export function useServerQuote(
  slug: string,
  { lines, codes, isNeeded, round, first = null }: QuoteRequest,
): Answer | null {
  const asked = JSON.stringify([lines, codes, round])
  const [said, setSaid] = useState<{ of: string; answer: Answer } | null>(first && { of: asked, answer: first })
  const isKnown = said?.of === asked
  useEffect(() => {
    if (!isNeeded || isKnown) return
    let isOver = false
    const ask = async () => {
      const [basket, entered] = JSON.parse(asked) as [Mutable<QuoteRequest['lines']>, string[]]
      const json = { lines: basket, codes: entered }
      const answer = await unwrap(api.checkout[':slug'].quote.$post({ param: { slug }, json })).catch(
        (error: unknown): Answer | null => {
          if (!(error instanceof ApiError)) throw error
          const why = error.at(OWN_PRICE)
          if (why !== undefined) return { why, of: 'price' }
          const [ofLine] = error.problem.errors.flatMap(({ at, why: says }) => {
            const [, index] = /^\/lines\/(\d+)\/offerId$/.exec(at) ?? []
            return index === undefined ? [] : [{ why: says, of: 'line' as const, line: Number(index) }]
          })
          if (ofLine) return ofLine
          const { status } = error.problem
          const isAnswer = status > 0 && status < 500
          return isAnswer && entered.length > 0 ? { why: error.at('/codes/0') ?? error.message, of: 'codes' } : null
        },
      )
      if (isOver) return
      if (answer) setSaid({ of: asked, answer })
      // What codes come to is not guessed: it is asked until it is known.
      else if (entered.length > 0) timer = setTimeout(() => void ask(), AGAIN_MS)
    }
    let timer = setTimeout(() => void ask(), PAUSE_MS)
    return () => {
      isOver = true
      clearTimeout(timer)
    }
  }, [slug, asked, isNeeded, isKnown])
  return isKnown ? said.answer : null
}
