import type { Finder } from './item.ts'
import { ofJournal } from './queries.ts'

/** Other money than was asked for. */
export const mismatch: Finder = (looking) => ofJournal(looking, 'attempt-mismatch')
