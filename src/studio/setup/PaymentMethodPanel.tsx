import { useMutation, useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { formatMoment } from '../../ui/dates.ts'
import { BOX_INPUT, Field } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { useSession } from '../session/session.ts'
import type { Connection, Gateway } from './gateways.ts'
import { TransferForm } from './TransferForm.tsx'
import { DISPLACING, useConfirmation } from './useConfirmation.tsx'

interface PaymentMethodPanelProps {
  gateway: Gateway
  modeName: string
  /** The connected payment methods, in their order. */
  order: string[]
  place: number
  close: () => void
}

/** One payment method: its connection, or what it takes to have one. */
export function PaymentMethodPanel({ gateway, modeName, order, place, close }: PaymentMethodPanelProps) {
  const { school } = useSession()
  const [isChanging, setChanging] = useState(false)
  const { connection, takesCurrency, capabilities } = gateway
  const done = () => {
    setChanging(false)
    close()
  }
  return (
    <div className="pt-[3px]">
      {!takesCurrency && (
        <p className="mb-3 rounded-field bg-late-soft px-3 py-2">
          {capabilities.currencies.length === 1
            ? `It takes ${capabilities.currencies[0]} only, and your school sells in ${school.currency}, so it cannot collect payments.`
            : `It does not take ${school.currency}, the currency of your school, so it cannot collect payments.`}
        </p>
      )}
      {connection && !isChanging ? (
        <Connected
          connection={connection}
          gateway={gateway}
          modeName={modeName}
          order={order}
          place={place}
          change={() => setChanging(true)}
        />
      ) : capabilities.style === 'offline' ? (
        <TransferForm gateway={gateway} done={done} />
      ) : (
        <ConnectForm gateway={gateway} modeName={modeName} done={done} />
      )}
    </div>
  )
}

interface ConnectedProps {
  connection: Connection
  gateway: Gateway
  modeName: string
  order: string[]
  place: number
  change: () => void
}

function Connected({ connection, gateway, modeName, order, place, change }: ConnectedProps) {
  const { school } = useSession()
  const [isAsking, setAsking] = useState(false)
  const { id, capabilities } = gateway
  const { transfer, pausedAt } = connection
  return (
    <>
      <p className="flex flex-wrap items-baseline gap-x-3">
        {pausedAt ? (
          <State shape="off">{`paused in ${modeName}`}</State>
        ) : (
          <State shape="received">{`connected in ${modeName}`}</State>
        )}
        {connection.downSince && <State shape="late">it did not answer lately</State>}
      </p>
      {transfer ? (
        <p className="mt-1.5">
          “{transfer.title}”, to <b className="font-semibold">{transfer.holder}</b>, {connection.account}.
        </p>
      ) : (
        <p className="mt-1.5">
          Account <b className="font-semibold">{connection.accountName}</b> ({connection.account}), secret key ending{' '}
          <b className="font-semibold">{connection.secretEnds}</b>.{' '}
          <span className="text-[13px] text-ink-3">
            Checked with {capabilities.name} on {formatMoment(connection.verifiedAt, school.timeZone)}.
          </span>
        </p>
      )}
      {connection.isKeyLost && (
        <p role="alert" className="mt-2 rounded-field bg-failed-soft px-3 py-2 font-medium text-failed">
          The key of this connection cannot be read: the secret key of this installation has changed. Buyers are not
          offered it, and later payments wait. Put the old secret key back, or paste the gateway’s key again.
        </p>
      )}
      {connection.standsAlone && (
        <p className="mt-1 text-[13px] text-ink-2">
          This account’s terms do not allow other payment methods beside it.
        </p>
      )}
      <div className="mt-3 flex flex-wrap items-center gap-2">
        <Button onClick={change}>{transfer ? 'Change it' : 'Change the key'}</Button>
        <PauseButton gateway={gateway} isPaused={pausedAt !== null} />
        {order.length > 1 && <OrderButtons id={id} name={capabilities.name} order={order} place={place} />}
        <Button kind="danger" onClick={() => setAsking(true)}>
          Disconnect…
        </Button>
      </div>
      {isAsking && <DisconnectDialog gateway={gateway} modeName={modeName} close={() => setAsking(false)} />}
    </>
  )
}

function PauseButton({ gateway, isPaused }: { gateway: Gateway; isPaused: boolean }) {
  const { name } = gateway.capabilities
  const pause = (displace: boolean) =>
    unwrap(
      api.gateways[':adapter'].pause.$put({ param: { adapter: gateway.id }, json: { isPaused: !isPaused, displace } }),
    )
  const { run, isBusy, dialog } = useConfirmation(DISPLACING, pause, () =>
    toast(
      isPaused
        ? `${name} is offered again.`
        : `${name} is paused: buyers are not offered it. Agreed payments are still collected.`,
    ),
  )
  return (
    <>
      <Button disabled={isBusy} onClick={() => run(false)}>
        {isPaused ? 'Offer it again' : 'Pause'}
      </Button>
      {dialog}
    </>
  )
}

/** Moves a payment method within the order in which buyers see them. */
function OrderButtons({ id, name, order, place }: { id: string; name: string; order: string[]; place: number }) {
  const { mutate: move } = useMutation({
    mutationFn: (to: number) => {
      const moved = order.filter((other) => other !== id)
      moved.splice(to, 0, id)
      return unwrap(api.gateways.order.$put({ json: { order: moved } }))
    },
  })
  return (
    <>
      <Button disabled={place === 0} aria-label={`Show ${name} earlier`} onClick={() => move(place - 1)}>
        Earlier
      </Button>
      <Button disabled={place >= order.length - 1} aria-label={`Show ${name} later`} onClick={() => move(place + 1)}>
        Later
      </Button>
    </>
  )
}

/** Says what would stop, and disconnects. */
function DisconnectDialog({ gateway, modeName, close }: { gateway: Gateway; modeName: string; close: () => void }) {
  const { school, mode } = useSession()
  const param = { adapter: gateway.id }
  const stops = useQuery({
    queryKey: ['stops', mode, gateway.id],
    queryFn: () => unwrap(api.gateways[':adapter'].stops.$get({ param })),
  })
  const disconnect = useMutation({
    mutationFn: () => unwrap(api.gateways[':adapter'].$delete({ param })),
    onSuccess: () => {
      toast('Disconnected.')
      close()
    },
  })
  const { agreements = 0, next = null, amount = 0, awaited = 0 } = stops.data ?? {}
  return (
    <Dialog title={`Disconnect ${gateway.capabilities.name} in ${modeName}?`} onClose={close}>
      {stops.isPending && <p className="text-ink-2">Checking what would stop…</p>}
      {stops.data && (
        <div className="grid gap-2">
          {agreements > 0 ? (
            <>
              <p>
                <b className="font-semibold">
                  {agreements} {agreements === 1 ? 'agreement stops' : 'agreements stop'} being collected
                </b>
                : {formatMoney(amount, school)} that {agreements === 1 ? 'it brings' : 'they bring'} in the 12 months
                from today
                {next && `, the next payment on ${formatDay(next, school.language)}`}.
              </p>
              <p>
                Nothing can take them over by itself: the approval to charge is {gateway.capabilities.name}’s. Each
                buyer would be asked by a message to pay another way, once a payment fails.
              </p>
            </>
          ) : (
            <p>No later payments depend on it, so nothing stops.</p>
          )}
          {awaited > 0 && (
            <p>
              {awaited} {awaited === 1 ? 'order waits' : 'orders wait'} for money through it; that is still settled.
            </p>
          )}
          <p className="text-ink-2">
            {gateway.connection?.transfer ? 'Your text is deleted.' : 'The key is needed to connect again.'} To take it
            from the checkout and still collect what is agreed, pause it instead.
          </p>
        </div>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={close}>Keep it</Button>
        <Button kind="danger" disabled={stops.isPending || disconnect.isPending} onClick={() => disconnect.mutate()}>
          Disconnect
        </Button>
      </div>
    </Dialog>
  )
}

function ConnectForm({ gateway, modeName, done }: { gateway: Gateway; modeName: string; done: () => void }) {
  const { name, standsAlone } = gateway.capabilities
  const [account, setAccount] = useState(gateway.connection?.account ?? '')
  const [secret, setSecret] = useState('')
  const first = useRef<HTMLInputElement>(null)
  // Whoever opens it is about to paste what stands on the gateway's page.
  useEffect(() => first.current?.focus({ preventScroll: true }), [])
  const { error, isBusy, run, dialog } = useConfirmation(
    DISPLACING,
    (displace) => unwrap(api.gateways.$post({ json: { adapter: gateway.id, account, secret, displace } })),
    () => {
      toast(`${name} is connected in ${modeName}.`)
      done()
    },
  )
  return (
    <form
      noValidate
      className="grid max-w-[520px] gap-3"
      onSubmit={(event) => {
        event.preventDefault()
        run(false)
      }}
    >
      {standsAlone === 'by-account' && (
        <p className="text-[13.5px] text-ink-2">
          Some of its accounts do not allow other payment methods beside them. If yours is one, we ask before anything
          is paused.
        </p>
      )}
      <Field label="Account id" error={error?.at('/account')}>
        {(wiring) => (
          <input
            {...wiring}
            ref={first}
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
        <Button onClick={done}>Cancel</Button>
      </div>
      {dialog}
    </form>
  )
}
