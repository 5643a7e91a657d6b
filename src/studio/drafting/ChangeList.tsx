import type { Change } from '../../core/content/changes.ts'

/** Changes in plain words, a line each. */
export function ChangeList({ changes }: { changes: Change[] }) {
  return (
    <ul className="grid gap-1.5">
      {changes.map(({ what, from, to }, index) => (
        <li key={`${what}-${index}`} className="rounded-field bg-sheet-2 px-3 py-2">
          <b className="font-semibold">{what}</b>{' '}
          {from !== null && to !== null && (
            <>
              from <s className="text-ink-3">{from}</s> to <b className="marked">{to}</b>
            </>
          )}
          {from === null && (
            <>
              new: <b className="marked">{to}</b>
            </>
          )}
          {to === null && from !== null && (
            <>
              removed: <s className="text-ink-3">{from}</s>
            </>
          )}
        </li>
      ))}
    </ul>
  )
}
