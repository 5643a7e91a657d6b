import { useState } from 'react'
import { PEOPLE } from '../../core/words/en/people.ts'
import type { ThanksView } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** Has the password link sent again, and says that it was. */
export function ResendLink({ view: { email } }: { view: ThanksView }) {
  const [said, setSaid] = useState<string | null>(null)
  const resend = async () => {
    try {
      await unwrap(api.password.resend.$post({ json: { email } }))
      setSaid(PEOPLE.resent)
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      setSaid(error.message)
    }
  }
  return (
    <span role="status">
      {said ?? (
        <Button kind="link" onClick={resend}>
          {PEOPLE.resend}
        </Button>
      )}
    </span>
  )
}
