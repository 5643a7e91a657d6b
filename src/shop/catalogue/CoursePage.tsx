import { formatDay } from '../../core/calendar/formatDay.ts'
import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { CourseView, ShopPage } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { pictureSource } from '../../ui/pictures.ts'
import { RichHtml } from '../../ui/RichHtml.tsx'
import { CoverHead } from './CoverHead.tsx'
import { OfferCards } from './OfferCards.tsx'

/** One course: what it is, its lessons, and its offers with their buttons. */
export default function CoursePage({ page, view }: { page: ShopPage; view: CourseView }) {
  const { course, offers, isOwned, opensOn } = view
  return (
    <>
      <CoverHead course={course} look={page.school.look} />
      <main className="mx-auto grid w-[1080px] max-w-[calc(100%-32px)] grid-cols-1 gap-8 pt-8 md:grid-cols-[minmax(0,1fr)_350px] md:gap-12">
        <div className="min-w-0">
          {course.coverId && (
            <img
              {...pictureSource(course.coverId)}
              sizes="(min-width: 1112px) 680px, 100vw"
              alt=""
              className="mb-6 max-h-[260px] w-full rounded-lg object-cover"
            />
          )}
          {course.description && (
            <RichHtml className="max-w-[62ch] text-[16px] leading-relaxed" html={course.description} />
          )}
          <h2 className="mt-8 text-[20px]">{CATALOGUE.lessons}</h2>
          {course.lessons.length === 0 && <p className="mt-2 text-ink-2">{CATALOGUE.noLessons}</p>}
          <ol className="mt-2">
            {course.lessons.map((title, index) => (
              <li key={`${index}-${title}`} className="flex gap-3 border-b border-line py-2">
                <span className="w-5 text-right text-ink-3">{index + 1}</span>
                <span className="min-w-0">{title}</span>
              </li>
            ))}
          </ol>
        </div>
        <aside className="grid grid-cols-1 content-start gap-3 max-md:row-start-1">
          {isOwned ? (
            <div className="rounded-lg border border-line bg-sheet p-4">
              <p className="mb-3">
                {opensOn
                  ? say(CATALOGUE.ownedLater, { day: formatDay(opensOn, page.school.language) })
                  : CATALOGUE.owned}
              </p>
              <a
                href={opensOn ? '/my' : `/learn/${course.slug}`}
                className={buttonClass('press', 'w-full text-center')}
              >
                {opensOn ? CATALOGUE.toMyCourses : CATALOGUE.open}
              </a>
            </div>
          ) : (
            <OfferCards page={page} product={course} offers={offers} />
          )}
        </aside>
      </main>
    </>
  )
}
