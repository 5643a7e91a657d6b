import { addDays } from '../../core/calendar/day.ts'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { type AccessProblem, accessProblem } from '../../core/content/endsOn.ts'
import type { DraftAccess, DraftTerms } from '../../core/content/offer.ts'
import { CountField, DateField, Pick, SpanField } from './InlineFields.tsx'

interface AccessBenchProps {
  access: DraftAccess
  terms: DraftTerms
  today: string
  /** BCP 47 tag in which days are said. */
  language: string
  /** The days on which its courses open. */
  days: readonly (string | null)[]
  /** It is for members, and free or paid once. */
  mayLastWhileMember: boolean
  onChange: (access: DraftAccess) => void
}

type How = 'forever' | 'span' | 'until' | 'whilePaying' | 'whileMember'

/** When the course is open, as a sentence. */
export function AccessBench({ access, terms, today, language, days, mayLastWhileMember, onChange }: AccessBenchProps) {
  const { lasts, from, graceDays } = access
  const isForever = lasts === 'whileMember' && !mayLastWhileMember
  const how: How = isForever ? 'forever' : typeof lasts === 'string' ? lasts : 'until' in lasts ? 'until' : 'span'
  const problem = accessProblem(access, today, days)
  const why = problem && formatProblem(problem, language)
  const isSubscription = terms.kind === 'subscription'
  const hasLater = isSubscription || terms.kind === 'installments'
  const choose = (next: How) => {
    if (next === 'forever' || next === 'whileMember') onChange({ ...access, lasts: next })
    else if (next === 'whilePaying') onChange({ from: null, lasts: 'whilePaying', graceDays: graceDays || 3 })
    else if (next === 'span') onChange({ ...access, lasts: { count: 1, unit: 'year' } })
    else onChange({ ...access, lasts: { until: addDays(from ?? today, 365) } })
  }
  return (
    <p id="offer-access" className="pt-[5px] text-[16.5px] leading-[2.1]">
      Opens{' '}
      {how === 'whilePaying' ? (
        'at purchase'
      ) : (
        <Pick
          label="When it opens"
          value={from === null ? 'purchase' : 'date'}
          options={[
            ['purchase', 'at purchase'],
            ['date', 'on'],
          ]}
          onChange={(when) => onChange({ ...access, from: when === 'purchase' ? null : addDays(today, 14) })}
        />
      )}
      {from !== null && (
        <>
          {' '}
          <DateField label="Opens on" value={from} onChange={(day) => onChange({ ...access, from: day })} />
        </>
      )}{' '}
      and stays open{' '}
      <Pick
        label="How long it stays open"
        value={how}
        options={[
          ['forever', 'for good'],
          ['span', 'for'],
          ['until', 'until'],
          ...(isSubscription ? ([['whilePaying', 'while it is paid']] as const) : []),
          ...(mayLastWhileMember ? ([['whileMember', 'as long as the membership lasts']] as const) : []),
        ]}
        onChange={choose}
      />
      {typeof lasts === 'object' && 'count' in lasts && (
        <>
          {' '}
          <span className="whitespace-nowrap">
            <SpanField label="Open for" span={lasts} onChange={(span) => onChange({ ...access, lasts: span })} />.
          </span>
        </>
      )}
      {typeof lasts === 'object' && 'until' in lasts && (
        <>
          {' '}
          <span className="whitespace-nowrap">
            <DateField
              label="Open until"
              value={lasts.until}
              problem={why}
              onChange={(until) => onChange({ ...access, lasts: { until } })}
            />
            .
          </span>
        </>
      )}
      {typeof lasts === 'string' ? '. ' : ' '}
      {hasLater && (
        <>
          A late payment pauses access after{' '}
          <CountField
            label="Days of grace"
            value={graceDays}
            least={0}
            most={90}
            onChange={(days) => onChange({ ...access, graceDays: days })}
          />{' '}
          {graceDays === 1 ? 'day' : 'days'}.
        </>
      )}
    </p>
  )
}

/** Why a closing day does not fit, for its field. */
function formatProblem({ code, opens }: AccessProblem, language: string): string {
  return code === 'ended'
    ? 'This day is past: nobody could buy it any more.'
    : `It must be after ${formatDay(opens, language)}, when it opens.`
}
