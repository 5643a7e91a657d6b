import { dirname } from 'node:path'

/** A wrong change at one place, which the named tests must notice. */
export interface Mutant {
  file: string
  /** What would go wrong with it. */
  what: string
  /** Stands exactly once in the file. */
  find: string
  put: string
  /** The test files that cover it; the fewest that should notice. */
  tests: readonly string[]
}

type Change = readonly [what: string, find: string, put: string]

/** The tests beside the file cover it too, wherever it is moved. */
export const of = (file: string, tests: readonly string[], changes: readonly Change[]): Mutant[] =>
  changes.map(([what, find, put]) => ({ file, what, find, put, tests: [...new Set([dirname(file), ...tests])] }))
