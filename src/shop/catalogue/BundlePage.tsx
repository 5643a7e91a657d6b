import { formatDay } from '../../core/calendar/formatDay.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { BundleView, ShopPage } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { pictureSource } from '../../ui/pictures.ts'
import { RichHtml } from '../../ui/RichHtml.tsx'
import { Spine } from '../../ui/Spine.tsx'
import { CoverHead } from './CoverHead.tsx'
import { OfferCards } from './OfferCards.tsx'

/** One bundle: what it is, its courses with what each costs alone, and its offers with their buttons. */
export default function BundlePage({ page, view }: { page: ShopPage; view: BundleView }) {
  const { bundle, courses, offers, saving, isOwned } = view
  return (
    <>
      <CoverHead course={bundle} look={page.school.look} />
      <main className="mx-auto grid w-[1080px] max-w-[calc(100%-32px)] grid-cols-1 gap-8 pt-8 md:grid-cols-[minmax(0,1fr)_350px] md:gap-12">
        <div className="min-w-0">
          {bundle.coverId && (
            <img
              {...pictureSource(bundle.coverId)}
              sizes="(min-width: 1112px) 680px, 100vw"
              alt=""
              className="mb-6 max-h-[260px] w-full rounded-lg object-cover"
            />
          )}
          {bundle.description && (
            <RichHtml className="max-w-[62ch] text-[16px] leading-relaxed" html={bundle.description} />
          )}
          <h2 className="mt-8 text-[20px]">{CATALOGUE.courses}</h2>
          {bundle.includesAll && <p className="mt-1 text-ink-2">{CATALOGUE.allToCome}</p>}
          {courses.length === 0 && <p className="mt-2 text-ink-2">{CATALOGUE.noCourses}</p>}
          <ul className="mt-3 grid gap-2">
            {courses.map((course) => (
              <li key={course.slug}>
                <a
                  href={`/course/${course.slug}`}
                  className="group flex overflow-hidden rounded-lg border border-line bg-sheet hover:border-ink-2"
                >
                  <Spine colors={[course.coverColor]} className="w-3 flex-none" />
                  <span className="flex min-w-0 flex-1 items-baseline gap-4 px-4 py-3 max-sm:flex-col max-sm:gap-1">
                    <span className="min-w-0 flex-1">
                      <span className="display block text-[17px] leading-tight font-semibold group-hover:underline group-hover:underline-offset-4">
                        {course.title}
                      </span>
                      {course.summary && <span className="mt-1 block text-[14px] text-ink-2">{course.summary}</span>}
                      {course.opensOn && (
                        <span className="mt-1 block text-[14px] text-ink-2">
                          {say(CATALOGUE.courseOpens, { day: formatDay(course.opensOn, page.school.language) })}
                        </span>
                      )}
                    </span>
                    <span className="flex-none text-[14px] text-ink-2">
                      {course.isOwned ? CATALOGUE.ownedCourse : course.price}
                    </span>
                  </span>
                </a>
              </li>
            ))}
          </ul>
          {saving && <p className="mt-4 font-semibold">{saving}</p>}
        </div>
        <aside className="grid grid-cols-1 content-start gap-3 max-md:row-start-1">
          {isOwned ? (
            <div className="rounded-lg border border-line bg-sheet p-4">
              <p className="mb-3">{CATALOGUE.ownedBundle}</p>
              <a href="/my" className={buttonClass('press', 'w-full text-center')}>
                {CATALOGUE.toMyCourses}
              </a>
            </div>
          ) : (
            <OfferCards page={page} product={bundle} offers={offers} />
          )}
        </aside>
      </main>
    </>
  )
}
