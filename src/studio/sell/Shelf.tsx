import { DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core'
import {
  arrayMove,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { useMutation } from '@tanstack/react-query'
import { GripVertical } from 'lucide-react'
import { useState } from 'react'
import { Link, NavLink, useLocation, useNavigate, useSearchParams } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { StateMark } from '../../ui/State.tsx'
import { api, IN_PLACE, queryClient } from '../api.ts'
import { CouponShelf } from './CouponShelf.tsx'
import { Drawer } from './Drawer.tsx'
import { type ShelfCourse, type ShelfOffer, useShelf } from './queries.ts'
import { useShortPrice } from './shortPrice.ts'

/** What there is: courses as spines, with their offers, prices and states. */
export function Shelf() {
  const shelf = useShelf()
  const [params, setParams] = useSearchParams()
  // A press is kept here: the page that opens by itself may lead to another address at the same moment.
  const [isNaming, setNaming] = useState(false)
  const isNew = isNaming || params.has('new')
  const closeNew = () => {
    setNaming(false)
    if (params.has('new')) setParams({})
  }
  const [filter, setFilter] = useState('')
  // The drawer of what is on the bench is open; another can be looked into meanwhile.
  const onBench = useLocation().pathname.startsWith('/studio/sell/coupons/') ? 'coupons' : 'courses'
  const [of, setOf] = useState(onBench)
  const [open, setOpen] = useState<'courses' | 'coupons' | null>(onBench)
  if (of !== onBench) {
    setOf(onBench)
    setOpen(onBench)
  }
  const [showsRetired, setShowsRetired] = useState(false)
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
  const courses = shelf.data ?? []
  const retired = courses.filter((course) => course.isRetired)
  const shown = courses.filter((course) => (showsRetired || !course.isRetired) && matches(course, filter))

  const arrange = useMutation({
    mutationFn: (ids: string[]) => unwrap(api.catalogue.courses.order.$put({ json: { ids } })),
    // Shown at once; a refusal brings back what was.
    onMutate: (ids) =>
      queryClient.setQueryData(
        ['shelf'],
        ids.map((id) => courses.find((course) => course.id === id)),
      ),
    meta: { invalidates: [['shelf']] },
  })
  const onDragEnd = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return
    const ids = courses.map(({ id }) => id)
    arrange.mutate(arrayMove(ids, ids.indexOf(String(active.id)), ids.indexOf(String(over.id))))
  }

  return (
    <>
      <Drawer
        title="Courses"
        count={shelf.isSuccess ? courses.length - retired.length : null}
        isOpen={open === 'courses' || isNew}
        toggle={() => setOpen(open === 'courses' ? null : 'courses')}
        acts={
          <>
            <Link className="link" to="/studio/sell/compare">
              Compare
            </Link>
            <Button kind="link" className="text-[13px]" onClick={() => setNaming(true)}>
              New course
            </Button>
          </>
        }
      >
        {isNew && <NewCourse onMade={() => setNaming(false)} onClose={closeNew} />}
        {courses.length > 6 && (
          <input
            aria-label="Find on the shelf"
            placeholder="Find on the shelf"
            value={filter}
            onChange={(event) => setFilter(event.target.value)}
            className="mb-2 w-full rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
          />
        )}
        {shelf.isSuccess && courses.length === 0 && !isNew && (
          <div className="px-1.5 text-ink-2">
            <p>Your courses appear here, each with its prices.</p>
            <Button kind="press" className="mt-3" onClick={() => setNaming(true)}>
              Create the first one
            </Button>
          </div>
        )}
        <DndContext sensors={sensors} onDragEnd={onDragEnd}>
          <SortableContext items={shown.map(({ id }) => id)} strategy={verticalListSortingStrategy}>
            <ul>
              {shown.map((course) => (
                <Volume key={course.id} course={course} />
              ))}
            </ul>
          </SortableContext>
        </DndContext>
        {retired.length > 0 && (
          <Button kind="link" className="px-1.5 text-[13px]" onClick={() => setShowsRetired(!showsRetired)}>
            {showsRetired ? 'Hide retired courses' : `Show ${retired.length} retired`}
          </Button>
        )}
      </Drawer>
      {/* Below a list that is still to come it would move away under the pointer. */}
      {!shelf.isPending && (
        <CouponShelf isOpen={open === 'coupons'} toggle={() => setOpen(open === 'coupons' ? null : 'coupons')} />
      )}
    </>
  )
}

function matches(course: ShelfCourse, filter: string): boolean {
  const wanted = filter.trim().toLowerCase()
  return [course.title, ...course.offers.map(({ name }) => name)].some((text) => text.toLowerCase().includes(wanted))
}

function Volume({ course }: { course: ShelfCourse }) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: course.id })
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition: transition ?? undefined }}
      className={classes('group relative mb-2.5 grid grid-cols-[7px_1fr] gap-2.5', isDragging && 'z-10 opacity-80')}
    >
      <i
        className={classes(
          'rounded-l-[3px] rounded-r-[2px] shadow-[inset_-2px_0_0_rgb(0_0_0/.14)]',
          COVER_CLASS[course.coverColor],
          course.isRetired && 'opacity-40',
        )}
      />
      <div className="min-w-0">
        <div className="flex items-start">
          <NavLink
            to={`/studio/sell/courses/${course.id}`}
            className={({ isActive }) =>
              classes('-ml-2 min-h-6 min-w-0 flex-1 rounded-[5px] px-2 py-1', isActive && 'bg-acorn')
            }
          >
            <h3 className="text-[14px]">{course.title}</h3>
            {(!course.isLive || course.isChanged || course.isRetired) && (
              <span className="text-[12px] text-ink-3">
                {course.isRetired ? 'retired' : course.isLive ? 'changes not live' : 'not live yet'}
              </span>
            )}
          </NavLink>
          <button
            type="button"
            aria-label={`Move ${course.title}`}
            className="cursor-grab p-1 text-ink-3 opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
            {...attributes}
            {...listeners}
          >
            <GripVertical size={14} />
          </button>
        </div>
        {course.offers
          .filter(({ isRetired }) => !isRetired)
          .map((offer) => (
            <OfferLine key={offer.id} offer={offer} />
          ))}
        {course.offers.length === 0 && <AddOffer courseId={course.id} />}
      </div>
    </li>
  )
}

function OfferLine({ offer }: { offer: ShelfOffer }) {
  const shortPrice = useShortPrice()
  const [shape, word] = stateOf(offer)
  return (
    <NavLink
      to={`/studio/sell/offers/${offer.id}`}
      className={({ isActive }) =>
        classes(
          '-ml-2 flex min-h-6 items-center gap-1.5 rounded-[5px] px-2 py-[3px] text-[13px]',
          isActive ? 'bg-acorn font-semibold text-ink' : 'text-ink-2 hover:bg-sheet-2',
        )
      }
    >
      <StateMark shape={shape} size={9} />
      <span className="sr-only">{word}: </span>
      <span className="min-w-0 truncate" title={word}>
        {offer.content.label || offer.name || 'Untitled offer'}
      </span>
      <span className="ml-auto whitespace-nowrap text-ink">{shortPrice(offer)}</span>
    </NavLink>
  )
}

/** An offer's state as shape and word. */
export function stateOf(offer: Pick<ShelfOffer, 'isLive' | 'isChanged' | 'onSale' | 'isRetired'>) {
  if (offer.isRetired) return ['off', 'retired'] as const
  if (!offer.isLive) return ['awaited', 'draft'] as const
  if (!offer.onSale) return ['off', 'off sale'] as const
  return offer.isChanged ? (['awaited', 'on sale, changes not live'] as const) : (['received', 'on sale'] as const)
}

/** Makes an offer of a course and opens it on the bench. */
export function useAddOffer(courseId: string) {
  const navigate = useNavigate()
  const { mutate } = useMutation({
    mutationFn: () => unwrap(api.offers.$post({ json: { courseId } })),
    onSuccess: ({ id }) => navigate(`/studio/sell/offers/${id}`),
    meta: { invalidates: [['shelf']] },
  })
  return () => mutate()
}

export function AddOffer({ courseId, label = 'Give it a price' }: { courseId: string; label?: string }) {
  const add = useAddOffer(courseId)
  return (
    <Button kind="link" className="text-[13px]" onClick={add}>
      {label}
    </Button>
  )
}

function NewCourse({ onMade, onClose }: { onMade: () => void; onClose: () => void }) {
  const [title, setTitle] = useState('')
  const navigate = useNavigate()
  const create = useMutation({
    mutationFn: () => unwrap(api.catalogue.courses.$post({ json: { title } })),
    onSuccess: ({ id }) => {
      onMade()
      navigate(`/studio/sell/courses/${id}`)
    },
    meta: { ...IN_PLACE, invalidates: [['shelf']] },
  })
  return (
    <form
      noValidate
      className="mx-1.5 mb-3 rounded-lg border border-line-2 bg-sheet p-3"
      onSubmit={(event) => {
        event.preventDefault()
        create.mutate()
      }}
      onKeyDown={(event) => event.key === 'Escape' && onClose()}
    >
      <Field label="Title of the course" error={create.error?.at('/title') ?? create.error?.message}>
        {(wiring) => (
          <input
            {...wiring}
            autoFocus
            className={BOX_INPUT}
            value={title}
            onChange={(event) => setTitle(event.target.value)}
          />
        )}
      </Field>
      <div className="mt-2.5 flex gap-2">
        <Button kind="press" type="submit">
          Make it
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </form>
  )
}
