import { useState } from 'react'
import { ApiError } from '../ui/problem.ts'

/**
 * Something that may be refused: what is wrong is kept for the form to say, at the field where it can.
 * `attempt` resolves with whether it went well; anything but a refusal is thrown on.
 */
export function useAttempt() {
  const [error, setError] = useState<ApiError | null>(null)
  const [isBusy, setBusy] = useState(false)
  const attempt = async (call: () => Promise<unknown>): Promise<boolean> => {
    setError(null)
    setBusy(true)
    try {
      await call()
      return true
    } catch (problem) {
      if (!(problem instanceof ApiError)) throw problem
      setError(problem)
      return false
    } finally {
      setBusy(false)
    }
  }
  /** What was wrong is being put right: it is no longer said. */
  const forget = () => setError(null)
  return { error, isBusy, attempt, forget }
}
