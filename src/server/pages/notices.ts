import { and, isNotNull, type SQL } from 'drizzle-orm'
import { NOTICE } from '../../core/words/en/notice.ts'
import { say, type ValuesOf } from '../../core/words/message.ts'
import { pagePathOf } from '../catalogue/products.ts'
import type { SellableProduct } from '../catalogue/sellable.ts'
import { catalogue } from '../db/schema/index.ts'
import type { Services } from '../platform/context.ts'
import type { Visitor } from '../session/visitor.ts'
import type { NoticeView } from './views.ts'

/** Notices of the shop: why something is not here, and what to do. */

export function notice(
  status: number,
  of: { title: string; text: string },
  actions: NoticeView['actions'],
): NoticeView {
  return { name: 'notice', status, ...of, actions }
}

/** A notice of the catalogue, with what its names stand for. */
export function filled<const T extends string, const X extends string>(
  of: { title: T; text: X },
  values: ValuesOf<T> & ValuesOf<X>,
): { title: string; text: string } {
  return { title: say(of.title, values), text: say(of.text, values) }
}

export const aboutCourse = (slug: string) => ({ label: NOTICE.aboutCourse, href: `/course/${slug}` })
export const aboutProduct = (product: Pick<SellableProduct, 'kind' | 'slug'>) => ({
  label: product.kind === 'course' ? NOTICE.aboutCourse : NOTICE.aboutBundle,
  href: pagePathOf(product),
})
export const signInFor = (path: string) => ({ label: NOTICE.signIn, href: `/sign-in?then=${encodeURIComponent(path)}` })
/** Where a buyer finds what is theirs, once they have signed in. */
export const toMyCourses = ({ person }: Pick<Visitor, 'person'>) =>
  person ? { label: NOTICE.myCourses, href: '/my' } : signInFor('/my')

export const ALL_COURSES = { label: NOTICE.allCourses, href: '/' }

export function missing(): NoticeView {
  return notice(404, NOTICE.missing, [ALL_COURSES])
}

/** Why there is no page of a product: it was sold once and is retired (410, with a way on), or never was. */
export async function goneOrMissing(
  { db }: Services,
  where: SQL | undefined,
  { person }: Visitor,
): Promise<NoticeView> {
  const [retired] = await db
    .select()
    .from(catalogue)
    .where(and(where, isNotNull(catalogue.retiredAt), isNotNull(catalogue.live)))
  if (!retired) return missing()
  const { title } = retired.live ?? retired.draft
  return notice(410, filled(NOTICE.retired, { title }), [ALL_COURSES, toMyCourses({ person })])
}
