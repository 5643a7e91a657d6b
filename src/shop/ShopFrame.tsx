import type { ReactNode } from 'react'
import { BASKET } from '../core/words/en/basket.ts'
import { FRAME } from '../core/words/en/shop.ts'
import { say } from '../core/words/message.ts'
import type { ShopPage } from '../server/client.ts'
import { lookStyle } from '../ui/look.ts'
import { sayWith } from '../ui/sayWith.ts'

/** What stands on every page of the shop: the mode where it is Practice, the school, the visitor. */
export function ShopFrame({ page, children }: { page: ShopPage; children: ReactNode }) {
  const isSheet = page.view.name !== 'checkout'
  return (
    <div className="flex min-h-screen flex-col text-[15px] leading-[1.45]" style={lookStyle(page.school.look)}>
      {page.mode === 'practice' && <PracticeBanner isOwnView={page.isOwnView} />}
      {page.mode === 'live' && page.isOwnView && (
        <aside aria-label={FRAME.mode} className="bg-acorn px-4 py-1.5 text-center text-[13.5px]">
          {sayWith(FRAME.liveOwnView, { live: <b>{FRAME.liveWord}</b> })}
        </aside>
      )}
      {isSheet && <SchoolBar page={page} />}
      <div className="flex-1">{children}</div>
      <footer className="mx-auto w-[1080px] max-w-[calc(100%-32px)] py-8 text-[13px] text-ink-2 [overflow-wrap:anywhere]">
        {page.school.name} ·{' '}
        <a className="link" href="/">
          {FRAME.allCourses}
        </a>{' '}
        ·{' '}
        <a className="link" href="/my">
          {FRAME.myCourses}
        </a>
        {page.school.hasTerms && (
          <>
            {' '}
            ·{' '}
            <a className="link" href="/terms">
              {FRAME.terms}
            </a>
          </>
        )}
      </footer>
    </div>
  )
}

function PracticeBanner({ isOwnView }: { isOwnView: boolean }) {
  return (
    <aside
      aria-label={FRAME.mode}
      className="hatched border-b border-dashed border-ink-2 bg-ground px-4 py-1.5 text-center text-[13.5px]"
    >
      {sayWith(isOwnView ? FRAME.practiceOwnView : FRAME.practice, { practice: <b>{FRAME.practiceWord}</b> })}
    </aside>
  )
}

function SchoolBar({ page: { school, visitor, basket } }: { page: ShopPage }) {
  return (
    <header className="mx-auto flex w-[1080px] max-w-[calc(100%-32px)] flex-wrap items-baseline gap-x-5 gap-y-1 py-4 [overflow-wrap:anywhere]">
      <a href="/" className="display mr-auto min-w-0 text-[17px] font-semibold">
        {school.name}
      </a>
      {basket !== null && (
        <a href="/basket" className="link">
          {basket > 0 ? say(BASKET.count, { number: basket }) : FRAME.basket}
        </a>
      )}
      <a href="/my" className="link">
        {FRAME.myCourses}
      </a>
      {visitor ? (
        <form method="post" action="/sign-out" className="min-w-0 text-ink-2">
          {visitor.name} ·{' '}
          <button type="submit" className="link">
            {FRAME.signOut}
          </button>
        </form>
      ) : (
        <a href="/sign-in" className="link">
          {FRAME.signIn}
        </a>
      )}
    </header>
  )
}
