import { useQuery } from '@tanstack/react-query'
import { frontChanges } from '../../core/content/changes.ts'
import { type FrontContent, MAX_SECTIONS, shelve } from '../../core/content/front.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { Spine } from '../../ui/Spine.tsx'
import { api } from '../api.ts'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { OpenBench } from '../drafting/OpenBench.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { PreviewSection, Section, Work } from '../frame/Places.tsx'
import { Select } from '../frame/Select.tsx'
import { useSession } from '../session/session.ts'
import { Obstacles } from './Obstacles.tsx'
import { type ShelfProduct, useShelf } from './queries.ts'

const loadFront = () => unwrap(api.catalogue.front.$get())
type BenchFront = Awaited<ReturnType<typeof loadFront>>
type FrontSection = FrontContent['sections'][number]

/** The bench for the shop's front. */
export function FrontBenchPage() {
  const front = useQuery({
    queryKey: ['front'],
    queryFn: loadFront,
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
  })
  return <OpenBench query={front}>{(data) => <FrontBench front={data} />}</OpenBench>
}

function FrontBench({ front }: { front: BenchFront }) {
  const { school } = useSession()
  const shelf = useShelf()
  const draft = useDraft<FrontContent>({
    first: front,
    save: (baseRev, content) => unwrap(api.catalogue.front.draft.$put({ json: { baseRev, content } })),
  })
  const publishing = usePublishing(draft)
  const { content, change } = draft
  const products = (shelf.data ?? []).filter(({ isRetired }) => !isRetired)
  const titleOf = (id: string) => products.find((product) => product.id === id)?.title ?? 'something retired'
  const setSection = (id: string, patch: Partial<FrontSection>) =>
    change({ sections: content.sections.map((section) => (section.id === id ? { ...section, ...patch } : section)) })
  const move = (index: number) => {
    const sections = [...content.sections]
    sections.splice(index - 1, 0, ...sections.splice(index, 1))
    change({ sections })
  }
  const taken = new Set(content.sections.flatMap((section) => section.products))
  const isChanged = frontChanges(front.live, content, titleOf).length > 0
  return (
    <Work
      bench={
        <DraftBench
          draft={draft}
          publishing={publishing}
          kicker="Shop front · published"
          publish={{
            title: 'Publish the shop front',
            changes: frontChanges(front.live, draft.saved.draft, titleOf),
            notes: [],
            blocked: [],
            run: () => unwrap(api.catalogue.front.publish.$post({ json: { rev: draft.revision() } })),
            invalidates: [['front']],
          }}
          changesOf={(theirs) => frontChanges(theirs, content, titleOf)}
        >
          <h1 className="mt-1 text-[27px]">The shop’s front</h1>
          <Section title="Above all">
            <div className="grid gap-3">
              <Field label="Headline">
                {(wiring) => (
                  <input
                    {...wiring}
                    className={BOX_INPUT}
                    maxLength={120}
                    placeholder={`Courses of ${school.name}`}
                    value={content.headline}
                    onChange={(event) => change({ headline: event.target.value })}
                  />
                )}
              </Field>
              <Field label="A few words beside it">
                {(wiring) => (
                  <textarea
                    {...wiring}
                    rows={2}
                    className={BOX_INPUT}
                    maxLength={300}
                    value={content.intro}
                    onChange={(event) => change({ intro: event.target.value })}
                  />
                )}
              </Field>
            </div>
          </Section>
          <Section title="Sections">
            {content.sections.length === 0 && (
              <p className="pt-[5px] pb-2 text-ink-2">
                Without sections all courses stand in one list, then all bundles, as on the shelf.
              </p>
            )}
            <ol className="grid gap-4">
              {content.sections.map((section, index) => (
                <SectionFields
                  key={section.id}
                  section={section}
                  number={index + 1}
                  products={products}
                  taken={taken}
                  change={(patch) => setSection(section.id, patch)}
                  moveUp={index === 0 ? null : () => move(index)}
                  remove={() => change({ sections: content.sections.filter(({ id }) => id !== section.id) })}
                />
              ))}
            </ol>
            {content.sections.length < MAX_SECTIONS && (
              <Button
                kind="link"
                className="mt-2"
                onClick={() =>
                  change({ sections: [...content.sections, { id: crypto.randomUUID(), title: '', products: [] }] })
                }
              >
                Add a section
              </Button>
            )}
          </Section>
          <Section title="Basket" id="basket">
            <label className="flex cursor-pointer items-baseline gap-2 pt-[5px]">
              <input
                type="checkbox"
                checked={content.hasBasket}
                onChange={(event) => change({ hasBasket: event.target.checked })}
                className="size-4 translate-y-0.5 accent-leaf"
              />
              <span>
                Let buyers collect several things in a basket
                <span className="block text-[13px] text-ink-2">
                  Each price gets “Add to basket” below its button. Without it every button leads straight to the
                  checkout.
                </span>
              </span>
            </label>
          </Section>
        </DraftBench>
      }
      mirror={
        <>
          <PreviewSection label="Before it is published">
            <Obstacles
              obstacles={
                isChanged
                  ? [
                      {
                        code: 'changed',
                        level: 'warning',
                        stopsPublishing: false,
                        title: 'Buyers still see the published version.',
                        detail: '',
                        fix: { to: 'publish', label: 'Review' },
                      },
                    ]
                  : []
              }
              fix={() => void publishing.open()}
              nothing="Buyers see it as it is here."
            />
          </PreviewSection>
          <PreviewSection label="The buyer sees">
            <Preview content={content} products={products} />
            <p className="mt-3 text-[13px]">
              <a className="link" href="/" target="_blank" rel="noreferrer">
                Open the shop
              </a>
            </p>
          </PreviewSection>
        </>
      }
    />
  )
}

interface SectionFieldsProps {
  section: FrontSection
  number: number
  products: readonly ShelfProduct[]
  /** What stands in any section. */
  taken: ReadonlySet<string>
  change: (patch: Partial<FrontSection>) => void
  moveUp: (() => void) | null
  remove: () => void
}

function SectionFields({ section, number, products, taken, change, moveUp, remove }: SectionFieldsProps) {
  const name = section.title || `section ${number}`
  const left = products.filter(({ id }) => !taken.has(id))
  const listed = section.products.flatMap((id) => products.find((product) => product.id === id) ?? [])
  const earlier = (index: number) => {
    const ids = listed.map(({ id }) => id)
    ids.splice(index - 1, 0, ...ids.splice(index, 1))
    change({ products: ids })
  }
  return (
    <li className="rounded-lg border border-line px-4 py-3">
      <div className="flex items-center gap-3">
        <input
          aria-label={`Title of section ${number}`}
          placeholder="Title of the section"
          maxLength={60}
          value={section.title}
          onChange={(event) => change({ title: event.target.value })}
          className="display min-w-0 flex-1 rounded px-1 text-[16px] font-semibold hover:bg-sheet-2"
        />
        <span className="flex gap-3 text-[13px]">
          {moveUp && (
            <Button kind="link" aria-label={`Move ${name} up`} onClick={moveUp}>
              Move up
            </Button>
          )}
          <Button kind="link" aria-label={`Remove ${name}`} onClick={remove}>
            Remove
          </Button>
        </span>
      </div>
      <ul className="mt-1">
        {listed.map((product, index) => (
          <li key={product.id} className="flex items-center gap-2.5 border-b border-line py-1.5">
            <Spine colors={product.colors} className="h-4 w-[7px] rounded-[2px]" />
            <span className="min-w-0 flex-1 truncate">{product.title}</span>
            <span className="flex gap-3 text-[13px]">
              {index > 0 && (
                <Button kind="link" aria-label={`Move ${product.title} up`} onClick={() => earlier(index)}>
                  Move up
                </Button>
              )}
              <Button
                kind="link"
                aria-label={`Take ${product.title} out of ${name}`}
                onClick={() => change({ products: section.products.filter((id) => id !== product.id) })}
              >
                Take out
              </Button>
            </span>
          </li>
        ))}
      </ul>
      {left.length > 0 && (
        <Select
          label={`Add to ${name}`}
          className="mt-2 max-w-[300px] rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13.5px]"
          value=""
          options={[['', 'Add a course or bundle…'], ...left.map(({ id, title }) => [id, title] as const)]}
          onChange={(id) => id !== '' && change({ products: [...section.products, id] })}
        />
      )}
    </li>
  )
}

/** The sections as buyers see them, small. */
function Preview({ content, products }: { content: FrontContent; products: readonly ShelfProduct[] }) {
  const { school } = useSession()
  const onSale = products.filter(({ isLive, offers }) => isLive && offers.some((offer) => offer.onSale))
  return (
    <div className="rounded-lg border border-line bg-sheet px-4 py-3">
      <p className="display text-[18px] leading-tight font-semibold">
        {content.headline || `Courses of ${school.name}`}
      </p>
      {content.intro && <p className="mt-1 text-[13.5px] text-ink-2">{content.intro}</p>}
      {shelve(content, onSale).map((section) => (
        <div key={section.id} className="mt-2 border-t border-line pt-2">
          {section.title && <p className="text-[13px] font-semibold">{section.title}</p>}
          <ul className="text-[13.5px]">
            {section.products.map((product) => (
              <li key={product.id} className="flex items-center gap-2 py-0.5">
                <Spine colors={product.colors} className="h-3.5 w-[6px] rounded-[2px]" />
                <span className="min-w-0 truncate">{product.title}</span>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </div>
  )
}
