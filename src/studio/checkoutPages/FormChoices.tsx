import { ArrowUp } from 'lucide-react'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { PreviewSection } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { BumpList } from '../sell/BumpFields.tsx'
import type { BenchPage } from '../sell/queries.ts'
import { OneOf, Tick } from './Choices.tsx'
import { ownOffers } from './ownOffers.ts'

interface FormChoicesProps {
  page: BenchPage
  content: PageContent
  change: (patch: Partial<PageContent>) => void
  /** What is wrong, by the field: `/code`. */
  problemAt: (field: string) => string | undefined
}

/** What is ordered on the page: the side of its form, its offers, a code, its order bumps. */
export function FormChoices({ page, content, change, problemAt }: FormChoicesProps) {
  return (
    <>
      <h2 className="mb-3 text-[16px]">Order form</h2>
      <OneOf
        label="Where there is room beside it"
        value={content.formSide}
        of={[
          ['left', 'The form on the left'],
          ['right', 'The form on the right'],
        ]}
        onChange={(side) => change({ formSide: side as PageContent['formSide'] })}
      />
      {page.product && <Offers page={page} content={content} change={change} />}
      {page.product && (
        <Field
          label="Code that is applied by itself"
          error={problemAt('/code')}
          hint="Empty: none. Buyers see what it takes off."
          className="mb-5"
        >
          {(wiring) => (
            <input
              {...wiring}
              className={BOX_INPUT}
              maxLength={40}
              value={content.code}
              onChange={(event) => change({ code: event.target.value.trim() })}
            />
          )}
        </Field>
      )}
      <PreviewSection label="Order bumps">
        <BumpList page={page} bumps={content.bumps} change={(bumps) => change({ bumps })} />
      </PreviewSection>
    </>
  )
}

function Offers({ page, content, change }: Omit<FormChoicesProps, 'problemAt'>) {
  const own = ownOffers(page)
  const { offers: shown, chosen } = content
  const named = new Map(own.map(({ id, content: offer }) => [id, offer.name]))
  const listed = shown === null ? own.map(({ id }) => id) : shown.filter((id) => named.has(id))
  const left = own.map(({ id }) => id).filter((id) => !listed.includes(id))
  const raise = (index: number) => {
    const id = listed[index]
    if (id) change({ offers: listed.toSpliced(index, 1).toSpliced(index - 1, 0, id) })
  }
  return (
    <>
      <OneOf
        label="Offers"
        value={shown === null ? 'all' : 'some'}
        of={[
          ['all', 'All that are on sale'],
          ['some', 'These, in this order'],
        ]}
        onChange={(which) => change({ offers: which === 'all' ? null : own.map(({ id }) => id) })}
      />
      {shown !== null && (
        <ul className="-mt-2 mb-3">
          {[...listed, ...left].map((id, index) => (
            <li key={id} className="flex items-center gap-2 border-b border-line py-1">
              <span className="min-w-0 flex-1">
                <Tick
                  label={named.get(id) ?? ''}
                  isOn={listed.includes(id)}
                  onChange={(isOn) => change({ offers: isOn ? [...listed, id] : listed.filter((one) => one !== id) })}
                />
              </span>
              {index > 0 && index < listed.length && (
                <Button kind="link" aria-label={`Move ${named.get(id)} up`} onClick={() => raise(index)}>
                  <ArrowUp size={14} />
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {listed.length > 1 && (
        <Field label="Chosen beforehand" className="mb-5">
          {(wiring) => (
            <Select
              wiring={wiring}
              className={BOX_INPUT}
              value={chosen ?? ''}
              options={[['', 'The first one'], ...listed.map((id) => [id, named.get(id) ?? ''] as const)]}
              onChange={(id) => change({ chosen: id === '' ? null : id })}
            />
          )}
        </Field>
      )}
    </>
  )
}
