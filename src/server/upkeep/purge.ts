import { and, inArray, isNotNull, lt, or, type SQL, sql } from 'drizzle-orm'
import type { PgTable } from 'drizzle-orm/pg-core'
import { endOldBaskets } from '../baskets/basket.ts'
import {
  awaitedVideos,
  catalogue,
  checkoutPages,
  eventRefusals,
  files,
  gatewayEvents,
  jobs,
  keyedRequests,
  orderLinks,
  passwordLinks,
  payLinks,
  pictureSizes,
  pictures,
  rateLimits,
  school,
  sessions,
  versions,
  videos,
} from '../db/schema/index.ts'
import { forgetOldNames } from '../people/erase.ts'
import { liveTime, type Services } from '../platform/context.ts'
import { KEYED_DAYS } from '../platform/keyedRequest.ts'

const DAY_MS = 86_400_000
/** What was uploaded just now may not stand in a draft yet. */
const PICTURE_DAYS = 7
/** Longer than anything that is queued once a time. */
const JOB_DAYS = 8

/**
 * Deletes what grows without end and nobody needs any more, by the days that the operator sets (`RETENTION_DAYS`):
 * events, links, sessions, baskets and counts that have ended, pictures and videos that nothing shows. Orders, payments, attempts, refunds,
 * messages and the journal are the books, and stay.
 * @returns how many rows went, by what they were.
 */
export async function purge(services: Services): Promise<Record<string, number>> {
  const { db, config } = services
  const now = liveTime(services)
  const old = new Date(now.getTime() - config.retentionDays * DAY_MS)
  const justUploaded = new Date(now.getTime() - PICTURE_DAYS * DAY_MS)
  const drop = async (table: PgTable, where: SQL | undefined) => (await db.delete(table).where(where)).rowCount ?? 0
  return {
    events: await drop(
      gatewayEvents,
      and(
        lt(gatewayEvents.receivedAt, old),
        inArray(gatewayEvents.state, ['handled', 'unknown', 'unreadable', 'refused']),
      ),
    ),
    keyedRequests: await drop(
      keyedRequests,
      lt(keyedRequests.createdAt, new Date(now.getTime() - KEYED_DAYS * DAY_MS)),
    ),
    refusals: await drop(eventRefusals, lt(eventRefusals.day, old.toISOString().slice(0, 10))),
    payLinks: await drop(payLinks, or(lt(payLinks.expiresAt, old), lt(payLinks.usedAt, old))),
    passwordLinks: await drop(passwordLinks, or(lt(passwordLinks.expiresAt, old), lt(passwordLinks.usedAt, old))),
    sessions: await drop(sessions, lt(sessions.expiresAt, now)),
    baskets: await endOldBaskets(services, now),
    names: await forgetOldNames(services),
    orderLinks: await drop(orderLinks, lt(orderLinks.expiresAt, old)),
    jobs: await drop(jobs, lt(jobs.endedAt, new Date(now.getTime() - JOB_DAYS * DAY_MS))),
    limits: await drop(rateLimits, and(isNotNull(rateLimits.expire), lt(rateLimits.expire, now.getTime()))),
    pictures: await drop(pictures, and(lt(pictures.createdAt, justUploaded), sql`not ${isShown}`)),
    videos: await drop(
      videos,
      and(lt(videos.createdAt, justUploaded), sql`not ${isOnAnyPage(sql`${videos.id}::text`)}`),
    ),
    awaitedVideos: await drop(
      awaitedVideos,
      and(lt(awaitedVideos.createdAt, justUploaded), sql`not ${isOnAnyPage(sql`${awaitedVideos.id}::text`)}`),
    ),
    // What belongs to nothing any more, and uploads that nobody went on with.
    files: await drop(
      files,
      and(
        lt(files.createdAt, justUploaded),
        sql`not exists (select from ${pictureSizes} s where s.file_id = ${files.id})
          and not exists (select from ${videos} v where v.file_id = ${files.id})`,
      ),
    ),
  }
}

/** Whether a page's JSON shows a picture or a video, whatever its field is called, at any depth. */
const isOnPage = (content: SQL, id: SQL) =>
  sql`jsonb_path_exists(${content}, '$.** ? (@ == $id)', jsonb_build_object('id', ${id}))`
/** Whether any page shows it, as a draft, live, or in a version that can be brought back. */
const isOnAnyPage = (id: SQL) => sql`(
  exists (select from ${checkoutPages} p where ${isOnPage(sql`p.draft`, id)} or ${isOnPage(sql`p.live`, id)})
  or exists (select from ${versions} v where v.subject = 'page' and ${isOnPage(sql`v.content`, id)}))`

/** Whether a draft, what is live, or a version that can be brought back shows a picture. */
const isShown = sql`(exists (select from ${school} s where s.look->>'logoId' = ${pictures.id}::text)
  or exists (select from ${catalogue} c where c.draft->>'coverId' = ${pictures.id}::text or c.live->>'coverId' = ${pictures.id}::text)
  or exists (select from ${versions} v where v.subject in ('course', 'bundle') and v.content->>'coverId' = ${pictures.id}::text)
  or ${isOnAnyPage(sql`${pictures.id}::text`)})`
