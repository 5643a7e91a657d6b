import { useState } from 'react'
import { Acorn } from '../../ui/Acorn.tsx'
import { Credentials } from '../../ui/Credentials.tsx'
import { unwrap } from '../../ui/problem.ts'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'

/** The creator's sign-in. */
export function SignIn() {
  const [form, setForm] = useState({ email: '', password: '' })
  const { error, isBusy, attempt } = useAttempt()
  const signIn = async () => {
    if (await attempt(() => unwrap(api.session['sign-in'].$post({ json: form })))) await queryClient.resetQueries()
  }
  return (
    <main className="grid min-h-screen place-items-center p-4">
      <form
        noValidate
        className="w-[380px] max-w-full rounded-[10px] border border-line bg-sheet p-7"
        onSubmit={(event) => {
          event.preventDefault()
          void signIn()
        }}
      >
        <p className="display flex items-center gap-2 text-[16px] font-semibold">
          <Acorn />
          Young Acorn
        </p>
        <h1 className="mt-4 mb-4 text-[25px]">Sign in</h1>
        <Credentials {...form} error={error} isBusy={isBusy} change={(patch) => setForm({ ...form, ...patch })} />
      </form>
    </main>
  )
}
