import { QueryClient } from '@tanstack/react-query'
import { hc } from 'hono/client'
import type { Api } from '../server/client.ts'
import { ApiError } from '../ui/problem.ts'

/** The studio's part of the API, typed by the server's own routes. */
export const api = hc<Api>('/api')

/** What the server knows, as the studio remembers it. A refusal is final; only silence is asked again. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5000,
      retry: (count, error) => count < 2 && error instanceof ApiError && error.problem.status === 0,
    },
  },
})
