import { CARD } from '../../core/words/en/card.ts'
import { say } from '../../core/words/message.ts'
import type { Needs } from '../../server/client.ts'
import { sayWith } from '../../ui/sayWith.ts'

/** In place of a button: what must be held first, and the way for those who hold it. */
export function WhatIsNeeded({ needs, then }: { needs: Needs; then: string }) {
  return (
    <p className="text-[13.5px]">
      {sayWith(CARD.needs, {
        courses: needs.courses.map(({ kind, slug, title }, index) => (
          <span key={slug}>
            {index > 0 && CARD.or}
            <a className="link" href={`/${kind}/${slug}`}>
              {say(CARD.see, { course: title })}
            </a>
          </span>
        )),
        signIn: (
          <a className="link" href={`/sign-in?then=${encodeURIComponent(then)}`}>
            {CARD.signIn}
          </a>
        ),
      })}
    </p>
  )
}
