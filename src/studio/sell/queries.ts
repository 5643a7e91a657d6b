import { useQuery } from '@tanstack/react-query'
import { unwrap } from '../../ui/problem.ts'
import { api, queryClient } from '../api.ts'

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

export async function refreshShelf() {
  await queryClient.invalidateQueries({ queryKey: ['shelf'] })
}
