import { readQuoteRequest } from './read.ts'
import type { QuoteRequest } from './types.ts'

/**
 * A quote's document as it is kept with an order. It is read again at every later charge, for years: what was stored
 * by an older version is lifted here, and nowhere else.
 */
export interface StoredQuote {
  version: 1
  document: object
}

/** Wraps a quote document for keeping. */
export function storeQuote(document: object): StoredQuote {
  return { version: 1, document }
}

/** The quote document of what was kept by any version. The first ones were kept bare. */
export function documentOf(stored: unknown): unknown {
  return isWrapped(stored) ? stored.document : stored
}

/** Reads a kept document of any version. @throws DocumentError where it breaks a rule. */
export function readStoredQuote(stored: unknown): QuoteRequest {
  return readQuoteRequest(documentOf(stored))
}

function isWrapped(stored: unknown): stored is StoredQuote {
  return typeof stored === 'object' && stored !== null && 'version' in stored
}
