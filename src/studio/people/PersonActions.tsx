import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { ApiError, unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { TextField } from '../frame/TextField.tsx'
import { useSession } from '../session/session.ts'
import { NoteDialog } from './NoteDialog.tsx'
import { useSendPasswordLink } from './useSendPasswordLink.ts'

interface PersonShown {
  id: string
  name: string
  email: string
  postalAddress: string
}

/** What the creator does about a buyer: puts details right, sends a link, joins two, hands out or deletes their data. */
export function PersonActions({ person }: { person: PersonShown }) {
  const [asking, setAsking] = useState<'correct' | 'join' | 'erase' | null>(null)
  const close = () => setAsking(null)
  const sendLink = useSendPasswordLink(person)
  return (
    <>
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[13.5px]">
        <Button kind="link" onClick={() => setAsking('correct')}>
          Correct the details…
        </Button>
        <Button kind="link" onClick={() => sendLink.mutate()}>
          Send a password link
        </Button>
        <Button kind="link" onClick={() => setAsking('join')}>
          Join with another person…
        </Button>
        <a className="link" href={`/api/people/${person.id}/data.json`} download>
          Their data as a file
        </a>
        <Button kind="link" onClick={() => setAsking('erase')}>
          Delete their data…
        </Button>
      </p>
      {asking === 'correct' && <CorrectDialog person={person} onClose={close} />}
      {asking === 'join' && <JoinDialog person={person} onClose={close} />}
      {asking === 'erase' && <EraseDialog person={person} onClose={close} />}
    </>
  )
}

interface DialogProps {
  person: PersonShown
  onClose: () => void
}

function CorrectDialog({ person, onClose }: DialogProps) {
  const [form, setForm] = useState({ name: person.name, email: person.email, postalAddress: person.postalAddress })
  return (
    <NoteDialog
      title="Name, email and address"
      text="With another email they are signed out everywhere and sign in with the new one through a link. The postal address is printed on receipts."
      action="Save"
      run={async (note) => {
        await unwrap(api.people[':id'].$put({ param: { id: person.id }, json: { ...form, note } }))
      }}
      onClose={onClose}
    >
      {({ error, forget }) => {
        const set = (patch: Partial<typeof form>) => {
          forget()
          setForm((old) => ({ ...old, ...patch }))
        }
        return (
          <>
            <TextField
              label="Name"
              error={error?.at('/name')}
              maxLength={100}
              value={form.name}
              onChange={(text) => set({ name: text })}
            />
            <TextField
              label="Email"
              error={error?.at('/email')}
              hint={error?.at('/email') ? 'If both are the same person, join them instead.' : undefined}
              type="email"
              maxLength={254}
              value={form.email}
              onChange={(text) => set({ email: text })}
            />
            <Field label="Postal address" error={error?.at('/postalAddress')}>
              {(wiring) => (
                <textarea
                  {...wiring}
                  rows={3}
                  className={BOX_INPUT}
                  maxLength={400}
                  value={form.postalAddress}
                  onChange={(event) => set({ postalAddress: event.target.value })}
                />
              )}
            </Field>
          </>
        )
      }}
    </NoteDialog>
  )
}

function JoinDialog({ person, onClose }: DialogProps) {
  const { mode } = useSession()
  const [search, setSearch] = useState('')
  const [other, setOther] = useState<string | null>(null)
  const found = useQuery({
    queryKey: ['people', mode, 'join', search],
    enabled: search.trim().length > 1,
    queryFn: () => unwrap(api.people.$get({ query: { search } })),
  })
  const others = (found.data?.people ?? []).filter(({ id }) => id !== person.id).slice(0, 6)
  return (
    <NoteDialog
      title={`Join ${person.name} with another person`}
      text={`For one buyer who appears twice: all orders, courses and messages of the other person move to ${person.name}, whose name, email and password are kept. The other person is deleted. This cannot be undone.`}
      action="Join them"
      run={async (note, once) => {
        if (!other)
          throw new ApiError({ status: 0, code: 'choose', title: 'Choose the person to join.', errors: [], more: {} })
        await once((header) =>
          api.people[':id'].join.$post({ param: { id: person.id }, json: { other, note }, header }),
        )
        toast('Joined.')
      }}
      onClose={onClose}
    >
      <TextField
        label="The other person"
        hint="Name or email."
        type="search"
        maxLength={100}
        value={search}
        onChange={(text) => {
          setSearch(text)
          setOther(null)
        }}
      />
      <fieldset>
        <legend className="sr-only">Person to join</legend>
        {others.map(({ id, name, email }) => (
          <label key={id} className="mt-1 flex items-center gap-2">
            <input type="radio" name="other" checked={other === id} onChange={() => setOther(id)} />
            {name}, {email}
          </label>
        ))}
        {found.isSuccess && others.length === 0 && (
          <p className="text-[13.5px] text-ink-2">Nobody else has that name.</p>
        )}
      </fieldset>
    </NoteDialog>
  )
}

function EraseDialog({ person, onClose }: DialogProps) {
  const { school } = useSession()
  const years = `${school.keepYears} ${school.keepYears === 1 ? 'year' : 'years'}`
  return (
    <NoteDialog
      title={`Delete the data of ${person.name}`}
      text={`Name, email, address, password and the texts of messages are deleted, access ends, and they cannot sign in. Paid orders are kept, with the name on their receipts for ${years} (Setup, School). This cannot be undone.`}
      action="Delete the data"
      run={async (note) => {
        await unwrap(api.people[':id'].erase.$post({ param: { id: person.id }, json: { note } }))
        toast('Deleted.')
      }}
      onClose={onClose}
    />
  )
}
