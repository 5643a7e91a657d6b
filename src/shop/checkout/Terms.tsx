import { CHECKOUT } from '../../core/words/en/checkout.ts'
import type { ShopPage } from '../../server/client.ts'
import { sayWith } from '../../ui/sayWith.ts'

/** That whoever pays accepts the school's terms, where it has some; it goes on a line of small print. */
export function Terms({ school }: Pick<ShopPage, 'school'>) {
  if (!school.hasTerms) return null
  return (
    <>
      {' '}
      {sayWith(CHECKOUT.accept, {
        terms: (
          <a className="link" href="/terms" target="_blank" rel="noopener">
            {CHECKOUT.terms}
          </a>
        ),
      })}
    </>
  )
}
