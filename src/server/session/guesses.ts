import type { MiddlewareHandler } from 'hono'
import { REFUSED } from '../../core/words/en/refused.ts'
import { clientAddress, proxyList } from '../http/clientAddress.ts'
import type { Services } from '../platform/context.ts'
import type { Counted } from '../platform/limits.ts'

/**
 * Counts links that do not exist, by whoever asks for them: each is counted before it is looked at, and given back
 * where it was one. What is answered 410 was none.
 */
export function countGuesses(services: Services): MiddlewareHandler {
  const proxies = proxyList(services.config.trustedProxies)
  return async (c, next) => {
    const { ip, range } = clientAddress(c, proxies)
    const by: Counted = { 'guess:ip': ip, 'guess:range': range }
    await services.limits.count(by, REFUSED.tooManyLinks)
    await next()
    if (c.res.status !== 410) await services.limits.giveBack(by)
  }
}
