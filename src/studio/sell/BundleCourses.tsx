import { type BundleContent, MAX_COURSES } from '../../core/content/bundle.ts'
import { formatMoney } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { Spine } from '../../ui/Spine.tsx'
import { Select } from '../frame/Select.tsx'
import { DragHandle, moved, SortableList, useSortableRow } from '../frame/SortableList.tsx'
import { useSession } from '../session/session.ts'
import { PriceField } from './PriceField.tsx'
import type { BenchBundle } from './queries.ts'

type Listed = BundleContent['courses'][number]
type KnownCourse = BenchBundle['known'][number]

interface BundleCoursesProps {
  content: BundleContent
  known: readonly KnownCourse[]
  change: (patch: Partial<BundleContent>) => void
}

/** Which courses a bundle holds: named in their order, each with what it costs alone, or all that there are. */
export function BundleCourses({ content, known, change }: BundleCoursesProps) {
  const { includesAll, courses } = content
  return (
    <>
      <fieldset className="mb-2 flex flex-wrap gap-x-6 gap-y-1">
        <legend className="sr-only">Which courses</legend>
        <label className="flex items-center gap-2">
          <input type="radio" name="includes" checked={!includesAll} onChange={() => change({ includesAll: false })} />
          These courses
        </label>
        <label className="flex items-center gap-2">
          <input type="radio" name="includes" checked={includesAll} onChange={() => change({ includesAll: true })} />
          All courses, those to come included
        </label>
      </fieldset>
      {includesAll ? (
        <AllCourses known={known} />
      ) : (
        <ListedCourses courses={courses} known={known} onChange={(next) => change({ courses: next })} />
      )}
    </>
  )
}

function AllCourses({ known }: { known: readonly KnownCourse[] }) {
  const held = known.filter(({ isOnShelf }) => isOnShelf)
  return (
    <>
      <p className="text-ink-2">
        {held.length === 0
          ? 'No course is published yet.'
          : 'Every course that is published. One that you publish later opens for all buyers of the bundle.'}
      </p>
      <ol className="mt-1">
        {held.map((course, index) => (
          <li key={course.id} className="flex items-center gap-2.5 border-b border-line py-1.5">
            <span className="w-5 text-right text-ink-3">{index + 1}</span>
            <Spine colors={[course.coverColor]} className="h-4 w-[7px] rounded-[2px]" />
            <span className="min-w-0 flex-1 truncate">{course.title}</span>
            <Alone course={course} />
          </li>
        ))}
      </ol>
    </>
  )
}

/** What a course costs alone. */
function Alone({ course }: { course: KnownCourse }) {
  const { school } = useSession()
  const { alone } = course
  if (!alone) return <span className="text-[13px] text-ink-3">no one-time price</span>
  if (alone.list === 0) return <span>free</span>
  return (
    <span className="whitespace-nowrap">
      {alone.now < alone.list && <s className="mr-1 text-ink-3">{formatMoney(alone.list, school)}</s>}
      {formatMoney(alone.now, school)}
    </span>
  )
}

interface ListedCoursesProps {
  courses: Listed[]
  known: readonly KnownCourse[]
  onChange: (courses: Listed[]) => void
}

function ListedCourses({ courses, known, onChange }: ListedCoursesProps) {
  const courseOf = (id: string) => known.find((course) => course.id === id)
  const left = known.filter(({ id, isOnShelf }) => isOnShelf && !courses.some((course) => course.id === id))
  const add = (id: string) => onChange([...courses, { id, figure: null }])
  return (
    <>
      <SortableList
        word="course"
        ids={courses.map(({ id }) => id)}
        nameOf={(id) => `“${courseOf(id)?.title ?? 'A course that is gone'}”`}
        onMove={(id, over) => onChange(moved(courses, id, over))}
      >
        <ol>
          {courses.map((course, index) => (
            <CourseRow
              key={course.id}
              listed={course}
              course={courseOf(course.id)}
              number={index + 1}
              setFigure={(figure) =>
                onChange(courses.map((other) => (other.id === course.id ? { ...other, figure } : other)))
              }
              remove={() => onChange(courses.filter(({ id }) => id !== course.id))}
            />
          ))}
        </ol>
      </SortableList>
      {courses.length === 0 && <p className="pt-[5px] pb-2 text-ink-2">Two courses or more make a bundle.</p>}
      {left.length > 0 && courses.length < MAX_COURSES && (
        <div className="mt-2 flex flex-wrap items-center gap-3">
          <Select
            label="Add a course"
            className="max-w-[300px] rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13.5px]"
            value=""
            options={[['', 'Add a course…'], ...left.map(({ id, title }) => [id, title || 'Untitled'] as const)]}
            onChange={(id) => id !== '' && add(id)}
          />
          {left.length > 1 && courses.length + left.length <= MAX_COURSES && (
            <Button kind="link" onClick={() => onChange([...courses, ...left.map(({ id }) => ({ id, figure: null }))])}>
              Add all {left.length}
            </Button>
          )}
        </div>
      )}
      {left.length === 0 && courses.length < 2 && (
        <p className="mt-1 text-[13px] text-ink-2">Publish more courses to add them here.</p>
      )}
    </>
  )
}

interface CourseRowProps {
  listed: Listed
  /** Absent where it was deleted since. */
  course: KnownCourse | undefined
  number: number
  setFigure: (figure: number | null) => void
  remove: () => void
}

function CourseRow({ listed, course, number, setFigure, remove }: CourseRowProps) {
  const { school } = useSession()
  const { row, handle, isDragging } = useSortableRow(listed.id)
  const title = course?.title ?? 'A course that is gone'
  return (
    <li
      {...row}
      className={classes(
        'flex items-center gap-2 border-b border-line py-1.5',
        isDragging && 'relative z-10 bg-sheet opacity-90',
      )}
    >
      <DragHandle label={`Move ${title}`} handle={handle} />
      <span className="w-5 text-right text-ink-3">{number}</span>
      {course && <Spine colors={[course.coverColor]} className="h-4 w-[7px] rounded-[2px]" />}
      <span className="min-w-0 flex-1 truncate">
        {title}
        {course && !course.isOnShelf && <span className="text-[13px] text-ink-3"> · not on sale alone</span>}
      </span>
      {course?.alone ? (
        <Alone course={course} />
      ) : (
        <span className="whitespace-nowrap text-[13.5px] text-ink-2">
          worth{' '}
          <PriceField
            label={`What ${title} is worth`}
            amount={listed.figure}
            money={school}
            mayBeZero
            onChange={setFigure}
          />
        </span>
      )}
      <button
        type="button"
        onClick={remove}
        className="rounded px-1.5 py-1 text-[13px] text-ink-2 hover:bg-sheet-2"
        aria-label={`Take out ${title}`}
      >
        Take out
      </button>
    </li>
  )
}
