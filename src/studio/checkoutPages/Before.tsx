import { Link } from 'react-router'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { Button } from '../../ui/Button.tsx'
import { Obstacles } from '../sell/Obstacles.tsx'

/** What is chosen for a problem to be mended. */
export function chosenAt(at: string, { parts }: PageContent): string {
  const index = /^\/parts\/(\d+)/.exec(at)?.[1]
  if (index !== undefined) return parts[Number(index)]?.id ?? 'form'
  if (at.startsWith('/upsells')) return 'after'
  return at.startsWith('/ends') ? 'page' : 'form'
}

interface BeforeProps {
  problems: readonly { at: string; why: string }[]
  /** What deserves a look, by part. */
  warnings: readonly { partId: string; why: string }[]
  /** What it sells, while it is not live or not on sale. */
  unsold: { title: string; path: string } | null
  isChanged: boolean
  isLive: boolean
  publish: () => void
  show: (at: string) => void
  showPart: (partId: string) => void
}

/** What stands in the way of publishing, and what deserves a look. */
export function Before({ problems, warnings, unsold, isChanged, isLive, publish, show, showPart }: BeforeProps) {
  const title = isLive ? 'Buyers still see the published version.' : 'Nobody can buy here yet.'
  const looks = 'grid grid-cols-[1fr_auto] gap-2 rounded-field px-2.5 py-[7px] text-[13px]'
  return (
    <>
      {(problems.length + warnings.length > 0 || unsold) && (
        <ul className="mb-1.5 grid gap-1.5">
          {unsold && (
            <li className={`${looks} bg-late-soft`}>
              <span>Nothing of {unsold.title} is on sale here: buyers cannot order.</span>
              <Link className="link" to={unsold.path}>
                Open it
              </Link>
            </li>
          )}
          {problems.map(({ at, why }) => (
            <li key={at} className={`${looks} bg-failed-soft`}>
              <b className="font-semibold">{why}</b>
              <Button kind="link" onClick={() => show(at)}>
                Show
              </Button>
            </li>
          ))}
          {warnings.map(({ partId, why }) => (
            <li key={`${partId} ${why}`} className={`${looks} bg-late-soft`}>
              <span>{why}</span>
              <Button kind="link" onClick={() => showPart(partId)}>
                Show
              </Button>
            </li>
          ))}
        </ul>
      )}
      {problems.length === 0 && (
        <Obstacles
          obstacles={
            isChanged || !isLive
              ? [
                  {
                    ...{ code: 'changed', level: 'warning', stopsPublishing: false, title, detail: '' },
                    fix: { to: 'publish', label: 'Review' },
                  },
                ]
              : []
          }
          fix={publish}
          nothing={unsold ? 'It is published as it is here.' : 'Buyers see it as it is here.'}
        />
      )}
    </>
  )
}
