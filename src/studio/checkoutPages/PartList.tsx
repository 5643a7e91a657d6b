import { type Announcements, closestCenter, DndContext, type DragEndEvent } from '@dnd-kit/core'
import { arrayMove, SortableContext, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { GripVertical } from 'lucide-react'
import { type ReactNode, useState } from 'react'
import { inOrder, partsAt, stepPart } from '../../core/checkoutPages/arrange.ts'
import { type PageFacts, whyNotShown } from '../../core/checkoutPages/facts.ts'
import { type PagePart, PLACES, type Place } from '../../core/checkoutPages/parts.ts'
import { classes } from '../../ui/classes.ts'
import { useListSensors, useSortableRow } from '../frame/SortableList.tsx'
import { chooseRow, useIsChosen, usePageBench } from './bench.tsx'
import { type Dropped, dropped, rowsOf } from './listRows.ts'
import { PART_NAMES, PLACE_NAMES } from './names.ts'

const screenReaderInstructions = {
  draggable:
    'Press space to pick the part up, the arrow keys to move it, space to put it down, escape to leave it. Alt with an arrow key moves it by one step at once.',
}

interface PartListProps {
  parts: PagePart[]
  facts: PageFacts | null
  /** What stands between the parts above and beside: the form, and what belongs to it. */
  form: ReactNode
  move: (to: Dropped) => void
}

/** The parts of a page in the order in which a phone shows them, moved by drag and by keyboard. */
export function PartList({ parts, facts, form, move }: PartListProps) {
  const { part: partOf, step } = usePageBench()
  const [said, setSaid] = useState('')
  const sensors = useListSensors()
  const rows = rowsOf(parts)
  const named = (id: unknown) => {
    const part = parts.find((one) => one.id === id)
    return part ? PART_NAMES[part.kind][0] : ''
  }
  const target = (active: unknown, over: unknown) =>
    dropped(parts, arrayMove(rows, rows.indexOf(String(active)), rows.indexOf(String(over))), String(active))
  const where = (to: Dropped) =>
    to.isAllowed
      ? describePlace(to.place, to.index, countAt(parts, to.id, to.place))
      : `cannot stand ${WHERE[to.place]}`
  const announcements: Announcements = {
    onDragStart: ({ active }) => `${named(active.id)} is picked up.`,
    onDragOver: ({ active, over }) =>
      over ? `${named(active.id)} would be ${where(target(active.id, over.id))}.` : undefined,
    onDragEnd: ({ active, over }) => {
      const to = over && target(active.id, over.id)
      return to?.isAllowed ? `${named(active.id)} is ${where(to)}.` : `${named(active.id)} stays where it was.`
    },
    onDragCancel: ({ active }) => `${named(active.id)} stays where it was.`,
  }
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return
    const to = target(active.id, over.id)
    if (to.isAllowed) move(to)
    else setSaid(`${named(active.id)} cannot stand ${WHERE[to.place]}.`)
  }
  const stepAt = (id: string, direction: 'up' | 'down') => {
    const isAtEnd = staysWhereItIs(parts, id, direction)
    step(id, direction)
    const now = partOf(id)
    if (!now) return
    // In another place it is drawn anew: the keyboard stays with it.
    requestAnimationFrame(() => document.getElementById(`move-${id}`)?.focus())
    setSaid(
      isAtEnd
        ? `${named(id)} cannot go further ${direction}.`
        : `${named(id)} moved ${direction}, ${WHERE[now.place]}.`,
    )
  }
  return (
    <>
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragEnd={onDragEnd}
        accessibility={{ announcements, screenReaderInstructions }}
      >
        <SortableContext items={rows} strategy={verticalListSortingStrategy}>
          {PLACES.map((place) => (
            <div key={place}>
              <PlaceHead place={place} />
              <ul>
                {partsAt(parts, place).map((part) => (
                  <PartRow key={part.id} part={part} facts={facts} step={stepAt} />
                ))}
              </ul>
              {place === 'above' && form}
            </div>
          ))}
        </SortableContext>
      </DndContext>
      <p role="status" className="sr-only">
        {said}
      </p>
    </>
  )
}

/** Whether a step would change nothing. */
function staysWhereItIs(parts: readonly PagePart[], id: string, direction: 'up' | 'down'): boolean {
  const order = (all: readonly PagePart[]) => all.map((one) => `${one.place} ${one.id}`).join()
  return order(stepPart(parts, id, direction)) === order(inOrder(parts))
}

const WHERE: Record<Place, string> = { above: 'above the form', beside: 'beside the form', below: 'below the form' }

function describePlace(place: Place, index: number, others: number): string {
  return `${WHERE[place]}, ${index + 1} of ${others + 1}`
}

function countAt(parts: readonly PagePart[], id: string, place: Place): number {
  return partsAt(parts, place).filter((one) => one.id !== id).length
}

/** The name of a place: parts are put down below it. */
function PlaceHead({ place }: { place: Place }) {
  const { setNodeRef, transform, transition } = useSortable({ id: `place:${place}`, disabled: { draggable: true } })
  return (
    <p
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className="px-1.5 pt-2 pb-0.5 text-[12px] font-semibold text-ink-3"
    >
      {PLACE_NAMES[place]}
    </p>
  )
}

interface PartRowProps {
  part: PagePart
  facts: PageFacts | null
  step: (id: string, direction: 'up' | 'down') => void
}

function PartRow({ part, facts, step }: PartRowProps) {
  const { row, handle, onKeyDown, isDragging } = useSortableRow(part.id)
  const { store } = usePageBench()
  const isChosen = useIsChosen(part.id)
  const [name] = PART_NAMES[part.kind]
  const why = facts ? whyNotShown(part, facts) : null
  return (
    <li
      {...row}
      className={classes(
        'grid grid-cols-[24px_minmax(0,1fr)] items-center rounded-field text-[13.5px]',
        isChosen ? 'bg-acorn' : 'hover:bg-sheet-2',
        isDragging && 'relative z-10 bg-sheet shadow-[0_8px_20px_-10px_rgb(26_35_28/.5)]',
      )}
    >
      <button
        type="button"
        {...handle}
        id={`move-${part.id}`}
        aria-label={`Move ${name}`}
        title="Drag, or Alt with an arrow key"
        className="grid h-full min-h-6 w-6 cursor-grab place-items-center text-ink-3"
        onKeyDown={(event) => {
          if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
            event.preventDefault()
            step(part.id, event.key === 'ArrowUp' ? 'up' : 'down')
          } else onKeyDown?.(event)
        }}
      >
        <GripVertical size={13} aria-hidden="true" />
      </button>
      <button
        type="button"
        aria-pressed={isChosen}
        id={`row-${part.id}`}
        onClick={(event) => chooseRow(store, part.id, event)}
        className={classes('flex min-h-[30px] items-baseline gap-2 py-1 pr-2 text-left', isChosen && 'font-semibold')}
      >
        <span className={classes('min-w-0 flex-1', why !== null && !isChosen && 'text-ink-2')}>{name}</span>
        <span className="text-[12px] font-normal text-ink-2">{why === null ? noteOf(part, facts) : 'not shown'}</span>
      </button>
    </li>
  )
}

/** What there is to say of a part in a word. */
function noteOf(part: PagePart, facts: PageFacts | null): string {
  switch (part.kind) {
    case 'opening':
      return { color: 'colour', picture: 'picture', plain: 'plain' }[part.behind]
    case 'gets':
      return String(part.lines.filter((line) => line.trim() !== '').length)
    case 'lessons':
      return facts ? String(facts.titles.length) : ''
    case 'testimonials':
      return String(part.people.length)
    case 'questions':
      return String(part.list.length)
    case 'guarantee':
      return part.days === null ? '' : `${part.days} ${part.days === 1 ? 'day' : 'days'}`
    case 'prices':
      return facts ? String(facts.prices.length) : ''
    default:
      return ''
  }
}
