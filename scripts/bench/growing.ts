import { eq, sql } from 'drizzle-orm'
import { growBundle } from '../../src/server/bundles/grow.ts'
import { getBundle, publishBundle, saveBundleDraft } from '../../src/server/bundles/service.ts'
import { transaction } from '../../src/server/db/client.ts'
import { bundleGrowths, grants } from '../../src/server/db/schema/index.ts'
import { bundleUp, putOnSale } from '../../src/testing/school.ts'
import { openEmpty } from './empty.ts'

const HOLDERS = 50_000

/** A bundle that grows by one course for 50 000 who have it, against one plain INSERT … SELECT of the same rows. */
export async function benchGrowing(): Promise<void> {
  const { services, close } = await openEmpty()
  const { db } = services
  try {
    const priced = { terms: { kind: 'single' as const, amount: 2000 } }
    const made = []
    for (const title of ['One', 'Two', 'Three', 'Four']) made.push(await putOnSale(services, title, priced))
    const [one, two, three, four] = made.map(({ courseId }) => courseId) as [string, string, string, string]
    const { bundleId, offerId } = await bundleUp(services, 'Both', [one, two], priced)
    await fill(services, bundleId, offerId, one)
    const { draft, draftRev } = await getBundle(db, bundleId)
    const courses = [...draft.courses, { id: three, figure: null }]
    const saved = await saveBundleDraft(services, bundleId, draftRev, { ...draft, courses })
    const forHolders = { opens: true, closes: false, notifies: false }
    await publishBundle(services, bundleId, saved.draftRev, null, forHolders)
    const [growth] = await db.select().from(bundleGrowths)
    const grown = await timed(() => growBundle(services, growth?.id as string))
    if ((await db.$count(grants, eq(grants.courseId, three))) !== HOLDERS) throw new Error('Not all were grown.')
    const plain = await timed(() => insertPlainly(services, bundleId, four))
    const rate = (seconds: number) => (HOLDERS / seconds).toFixed(0)
    console.log(
      `  lines a second: ${rate(grown)} in turns, ${rate(plain)} by one plain INSERT … SELECT of the same rows`,
    )
    console.log(`  ratio ${(plain / grown).toFixed(2)} (goal: at least 0.3)`)
  } finally {
    await close()
  }
}

type Services = Awaited<ReturnType<typeof openEmpty>>['services']

/** So many people who have a bundle, each by an order of their own. */
async function fill({ db }: Services, bundleId: string, offerId: string, courseId: string): Promise<void> {
  await db.execute(sql`
    insert into people (mode, email, name, created_at)
    select 'practice', 'holder' || n || '@bench.example', 'Holder ' || n, now() from generate_series(1, ${HOLDERS}::int) n`)
  await db.execute(sql`
    insert into orders (mode, number, person_id, basket, state, pay_today, currency, quote_input, quote, browser_hash, buyer_name, search_text, created_at, paid_at, placed_on)
    select 'practice', 1000 + row_number() over (), p.id, p.id::text, 'paid', 0, 'EUR', '{}', '{"lines": [], "codes": []}', p.id::text, p.name, '', now(), now(), current_date
    from people p`)
  await db.execute(sql`
    insert into order_lines (order_id, position, offer_id, offer_version, product_id, title, offer_name, role, quoted)
    select o.id, 0, ${offerId}, 1, ${bundleId}, 'Both', 'One payment', 'main', '{"payments": []}' from orders o`)
  await db.execute(sql`
    insert into grants (mode, person_id, course_id, order_id, line_id, offer_id, opens, created_at)
    select 'practice', o.person_id, ${courseId}, o.id, l.id, l.offer_id, current_date, now()
    from order_lines l join orders o on o.id = l.order_id`)
  await db.execute(sql`
    insert into line_courses (line_id, course_id, position, title, weight) select id, ${courseId}, 0, 'One', 1 from order_lines`)
  await db.execute(sql`analyze`)
}

/** The rows that growing writes, for another course, with one statement for each table and one commit. */
async function insertPlainly({ db }: Services, bundleId: string, courseId: string): Promise<void> {
  await transaction(db, async (tx) => {
    await tx.execute(sql`
      insert into line_courses (line_id, course_id, position, title, weight)
      select l.id, ${courseId}, 9, 'Four', 0 from order_lines l where l.product_id = ${bundleId}`)
    await tx.execute(sql`
      insert into grants (mode, person_id, course_id, order_id, line_id, offer_id, opens, created_at)
      select 'practice', o.person_id, ${courseId}, o.id, l.id, l.offer_id, current_date, now()
      from order_lines l join orders o on o.id = l.order_id where l.product_id = ${bundleId}`)
    await tx.execute(sql`
      insert into journal (order_id, person_id, at, what, data)
      select o.id, o.person_id, now(), 'course-opened', jsonb_build_object('course', 'Four'::text, 'opens', current_date, 'closes', null)
      from order_lines l join orders o on o.id = l.order_id where l.product_id = ${bundleId}`)
  })
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const began = process.hrtime.bigint()
  await work()
  return Number(process.hrtime.bigint() - began) / 1e9
}
