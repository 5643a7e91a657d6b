import { type Bump, MAX_BUMPS } from '../../core/content/checkoutPage.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { AdditionFields } from './AdditionFields.tsx'
import type { BenchPage } from './queries.ts'

interface BumpListProps {
  page: BenchPage
  bumps: readonly Bump[]
  change: (bumps: Bump[]) => void
}

/** What can be ticked on a checkout page to be ordered too. */
export function BumpList({ page, bumps, change }: BumpListProps) {
  const set = (id: string, patch: Partial<Bump>) =>
    change(bumps.map((bump) => (bump.id === id ? { ...bump, ...patch } : bump)))
  const titleOf = ({ title, offerId }: Bump) => title || (page.offers.find(({ id }) => id === offerId)?.product ?? '')
  const add = () =>
    change([...bumps, { id: crypto.randomUUID(), offerId: null, title: '', text: '', coverId: null, tick: '' }])
  return (
    <>
      {bumps.length === 0 && (
        <p className="pb-2 text-ink-2">
          Something else that buyers can tick to order with it. It is never ticked beforehand.
        </p>
      )}
      <ol className="grid gap-4">
        {bumps.map((bump, index) => (
          <AdditionFields
            key={bump.id}
            called={`Order bump ${index + 1}`}
            addition={bump}
            page={page}
            all={bumps}
            change={(patch) => set(bump.id, patch)}
            moveUp={index === 0 ? null : () => change(bumps.toSpliced(index, 1).toSpliced(index - 1, 0, bump))}
            remove={() => change(bumps.filter(({ id }) => id !== bump.id))}
          >
            <Field label="Words beside the tick">
              {(wiring) => (
                <input
                  {...wiring}
                  className={BOX_INPUT}
                  maxLength={80}
                  placeholder={say(CATALOGUE.add, { title: titleOf(bump) })}
                  value={bump.tick}
                  onChange={(event) => set(bump.id, { tick: event.target.value })}
                />
              )}
            </Field>
          </AdditionFields>
        ))}
      </ol>
      {bumps.length < MAX_BUMPS && (
        <Button kind="link" className="mt-2" onClick={add}>
          {bumps.length === 0 ? 'Add an order bump' : 'Add another order bump'}
        </Button>
      )}
    </>
  )
}
