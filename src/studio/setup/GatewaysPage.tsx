import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { formatMoney, formatRate } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { sayMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { useAttempt } from '../../ui/useAttempt.ts'
import { api, queryClient } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { Reflection } from '../frame/Places.tsx'
import { useSession } from '../session/session.ts'
import { SetupFrame } from './SetupPage.tsx'

const loadGateways = () => unwrap(api.gateways.$get())
type Gateway = Awaited<ReturnType<typeof loadGateways>>['gateways'][number]
type Connection = NonNullable<Gateway['connection']>

/** Setup → Gateways: what each can do, and its connection in the mode that is looked at. */
export function GatewaysPage() {
  const { mode, school } = useSession()
  const list = useQuery({ queryKey: ['gateways', mode], queryFn: loadGateways })
  const modeName = mode === 'practice' ? 'Practice' : 'Live'
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">Gateways in {modeName}</h1>
          <p className="mt-1.5 max-w-[62ch] text-ink-2">
            A gateway takes the buyer’s money and pays it to you. Practice and Live are connected each for itself, each
            with its own key.
          </p>
          {list.data?.gateways.map((gateway) => (
            <GatewayCard key={`${gateway.id} ${mode}`} gateway={gateway} modeName={modeName} />
          ))}
          {list.error && (
            <p role="alert" className="mt-4 text-failed">
              {list.error.message}
            </p>
          )}
        </>
      }
      mirror={
        list.data && (
          <>
            <Reflection label="Where the keys come from">
              <p className="text-[13.5px]">
                Thistle Card is simulated and ships with this product. Its account ids and keys stand{' '}
                <a className="link" href={list.data.console} target="_blank" rel="noreferrer">
                  on its own pages
                </a>
                , where you can open an account too.
              </p>
            </Reflection>
            <Reflection label="Events that came lately">
              {list.data.events.length === 0 && (
                <p className="text-[13.5px] text-ink-2">
                  None yet. A gateway tells of every payment by a signed event.
                </p>
              )}
              <ul className="grid gap-1 text-[13px]">
                {list.data.events.map((event) => (
                  <li key={event.id} className="flex flex-wrap gap-x-2">
                    <State
                      shape={event.state === 'handled' ? 'received' : event.state === 'refused' ? 'failed' : 'awaited'}
                    >
                      {event.state}
                    </State>
                    <span>{event.type ?? event.note}</span>
                    <time className="ml-auto text-ink-3">{sayMoment(event.receivedAt, school.timeZone)}</time>
                  </li>
                ))}
              </ul>
            </Reflection>
          </>
        )
      }
    />
  )
}

function GatewayCard({ gateway, modeName }: { gateway: Gateway; modeName: string }) {
  const { school } = useSession()
  const { capabilities: can, connection } = gateway
  const [isChanging, setChanging] = useState(false)
  const fixed = can.fee.fixed[school.currency] ?? 0
  const facts: [string, string][] = [
    ['Pays by', can.method],
    [
      'Takes',
      `${formatRate(can.fee.rate, school.language)}${fixed ? ` + ${formatMoney(fixed, school)}` : ''} of each payment`,
    ],
    ['Money is known', can.known === 'at-once' ? 'at once' : 'hours later'],
    ['Currencies', can.currencies.join(', ')],
    [
      'Gives back',
      can.refunds === 'part' ? 'the whole or a part' : can.refunds === 'whole' ? 'the whole only' : 'nothing',
    ],
  ]
  return (
    <section className="mt-5 border-t border-line pt-4">
      <div className="flex items-baseline justify-between gap-4">
        <h2 className="text-[18px]">{can.name}</h2>
        {connection ? (
          <State shape="received">{`connected in ${modeName}`}</State>
        ) : (
          <State shape="due">{`not connected in ${modeName}`}</State>
        )}
      </div>
      <dl className="mt-2 grid grid-cols-[120px_1fr] gap-y-1 text-[13.5px]">
        {facts.map(([label, value]) => [
          <dt key={label} className="text-ink-3">
            {label}
          </dt>,
          <dd key={`${label} value`}>{value}</dd>,
        ])}
      </dl>
      {!can.currencies.includes(school.currency) && (
        <p className="mt-3 rounded-field bg-late-soft px-3 py-2">
          It does not take {school.currency}, your school’s currency.
        </p>
      )}
      {connection && !isChanging ? (
        <Connected connection={connection} gateway={gateway} modeName={modeName} change={() => setChanging(true)} />
      ) : (
        <ConnectForm gateway={gateway} modeName={modeName} done={() => setChanging(false)} />
      )}
    </section>
  )
}

interface ConnectedProps {
  connection: Connection
  gateway: Gateway
  modeName: string
  change: () => void
}

function Connected({ connection, gateway, modeName, change }: ConnectedProps) {
  const { school } = useSession()
  const [isAsking, setAsking] = useState(false)
  const disconnect = async () => {
    await unwrap(api.gateways[':adapter'].$delete({ param: { adapter: gateway.id } }))
    toast('Disconnected.')
    setAsking(false)
    await queryClient.invalidateQueries({ queryKey: ['gateways'] })
  }
  return (
    <div className="mt-4 rounded-lg bg-sheet-2 px-4 py-3">
      <p>
        Account <b className="font-semibold">{connection.accountName}</b> ({connection.account}), secret key ending{' '}
        <b className="font-semibold">{connection.secretEnds}</b>.
      </p>
      <p className="text-[13px] text-ink-3">
        Checked with {gateway.capabilities.name} on {sayMoment(connection.verifiedAt, school.timeZone)}.
      </p>
      <div className="mt-3 flex gap-2">
        <Button onClick={change}>Change the key</Button>
        <Button kind="danger" onClick={() => setAsking(true)}>
          Disconnect…
        </Button>
      </div>
      {isAsking && (
        <Dialog
          title={`Disconnect ${gateway.capabilities.name} in ${modeName}?`}
          text="Offers that cost money cannot be bought until something is connected again. Payments under way are still settled. The key is needed to connect again."
          onClose={() => setAsking(false)}
        >
          <div className="flex justify-end gap-2">
            <Button onClick={() => setAsking(false)}>Keep it</Button>
            <Button kind="danger" onClick={disconnect}>
              Disconnect
            </Button>
          </div>
        </Dialog>
      )}
    </div>
  )
}

function ConnectForm({ gateway, modeName, done }: { gateway: Gateway; modeName: string; done: () => void }) {
  const [account, setAccount] = useState(gateway.connection?.account ?? '')
  const [secret, setSecret] = useState('')
  const { error, isBusy, attempt } = useAttempt()
  const connect = async () => {
    if (!(await attempt(() => unwrap(api.gateways.$post({ json: { adapter: gateway.id, account, secret } }))))) return
    toast(`${gateway.capabilities.name} is connected in ${modeName}.`)
    done()
    await queryClient.invalidateQueries({ queryKey: ['gateways'] })
  }
  return (
    <form
      noValidate
      className="mt-4 grid max-w-[520px] gap-3"
      onSubmit={(event) => {
        event.preventDefault()
        void connect()
      }}
    >
      <Field label="Account id" error={error?.at('/account')}>
        {(wiring) => (
          <input
            {...wiring}
            autoComplete="off"
            spellCheck={false}
            className={BOX_INPUT}
            value={account}
            onChange={(event) => setAccount(event.target.value)}
          />
        )}
      </Field>
      <Field
        label={`Secret key for ${modeName}`}
        error={error?.at('/secret')}
        hint="Kept encrypted. Only its last four characters are shown again."
      >
        {(wiring) => (
          <input
            {...wiring}
            type="password"
            autoComplete="off"
            spellCheck={false}
            className={BOX_INPUT}
            value={secret}
            onChange={(event) => setSecret(event.target.value)}
          />
        )}
      </Field>
      {error && error.problem.errors.length === 0 && (
        <p role="alert" className="font-medium text-failed">
          {error.message}
        </p>
      )}
      <div className="flex gap-2">
        <Button kind="press" type="submit" disabled={isBusy}>
          {isBusy ? 'Checking…' : 'Check and connect'}
        </Button>
        {gateway.connection && <Button onClick={done}>Cancel</Button>}
      </div>
    </form>
  )
}
