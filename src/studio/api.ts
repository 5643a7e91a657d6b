import { MutationCache, QueryClient, type QueryKey } from '@tanstack/react-query'
import { hc } from 'hono/client'
import { toast } from 'sonner'
import type { Api } from '../server/client.ts'
import { ApiError } from '../ui/problem.ts'

declare module '@tanstack/react-query' {
  interface Register {
    /** All that the studio asks goes through `unwrap`. */
    defaultError: ApiError
    mutationMeta: {
      /** A refusal is said by the screen itself, at its field where it can. */
      isSaidInPlace?: boolean
      /** What is asked for anew afterwards; everything, where it is not said. */
      invalidates?: QueryKey[]
    }
  }
}

/** For a mutation whose screen says what was refused. */
export const IN_PLACE = { isSaidInPlace: true }

/** The studio's part of the API, typed by the server's own routes. */
export const api = hc<Api>('/api')

/**
 * What the server knows, as the studio remembers it. A refusal of a query is final; only silence is asked again. What a
 * mutation changed is asked for anew, refused or not; a refusal that no screen says is told in a note.
 */
export const queryClient: QueryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5000,
      retry: (count, error) => count < 2 && error instanceof ApiError && error.problem.status === 0,
    },
    // Without a connection it is refused at once: done later, when nobody thinks of it any more, it could do harm.
    mutations: { networkMode: 'always' },
  },
  mutationCache: new MutationCache({
    onError: (error, _about, _before, { meta }) => {
      if (!(error instanceof ApiError)) reportError(error)
      else if (!meta?.isSaidInPlace) toast(error.message)
    },
    onSettled: async (_answer, error, _about, _before, { meta }) => {
      const keys = meta?.invalidates ?? [[]]
      const anew = Promise.all(keys.map(askAnew))
      // A refusal is shown at once.
      if (!error) await anew
    },
  }),
})

/** Asks anew what a change may have touched; a first answer that is still on its way may be older than the change. */
async function askAnew(queryKey: QueryKey): Promise<void> {
  await queryClient.cancelQueries({ queryKey, predicate: ({ state }) => state.data === undefined })
  await queryClient.invalidateQueries({ queryKey })
}
