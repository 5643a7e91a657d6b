import type { Finder } from './item.ts'
import { ofJournal } from './queries.ts'

/** Money that a gateway took for what was paid, or closed, already. */
export const surplus: Finder = (looking) => ofJournal(looking, 'attempt-surplus')
