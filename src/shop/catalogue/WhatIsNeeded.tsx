import type { Needs } from '../../server/client.ts'

/** In place of a button: what must be held first, and the way for those who hold it. */
export function WhatIsNeeded({ needs, then }: { needs: Needs; then: string }) {
  return (
    <p className="text-[13.5px]">
      {needs.courses.map(({ slug, title }, index) => (
        <span key={slug}>
          {index > 0 && ' or '}
          <a className="link" href={`/course/${slug}`}>
            See {title}
          </a>
        </span>
      ))}
      , or{' '}
      <a className="link" href={`/sign-in?then=${encodeURIComponent(then)}`}>
        sign in
      </a>{' '}
      if you have it.
    </p>
  )
}
