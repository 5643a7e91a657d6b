import { formatList } from '../../core/sentence/words.ts'
import type { BenchCourse } from './queries.ts'

/** What happens for those who have a bundle; null where it was not said yet. */
export interface HoldersChoice {
  opens: boolean | null
  closes: boolean | null
  notifies: boolean
}
export const NOT_SAID: HoldersChoice = { opens: null, closes: null, notifies: false }

function formatPeople(count: number): string {
  return count === 1 ? '1 person' : `${count} people`
}

interface BundleHoldersProps {
  holders: { live: number; practice: number }
  joins: string[]
  leaves: string[]
  choice: HoldersChoice
  choose: (choice: HoldersChoice) => void
}

/** Asked when the courses of a bundle change that somebody has: for whom what joins opens, and what leaves closes. */
export function BundleHolders({ holders, joins, leaves, choice, choose }: BundleHoldersProps) {
  const who = formatWho(holders)
  return (
    <>
      {joins.length > 0 && (
        <fieldset className="mt-4">
          <legend className="font-semibold">{formatList(joins)}: for whom?</legend>
          <Option isChosen={choice.opens === false} choose={() => choose({ ...choice, opens: false, notifies: false })}>
            For new buyers only
          </Option>
          <Option isChosen={choice.opens === true} choose={() => choose({ ...choice, opens: true })}>
            Also for the {who}
          </Option>
          {choice.opens && (
            <label className="mt-1 ml-6 flex items-center gap-2">
              <input
                type="checkbox"
                checked={choice.notifies}
                onChange={(event) => choose({ ...choice, notifies: event.target.checked })}
              />
              Tell them by message
            </label>
          )}
        </fieldset>
      )}
      {leaves.length > 0 && (
        <fieldset className="mt-4">
          <legend className="font-semibold">{formatList(leaves)}: taken out for whom?</legend>
          <Option isChosen={choice.closes === false} choose={() => choose({ ...choice, closes: false })}>
            For new buyers only; who has the bundle keeps it
          </Option>
          <Option isChosen={choice.closes === true} choose={() => choose({ ...choice, closes: true })}>
            Also for the {who}: it closes for them
          </Option>
        </fieldset>
      )}
    </>
  )
}

function Option({ isChosen, choose, children }: { isChosen: boolean; choose: () => void; children: React.ReactNode }) {
  return (
    <label className="mt-1 flex items-center gap-2">
      <input type="radio" checked={isChosen} onChange={choose} />
      <span>{children}</span>
    </label>
  )
}

/** Those who have a bundle, as they stand behind "also for the". */
function formatWho(holders: { live: number; practice: number }): string {
  const isOne = (holders.live || holders.practice) === 1
  return `${formatHolders(holders)} who ${isOne ? 'has' : 'have'} the bundle`
}

/** Those who have a bundle, as they are counted in a sentence, in each mode by itself. */
export function formatHolders({ live, practice }: { live: number; practice: number }): string {
  if (live === 0) return `${formatPeople(practice)} in Practice`
  const inLive = `${formatPeople(live)} in Live`
  return practice === 0 ? inLive : `${inLive} and ${formatPeople(practice)} in Practice`
}

/** For whom a course opens when it is published, alone or with its offer: those who have a bundle of all courses, in each mode. */
export function formatOpensFor({ title, holders }: BenchCourse['opensFor'][number]): string {
  const { live, practice } = holders
  const joins = `It joins “${title}”, which holds all courses`
  if (live + practice === 0) return `${joins}.`
  return `${joins}, and opens for the ${formatHolders(holders)} who ${live + practice === 1 ? 'has' : 'have'} it.`
}
