import { describe, expect, it } from 'vitest'
import { clientAddress, proxyList } from './clientAddress.ts'

type Request = Parameters<typeof clientAddress>[0]
/** A request from `remote`, with what it says of where it came from. */
const from = (remote: string, forwarded?: string) =>
  ({
    env: { incoming: { socket: { remoteAddress: remote } } },
    req: { header: () => forwarded },
  }) as unknown as Request

describe('where a request comes from', () => {
  const proxies = proxyList(['127.0.0.1', '10.1.0.0/16', '2001:db8:1::/48'])
  it.each([
    ['203.0.113.9', undefined, '203.0.113.9', '203.0.113'],
    // Nobody but a named proxy is believed.
    ['203.0.113.9', '198.51.100.1', '203.0.113.9', '203.0.113'],
    ['127.0.0.1', '198.51.100.1', '198.51.100.1', '198.51.100'],
    ['::ffff:127.0.0.1', '198.51.100.1', '198.51.100.1', '198.51.100'],
    // What stands before the last address that is no proxy of ours may be made up.
    ['10.1.2.3', '6.6.6.6, 198.51.100.1, 10.1.9.9', '198.51.100.1', '198.51.100'],
    ['10.1.2.3', 'nonsense', '10.1.2.3', '10.1.2'],
    ['2001:db8:1::5', '2001:db8:aaaa:bbbb:1:2:3:4', '2001:db8:aaaa:bbbb', '2001:db8:aaaa'],
    ['2001:db8::1', undefined, '2001:db8:0:0', '2001:db8:0'],
    ['::FFFF:cb00:7109', undefined, '203.0.113.9', '203.0.113'],
    ['64:ff9b::203.0.113.9', undefined, '64:ff9b:0:0', '64:ff9b:0'],
    ['2001:0DB8::00a1', undefined, '2001:db8:0:0', '2001:db8:0'],
  ])('%s, forwarded for %s: %s', (remote, forwarded, ip, range) => {
    expect(clientAddress(from(remote, forwarded), proxies)).toEqual({ ip, range })
  })

  it('a proxy that is no address is said at start', () => {
    expect(() => proxyList(['proxy.example'])).toThrow('proxy.example')
  })
})
