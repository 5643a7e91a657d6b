import { formatMoment } from '../../ui/dates.ts'
import { useSession } from '../session/session.ts'
import { journalInWords } from './words.ts'

interface JournalProps {
  entries: { id: number; at: string; what: string; data: Record<string, string | number | null> }[]
}

/** All that happened, in order. */
export function Journal({ entries }: JournalProps) {
  const { school } = useSession()
  return (
    <ol className="border-l-2 border-dashed border-line-2 pl-4">
      {entries.map((entry) => (
        <li key={entry.id} className="relative pb-2 text-[13.5px]">
          <i aria-hidden="true" className="absolute top-[7px] -left-[21px] size-2 rounded-full bg-ink-2" />
          <time dateTime={entry.at} className="block text-[12px] text-ink-3">
            {formatMoment(entry.at, school.timeZone)}
          </time>
          {journalInWords(entry, school)}
        </li>
      ))}
    </ol>
  )
}
