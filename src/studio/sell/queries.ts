import { useQuery } from '@tanstack/react-query'
import { unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'
import { useSession } from '../session/session.ts'

const loadShelf = () => unwrap(api.catalogue.shelf.$get())
export type ShelfCourse = Awaited<ReturnType<typeof loadShelf>>[number]
export type ShelfOffer = ShelfCourse['offers'][number]

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
  await queryClient.invalidateQueries({ queryKey: ['shelf'] })
}

export async function refreshCoupons() {
  await queryClient.invalidateQueries({ queryKey: ['coupons'] })
}
