import { useState } from 'react'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import type { SendOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { LabelledDay } from '../days/LabelledDay.tsx'
import { Select } from '../frame/Select.tsx'
import { useShelf } from '../sell/queries.ts'
import { useSession, useStudioToday } from '../session/session.ts'
import { NoteDialog } from './NoteDialog.tsx'

interface GiveDialogProps {
  personId: string
  name: string
  onClose: () => void
}

/** Gives somebody courses, or all of a bundle, by hand: from when until when, and why where there is something to say. */
export function GiveDialog({ personId, name, onClose }: GiveDialogProps) {
  const { school } = useSession()
  const today = useStudioToday()
  const shelf = useShelf()
  const products = (shelf.data ?? []).filter(({ isLive }) => isLive)
  const [bundleId, setBundleId] = useState('')
  const [courseIds, setCourseIds] = useState<readonly string[]>([])
  const [from, setFrom] = useState(today)
  const [until, setUntil] = useState('')
  const give = (note: string, once: SendOnce) => {
    const what = { bundleId: bundleId || null, courseIds: bundleId ? [] : [...courseIds] }
    const json = { ...what, from: from === today ? null : from, until: until || null, note }
    return once((header) => api.people[':id'].grants.$post({ param: { id: personId }, json, header }))
  }
  const bundles = products.filter(({ kind }) => kind === 'bundle')
  const days = { language: school.language, today }
  return (
    <NoteDialog
      title={`Give ${name} access`}
      text="They get a message with the way in."
      action="Give access"
      noteHint="If you like. Kept in the history."
      run={give}
      onClose={onClose}
    >
      {({ error, forget }) => {
        const changing =
          <T,>(set: (value: T) => void) =>
          (value: T) => {
            forget()
            set(value)
          }
        return (
          <>
            {bundles.length > 0 && (
              <Field label="What" error={undefined}>
                {(wiring) => (
                  <Select
                    wiring={wiring}
                    className={BOX_INPUT}
                    value={bundleId}
                    options={[['', 'Courses'], ...bundles.map(({ id, title }) => [id, `Bundle: ${title}`] as const)]}
                    onChange={changing(setBundleId)}
                  />
                )}
              </Field>
            )}
            {!bundleId && (
              <fieldset>
                <legend className="text-[13px] font-semibold">Courses</legend>
                <ul className="mt-1 max-h-[180px] overflow-auto rounded-field border border-line px-2.5 py-1.5">
                  {products
                    .filter(({ kind }) => kind === 'course')
                    .map(({ id, title }) => (
                      <li key={id}>
                        <label className="flex items-center gap-2 py-0.5">
                          <input
                            type="checkbox"
                            className="accent-leaf"
                            checked={courseIds.includes(id)}
                            onChange={(event) =>
                              changing(setCourseIds)(
                                event.target.checked ? [...courseIds, id] : courseIds.filter((one) => one !== id),
                              )
                            }
                          />
                          {title}
                        </label>
                      </li>
                    ))}
                </ul>
                {error?.at('/courseIds') && (
                  <p role="alert" className="text-[13px] font-medium text-failed">
                    {error.at('/courseIds')}
                  </p>
                )}
              </fieldset>
            )}
            <div className="grid gap-3 sm:grid-cols-2">
              <LabelledDay
                label="First day"
                error={error?.at('/from')}
                {...days}
                value={from}
                onChange={changing(setFrom)}
              />
              <LabelledDay
                label="Last day"
                hint="Empty: for good."
                error={error?.at('/until')}
                {...days}
                value={until}
                onChange={changing(setUntil)}
              />
            </div>
          </>
        )
      }}
    </NoteDialog>
  )
}
