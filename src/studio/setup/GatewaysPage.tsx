import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { State } from '../../ui/State.tsx'
import { PreviewSection, Section } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'
import { CapabilityTable } from './CapabilityTable.tsx'
import { type GatewayList, loadGateways } from './gateways.ts'
import { formatOffered } from './offered.ts'
import { PaymentMethodPanel } from './PaymentMethodPanel.tsx'
import { SetupFrame } from './SetupPage.tsx'
import { UnknownPayments } from './UnknownPayments.tsx'

/** Setup → Gateways: what each can do against what is on sale, and its connection in the mode that is looked at. */
export function GatewaysPage() {
  const { mode } = useSession()
  const list = useQuery({ queryKey: ['gateways', mode], queryFn: loadGateways })
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">Gateways in {nameOf(mode)}</h1>
          {list.data && <PaymentMethods list={list.data} modeName={nameOf(mode)} />}
          {!list.data && <Waiting error={list.error} />}
        </>
      }
      mirror={list.data && <Mirror list={list.data} />}
    />
  )
}

function nameOf(mode: 'practice' | 'live') {
  return mode === 'practice' ? 'Practice' : 'Live'
}

function PaymentMethods({ list, modeName }: { list: GatewayList; modeName: string }) {
  const connected = list.gateways.filter(({ connection }) => connection !== null)
  const [opened, setOpened] = useState<string | null>(connected.length === 0 ? (list.gateways[0]?.id ?? null) : null)
  const order = connected.map(({ id }) => id)
  return (
    <>
      <p className="display mt-2 max-w-[60ch] text-[18px] leading-[1.45] font-medium text-ink-2">
        {formatOffered(list)}
      </p>
      <p className="mt-1.5 max-w-[62ch] text-[13.5px] text-ink-2">
        Connect Practice and Live separately, each with its own key.
      </p>
      <UnknownPayments list={list} />
      {list.gateways.map((gateway, index) =>
        gateway.connection || opened === gateway.id ? (
          <Section key={`${gateway.id} ${modeName}`} title={gateway.capabilities.name}>
            <PaymentMethodPanel
              gateway={gateway}
              modeName={modeName}
              order={order}
              place={index}
              close={() => setOpened(null)}
            />
          </Section>
        ) : null,
      )}
      {list.gateways.some(({ id, connection }) => !connection && opened !== id) && (
        <Section title="Not connected">
          <p className="flex flex-wrap gap-2 pt-[3px]">
            {list.gateways.map(({ id, connection, capabilities }) =>
              connection || opened === id ? null : (
                <Button key={id} onClick={() => setOpened(id)}>
                  {capabilities.style === 'offline' ? 'Set up bank transfer' : `Connect ${capabilities.name}`}
                </Button>
              ),
            )}
          </p>
        </Section>
      )}
      <section className="mt-4 border-t border-line pt-3.5">
        <h2 className="mb-2 text-[17px]">What each can do</h2>
        <CapabilityTable list={list} />
      </section>
    </>
  )
}

function Mirror({ list }: { list: GatewayList }) {
  const { school, mode } = useSession()
  return (
    <>
      <PreviewSection label="Where the keys come from">
        <p className="text-[13.5px]">
          The gateways are simulated and ship with this product. You find account ids and keys on{' '}
          <a className="link" href={list.console} target="_blank" rel="noreferrer">
            their pages
          </a>
          , where you can open an account too. Bank transfer needs none.
        </p>
      </PreviewSection>
      {mode === 'practice' && (
        <PreviewSection label="Try it">
          <p className="text-[13.5px]">
            The card fields show sample cards to click: one that pays, one that does not, one that ends next month. The
            other gateways’ pages have sample accounts too.{' '}
            <Link className="link" to="/studio/setup/live">
              What is missing before you go live
            </Link>
          </p>
        </PreviewSection>
      )}
      <PreviewSection label="Latest events">
        {list.events.length === 0 && (
          <p className="text-[13.5px] text-ink-2">None yet. A gateway reports every payment in a signed event.</p>
        )}
        <ul className="grid gap-1 text-[13px]">
          {list.events.map((event) => (
            <li key={event.id} className="flex flex-wrap gap-x-2">
              <State shape={event.state === 'handled' ? 'received' : event.state === 'refused' ? 'failed' : 'awaited'}>
                {event.state}
              </State>
              <span>
                {list.gateways.find(({ id }) => id === event.adapter)?.capabilities.method}: {event.type ?? event.note}
              </span>
              <time className="ml-auto text-ink-3">{formatMoment(event.receivedAt, school.timeZone)}</time>
            </li>
          ))}
        </ul>
        {list.refusals.map(({ adapter, count, lastAt }) => (
          <p key={`${adapter} ${lastAt}`} className="mt-1.5 text-[13px] text-ink-2">
            {count} without a valid signature {count === 1 ? 'was' : 'were'} ignored, the last on{' '}
            {formatMoment(lastAt, school.timeZone)}.
          </p>
        ))}
      </PreviewSection>
    </>
  )
}
