import { hc } from 'hono/client'
import type { Api } from '../server/client.ts'

/** The shop's part of the API, typed by the server's own routes. */
export const api = hc<Api>('/api').shop
