import { BlockList, isIP } from 'node:net'
import { getConnInfo } from '@hono/node-server/conninfo'
import type { Context } from 'hono'
import ipaddr from 'ipaddr.js'

/** Where a request comes from: the address, and the range that usually belongs to one customer of a provider. */
export interface ClientAddress {
  ip: string
  range: string
}

/** Addresses whose forwarded headers are believed, as `TRUSTED_PROXIES` names them: single ones or ranges in CIDR. */
export function proxyList(named: readonly string[]): BlockList {
  const list = new BlockList()
  for (const entry of named) {
    const [address = '', prefix] = entry.split('/')
    const family = isIP(address) === 6 ? 'ipv6' : 'ipv4'
    if (isIP(address) === 0) throw new Error(`TRUSTED_PROXIES: “${entry}” is no IP address.`)
    if (prefix === undefined) list.addAddress(address, family)
    else list.addSubnet(address, Number(prefix), family)
  }
  return list
}

const lists = new WeakMap<object, BlockList>()

/** The list of a configuration's proxies, made once. */
export function proxiesOf(config: { trustedProxies: readonly string[] }): BlockList {
  const list = lists.get(config) ?? proxyList(config.trustedProxies)
  lists.set(config, list)
  return list
}

/**
 * The address of whoever asks. What a proxy forwards is believed from proxies that are named alone, and of a chain of
 * addresses the last that is none of them counts: everything before it may be made up.
 */
export function clientAddress(c: Context, proxies: BlockList): ClientAddress {
  const peer = plain(remoteOf(c))
  if (!isTrusted(peer, proxies)) return rangeOf(peer)
  const chain = (c.req.header('x-forwarded-for') ?? '').split(',').map((part) => plain(part.trim()))
  const client = chain.reverse().find((address) => isIP(address) !== 0 && !isTrusted(address, proxies))
  return rangeOf(client ?? peer)
}

function remoteOf(c: Context): string {
  // Requests that are handed to the application by a test have no connection.
  return c.env === undefined || !('incoming' in c.env) ? '' : (getConnInfo(c).remote.address ?? '')
}

function isTrusted(address: string, proxies: BlockList): boolean {
  const family = isIP(address)
  return family !== 0 && proxies.check(address, family === 6 ? 'ipv6' : 'ipv4')
}

/** An IPv4 address that is written as IPv6 is that IPv4 address. */
function plain(address: string): string {
  return ipaddr.isValid(address) ? ipaddr.process(address).toString() : address
}

/** Of IPv6 one customer has at least a /64, which counts as one address. */
function rangeOf(address: string): ClientAddress {
  if (!ipaddr.IPv6.isValid(address)) return { ip: address, range: address.split('.').slice(0, 3).join('.') }
  const groups = ipaddr.IPv6.parse(address).parts.map((part) => part.toString(16))
  return { ip: groups.slice(0, 4).join(':'), range: groups.slice(0, 3).join(':') }
}
