import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'

/** Every gateway with its connection in the mode that is looked at. */
export const loadGateways = () => unwrap(api.gateways.$get())
export type GatewayList = Awaited<ReturnType<typeof loadGateways>>
export type Gateway = GatewayList['gateways'][number]
export type Connection = NonNullable<Gateway['connection']>
