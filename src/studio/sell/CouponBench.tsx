import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { addDays } from '../../core/calendar/day.ts'
import { couponChanges } from '../../core/content/changes.ts'
import { type CouponContent, couponProblems, MAX_REDUCED, MAX_USES } from '../../core/content/coupon.ts'
import type { NameOf } from '../../core/content/couponSentence.ts'
import { Button } from '../../ui/Button.tsx'
import { BOX_INPUT } from '../../ui/Field.tsx'
import { unwrap } from '../../ui/problem.ts'
import { api } from '../api.ts'
import { instantOf } from '../days/instantOf.ts'
import { Dialog } from '../drafting/Dialog.tsx'
import { DraftBench, usePublishing } from '../drafting/DraftBench.tsx'
import { OpenBench } from '../drafting/OpenBench.tsx'
import { useUnreadFields } from '../drafting/UnreadFields.tsx'
import { useDraft } from '../drafting/useDraft.ts'
import { copyText } from '../frame/copyText.ts'
import { Section, Work } from '../frame/Places.tsx'
import { useMoney, useSession, useStudioNow, useStudioToday } from '../session/session.ts'
import { Chips } from './Chips.tsx'
import { CouponMirror } from './CouponMirror.tsx'
import { CouponScope } from './CouponScope.tsx'
import { CouponSet } from './CouponSet.tsx'
import { CountField, InlineText, Pick, RateField, TakeOut } from './InlineFields.tsx'
import { InlineNote, WITH_NOTE } from './InlineNote.tsx'
import { QrCode } from './LinkBench.tsx'
import { AddTime, MomentField } from './MomentField.tsx'
import { PriceField } from './PriceField.tsx'
import { type BenchCoupon, refreshCoupons, useCoupon } from './queries.ts'
import { Add, Additions } from './TermsBench.tsx'

/** The bench for the coupon in the address. */
export function CouponBenchPage() {
  const { id = '' } = useParams()
  return <OpenBench query={useCoupon(id)}>{(coupon) => <CouponBench coupon={coupon} />}</OpenBench>
}

function CouponBench({ coupon }: { coupon: BenchCoupon }) {
  const { school } = useSession()
  const navigate = useNavigate()
  const draft = useDraft<CouponContent>({
    first: coupon,
    save: async (baseRev, content) => {
      const param = { id: coupon.id }
      const saved = await unwrap(api.coupons[':id'].draft.$put({ param, json: { baseRev, content } }))
      void refreshCoupons()
      return saved
    },
  })
  const publishing = usePublishing(draft)
  const { content, change } = draft
  const unread = useUnreadFields()
  const at = useStudioNow()
  const problems = couponProblems(content, at, coupon.taken)
  const nameOf = namesOf(coupon)
  const param = { id: coupon.id }
  const meta = { invalidates: [['coupon', coupon.id], ['coupons']] }
  const { mutate: end } = useMutation({
    mutationFn: () => unwrap(api.coupons[':id'].end.$post({ param })),
    onSuccess: () => toast('Ended. Anyone who types it is told when it ended.'),
    meta,
  })
  const { mutate: setRetired } = useMutation({
    mutationFn: (isRetired: boolean) => unwrap(api.coupons[':id'].retired.$put({ param, json: { isRetired } })),
    onSuccess: (_, isRetired) =>
      toast(
        isRetired
          ? 'Retired. Another coupon can use its code; past orders keep their discount.'
          : 'Brought back. Publish it to use its code again.',
      ),
    meta,
  })
  const [isAsking, setAsking] = useState(false)
  const { mutate: duplicate } = useMutation({
    mutationFn: () => unwrap(api.coupons[':id'].duplicate.$post({ param })),
    onSuccess: ({ id }) => navigate(`/studio/sell/coupons/${id}`),
    meta: { invalidates: [['coupons']] },
  })
  const { mutate: remove } = useMutation({
    mutationFn: () => unwrap(api.coupons[':id'].$delete({ param })),
    onSuccess: () => navigate('/studio/sell'),
    meta: { invalidates: [['coupons']] },
  })
  return (
    <Work
      bench={
        <DraftBench
          draft={draft}
          publishing={publishing}
          kicker={`Coupon · ${stateInWords(coupon)}`}
          unread={unread}
          isRetired={coupon.retiredAt !== null}
          setRetired={(isRetired) => (isRetired && coupon.live ? setAsking(true) : setRetired(isRetired))}
          acts={coupon.live && !coupon.endedAt && <Button onClick={() => end()}>End now</Button>}
          duplicate={duplicate}
          remove={remove}
          keptBecause={coupon.wasUsed ? 'was used' : null}
          publish={{
            title: `Publish ${content.code || 'this coupon'}`,
            changes: couponChanges(coupon.live, draft.saved.draft, school, nameOf),
            notes: [
              ...(coupon.endedAt ? ['It begins again: it was ended by hand.'] : []),
              ...(coupon.wasUsed ? ['Past orders keep their discount.'] : []),
            ],
            blocked: [
              ...unread.map(({ label, why }) => `“${label}” is not saved. ${why}`),
              ...problems.map(({ why }) => why),
            ],
            run: () => unwrap(api.coupons[':id'].publish.$post({ param, json: { rev: draft.revision() } })),
            ...meta,
          }}
          changesOf={(theirs) => couponChanges(theirs, content, school, nameOf)}
        >
          <h1 className="mt-1 text-[27px] [overflow-wrap:anywhere]">{content.code || 'New coupon'}</h1>
          <Section title="What it takes off">
            <Reduction content={content} change={change} coupon={coupon} />
          </Section>
          <Section title="When and who">
            <Conditions content={content} change={change} endProblem={whyAt(problems, '/until')} />
          </Section>
          <Section title="The code">
            {!coupon.live && (
              <Chips
                label="Kind of code"
                value={content.isSet ? 'set' : 'word'}
                options={[
                  ['word', 'One word for all'],
                  ['set', 'A set of single-use codes'],
                ]}
                onChange={(kind) => change({ isSet: kind === 'set' })}
              />
            )}
            {content.isSet ? (
              <CouponSet
                content={content}
                change={change}
                coupon={coupon}
                problem={(pointer) => whyAt(problems, pointer)}
              />
            ) : (
              <Word content={content} change={change} coupon={coupon} problem={whyAt(problems, '/code')} />
            )}
          </Section>
          <Section title="Note">
            <textarea
              aria-label="Note for yourself"
              placeholder="For yourself: for whom it is, where it is printed."
              maxLength={600}
              rows={3}
              className={BOX_INPUT}
              value={content.note}
              onChange={(event) => change({ note: event.target.value })}
            />
          </Section>
        </DraftBench>
      }
      mirror={
        <>
          <CouponMirror coupon={coupon} content={content} nameOf={nameOf} problems={problems} />
          {isAsking && (
            <AskBeforeRetiring
              coupon={coupon}
              close={() => setAsking(false)}
              retire={() => {
                setAsking(false)
                setRetired(true)
              }}
            />
          )}
        </>
      }
    />
  )
}

/** Asked once before a published coupon is retired: what becomes of each place where its code is. */
function AskBeforeRetiring({
  coupon: { live, brought, pages },
  close,
  retire,
}: {
  coupon: BenchCoupon
  close: () => void
  retire: () => void
}) {
  const { waiting } = brought
  return (
    <Dialog title="Retire this coupon?" text="Past orders keep their discount." onClose={close}>
      <ul className="mb-4 grid gap-1 text-[13.5px]" aria-label="Where it is used">
        <li>
          {live?.isSet
            ? 'Anyone who types one of its codes is told that there is no such code.'
            : `Anyone who types ${live?.code} is told that there is no such code. Another coupon can use the word.`}
        </li>
        <li>Links with its code, also printed ones, show the full price.</li>
        {pages.map(({ id, name }) => (
          <li key={id}>
            <Link to={`/studio/sell/pages/${id}`} className="hover:underline">
              The checkout page “{name}” no longer applies it by itself.
            </Link>
          </li>
        ))}
        {waiting > 0 && (
          <li>
            {waiting === 1
              ? 'One order that is not paid yet keeps the discount until it is paid or ends.'
              : `${waiting} orders that are not paid yet keep the discount until they are paid or end.`}
          </li>
        )}
      </ul>
      <div className="flex flex-wrap gap-2">
        <Button kind="press" onClick={retire}>
          Retire it
        </Button>
        <Button kind="link" onClick={close}>
          Do not retire it
        </Button>
      </div>
    </Dialog>
  )
}

const whyAt = (problems: ReturnType<typeof couponProblems>, pointer: string) =>
  problems.find(({ at }) => at === pointer)?.why ?? null

function stateInWords({ live, endedAt, retiredAt }: BenchCoupon): string {
  if (retiredAt) return 'retired'
  if (endedAt) return 'ended'
  return live ? 'published' : 'not published yet'
}

/** Names what a coupon is for by what is on sale; what is not any more is said to be so. */
function namesOf({ offers }: BenchCoupon): NameOf {
  const titles = new Map(offers.map(({ productId, title }) => [productId, title]))
  const names = new Map(offers.map(({ id, title, content }) => [id, `${title}, ${content.name}`]))
  const gone = 'something that is not on sale'
  return ({ products, offers: single }) => [
    ...products.map((id) => titles.get(id) ?? gone),
    ...single.map((id) => names.get(id) ?? gone),
  ]
}

interface PartProps {
  content: CouponContent
  change: (patch: Partial<CouponContent>) => void
}

const SENTENCE = 'pt-[5px] text-[16.5px] leading-[2.1]'

/** How much, of which payments, of what. */
function Reduction({ content, change, coupon }: PartProps & { coupon: BenchCoupon }) {
  const money = useMoney()
  const { payments } = content
  return (
    <>
      <Chips
        label="Kind of reduction"
        value={content.kind}
        options={[
          ['percent', 'Percent'],
          ['fixed', 'Amount'],
        ]}
        onChange={(kind) => change({ kind })}
      />
      <p className={SENTENCE}>
        {content.kind === 'percent' ? (
          <RateField
            label="How much off"
            rate={content.rate ?? 0}
            onChange={(rate) => change({ rate: rate === 0 ? null : rate })}
          />
        ) : (
          <PriceField
            label="How much off"
            amount={content.amount}
            money={money}
            onChange={(amount) => change({ amount })}
          />
        )}{' '}
        off{' '}
        <Pick
          label="Of which payments"
          value={payments === null ? 'every' : payments === 1 ? 'first' : 'some'}
          options={[
            ['first', 'the first payment'],
            ['some', 'the first'],
            ['every', 'every payment'],
          ]}
          onChange={(which) => change({ payments: which === 'every' ? null : which === 'first' ? 1 : 3 })}
        />
        {payments !== null && payments > 1 && (
          <>
            {' '}
            <CountField
              label="How many payments"
              value={payments}
              least={2}
              most={MAX_REDUCED}
              onChange={(count) => change({ payments: count })}
            />{' '}
            payments
          </>
        )}{' '}
        of <CouponScope content={content} coupon={coupon} onChange={(appliesTo) => change({ appliesTo })} />.
      </p>
      {content.minimum !== null && (
        <p className={SENTENCE}>
          Only for orders of at least{' '}
          <PriceField
            label="Minimum"
            amount={content.minimum}
            money={money}
            isNeeded
            onChange={(minimum) => minimum !== null && change({ minimum })}
          />
          , before it is taken off.
          <TakeOut label="Remove the minimum" onClick={() => change({ minimum: null })} />
        </p>
      )}
      {content.skipsSale && (
        <p className={SENTENCE}>
          Not beside a sale price.
          <TakeOut label="Also beside a sale price" onClick={() => change({ skipsSale: false })} />
        </p>
      )}
      {(content.bumps || content.upsells) && (
        <p className={SENTENCE}>
          Order bumps and upsells too.
          <TakeOut label="Not of order bumps and upsells" onClick={() => change({ bumps: false, upsells: false })} />
        </p>
      )}
      <Additions>
        {content.minimum === null && <Add onClick={() => change({ minimum: 1000 })}>Only from a minimum</Add>}
        {!content.skipsSale && <Add onClick={() => change({ skipsSale: true })}>Not beside a sale</Add>}
        {!content.bumps && !content.upsells && (
          <Add onClick={() => change({ bumps: true, upsells: true })}>Bumps and upsells too</Add>
        )}
      </Additions>
    </>
  )
}

/** From when until when, how often, by whom, and beside what. */
function Conditions({ content, change, endProblem }: PartProps & { endProblem: string | null }) {
  const { school } = useSession()
  const today = useStudioToday()
  const { limit, limitPerBuyer, from, until } = content
  const { timeZone } = school
  return (
    <>
      <p className={SENTENCE}>
        It applies
        {from === null && until === null ? ' from the moment it is published, without an end' : ''}
        {from !== null && (
          <MomentField
            which="from"
            of="Coupon"
            instant={from}
            timeZone={timeZone}
            onChange={(moment) => change({ from: moment })}
          />
        )}
        {until !== null && (
          <MomentField
            which="until"
            of="Coupon"
            instant={until}
            timeZone={timeZone}
            problem={endProblem}
            onChange={(moment) => change({ until: moment })}
          />
        )}
        ,{' '}
        {limit === null ? (
          'any number of times in all'
        ) : (
          <>
            <CountField
              label="How often in all"
              value={limit}
              least={1}
              most={MAX_USES}
              onChange={(count) => change({ limit: count })}
            />{' '}
            {limit === 1 ? 'time' : 'times'} in all
            <TakeOut label="Without a limit" onClick={() => change({ limit: null })} />
          </>
        )}
        ,{' '}
        {limitPerBuyer === null ? (
          'any number of times'
        ) : (
          <>
            <CountField
              label="How often per buyer"
              value={limitPerBuyer}
              least={1}
              most={1000}
              onChange={(count) => change({ limitPerBuyer: count })}
            />{' '}
            {limitPerBuyer === 1 ? 'time' : 'times'}
            <TakeOut label="Without a limit per buyer" onClick={() => change({ limitPerBuyer: null })} />
          </>
        )}{' '}
        per buyer, for{' '}
        <Pick
          label="Which purchase"
          value={content.firstPurchaseOnly ? 'first' : 'any'}
          options={[
            ['any', 'any'],
            ['first', 'only a first'],
          ]}
          onChange={(which) => change({ firstPurchaseOnly: which === 'first' })}
        />{' '}
        purchase. It{' '}
        <Pick
          label="Beside other codes"
          value={content.combines ? 'combines' : 'alone'}
          options={[
            ['alone', 'does not combine'],
            ['combines', 'combines'],
          ]}
          onChange={(how) => change({ combines: how === 'combines' })}
        />{' '}
        with other codes.
      </p>
      <Additions>
        {from === null && (
          <Add onClick={() => change({ from: instantOf(today, null, timeZone, 'from') })}>Add a start</Add>
        )}
        {until === null && (
          <Add onClick={() => change({ until: instantOf(addDays(today, 30), null, timeZone, 'until') })}>
            Add an end
          </Add>
        )}
        <AddTime which="from" instant={from} timeZone={timeZone} onChange={(moment) => change({ from: moment })} />
        <AddTime which="until" instant={until} timeZone={timeZone} onChange={(moment) => change({ until: moment })} />
        {limit === null && <Add onClick={() => change({ limit: 100 })}>Limit how often in all</Add>}
        {limitPerBuyer === null && <Add onClick={() => change({ limitPerBuyer: 1 })}>Limit per buyer</Add>}
      </Additions>
    </>
  )
}

/** The word that buyers type, and a link that carries it. */
function Word({ content, change, coupon, problem }: PartProps & { coupon: BenchCoupon; problem: string | null }) {
  const [showsCode, setShowsCode] = useState(false)
  const [slug, setSlug] = useState(coupon.offers[0]?.slug ?? '')
  const pages = [...new Map(coupon.offers.map(({ slug: of, title }) => [of, title] as const))]
  const url = `${location.origin}/buy/${slug}?code=${encodeURIComponent(content.code)}`
  const copy = () => copyText(url)
  return (
    <>
      <p className={SENTENCE}>
        Buyers type{' '}
        <span className={WITH_NOTE}>
          <InlineText
            label="Code"
            value={content.code}
            placeholder="a word"
            maxLength={40}
            isInvalid={problem !== null}
            describedBy="coupon-code"
            onChange={(code) => change({ code })}
          />
          <InlineNote id="coupon-code" error={content.code === '' ? null : problem} />
        </span>
        , in capitals or not.
      </p>
      {coupon.live && pages.length > 0 && (
        <p className="flex flex-wrap items-baseline gap-x-3 gap-y-1 text-[13.5px]">
          <span>
            Link to <Pick label="Page of the link" value={slug} options={pages} onChange={setSlug} />
          </span>
          <Button kind="link" onClick={copy}>
            Copy the link
          </Button>
          <Button kind="link" aria-expanded={showsCode} onClick={() => setShowsCode(!showsCode)}>
            {showsCode ? 'Hide the QR code' : 'QR code'}
          </Button>
        </p>
      )}
      {coupon.live && showsCode && <QrCode text={url} label={`QR code of the link with ${content.code}`} />}
    </>
  )
}
