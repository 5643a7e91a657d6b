/**
 * All that studio and shop may know of the server: types, for the typed client and for the data
 * inside the shop's pages.
 */
import type { apiRoutes } from './app.ts'

export type Api = ReturnType<typeof apiRoutes>
export type { Placed } from './checkout/placing.ts'
export type { Mode } from './db/schema/columns.ts'
export type { MessageKind } from './db/schema/messages.ts'
export type * from './views/data.ts'
