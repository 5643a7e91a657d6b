import { useEffect, useState } from 'react'
import { ApiError } from '../ui/problem.ts'

/**
 * Something that may be refused: what is wrong stands at the field where it can. `attempt` resolves with whether it went
 * well; anything but a refusal is thrown on. What leads `goTo` another page stays busy until that page is there: pressed
 * again meanwhile, a link that works once would say that it was used.
 */
export function useAttempt() {
  const [error, setError] = useState<ApiError | null>(null)
  const [isBusy, setBusy] = useState(false)
  // Whoever comes back to this page by the browser's button finds it as it was left, and may press again.
  useEffect(() => {
    const shown = ({ persisted }: PageTransitionEvent) => {
      if (persisted) setBusy(false)
    }
    addEventListener('pageshow', shown)
    return () => removeEventListener('pageshow', shown)
  }, [])
  const attempt = async (call: () => Promise<unknown>, goTo?: string): Promise<boolean> => {
    setError(null)
    setBusy(true)
    try {
      await call()
      if (goTo === undefined) setBusy(false)
      else location.assign(goTo)
      return true
    } catch (problem) {
      setBusy(false)
      if (!(problem instanceof ApiError)) throw problem
      setError(problem)
      return false
    }
  }
  /** What was wrong is being put right: it is no longer said. */
  const forget = () => setError(null)
  return { error, isBusy, attempt, forget }
}
