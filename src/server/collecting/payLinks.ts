import { and, eq, gt, isNull } from 'drizzle-orm'
import type { Product } from '../catalogue/products.ts'
import type { Mode } from '../db/schema/columns.ts'
import { agreements, catalogue, offers, orderLines, payLinks } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import { hashToken, newToken } from '../platform/secrets.ts'

/** For how long a link in a message pays. */
const LINK_DAYS = 30

/** Makes a link that pays for one agreement, or gives it another method, without a password. Only its hash is kept. */
export async function makePayLink({ db, now, config }: Services, agreementId: string): Promise<string> {
  const { token, hash } = newToken()
  const at = now()
  await db.insert(payLinks).values({
    tokenHash: hash,
    agreementId,
    createdAt: at,
    expiresAt: new Date(at.getTime() + LINK_DAYS * 86_400_000),
  })
  return `${config.origin}/pay/${token}`
}

/** The agreement that a link is for; null where it has ended, was used, or never was. */
export async function readPayLink({ db, now }: Services, token: string): Promise<string | null> {
  const [row] = await db
    .select({ id: agreements.id })
    .from(payLinks)
    .innerJoin(agreements, eq(agreements.id, payLinks.agreementId))
    .where(and(eq(payLinks.tokenHash, hashToken(token)), isNull(payLinks.usedAt), gt(payLinks.expiresAt, now())))
  return row?.id ?? null
}

/** For so long a link that was used thanks whoever comes back from a gateway's page by it. */
const THANKS_MINUTES = 30

/** What a link was for that was used just now; null for any other. */
export async function readUsedPayLink(
  { db, now }: Services,
  token: string,
): Promise<{ agreementId: string; course: string; slug: string; kind: Product['kind'] } | null> {
  const [row] = await db
    .select({ agreementId: agreements.id, course: orderLines.title, slug: catalogue.slug, kind: catalogue.kind })
    .from(payLinks)
    .innerJoin(agreements, eq(agreements.id, payLinks.agreementId))
    .innerJoin(orderLines, eq(orderLines.id, agreements.lineId))
    .innerJoin(offers, eq(offers.id, orderLines.offerId))
    .innerJoin(catalogue, eq(catalogue.id, offers.productId))
    .where(
      and(
        eq(payLinks.tokenHash, hashToken(token)),
        gt(payLinks.usedAt, new Date(now().getTime() - THANKS_MINUTES * 60_000)),
      ),
    )
  return row ?? null
}

/** Every link of an agreement ends: what it was for is done. */
export async function endPayLinks({ db, now }: Services, agreementId: string): Promise<void> {
  await db
    .update(payLinks)
    .set({ usedAt: now() })
    .where(and(eq(payLinks.agreementId, agreementId), isNull(payLinks.usedAt)))
}

/** The mode of the agreement that a link is or was for, so that it works whatever is sold to strangers; null where there is none. */
export async function modeOfPayLink({ db }: Pick<Services, 'db'>, token: string): Promise<Mode | null> {
  const [row] = await db
    .select({ mode: agreements.mode })
    .from(payLinks)
    .innerJoin(agreements, eq(agreements.id, payLinks.agreementId))
    .where(eq(payLinks.tokenHash, hashToken(token)))
  return row?.mode ?? null
}
