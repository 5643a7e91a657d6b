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
  isChanged: boolean
  isLive: boolean
  publish: () => void
  show: (at: string) => void
}

/** What stands in the way of publishing. */
export function Before({ problems, isChanged, isLive, publish, show }: BeforeProps) {
  if (problems.length > 0) {
    return (
      <ul className="grid gap-1.5">
        {problems.map(({ at, why }) => (
          <li
            key={at}
            className="grid grid-cols-[1fr_auto] gap-2 rounded-field bg-failed-soft px-2.5 py-[7px] text-[13px]"
          >
            <b className="font-semibold">{why}</b>
            <Button kind="link" onClick={() => show(at)}>
              Show
            </Button>
          </li>
        ))}
      </ul>
    )
  }
  const title = isLive ? 'Buyers still see the published version.' : 'Nobody can buy here yet.'
  return (
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
      nothing="Buyers see it as it is here."
    />
  )
}
