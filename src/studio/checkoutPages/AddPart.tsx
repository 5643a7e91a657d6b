import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import { mayAdd, PART_KINDS, type PagePart, type PartKind } from '../../core/checkoutPages/parts.ts'
import { SAMPLE_VIDEO, samplePart } from '../../core/checkoutPages/sample.ts'
import { EditingContext } from '../../ui/checkoutPages/editing.tsx'
import { PartView } from '../../ui/checkoutPages/PageLayout.tsx'
import { headColor } from '../../ui/look.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { PART_NAMES } from './names.ts'

interface AddPartProps {
  parts: readonly PagePart[]
  facts: PageFacts
  add: (kind: PartKind) => void
  onClose: () => void
}

/** The parts that can be added, each as it would look on this very page. */
export function AddPart({ parts, facts, add, onClose }: AddPartProps) {
  const kinds = PART_KINDS.filter((kind) => mayAdd(parts, kind))
  return (
    <Dialog
      title="Add a part"
      text={
        kinds.length > 0
          ? 'Each as it will look here. Its words are written on the page.'
          : 'The page has as many parts as fit on it. Remove one first.'
      }
      onClose={onClose}
      wide
    >
      <ul className="grid grid-cols-2 gap-3 sm:grid-cols-3">
        {kinds.map((kind) => (
          <li key={kind}>
            <button
              type="button"
              aria-label={`Add: ${PART_NAMES[kind][0]}`}
              onClick={() => add(kind)}
              className="group block w-full rounded-lg border border-line bg-ground text-left hover:border-leaf"
            >
              <span aria-hidden="true" className="block h-[112px] overflow-hidden rounded-t-lg">
                <span inert className="block w-[220%] origin-top-left scale-[.4545] p-5 text-[15px]">
                  <EditingContext.Provider value={null}>
                    <PartView
                      part={samplePart(kind, facts)}
                      facts={sampled(facts)}
                      color={headColor(null, facts.school.look, facts.product.coverColor)}
                      isUnder={false}
                    />
                  </EditingContext.Provider>
                </span>
              </span>
              <span className="block rounded-b-lg border-t border-line bg-sheet px-3 py-2">
                <b className="block text-[14px] font-semibold">{PART_NAMES[kind][0]}</b>
                <span className="block text-[12.5px] text-ink-2">{PART_NAMES[kind][1]}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  )
}

/** The facts with an end to count to, and a video, where the page has none yet. */
function sampled(facts: PageFacts): PageFacts {
  const soon = new Date(Date.parse(facts.at) + 3 * 86_400_000).toISOString()
  const video = { length: 60, width: 16, height: 7, name: '', warning: null, hasCaptions: true }
  return {
    ...facts,
    videos: { [SAMPLE_VIDEO]: video },
    ends: { sale: facts.ends.sale ?? soon, page: facts.ends.page ?? soon, code: facts.ends.code ?? soon },
  }
}
