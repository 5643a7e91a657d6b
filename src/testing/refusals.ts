import { Refusal } from '../standins/provider/books.ts'

/** The code by which a provider's books refuse what is asked; null where they do it. @throws any other error. */
export function codeOf(run: () => unknown): string | null {
  try {
    run()
    return null
  } catch (error) {
    if (error instanceof Refusal) return error.code
    throw error
  }
}
