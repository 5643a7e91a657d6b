import { eq } from 'drizzle-orm'
import type { Queryable } from '../db/client.ts'
import { courses } from '../db/schema/index.ts'

/** A title as the last part of an address: small letters, figures and hyphens. */
export function slugOf(title: string): string {
  const slug = title
    .replaceAll('ß', 'ss')
    .normalize('NFKD')
    .replace(/\p{Mark}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 60)
  return slug || 'course'
}

/** A slug that no other course has: with a number behind it where needed. */
export async function freeSlug(db: Queryable, title: string, own?: string): Promise<string> {
  const base = slugOf(title)
  for (let n = 1; ; n++) {
    const slug = n === 1 ? base : `${base}-${n}`
    const [taken] = await db.select({ id: courses.id }).from(courses).where(eq(courses.slug, slug))
    if (!taken || taken.id === own) return slug
  }
}
