import {
  type Announcements,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core'
import {
  arrayMove,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { GripVertical } from 'lucide-react'
import type { ReactNode } from 'react'

/** What picks a row up: a pointer that moves a little, or the keyboard. */
export function useListSensors() {
  return useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
}

/** A row of a list that is put in order: where it is drawn, and what its handle needs. */
export function useSortableRow(id: string) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id })
  const row = {
    ref: setNodeRef,
    style: { transform: CSS.Translate.toString(transform), transition: transition ?? undefined },
  }
  return { row, handle: { ...attributes, ...listeners }, onKeyDown: listeners?.onKeyDown, isDragging }
}

interface SortableListProps {
  /** What a row is, as it is said to who cannot see it: "lesson". */
  word: string
  /** The rows that are shown, in their order. */
  ids: string[]
  /** A row's name, in quotes where it is a title. */
  nameOf: (id: string) => string
  /** A row was put down where another stands. */
  onMove: (id: string, over: string) => void
  children: ReactNode
}

/** Rows that are put in order by drag and by keyboard; each uses {@link useSortableRow}. */
export function SortableList({ word, ids, nameOf, onMove, children }: SortableListProps) {
  const sensors = useListSensors()
  const named = (id: unknown) => nameOf(String(id))
  const placed = (id: unknown) => `place ${ids.indexOf(String(id)) + 1} of ${ids.length}`
  const announcements: Announcements = {
    onDragStart: ({ active }) => `${named(active.id)} is picked up at ${placed(active.id)}.`,
    onDragOver: ({ active, over }) => (over ? `${named(active.id)} would stand at ${placed(over.id)}.` : undefined),
    onDragEnd: ({ active, over }) => `${named(active.id)} stands at ${placed((over ?? active).id)}.`,
    onDragCancel: ({ active }) => `${named(active.id)} stays where it was.`,
  }
  const screenReaderInstructions = {
    draggable: `Press space to pick the ${word} up, the arrow keys to move it, space to put it down, escape to leave it.`,
  }
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (over && active.id !== over.id) onMove(String(active.id), String(over.id))
  }
  return (
    <DndContext sensors={sensors} onDragEnd={onDragEnd} accessibility={{ announcements, screenReaderInstructions }}>
      <SortableContext items={ids} strategy={verticalListSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  )
}

/** A list in which a row stands where another stood. */
export function moved<T extends { id: string }>(list: readonly T[], id: string, over: string): T[] {
  const at = (wanted: string) => list.findIndex((one) => one.id === wanted)
  return arrayMove([...list], at(id), at(over))
}

interface DragHandleProps {
  label: string
  handle: ReturnType<typeof useSortableRow>['handle']
  className?: string
}

/** What a row is dragged by. */
export function DragHandle({ label, handle, className = '' }: DragHandleProps) {
  return (
    <button type="button" aria-label={label} className={`cursor-grab p-1 text-ink-3 ${className}`} {...handle}>
      <GripVertical size={15} />
    </button>
  )
}
