import { useState } from 'react'
import { Link } from 'react-router'
import type { Cloth } from '../../core/content/course.ts'
import { Button } from '../../ui/Button.tsx'
import { CLOTH_CLASS } from '../../ui/cloth.ts'
import { sayMoment } from '../../ui/dates.ts'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api, queryClient } from '../api.ts'
import { useSession } from '../session/session.ts'
import { NoteDialog } from './NoteDialog.tsx'

export interface GrantShown {
  id: string
  course: string
  cloth: Cloth
  orderId: string | null
  orderNumber: number | null
  endedAt: string | null
  endedNote: string | null
  /** Why it is open until when; null where it was taken back. */
  why: string | null
}

/** One grant: the course, since when, until when, why, and the way to take it back. */
export function GrantRow({ grant, isInOrder = false }: { grant: GrantShown; isInOrder?: boolean }) {
  const { school } = useSession()
  const [isAsking, setAsking] = useState(false)
  const takeBack = async (note: string) => {
    await unwrap(api.people.grants[':id']['take-back'].$post({ param: { id: grant.id }, json: { note } }))
    await queryClient.invalidateQueries()
  }
  return (
    <div className="flex items-start gap-2.5 border-b border-line py-2">
      <i className={`mt-0.5 h-8 w-[7px] flex-none rounded-[2px] ${CLOTH_CLASS[grant.cloth]}`} />
      <div className="min-w-0 flex-1">
        <b className="font-semibold">{grant.course}</b>
        <p className="text-[13px] text-ink-2">
          {grant.endedAt ? `Taken back ${sayMoment(grant.endedAt, school.timeZone)}: “${grant.endedNote}”` : grant.why}{' '}
          {grant.orderId && !isInOrder && (
            <Link className="link" to={`/studio/orders/${grant.orderId}`}>
              Order {grant.orderNumber}
            </Link>
          )}
        </p>
      </div>
      {grant.endedAt ? (
        <State shape="off">taken back</State>
      ) : (
        <Button kind="link" className="text-[13px]" onClick={() => setAsking(true)}>
          Take back…
        </Button>
      )}
      {isAsking && (
        <NoteDialog
          title={`Take back “${grant.course}”`}
          text="It is shut for this buyer at once. Money is not given back by this."
          action="Take it back"
          run={takeBack}
          onClose={() => setAsking(false)}
        />
      )}
    </div>
  )
}
