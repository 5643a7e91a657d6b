import { useMutation } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import { NavLink, useNavigate } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { Spine } from '../../ui/Spine.tsx'
import { api, IN_PLACE, queryClient } from '../api.ts'
import { DragHandle, moved, SortableList, useSortableRow } from '../frame/SortableList.tsx'
import { Drawer } from './Drawer.tsx'
import { AddOffer, OfferLine } from './OfferLine.tsx'
import { productPath, type ShelfProduct, useShelf } from './queries.ts'

interface ProductDrawerProps {
  kind: ShelfProduct['kind']
  isOpen: boolean
  toggle: () => void
  /** What is searched for on the shelf; while anything is, the drawer shows what matches, and nothing where nothing does. */
  search: string
  /** A new one is being named. */
  isNaming: boolean
  setNaming: (isNaming: boolean) => void
  /** What else can be done beside the title. */
  acts?: ReactNode
  /** What stands where there is none yet. */
  empty: ReactNode
}

/** Courses, or bundles, on the shelf: each as a spine with its offers, their prices and states. */
export function ProductDrawer({ kind, isOpen, toggle, search, isNaming, setNaming, acts, empty }: ProductDrawerProps) {
  const shelf = useShelf()
  const [showsRetired, setShowsRetired] = useState(false)
  const everything = shelf.data ?? []
  const all = everything.filter((product) => product.kind === kind)
  const retired = all.filter((product) => product.isRetired)
  const shown = all.filter((product) => (showsRetired || !product.isRetired) && matches(product, search))
  const arrange = useMutation({
    mutationFn: (ids: string[]) =>
      unwrap(
        kind === 'course'
          ? api.catalogue.courses.order.$put({ json: { ids } })
          : api.bundles.order.$put({ json: { ids } }),
      ),
    // Shown at once; a refusal brings back what was.
    onMutate: (ids) =>
      queryClient.setQueryData(
        ['shelf'],
        [
          ...everything.filter((product) => product.kind !== kind),
          ...ids.map((id) => all.find((product) => product.id === id)),
        ],
      ),
    meta: { invalidates: [['shelf']] },
  })
  const isSearching = search.trim() !== ''
  if (isSearching && shown.length === 0) return null
  return (
    <Drawer
      title={kind === 'course' ? 'Courses' : 'Bundles'}
      count={shelf.isSuccess ? (isSearching ? shown.length : all.length - retired.length) : null}
      isOpen={isOpen || isNaming || isSearching}
      toggle={toggle}
      acts={
        <>
          {acts}
          <Button kind="link" className="text-[13px]" onClick={() => setNaming(true)}>
            New {kind}
          </Button>
        </>
      }
    >
      {isNaming && <NewProduct kind={kind} onClose={() => setNaming(false)} />}
      {shelf.isSuccess && all.length === 0 && !isNaming && <div className="px-1.5 text-ink-2">{empty}</div>}
      <SortableList
        word={kind}
        ids={shown.map(({ id }) => id)}
        nameOf={(id) => `“${all.find((product) => product.id === id)?.title}”`}
        onMove={(id, over) => arrange.mutate(moved(all, id, over).map((product) => product.id))}
      >
        <ul>
          {shown.map((product) => (
            <Volume key={product.id} product={product} />
          ))}
        </ul>
      </SortableList>
      {retired.length > 0 && (
        <Button kind="link" className="px-1.5 text-[13px]" onClick={() => setShowsRetired(!showsRetired)}>
          {showsRetired ? `Hide retired ${kind}s` : `Show ${retired.length} retired`}
        </Button>
      )}
    </Drawer>
  )
}

function matches(product: ShelfProduct, search: string): boolean {
  const wanted = search.trim().toLowerCase()
  return [product.title, ...product.offers.map(({ name }) => name)].some((text) => text.toLowerCase().includes(wanted))
}

function Volume({ product }: { product: ShelfProduct }) {
  const { row, handle, isDragging } = useSortableRow(product.id)
  return (
    <li
      {...row}
      className={classes('group relative mb-2.5 grid grid-cols-[7px_1fr] gap-2.5', isDragging && 'z-10 opacity-80')}
    >
      <Spine
        colors={product.colors.length > 0 ? product.colors : [product.coverColor]}
        className={classes('rounded-l-[3px] rounded-r-[2px]', product.isRetired && 'opacity-40')}
      />
      <div className="min-w-0">
        <div className="flex items-start">
          <NavLink
            to={productPath(product)}
            className={({ isActive }) =>
              classes('-ml-2 min-h-6 min-w-0 flex-1 rounded-[5px] px-2 py-1', isActive && 'bg-acorn')
            }
          >
            <h3 className="text-[14px]">{product.title}</h3>
            {(!product.isLive || product.isChanged || product.isRetired) && (
              <span className="text-[12px] text-ink-3">
                {product.isRetired ? 'retired' : product.isLive ? 'changes not published' : 'not published yet'}
              </span>
            )}
          </NavLink>
          <DragHandle
            label={`Move ${product.title}`}
            handle={handle}
            className="opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
          />
        </div>
        {product.offers
          .filter(({ isRetired }) => !isRetired)
          .map((offer) => (
            <OfferLine key={offer.id} offer={offer} />
          ))}
        {product.offers.length === 0 && <AddOffer productId={product.id} />}
      </div>
    </li>
  )
}

function NewProduct({ kind, onClose }: { kind: ShelfProduct['kind']; onClose: () => void }) {
  const [title, setTitle] = useState('')
  const navigate = useNavigate()
  const create = useMutation({
    mutationFn: () =>
      unwrap(
        kind === 'course' ? api.catalogue.courses.$post({ json: { title } }) : api.bundles.$post({ json: { title } }),
      ),
    onSuccess: ({ id }) => {
      onClose()
      navigate(productPath({ kind, id }))
    },
    meta: { ...IN_PLACE, invalidates: [['shelf'], ['pages']] },
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
      <Field label={`Title of the ${kind}`} error={create.error?.at('/title') ?? create.error?.message}>
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
          Create it
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </div>
    </form>
  )
}
