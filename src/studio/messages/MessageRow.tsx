import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { MessageKind } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api, IN_PLACE } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { messageKind } from '../orders/words.ts'
import { useSession } from '../session/session.ts'

interface MessageShown {
  id: string
  kind: MessageKind
  state: 'waiting' | 'sent' | 'failed' | 'dropped'
  createdAt: string
  sentAt: string | null
  isKept: boolean
  isAgain: boolean
  error: string | null
}

/** A message to a buyer: how it stands, and the way to read it and to send it again. */
export function MessageRow({ message }: { message: MessageShown }) {
  const { school } = useSession()
  const [isReading, setReading] = useState(false)
  const { state, error, sentAt, createdAt } = message
  const sendAgain = useMutation({
    mutationFn: () => unwrap(api.messages[':id'].send.$post({ param: { id: message.id } })),
    onSuccess: () => toast('Sending it again.'),
  })
  return (
    <div className="mb-1.5 text-[13.5px]">
      <p className="flex flex-wrap items-center gap-x-2">
        <State
          shape={state === 'sent' ? 'received' : state === 'failed' ? 'late' : state === 'dropped' ? 'off' : 'awaited'}
        >
          {`${messageKind(message.kind)}${message.isAgain ? ', again' : ''}`}
        </State>
        <span className="text-ink-2">
          {state === 'sent'
            ? `sent ${formatMoment(sentAt ?? createdAt, school.timeZone)}`
            : state === 'failed'
              ? `could not be sent so far: ${error}`
              : state === 'dropped'
                ? 'not sent: switched off, or no longer true'
                : 'on its way'}
        </span>
        {message.isKept && (
          <Button kind="link" onClick={() => setReading(true)}>
            Read…
          </Button>
        )}
        {state === 'failed' && (
          <Button kind="link" onClick={() => sendAgain.mutate()}>
            Send again
          </Button>
        )}
      </p>
      {isReading && <MessageDialog id={message.id} onClose={() => setReading(false)} />}
    </div>
  )
}

/** A message as it was sent; and sent once more, with new links, also to a corrected address. */
function MessageDialog({ id, onClose }: { id: string; onClose: () => void }) {
  const { school } = useSession()
  const message = useQuery({
    queryKey: ['message', id],
    queryFn: () => unwrap(api.messages[':id'].$get({ param: { id } })),
  })
  const [typed, setTyped] = useState<string | null>(null)
  const { mutate, error, isPending, reset } = useMutation({
    mutationFn: (email: string) => unwrap(api.messages[':id'].again.$post({ param: { id }, json: { email } })),
    onSuccess: () => {
      toast('It is being sent again, with new links.')
      onClose()
    },
    meta: IN_PLACE,
  })
  const { data } = message
  if (!data) {
    return (
      <Dialog title="Message" onClose={onClose}>
        <Waiting error={message.error} />
      </Dialog>
    )
  }
  const email = typed ?? data.email
  const isCorrected = !data.isForCreator && email.trim().toLowerCase() !== data.email
  return (
    <Dialog
      title={data.subject}
      text={`Sent to ${data.to}${data.sentAt ? `, ${formatMoment(data.sentAt, school.timeZone)}` : ''}. One-time links do not work here.`}
      onClose={onClose}
    >
      <iframe
        title="The message as it was sent"
        sandbox="allow-popups"
        srcDoc={data.html}
        className="h-[46vh] w-full rounded-lg border border-line bg-sheet"
      />
      <form
        noValidate
        className="mt-4 flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          mutate(email)
        }}
      >
        {!data.isForCreator && (
          <Field
            label="Send it again to"
            error={error?.at('/email')}
            hint={isCorrected ? 'This becomes the buyer’s email from now on.' : 'Its links are renewed.'}
            className="min-w-[240px] flex-1"
          >
            {(wiring) => (
              <input
                {...wiring}
                type="email"
                maxLength={254}
                className={BOX_INPUT}
                value={email}
                onChange={(event) => {
                  reset()
                  setTyped(event.target.value)
                }}
              />
            )}
          </Field>
        )}
        <div className="ml-auto flex gap-2">
          <Button onClick={onClose}>Close</Button>
          <Button kind="press" type="submit" disabled={isPending}>
            Send it again
          </Button>
        </div>
        {error && error.problem.errors.length === 0 && (
          <p role="alert" className="w-full font-medium text-failed">
            {error.message}
          </p>
        )}
      </form>
    </Dialog>
  )
}
