import { addUpsell, MAX_UPSELLS, type PageContent, removeUpsell, type Upsell } from '../../core/content/checkoutPage.ts'
import { UPSELLS } from '../../core/words/en/upsells.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { UpsellBox } from '../../ui/UpsellBox.tsx'
import { Select } from '../frame/Select.tsx'
import { AdditionFields, useAddition } from './AdditionFields.tsx'
import type { BenchPage } from './queries.ts'
import { UpsellPath } from './UpsellPath.tsx'

interface UpsellListProps {
  page: BenchPage
  content: PageContent
  change: (patch: Partial<PageContent>) => void
}

/** What is offered after the payment: its steps, and where each answer leads. */
export function UpsellList({ page, content, change }: UpsellListProps) {
  const { upsells, upsellsByTransfer } = content
  const set = (id: string, patch: Partial<Upsell>) =>
    change({ upsells: upsells.map((step) => (step.id === id ? { ...step, ...patch } : step)) })
  return (
    <>
      {upsells.length === 0 ? (
        <p className="pt-[5px] pb-2 text-ink-2">
          Something more that buyers are offered once, right after they have paid. One press adds it.
        </p>
      ) : (
        <UpsellPath upsells={upsells} nameOf={(step) => nameOf(step, page)} />
      )}
      <ol className="grid gap-4">
        {upsells.map((step, index) => (
          <AdditionFields
            key={step.id}
            called={`Upsell ${index + 1}`}
            addition={step}
            page={page}
            all={upsells}
            change={(patch) => set(step.id, patch)}
            remove={() => change({ upsells: removeUpsell(upsells, step.id) })}
          >
            <div className="grid gap-3">
              {(['onYes', 'onNo'] as const).map((answer) => (
                <Field key={answer} label={answer === 'onYes' ? 'After a yes' : 'After a no'}>
                  {(wiring) => (
                    <Select
                      wiring={wiring}
                      className={BOX_INPUT}
                      value={step[answer] ?? ''}
                      options={[
                        ...upsells
                          .slice(index + 1)
                          .map(
                            (later, place) =>
                              [later.id, `Upsell ${index + place + 2}: ${nameOf(later, page)}`] as const,
                          ),
                        ['', 'The thanks page'] as const,
                      ]}
                      onChange={(id) => set(step.id, { [answer]: id === '' ? null : id })}
                    />
                  )}
                </Field>
              ))}
            </div>
          </AdditionFields>
        ))}
      </ol>
      {upsells.length < MAX_UPSELLS && (
        <Button
          kind="link"
          className="mt-2"
          onClick={() => change({ upsells: addUpsell(upsells, crypto.randomUUID()) })}
        >
          {upsells.length === 0 ? 'Add an upsell' : 'Add another upsell'}
        </Button>
      )}
      {upsells.length > 0 && (
        <label className="mt-3 flex cursor-pointer items-baseline gap-2">
          <input
            type="checkbox"
            checked={upsellsByTransfer}
            onChange={(event) => change({ upsellsByTransfer: event.target.checked })}
            className="size-4 translate-y-0.5 accent-leaf"
          />
          <span>
            Offer them after a bank transfer too
            <span className="block text-[13px] text-ink-2">
              The buyer transfers the money for it with a second reference. Otherwise they go straight to the bank
              details.
            </span>
          </span>
        </label>
      )}
    </>
  )
}

function nameOf({ offerId, title }: Upsell, { offers }: BenchPage): string {
  return title || offers.find(({ id }) => id === offerId)?.product || 'nothing yet'
}

/** An upsell as buyers see it. */
export function UpsellPreview({ step, page }: { step: Upsell; page: BenchPage }) {
  const shown = useAddition(step, page)
  if (!shown) return null
  return (
    <div className="mb-3 rounded-lg border border-line bg-sheet p-3">
      <UpsellBox {...shown} isSmall />
      <div className="mt-2.5 grid grid-cols-2 gap-2 text-center text-[13px] font-semibold" aria-hidden="true">
        <span className="rounded-field border border-ink bg-ink py-1.5 text-sheet">Add it</span>
        <span className="rounded-field border border-ink py-1.5">{UPSELLS.no}</span>
      </div>
    </div>
  )
}
