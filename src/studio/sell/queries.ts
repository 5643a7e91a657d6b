import { useQuery } from '@tanstack/react-query'
import { unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'
import { useSession } from '../session/session.ts'

const loadShelf = () => unwrap(api.catalogue.shelf.$get())
/** A course or a bundle on the shelf. */
export type ShelfProduct = Awaited<ReturnType<typeof loadShelf>>[number]
export type ShelfOffer = ShelfProduct['offers'][number]

export function useShelf() {
  return useQuery({ queryKey: ['shelf'], queryFn: loadShelf })
}

const loadCourse = (id: string) => unwrap(api.catalogue.courses[':id'].$get({ param: { id } }))
export type BenchCourse = Awaited<ReturnType<typeof loadCourse>>

/** A course as it stands now; the bench edits a copy, so it is not refetched under the hands. */
export function useCourse(id: string) {
  return useQuery({
    queryKey: ['course', id],
    queryFn: () => loadCourse(id),
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
  })
}

/** Where a product is worked on. */
export function productPath({ kind, id }: { kind: 'course' | 'bundle'; id: string }): string {
  return `/studio/sell/${kind}s/${id}`
}

const loadBundle = (id: string) => unwrap(api.bundles[':id'].$get({ param: { id } }))
export type BenchBundle = Awaited<ReturnType<typeof loadBundle>>

/** A bundle as it stands now; what follows its growing is asked for anew while it goes on. */
export function useBundle(id: string) {
  return useQuery({
    queryKey: ['bundle', id],
    queryFn: () => loadBundle(id),
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
    refetchInterval: ({ state }) => (state.data?.growths.some(({ finishedAt }) => finishedAt === null) ? 1500 : false),
  })
}

/** The courses that an offer opens, for the quote; its product stands for them while there are none. */
export function coursesOf({ product }: BenchOffer): BenchOffer['product']['courses'] {
  const { id, title } = product
  return product.courses.length > 0 ? product.courses : [{ id, title, opens: null, weight: 1 }]
}

const loadPages = () => unwrap(api.pages.$get())
export type ShelfPage = Awaited<ReturnType<typeof loadPages>>[number]

/** Every checkout page, in the order of the shelf. */
export function usePages() {
  return useQuery({ queryKey: ['pages'], queryFn: loadPages })
}

const loadPage = (id: string) => unwrap(api.pages[':id'].$get({ param: { id } }))
export type BenchPage = Awaited<ReturnType<typeof loadPage>>

export function usePage(id: string) {
  return useQuery({
    queryKey: ['page', id],
    queryFn: () => loadPage(id),
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
  })
}

const loadOffer = (id: string) => unwrap(api.offers[':id'].$get({ param: { id } }))
export type BenchOffer = Awaited<ReturnType<typeof loadOffer>>

export function useOffer(id: string) {
  return useQuery({
    queryKey: ['offer', id],
    queryFn: () => loadOffer(id),
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
  })
}

const loadCoupons = () => unwrap(api.coupons.$get())
export type ShelfCoupon = Awaited<ReturnType<typeof loadCoupons>>[number]

export function useCoupons() {
  const { mode } = useSession()
  return useQuery({ queryKey: ['coupons', mode], queryFn: loadCoupons })
}

const loadCoupon = (id: string) => unwrap(api.coupons[':id'].$get({ param: { id } }))
export type BenchCoupon = Awaited<ReturnType<typeof loadCoupon>>

export function useCoupon(id: string) {
  return useQuery({
    queryKey: ['coupon', id],
    queryFn: () => loadCoupon(id),
    staleTime: 0,
    gcTime: 0,
    refetchOnWindowFocus: false,
    refetchOnReconnect: false,
  })
}

export async function refreshShelf() {
  await Promise.all(['shelf', 'pages'].map((queryKey) => queryClient.invalidateQueries({ queryKey: [queryKey] })))
}

export async function refreshCoupons() {
  await queryClient.invalidateQueries({ queryKey: ['coupons'] })
}
