import { formatDay } from '../../core/calendar/formatDay.ts'
import { LEARN } from '../../core/words/en/shop.ts'
import { say } from '../../core/words/message.ts'
import type { LearnView, ShopPage } from '../../server/client.ts'
import { buttonClass } from '../../ui/Button.tsx'
import { classes } from '../../ui/classes.ts'
import { RichHtml } from '../../ui/RichHtml.tsx'
import { CoverHead } from '../catalogue/CoverHead.tsx'

/** An opened course: its lessons, and the one being read. */
export default function LearnPage({ page, view }: { page: ShopPage; view: LearnView }) {
  const { course, lessons, lesson, closes, renews } = view
  const at = lessons.findIndex(({ id }) => id === lesson?.id)
  const next = lessons[at + 1]
  const text = lesson?.body ?? course.description
  return (
    <>
      <CoverHead course={course} look={page.school.look} />
      <main className="mx-auto grid w-[1080px] max-w-[calc(100%-32px)] grid-cols-1 gap-8 pt-7 md:grid-cols-[290px_minmax(0,1fr)] md:gap-12">
        <nav aria-label={LEARN.lessons} className="self-start">
          <ol>
            {lessons.map(({ id, title }, index) => (
              <li key={id}>
                <a
                  href={`/learn/${course.slug}/${id}`}
                  aria-current={id === lesson?.id ? 'page' : undefined}
                  className={classes(
                    'flex gap-2.5 rounded-field px-2.5 py-2 hover:underline',
                    id === lesson?.id && 'bg-acorn font-semibold',
                  )}
                >
                  <span className="w-4 text-right text-ink-2">{index + 1}</span>
                  <span className="min-w-0">{title}</span>
                </a>
              </li>
            ))}
          </ol>
          {lessons.length === 0 && <p className="text-ink-2">{LEARN.noLessons}</p>}
          {(renews ?? closes) && (
            <p className="mt-3 px-2.5 text-[13.5px] text-ink-2">
              {renews
                ? say(LEARN.renews, { day: formatDay(renews, page.school.language) })
                : say(LEARN.until, { day: formatDay(closes ?? '', page.school.language) })}
            </p>
          )}
        </nav>
        <article className="min-w-0 rounded-lg border border-line bg-sheet px-6 py-6 sm:px-9 sm:py-8">
          {lesson && <h2 className="mb-4 text-[26px]">{lessons[at]?.title}</h2>}
          {text ? (
            <RichHtml className="max-w-[62ch] text-[16.5px] leading-relaxed" html={text} />
          ) : (
            <p className="text-ink-2">{lesson ? LEARN.noText : LEARN.choose}</p>
          )}
          {next && (
            <p className="mt-8">
              <a className={buttonClass('press')} href={`/learn/${course.slug}/${next.id}`}>
                {say(lesson ? LEARN.next : LEARN.begin, { lesson: next.title })}
              </a>
            </p>
          )}
        </article>
      </main>
    </>
  )
}
