import { useMutation, useQuery } from '@tanstack/react-query'
import { useEffect, useEffectEvent } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { formatMoney } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { StateMark } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { PreviewSection } from '../frame/Places.tsx'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession, useSwitchMode } from '../session/session.ts'
import { SetupFrame } from './SetupPage.tsx'

const loadList = () => unwrap(api.school.live.$get())
type List = Awaited<ReturnType<typeof loadList>>

/** Setup → Going live: one list of what must hold, and a real purchase of the creator's own. */
export function LivePage() {
  const { mode } = useSession()
  const list = useQuery({ queryKey: ['live', mode], queryFn: loadList })
  return (
    <SetupFrame
      bench={
        <>
          <h1 className="text-[27px]">Going live</h1>
          {!list.data && <Waiting error={list.error} />}
          {list.data && <Checks list={list.data} />}
        </>
      }
      mirror={
        <PreviewSection label="What a real purchase is for">
          <p className="text-[13.5px]">
            It works like every sale: your card, the gateway, its event, the receipt, access to the course. It costs you
            at most the gateway’s fee, and one more button refunds it.
          </p>
        </PreviewSection>
      }
    />
  )
}

function Checks({ list }: { list: List }) {
  const { checks, shopMode } = list
  const done = checks.filter(({ isDone }) => isDone).length
  const isReady = done === checks.length
  return (
    <>
      <p className="display mt-2 max-w-[60ch] text-[18px] leading-[1.45] font-medium text-ink-2">
        {shopMode === 'live'
          ? 'The shop is live: visitors pay real money. '
          : 'The shop is in Practice: visitors pay with sample cards. '}
        {isReady ? 'All done.' : `${done} of ${checks.length} done.`}
      </p>
      <ul className="mt-4 border-t border-line">
        {checks.map((check) => (
          <li key={check.code} className="grid grid-cols-[20px_minmax(0,1fr)_auto] gap-x-2.5 border-b border-line py-3">
            <span className="pt-[5px]">
              <StateMark shape={check.isDone ? 'received' : 'due'} size={13} />
              <span className="sr-only">{check.isDone ? 'Done:' : 'Missing:'}</span>
            </span>
            <span>
              <b className="font-semibold">{check.title}</b>
              <span className="block text-[13.5px] text-ink-2">{check.detail}</span>
              {check.code === 'tried' && <Trial list={list} />}
            </span>
            {check.fix && !check.isDone && (
              <span>
                {check.fix.to === '/' ? (
                  <a className="link" href="/" target="_blank" rel="noreferrer">
                    {check.fix.label}
                  </a>
                ) : (
                  <Link className="link" to={check.fix.to}>
                    {check.fix.label}
                  </Link>
                )}
              </span>
            )}
          </li>
        ))}
      </ul>
      {shopMode === 'practice' && (
        <p className="mt-4 text-ink-2">
          You open the live shop under{' '}
          <Link className="link" to="/studio/setup/school">
            School
          </Link>
          {isReady ? '.' : '; you can do it before this list is done.'}
        </p>
      )}
    </>
  )
}

/** The mode in which the studio was before it was paid for real; one tab knows it. */
const BACK_TO = 'acorn-mode-before-trial'

/** One button buys at the smallest amount, one more gives it back. */
function Trial({ list: { trial } }: { list: List }) {
  const { school, mode } = useSession()
  const switchMode = useSwitchMode()
  const buy = useMutation({
    mutationFn: () => unwrap(api.school.live.trial.$post()),
    onSuccess: async ({ path }) => {
      // The checkout looks at the mode of the studio.
      if (mode !== 'live') {
        sessionStorage.setItem(BACK_TO, mode)
        await switchMode.mutateAsync('live')
      }
      window.open(path, '_blank')
    },
  })
  const once = useOnce()
  const giveBack = useMutation({
    mutationFn: () => once((header) => api.school.live.trial['give-back'].$post({ header })),
    onSuccess: ({ refunded, waiting, refused }) =>
      toast(
        refused ??
          (waiting > 0 ? 'Requested; we ask the gateway again.' : `${formatMoney(refunded, school)} refunded.`),
      ),
  })
  const { amount, paid } = trial
  // Paid: the studio is back where it was.
  const back = useEffectEvent(() => {
    const before = sessionStorage.getItem(BACK_TO)
    sessionStorage.removeItem(BACK_TO)
    if (before === 'practice' && mode === 'live') switchMode.mutate('practice')
  })
  const isPaid = paid !== null && !paid.isGivenBack
  useEffect(() => {
    if (isPaid) back()
  }, [isPaid])
  return (
    <span className="mt-2 flex flex-wrap items-center gap-3">
      {paid && !paid.isGivenBack && (
        <>
          <Button kind="press" onClick={() => giveBack.mutate()}>
            Refund {formatMoney(paid.amount, school)}
          </Button>
          <Link
            className="link text-[13.5px]"
            to={`/studio/orders/${paid.orderId}`}
            onClick={() => mode !== 'live' && switchMode.mutate('live')}
          >
            See order {paid.number}
          </Link>
        </>
      )}
      {amount !== null && (!paid || paid.isGivenBack) && (
        <Button kind={paid ? 'quiet' : 'press'} onClick={() => buy.mutate()}>
          {paid ? 'Do it again' : `Pay ${formatMoney(amount, school)} for real`}
        </Button>
      )}
    </span>
  )
}
