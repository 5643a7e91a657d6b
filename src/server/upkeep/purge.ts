import { and, inArray, isNotNull, lt, or, type SQL, sql } from 'drizzle-orm'
import type { PgTable } from 'drizzle-orm/pg-core'
import { endOldBaskets } from '../baskets/basket.ts'
import {
  catalogue,
  checkoutPages,
  eventRefusals,
  gatewayEvents,
  orderLinks,
  passwordLinks,
  payLinks,
  pictures,
  rateLimits,
  sessions,
  versions,
} from '../db/schema/index.ts'
import { forgetOldNames } from '../people/erase.ts'
import { liveTime, type Services } from '../platform/context.ts'

const DAY_MS = 86_400_000
/** A picture that was uploaded just now may not stand in a draft yet. */
const PICTURE_DAYS = 7

/**
 * Deletes what grows without end and nobody needs any more, by the days that the operator sets (`RETENTION_DAYS`):
 * events, links, sessions, baskets and counts that have ended, pictures that nothing shows. Orders, payments, attempts, refunds,
 * messages and the journal are the books, and stay.
 * @returns how many rows went, by what they were.
 */
export async function purge(services: Services): Promise<Record<string, number>> {
  const { db, config } = services
  const now = liveTime(services)
  const old = new Date(now.getTime() - config.retentionDays * DAY_MS)
  const drop = async (table: PgTable, where: SQL | undefined) => (await db.delete(table).where(where)).rowCount ?? 0
  return {
    events: await drop(
      gatewayEvents,
      and(
        lt(gatewayEvents.receivedAt, old),
        inArray(gatewayEvents.state, ['handled', 'unknown', 'unreadable', 'refused']),
      ),
    ),
    refusals: await drop(eventRefusals, lt(eventRefusals.day, old.toISOString().slice(0, 10))),
    payLinks: await drop(payLinks, or(lt(payLinks.expiresAt, old), lt(payLinks.usedAt, old))),
    passwordLinks: await drop(passwordLinks, or(lt(passwordLinks.expiresAt, old), lt(passwordLinks.usedAt, old))),
    sessions: await drop(sessions, lt(sessions.expiresAt, now)),
    baskets: await endOldBaskets(services, now),
    names: await forgetOldNames(services),
    orderLinks: await drop(orderLinks, lt(orderLinks.expiresAt, old)),
    limits: await drop(rateLimits, and(isNotNull(rateLimits.expire), lt(rateLimits.expire, now.getTime()))),
    pictures: await drop(
      pictures,
      and(lt(pictures.createdAt, new Date(now.getTime() - PICTURE_DAYS * DAY_MS)), sql`not ${isShown}`),
    ),
  }
}

/** Whether a page's JSON shows a picture, at one of its order bumps or upsells. */
const isOnPage = (content: SQL) => {
  const one = sql`jsonb_build_array(jsonb_build_object('coverId', ${pictures.id}::text))`
  return sql`((${content} -> 'bumps') @> ${one} or (${content} -> 'upsells') @> ${one})`
}

/** Whether a draft, what is live, or a version that can be brought back shows a picture. */
const isShown = sql`(exists (select from ${catalogue} c where c.draft->>'coverId' = ${pictures.id}::text or c.live->>'coverId' = ${pictures.id}::text)
  or exists (select from ${checkoutPages} p where ${isOnPage(sql`p.draft`)} or ${isOnPage(sql`p.live`)})
  or exists (select from ${versions} v where v.subject in ('course', 'bundle') and v.content->>'coverId' = ${pictures.id}::text
    or v.subject = 'page' and ${isOnPage(sql`v.content`)}))`
