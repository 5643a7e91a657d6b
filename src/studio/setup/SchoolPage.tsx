import { toast } from 'sonner'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import type { Mode } from '../../server/client.ts'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api, queryClient } from '../api.ts'
import { Section } from '../frame/Places.tsx'
import { useSession } from '../session/session.ts'
import { SetupFrame } from './SetupPage.tsx'

const TAX = { none: 'no tax', inclusive: 'inside the prices', exclusive: 'on top of the prices' } as const

/** Setup → School: what it was set up with, and in which mode strangers buy. */
export function SchoolPage() {
  const { school } = useSession()
  const other: Mode = school.shopMode === 'practice' ? 'live' : 'practice'
  const open = async () => {
    await unwrap(api.school['shop-mode'].$put({ json: { mode: other } }))
    toast(
      other === 'live'
        ? 'The shop is live: strangers pay real money now.'
        : 'The shop is in Practice: strangers use sample cards.',
    )
    await queryClient.invalidateQueries({ queryKey: ['session'] })
  }
  const facts: [string, string][] = [
    ['Currency', `${school.currency}, written ${formatMoney(129900, school)}`],
    ['Time zone', school.timeZone.replaceAll('_', ' ')],
    ['Country', new Intl.DisplayNames('en', { type: 'region' }).of(school.country) ?? school.country],
    [
      'Tax',
      school.taxMode === 'none' ? TAX.none : `${formatRate(school.taxRate, school.language)}, ${TAX[school.taxMode]}`,
    ],
  ]
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">{school.name}</h1>
          <Section title="Strangers buy in">
            <p className="pt-[3px]">
              {school.shopMode === 'practice' ? (
                <State shape="awaited">Practice</State>
              ) : (
                <State shape="received">Live</State>
              )}
            </p>
            <p className="mt-1.5 max-w-[60ch] text-ink-2">
              {school.shopMode === 'practice'
                ? 'Everyone who opens the shop pays with sample cards; no real money moves. Open the live shop when your gateway is connected in Live.'
                : 'Everyone who opens the shop pays real money. You can still look at Practice by the switch at the top; then only you see the practice shop.'}
            </p>
            <Button kind={other === 'live' ? 'press' : 'quiet'} className="mt-3" onClick={open}>
              {other === 'live' ? 'Open the live shop' : 'Go back to Practice'}
            </Button>
          </Section>
          <Section title="Set up with">
            <dl className="grid grid-cols-[120px_1fr] gap-y-1 pt-[5px]">
              {facts.map(([label, value]) => [
                <dt key={label} className="text-ink-3">
                  {label}
                </dt>,
                <dd key={`${label} value`}>{value}</dd>,
              ])}
            </dl>
          </Section>
        </>
      }
      mirror={null}
    />
  )
}
