import { useQuery } from '@tanstack/react-query'
import type { PageContent } from '../../core/content/checkoutPage.ts'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'

/** A version that is looked at instead of the draft. */
export interface OldVersion {
  version: number
  publishedAt: string
  content: PageContent
}

interface VersionsProps {
  pageId: string
  /** The one that buyers see. */
  live: number
  look: (version: OldVersion) => void
  onClose: () => void
}

/** What was published of a page, the newest first, to be looked at. */
export function Versions({ pageId, live, look, onClose }: VersionsProps) {
  const { data, error } = useQuery({
    queryKey: ['page', pageId, 'versions'],
    queryFn: () => unwrap(api.pages[':id'].versions.$get({ param: { id: pageId } })),
  })
  const moment = useMoment()
  const open = async (version: number, publishedAt: string) => {
    const param = { id: pageId, version: String(version) }
    const content = await unwrap(api.pages[':id'].versions[':version'].$get({ param }))
    look({ version, publishedAt, content })
  }
  return (
    <Dialog title="Earlier versions" text="Look at one; then you can bring it back into the draft." onClose={onClose}>
      {!data && <Waiting error={error} />}
      <ul>
        {data?.map(({ version, publishedAt, by }) => (
          <li key={version} className="border-t border-line">
            <button
              type="button"
              className="flex w-full items-baseline gap-3 px-1 py-2 text-left hover:bg-acorn-soft"
              onClick={() => void open(version, publishedAt)}
            >
              <b className="font-semibold">Version {version}</b>
              <span className="text-ink-2">
                {moment(publishedAt)}
                {by && `, ${by}`}
              </span>
              {version === live && <span className="ml-auto text-[13px] font-semibold text-leaf">live</span>}
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  )
}

/** Says a moment by the school's clock. */
export function useMoment() {
  const { school } = useSession()
  return (instant: string) =>
    new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeStyle: 'short', timeZone: school.timeZone }).format(
      new Date(instant),
    )
}
