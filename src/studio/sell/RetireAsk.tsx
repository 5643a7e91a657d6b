import { Link } from 'react-router'
import { formatList } from '../../core/sentence/words.ts'
import { Button } from '../../ui/Button.tsx'
import { Dialog } from '../drafting/Dialog.tsx'
import type { Retiring, Use } from './useRetiring.ts'

interface RetireAskProps {
  /** "course", "bundle", "offer" or "page". */
  kind: string
  /** The bundles that hold it. */
  bundles?: readonly { id: string; title: string }[]
  retiring: Retiring
  retire: (inBundles: 'keep' | 'take-out' | null) => void
}

/** What becomes of each place where something retired was used. */
const BECOMES: Record<Use['what'], (title: string) => string> = {
  bump: (title) => `The checkout page of “${title}” no longer shows it as an order bump.`,
  upsell: (title) => `Buyers at the checkout page of “${title}” are not offered it after the payment.`,
  page: (title) => `The checkout page of “${title}” shows the other offers.`,
  coupon: (title) => `The coupon “${title}” stays, but no longer applies to this.`,
  audience: (title) => `“${title}” stays on sale for people who have this.`,
  main: (title) => `The buttons that sell “${title}” lead to its main page.`,
  'leads-here': (title) => `The page “${title}” says that it is over when it has ended.`,
  'last-offer': (title) => `Nothing else sells “${title}”: its page and the shop say that it is not on sale.`,
  'sells-nothing': (title) => `The page “${title}” sells nothing until there is another offer.`,
  bundle: (title) => `The bundle “${title}” no longer shows what buyers save compared with this price.`,
  front: (title) => `The section “${title}” of the shop’s front no longer shows it.`,
}

/** Asked once before something is retired that is used elsewhere: every place, what becomes of it, and of a course in bundles what is wanted. */
export function RetireAsk({ kind, bundles = [], retiring: { uses, close }, retire }: RetireAskProps) {
  if (!uses) return null
  const answer = (inBundles: 'keep' | 'take-out' | null) => {
    close()
    retire(inBundles)
  }
  const titles = formatList(bundles.map(({ title }) => `“${title}”`))
  const isBundled = bundles.length > 0
  return (
    <Dialog
      title={isBundled ? 'It is in a bundle' : `Retire this ${kind}?`}
      text={
        isBundled
          ? `This course is in ${titles}. Retired, it is no longer sold alone. What happens to it there?`
          : 'It is no longer sold. Buyers keep what they have.'
      }
      onClose={close}
    >
      {uses.length > 0 && (
        <ul className="mb-4 grid gap-1 text-[13.5px]" aria-label="Where it is used">
          {uses.map(({ what, title, path }) => (
            <li key={`${what} ${path} ${title}`}>
              <Link to={path} className="hover:underline">
                {BECOMES[what](title)}
              </Link>
            </li>
          ))}
        </ul>
      )}
      <div className="grid gap-2">
        {isBundled ? (
          <>
            <Button onClick={() => answer('keep')}>Keep it in the bundle: it still opens with it</Button>
            <Button onClick={() => answer('take-out')}>
              Take it out for new buyers; who has the bundle keeps the course
            </Button>
          </>
        ) : (
          <Button onClick={() => answer(null)}>Retire it</Button>
        )}
        <Button kind="link" onClick={close}>
          Do not retire it
        </Button>
      </div>
    </Dialog>
  )
}
