import { useEffect, useState } from 'react'
import { Link, NavLink, useLocation, useSearchParams } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { CouponShelf } from './CouponShelf.tsx'
import { StepsOnShelf } from './FirstSteps.tsx'
import { PageDrawer } from './PageDrawer.tsx'
import { ProductDrawer } from './ProductDrawer.tsx'
import { useCoupons, useShelf } from './queries.ts'

type DrawerName = 'course' | 'bundle' | 'page' | 'coupon'

/** From so many things on the shelf on they can be searched for. */
const SEARCHED_FROM = 7

/** What there is to sell, in drawers, with one search over all of them. */
export function Shelf() {
  const shelf = useShelf()
  const coupons = useCoupons()
  const [params, setParams] = useSearchParams()
  // A press is kept here: the page that opens by itself may lead to another address at the same moment.
  const [naming, setNaming] = useState<DrawerName | null>(null)
  const asked = params.get('new')
  const isNaming = (kind: 'course' | 'bundle') => naming === kind || asked === (kind === 'course' ? '' : kind)
  const name = (kind: 'course' | 'bundle' | 'page') => (isNow: boolean) => {
    setNaming(isNow ? kind : null)
    if (!isNow && asked !== null) setParams({})
  }
  const [search, setSearch] = useState('')
  // The drawer of what is on the bench is open; another can be looked into meanwhile.
  const { pathname } = useLocation()
  const products = shelf.data ?? []
  const onBench = drawerOf(pathname, products)
  const [of, setOf] = useState<DrawerName>(onBench)
  const [open, setOpen] = useState<DrawerName | null>(onBench)
  if (of !== onBench) {
    setOf(onBench)
    setOpen(onBench)
  }
  const toggle = (drawer: DrawerName) => () => setOpen(open === drawer ? null : drawer)
  const isSearched = products.length + (coupons.data?.length ?? 0) >= SEARCHED_FROM
  // What is on the bench may lie further down in its drawer.
  useEffect(() => {
    if (!shelf.isSuccess || open === null) return
    document.querySelector(`#shelf a[href="${CSS.escape(pathname)}"]`)?.scrollIntoView({ block: 'nearest' })
  }, [pathname, shelf.isSuccess, open])
  return (
    <div id="shelf" className="flex h-full min-h-0 flex-col">
      {isSearched && (
        <input
          type="search"
          aria-label="Find on the shelf"
          placeholder="Find on the shelf"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
          className="mb-3 w-full flex-none rounded-full border border-line-2 bg-transparent px-3 py-1 text-[13px]"
        />
      )}
      <ProductDrawer
        kind="course"
        isOpen={open === 'course'}
        toggle={toggle('course')}
        search={search}
        isNaming={isNaming('course')}
        setNaming={name('course')}
        acts={
          <Link className="link" to="/studio/sell/compare">
            Compare
          </Link>
        }
        empty={
          <>
            <p>Your courses appear here, each with its prices.</p>
            <Button kind="press" className="mt-3" onClick={() => setNaming('course')}>
              Create the first one
            </Button>
          </>
        }
      />
      {/* Below a list that is still to come they would move away under the pointer. */}
      {!shelf.isPending && (
        <>
          <ProductDrawer
            kind="bundle"
            isOpen={open === 'bundle'}
            toggle={toggle('bundle')}
            search={search}
            isNaming={isNaming('bundle')}
            setNaming={name('bundle')}
            empty={<p className="text-[13px]">Several courses sold as one appear here.</p>}
          />
          <PageDrawer
            isOpen={open === 'page'}
            toggle={toggle('page')}
            search={search}
            isMaking={naming === 'page' || asked === 'page'}
            setMaking={name('page')}
          />
          <CouponShelf isOpen={open === 'coupon'} toggle={toggle('coupon')} search={search} />
        </>
      )}
      {products.length > 0 && search.trim() === '' && (
        <p className="flex flex-none flex-wrap gap-x-3 px-1 pt-1 text-[13.5px]">
          <NavLink
            to="/studio/sell/front"
            className={({ isActive }) => (isActive ? 'rounded bg-acorn px-1.5 py-0.5 font-semibold' : 'link')}
          >
            The shop’s front
          </NavLink>
          <Link className="link" to="/studio/sell/front#basket">
            Basket
          </Link>
          <Link className="link" to="/studio/setup/looks">
            Looks
          </Link>
        </p>
      )}
      {search.trim() !== '' && shelf.isSuccess && <NothingFound search={search} />}
      {search.trim() === '' && <StepsOnShelf />}
    </div>
  )
}

/** The drawer in which the thing on the bench lies. */
function drawerOf(
  pathname: string,
  products: readonly { kind: 'course' | 'bundle'; offers: { id: string }[] }[],
): DrawerName {
  if (pathname.startsWith('/studio/sell/coupons/')) return 'coupon'
  if (pathname.startsWith('/studio/sell/bundles/')) return 'bundle'
  if (pathname.startsWith('/studio/sell/pages/')) return 'page'
  const offer = /^\/studio\/sell\/offers\/([^/]+)/.exec(pathname)?.[1]
  return products.find(({ offers }) => offers.some(({ id }) => id === offer))?.kind ?? 'course'
}

/** Said where no drawer has anything. */
function NothingFound({ search }: { search: string }) {
  const wanted = search.trim().toLowerCase()
  const shelf = useShelf()
  const coupons = useCoupons()
  const texts = [
    ...(shelf.data ?? []).flatMap(({ title, offers }) => [title, ...offers.map(({ name }) => name)]),
    ...(coupons.data ?? []).map(({ draft }) => draft.code),
  ]
  if (texts.some((text) => text.toLowerCase().includes(wanted))) return null
  return <p className="px-1.5 text-[13px] text-ink-2">No results on the shelf.</p>
}
