import type { PageFacts } from '../../core/checkoutPages/facts.ts'
import { mayAdd, PART_KINDS, type PagePart, type PartKind } from '../../core/checkoutPages/parts.ts'
import { sampleFacts, samplePart } from '../../core/checkoutPages/sample.ts'
import { EditingContext } from '../../ui/checkoutPages/editing.tsx'
import { PartView } from '../../ui/checkoutPages/PageLayout.tsx'
import { headColor } from '../../ui/look.ts'
import { Stitches } from '../../ui/Stitches.tsx'
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
  const color = headColor(null, facts.school.look, facts.product.coverColor)
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
                    {kind === 'picture' && facts.product.coverId === null ? (
                      <span className="block h-[200px] rounded-lg text-[#f4f8ea]" style={{ background: color }}>
                        <Stitches className="mx-auto h-full w-[70%]" />
                      </span>
                    ) : (
                      <PartView
                        part={samplePart(kind, facts)}
                        facts={sampleFacts(facts)}
                        color={color}
                        isUnder={false}
                      />
                    )}
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
