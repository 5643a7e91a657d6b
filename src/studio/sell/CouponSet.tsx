import { useInfiniteQuery, useMutation } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { type CouponContent, MAX_LENGTH, MIN_LENGTH } from '../../core/content/coupon.ts'
import { Button } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { State, type StateShape } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api, IN_PLACE, queryClient } from '../api.ts'
import { ShowMore } from '../frame/ShowMore.tsx'
import { useSession } from '../session/session.ts'
import { CodesIn } from './CodesIn.tsx'
import { CountField, InlineText } from './InlineFields.tsx'
import type { BenchCoupon } from './queries.ts'

/** Most codes of one set. */
const MAX_CODES = 10_000
/** How often it is looked how far the worker is that makes them. */
const LOOK_MS = 700

const loadCodes = (id: string, after: string | null) =>
  unwrap(api.coupons[':id'].codes.$get({ param: { id }, query: after === null ? {} : { after } }))
type Code = Awaited<ReturnType<typeof loadCodes>>['codes'][number]

const STATES: Record<Code['state'], StateShape> = {
  unused: 'due',
  reserved: 'awaited',
  used: 'received',
  withdrawn: 'off',
}

interface CouponSetProps {
  content: CouponContent
  change: (patch: Partial<CouponContent>) => void
  coupon: BenchCoupon
  problem: (pointer: string) => string | null
}

/** Single-use codes for one rule: their pattern, and once it is published the codes themselves. */
export function CouponSet({ content, change, coupon, problem }: CouponSetProps) {
  return (
    <>
      <p className="pt-[5px] text-[16.5px] leading-[2.1]">
        The set is called{' '}
        <InlineText
          label="Name of the set"
          value={content.code}
          placeholder="a name"
          maxLength={40}
          isInvalid={problem('/code') !== null}
          onChange={(code) => change({ code })}
        />
        , for yourself. Its codes begin with{' '}
        <InlineText
          label="Beginning of the codes"
          value={content.prefix}
          placeholder="nothing"
          maxLength={15}
          isInvalid={problem('/prefix') !== null}
          onChange={(prefix) => change({ prefix })}
        />{' '}
        and have{' '}
        <CountField
          label="Letters and digits"
          value={content.length}
          least={MIN_LENGTH}
          most={MAX_LENGTH}
          onChange={(length) => change({ length })}
        />{' '}
        more letters and digits. Each works once.
      </p>
      {coupon.live?.isSet && !coupon.retiredAt ? (
        <Codes coupon={coupon} />
      ) : (
        <p className="text-[13.5px] text-ink-2">The codes are made once the set is published.</p>
      )}
    </>
  )
}

function Codes({ coupon }: { coupon: BenchCoupon }) {
  const { mode } = useSession()
  const key = ['coupon-codes', coupon.id, mode]
  const list = useInfiniteQuery({
    queryKey: key,
    queryFn: ({ pageParam }) => loadCodes(coupon.id, pageParam),
    initialPageParam: null as string | null,
    getNextPageParam: ({ next }) => next,
    // A worker makes them; meanwhile it is looked how far it is.
    refetchInterval: ({ state }) => ((state.data?.pages[0]?.toMake ?? 0) > 0 ? LOOK_MS : false),
  })
  const refresh = () => queryClient.invalidateQueries({ queryKey: key })
  const param = { id: coupon.id }
  const withdraw = useMutation({
    mutationFn: (json: { ids: string[] | null; isWithdrawn: boolean }) =>
      unwrap(api.coupons[':id'].codes.withdrawn.$put({ param, json })),
    onSuccess: ({ changed }, { isWithdrawn }) =>
      toast(`${formatCount(changed)} ${isWithdrawn ? 'withdrawn' : 'allowed again'}.`),
    meta: { invalidates: [key] },
  })
  const [first] = list.data?.pages ?? []
  if (!first) return null
  const { counts, toMake } = first
  const all = counts.unused + counts.reserved + counts.used + counts.withdrawn
  const codes = list.data?.pages.flatMap((page) => page.codes) ?? []
  return (
    <>
      <p className="pt-1">{all === 0 ? 'No codes yet.' : `${formatCount(all)}: ${formatCounts(counts)}.`}</p>
      <MakeCodes id={coupon.id} all={all} toMake={toMake} done={refresh} />
      {all < MAX_CODES && (
        <p className="mt-1 text-[13.5px]">
          <CodesIn id={coupon.id} done={refresh} />
        </p>
      )}
      {all > 0 && (
        <>
          <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[13.5px]">
            <a className="link" href={`/api/coupons/${coupon.id}/codes.csv`} download>
              Download as CSV
            </a>
            {counts.unused + counts.reserved > 0 && (
              <Button kind="link" onClick={() => withdraw.mutate({ ids: null, isWithdrawn: true })}>
                Withdraw all that are not used
              </Button>
            )}
            {counts.withdrawn > 0 && (
              <Button kind="link" onClick={() => withdraw.mutate({ ids: null, isWithdrawn: false })}>
                Allow all withdrawn codes again
              </Button>
            )}
          </p>
          <ul className="mt-2 text-[13.5px]">
            {codes.map((code) => (
              <li
                key={code.id}
                className="grid grid-cols-[minmax(0,1fr)_auto_92px] gap-x-3 border-b border-line py-1.5"
              >
                <span className="font-semibold [overflow-wrap:anywhere]">{code.code}</span>
                <span className="text-ink-2">
                  <State shape={STATES[code.state]}>{code.state}</State>
                  {code.orderId && (
                    <>
                      {' '}
                      <Link className="link" to={`/studio/orders/${code.orderId}`}>
                        {code.buyer}, order {code.number}
                      </Link>
                    </>
                  )}
                </span>
                <span className="text-right">
                  {code.state !== 'used' && (
                    <Button
                      kind="link"
                      aria-label={`${code.state === 'withdrawn' ? 'Allow again' : 'Withdraw'}: ${code.code}`}
                      onClick={() => withdraw.mutate({ ids: [code.id], isWithdrawn: code.state !== 'withdrawn' })}
                    >
                      {code.state === 'withdrawn' ? 'Allow again' : 'Withdraw'}
                    </Button>
                  )}
                </span>
              </li>
            ))}
          </ul>
          <ShowMore list={list} />
        </>
      )}
    </>
  )
}

/** Asks for codes; a worker makes them, also when this page is closed, and here it is seen how far it is. */
function MakeCodes({ id, all, toMake, done }: { id: string; all: number; toMake: number; done: () => Promise<void> }) {
  const [count, setCount] = useState(50)
  const [asked, setAsked] = useState(0)
  const left = MAX_CODES - all - toMake
  const once = useOnce()
  const make = useMutation({
    mutationFn: () => once((header) => api.coupons[':id'].codes.$post({ param: { id }, json: { count }, header })),
    onSuccess: (now) => {
      setAsked(now.toMake)
      return done()
    },
    meta: IN_PLACE,
  })
  // Said once it is over, where it was begun on this page.
  useEffect(() => {
    if (asked === 0 || make.isPending || toMake > 0) return
    toast(`${formatCount(asked)} made.`)
    setAsked(0)
  }, [asked, make.isPending, toMake])
  if (toMake > 0 || make.isPending) {
    const of = Math.max(asked, toMake)
    return (
      <div className="mt-1 text-[13.5px]">
        <p role="status">
          {of - toMake} of {of} made. This goes on also when you leave.
        </p>
        <progress
          value={of - toMake}
          max={of}
          aria-label="Codes made"
          className="mt-1 h-2 w-full max-w-[320px] accent-leaf"
        />
      </div>
    )
  }
  if (left <= 0) return <p className="text-[13.5px] text-ink-2">A set has at most {MAX_CODES} codes.</p>
  return (
    <div className="mt-1 text-[16.5px] leading-[2.1]">
      Make <CountField label="How many codes" value={Math.min(count, left)} least={1} most={left} onChange={setCount} />{' '}
      {all > 0 ? 'more codes' : 'codes'}.{' '}
      <Button className="text-[13.5px] leading-normal" disabled={make.isPending} onClick={() => make.mutate()}>
        Make them
      </Button>
      {make.error && <p className="text-[13.5px] leading-normal text-failed">{make.error.message}</p>}
    </div>
  )
}

/** How many are in which state, as far as there are any. */
function formatCounts(counts: Record<Code['state'], number>): string {
  const parts = [
    [counts.unused, 'unused'],
    [counts.reserved, 'reserved by orders that are not paid'],
    [counts.used, 'used'],
    [counts.withdrawn, 'withdrawn'],
  ] as const
  return parts.flatMap(([count, state]) => (count > 0 ? [`${count} ${state}`] : [])).join(', ')
}

function formatCount(count: number): string {
  return count === 1 ? '1 code' : `${count} codes`
}
