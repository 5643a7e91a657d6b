import { useState } from 'react'
import { useNavigate } from 'react-router'
import { ARRANGEMENTS, type Arrangement, arranged } from '../../core/checkoutPages/arrangements.ts'
import { formatList } from '../../core/sentence/words.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { FormDialog } from '../drafting/FormDialog.tsx'
import { Select } from '../frame/Select.tsx'
import { usePages, useShelf } from '../sell/queries.ts'
import { PART_NAMES } from './names.ts'

const NAMES: Record<Arrangement, readonly [name: string, what: string]> = {
  short: ['The short one', 'Little to say, and the form at once.'],
  letter: ['The letter', 'You write to the reader; the form comes after.'],
  date: ['The class with a date', 'It begins on a day, and orders end before.'],
  membership: ['The membership', 'Prices side by side, and what members say.'],
  free: ['The free lesson', 'Shows what it is like, and asks for an address.'],
  empty: ['Empty', 'Nothing but the form.'],
}

interface NewPageProps {
  /** A page that is copied; null: it begins from an arrangement. */
  copied: { id: string; name: string; productId: string | null } | null
  onClose: () => void
}

/** The order bumps and upsells of a page in words; empty where it has none. */
function formatAdditions({ bumps, upsells }: { bumps: number; upsells: number }): string {
  const counted = (count: number, one: string) =>
    count === 0 ? [] : [count === 1 ? `the ${one}` : `the ${count} ${one}s`]
  return formatList([...counted(bumps, 'order bump'), ...counted(upsells, 'upsell')])
}

/** Another page for a course or a bundle: its name, what it sells, and what it begins with. */
export function NewPage({ copied, onClose }: NewPageProps) {
  const navigate = useNavigate()
  const shelf = useShelf()
  const pages = usePages()
  const products = (shelf.data ?? []).filter(({ isRetired }) => !isRetired)
  const [name, setName] = useState(copied ? `${copied.name}, copy`.slice(0, 80) : '')
  const [chosen, setChosen] = useState(copied?.productId ?? '')
  const [from, setFrom] = useState<string>(copied ? copied.id : 'short')
  const productId = chosen || (products[0]?.id ?? '')
  const main = (pages.data ?? []).find((page) => page.productId === productId && page.isMain)
  const isArranged = ARRANGEMENTS.some((one) => one === from)
  const additions = isArranged && main ? formatAdditions(main) : ''
  const [takesOver, setTakesOver] = useState(true)
  const create = async () => {
    const arrangement = ARRANGEMENTS.find((one) => one === from)
    const json = {
      productId,
      name: name.trim(),
      from: arrangement ? { arrangement } : { copyOf: from },
      takesOver: additions !== '' && takesOver,
    }
    const { id } = await unwrap(api.pages.$post({ json }))
    void navigate(`/studio/sell/pages/${id}`)
  }
  if (shelf.data && products.length === 0) {
    return (
      <Dialog title="New checkout page" text="A page sells a course or a bundle. Create one first." onClose={onClose}>
        <p className="flex justify-end">
          <Button onClick={onClose}>Close</Button>
        </p>
      </Dialog>
    )
  }
  return (
    <FormDialog
      title={copied ? 'Copy this page' : 'New checkout page'}
      text="Nothing is sold on it until you publish it. The main page stays as it is."
      action="Create the page"
      run={create}
      invalidates={[['pages']]}
      onClose={onClose}
      wide={copied === null}
    >
      {({ error }) => (
        <>
          <Field label="Name, only for you" error={error?.at('/name')}>
            {(wiring) => (
              <input
                {...wiring}
                className={BOX_INPUT}
                maxLength={80}
                placeholder="Spring campaign"
                value={name}
                onChange={(event) => setName(event.target.value)}
              />
            )}
          </Field>
          <Field label="What it sells" error={error?.at('/productId')}>
            {(wiring) => (
              <Select
                wiring={wiring}
                className={BOX_INPUT}
                value={productId}
                options={products.map(({ id, title }) => [id, title] as const)}
                onChange={setChosen}
              />
            )}
          </Field>
          {copied === null && (
            <fieldset>
              <legend className="mb-1 text-[13px] font-semibold">It begins with</legend>
              <div className="mb-2 grid gap-2 sm:grid-cols-3">
                {(Object.entries(NAMES) as [Arrangement, readonly [string, string]][]).map(([value, [title, what]]) => (
                  <label
                    key={value}
                    className="cursor-pointer rounded-lg border border-line px-3 py-2 has-checked:border-leaf has-checked:bg-acorn-soft has-focus-visible:outline-2 has-focus-visible:outline-leaf"
                  >
                    <input
                      type="radio"
                      name="from"
                      className="sr-only"
                      checked={from === value}
                      onChange={() => setFrom(value)}
                    />
                    <b className="block text-[14px] font-semibold">{title}</b>
                    <span className="block text-[12.5px] text-ink-2">{what}</span>
                    <span className="mt-1 block text-[12px] text-ink-3">
                      {arranged(value)
                        .parts.map(({ kind }) => PART_NAMES[kind][0])
                        .join(' · ')}
                    </span>
                  </label>
                ))}
              </div>
              {(pages.data ?? []).length > 0 && (
                <Select
                  label="Or a copy of a page"
                  className={BOX_INPUT}
                  value={isArranged ? '' : from}
                  options={[
                    ['', 'Or a copy of a page…'],
                    ...(pages.data ?? []).map(
                      ({ id, name: called, title }) => [id, called || title || 'The basket'] as const,
                    ),
                  ]}
                  onChange={(id) => setFrom(id === '' ? 'short' : id)}
                />
              )}
            </fieldset>
          )}
          {additions !== '' && (
            <label className="flex cursor-pointer items-baseline gap-2 text-[13.5px]">
              <input
                type="checkbox"
                checked={takesOver}
                onChange={(event) => setTakesOver(event.target.checked)}
                className="size-4 translate-y-0.5 accent-leaf"
              />
              Take over {additions} of the main page
            </label>
          )}
        </>
      )}
    </FormDialog>
  )
}
