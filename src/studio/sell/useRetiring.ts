import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

const loadUses = (of: UsedThing) => unwrap(api.catalogue.uses.$get({ query: of }))
/** What may be used somewhere. */
type UsedThing = { product: string } | { offer: string } | { page: string }
export type Use = Awaited<ReturnType<typeof loadUses>>[number]

/** `setRetired` is for the bench; `uses` are there while it is asked (null: it is not). */
export interface Retiring {
  setRetired: (isRetired: boolean) => void
  uses: Use[] | null
  close: () => void
}

/** Retires at once what is used nowhere else; of the rest it asks first, with every place. */
export function useRetiring(of: UsedThing, isInBundles: boolean, retire: (isRetired: boolean) => void): Retiring {
  const [uses, setUses] = useState<Use[] | null>(null)
  const { mutate: look } = useMutation({
    mutationFn: () => loadUses(of),
    onSuccess: (found) => (found.length > 0 || isInBundles ? setUses(found) : retire(true)),
    meta: { invalidates: [] },
  })
  const setRetired = (isRetired: boolean) => (isRetired ? look() : retire(false))
  return { setRetired, uses, close: () => setUses(null) }
}
