import { CATALOGUE } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { SchoolView, ShopPage } from '../../server/client.ts'
import { COVER_CLASS } from '../../ui/coverColor.ts'

/** The school's page: every course that is on sale. */
export default function SchoolPage({ page, view }: { page: ShopPage; view: SchoolView }) {
  return (
    <main className="mx-auto w-[1080px] max-w-[calc(100%-32px)] pt-6">
      <h1 className="text-[30px] sm:text-[40px]">{say(CATALOGUE.title, { school: page.school.name })}</h1>
      {view.courses.length === 0 && <p className="mt-4 text-ink-2">{CATALOGUE.none}</p>}
      <ul className="mt-6 grid grid-cols-1 gap-4 sm:grid-cols-2">
        {view.courses.map((course) => (
          <li key={course.slug}>
            <a
              href={`/course/${course.slug}`}
              className="group flex h-full overflow-hidden rounded-lg border border-line bg-sheet hover:border-ink-2"
            >
              <span
                className={`w-3 flex-none shadow-[inset_-2px_0_0_rgb(0_0_0/.14)] ${COVER_CLASS[course.coverColor]}`}
              />
              <span className="flex min-w-0 flex-1 flex-col p-5">
                <span className="display text-[21px] leading-tight font-semibold group-hover:underline group-hover:underline-offset-4">
                  {course.title}
                </span>
                <span className="mt-1.5 mb-4 text-ink-2">{course.summary}</span>
                <b className="mt-auto font-semibold">{course.price}</b>
              </span>
              {course.coverId && (
                <img
                  src={`/pictures/${course.coverId}/small`}
                  alt=""
                  className="hidden w-[150px] flex-none object-cover sm:block"
                />
              )}
            </a>
          </li>
        ))}
      </ul>
    </main>
  )
}
