import type { Finder } from './item.ts'
import { ofJournal } from './queries.ts'

/** Codes that were used once more than they may be. */
export const codeOverLimit: Finder = (looking) => ofJournal(looking, 'code-over-limit')
