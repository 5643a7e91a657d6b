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
import { ChevronDown, ChevronRight, GripVertical } from 'lucide-react'
import { useState } from 'react'
import { flushSync } from 'react-dom'
import type { Lesson } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { RichText } from './RichText.tsx'

/** A lesson without words yet. */
export function newLesson(): Lesson {
  return { id: crypto.randomUUID(), title: '', body: '' }
}

const screenReaderInstructions = {
  draggable: 'Press space to pick the lesson up, the arrow keys to move it, space to put it down, escape to leave it.',
}

/** Puts the keyboard into a lesson's title. */
export function focusTitle({ id }: Pick<Lesson, 'id'>): void {
  document.getElementById(`lesson-${id}`)?.focus()
}

interface LessonsProps {
  lessons: Lesson[]
  onChange: (lessons: Lesson[]) => void
}

/** The lessons in their order, each opened in place. */
export function Lessons({ lessons, onChange }: LessonsProps) {
  const [openId, setOpenId] = useState<string | null>(null)
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
  const add = () => {
    const lesson = newLesson()
    // It is named first: drawn at once, so that its title can take the focus.
    flushSync(() => {
      onChange([...lessons, lesson])
      setOpenId(lesson.id)
    })
    focusTitle(lesson)
  }
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return
    const at = (id: unknown) => lessons.findIndex((lesson) => lesson.id === id)
    onChange(arrayMove(lessons, at(active.id), at(over.id)))
  }
  const titled = (id: unknown) => {
    const at = lessons.findIndex((lesson) => lesson.id === id)
    return `“${lessons[at]?.title || `Lesson ${at + 1}`}”`
  }
  const placed = (id: unknown) => `place ${lessons.findIndex((lesson) => lesson.id === id) + 1} of ${lessons.length}`
  const announcements: Announcements = {
    onDragStart: ({ active }) => `${titled(active.id)} is picked up at ${placed(active.id)}.`,
    onDragOver: ({ active, over }) => (over ? `${titled(active.id)} would stand at ${placed(over.id)}.` : undefined),
    onDragEnd: ({ active, over }) => `${titled(active.id)} stands at ${placed((over ?? active).id)}.`,
    onDragCancel: ({ active }) => `${titled(active.id)} stays where it was.`,
  }
  return (
    <>
      <DndContext sensors={sensors} onDragEnd={onDragEnd} accessibility={{ announcements, screenReaderInstructions }}>
        <SortableContext items={lessons.map(({ id }) => id)} strategy={verticalListSortingStrategy}>
          <ol>
            {lessons.map((lesson, index) => (
              <LessonRow
                key={lesson.id}
                lesson={lesson}
                number={index + 1}
                isOpen={lesson.id === openId}
                toggle={() => setOpenId(lesson.id === openId ? null : lesson.id)}
                change={(patch) =>
                  onChange(lessons.map((other) => (other.id === lesson.id ? { ...other, ...patch } : other)))
                }
                remove={() => onChange(lessons.filter(({ id }) => id !== lesson.id))}
              />
            ))}
          </ol>
        </SortableContext>
      </DndContext>
      {lessons.length === 0 && (
        <p className="pt-[5px] pb-2 text-ink-2">
          A lesson is a title and a text. Two or three are enough to begin with.
        </p>
      )}
      <Button kind="link" className="mt-1.5" onClick={add}>
        Add a lesson
      </Button>
    </>
  )
}

interface LessonRowProps {
  lesson: Lesson
  number: number
  isOpen: boolean
  toggle: () => void
  change: (patch: Partial<Lesson>) => void
  remove: () => void
}

function LessonRow({ lesson, number, isOpen, toggle, change, remove }: LessonRowProps) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: lesson.id })
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition: transition ?? undefined }}
      className={classes('border-b border-line py-1', isDragging && 'relative z-10 bg-sheet opacity-90')}
    >
      <div className="flex items-center gap-1.5">
        <button
          type="button"
          aria-label={`Move lesson ${number}${lesson.title ? `, “${lesson.title}”` : ''}`}
          className="cursor-grab p-1 text-ink-3"
          {...attributes}
          {...listeners}
        >
          <GripVertical size={15} />
        </button>
        <span className="w-5 text-right text-ink-3">{number}</span>
        <input
          id={`lesson-${lesson.id}`}
          aria-label={`Title of lesson ${number}`}
          placeholder="Title of the lesson"
          maxLength={160}
          value={lesson.title}
          onChange={(event) => change({ title: event.target.value })}
          className="min-w-0 flex-1 rounded px-1.5 py-1 font-medium hover:bg-sheet-2"
        />
        <button
          type="button"
          aria-expanded={isOpen}
          onClick={toggle}
          className="flex items-center gap-1 rounded px-1.5 py-1 text-[13px] text-ink-2 hover:bg-sheet-2"
        >
          {isOpen ? <ChevronDown size={15} /> : <ChevronRight size={15} />}Text
        </button>
        <button
          type="button"
          onClick={remove}
          className="rounded px-1.5 py-1 text-[13px] text-ink-2 hover:bg-sheet-2"
          aria-label={`Remove lesson ${number}`}
        >
          Remove
        </button>
      </div>
      {isOpen && (
        <div className="mt-1 mb-2 pl-9">
          <RichText label={`Text of lesson ${number}`} html={lesson.body} onChange={(body) => change({ body })} />
        </div>
      )}
    </li>
  )
}
