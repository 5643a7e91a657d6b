import { ChevronDown, ChevronRight } from 'lucide-react'
import { useState } from 'react'
import { flushSync } from 'react-dom'
import type { Lesson } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { DragHandle, moved, SortableList, useSortableRow } from '../frame/SortableList.tsx'
import { RichText } from './RichText.tsx'

/** A lesson without words yet. */
export function newLesson(): Lesson {
  return { id: crypto.randomUUID(), title: '', body: '' }
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
  const add = () => {
    const lesson = newLesson()
    // It is named first: drawn at once, so that its title can take the focus.
    flushSync(() => {
      onChange([...lessons, lesson])
      setOpenId(lesson.id)
    })
    focusTitle(lesson)
  }
  const nameOf = (id: string) => {
    const at = lessons.findIndex((lesson) => lesson.id === id)
    return `“${lessons[at]?.title || `Lesson ${at + 1}`}”`
  }
  return (
    <>
      <SortableList
        word="lesson"
        ids={lessons.map(({ id }) => id)}
        nameOf={nameOf}
        onMove={(id, over) => onChange(moved(lessons, id, over))}
      >
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
      </SortableList>
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
  const { row, handle, isDragging } = useSortableRow(lesson.id)
  return (
    <li {...row} className={classes('border-b border-line py-1', isDragging && 'relative z-10 bg-sheet opacity-90')}>
      <div className="flex items-center gap-1.5">
        <DragHandle label={`Move lesson ${number}${lesson.title ? `, “${lesson.title}”` : ''}`} handle={handle} />
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
