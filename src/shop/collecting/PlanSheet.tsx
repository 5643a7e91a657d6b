import { useRef, useState } from 'react'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney } from '../../core/money/format.ts'
import { PAYING } from '../../core/words/en/paying.ts'
import { PLAN } from '../../core/words/en/plan.ts'
import { say } from '../../core/words/message.ts'
import type { PaymentMethod, PlanView, ShopPage } from '../../server/client.ts'
import { Button, buttonClass } from '../../ui/Button.tsx'
import { COVER_CLASS } from '../../ui/coverColor.ts'
import { sayWith } from '../../ui/sayWith.ts'
import { CardFrame } from '../checkout/CardFrame.tsx'
import { ConfirmDialog } from '../checkout/ConfirmDialog.tsx'
import { PaymentMethods } from '../checkout/PaymentMethods.tsx'
import { Sheet } from '../Sheet.tsx'
import { formatPlan, PlanTimeline } from './plan.tsx'
import { usePlan } from './usePlan.ts'

/** What the buyer is about: paying by another method, by what is kept, giving another method. */
type PlanAction = 'pay' | 'pay-saved' | 'rest' | 'rest-saved' | 'method' | null
const BY_SAVED_METHOD: readonly PlanAction[] = ['pay-saved', 'rest-saved']

/** One agreement: what was paid, what comes, and what its buyer can do about it. */
export function PlanSheet({ page, view }: { page: ShopPage; view: PlanView }) {
  const frame = useRef<HTMLIFrameElement>(null)
  const plan = usePlan(page, view, frame)
  const money = { ...page.school, currency: view.currency }
  const isDue = view.toPay?.since != null
  const [action, setAction] = useState<PlanAction>(isDue ? 'pay' : null)
  const paymentMethods = action === 'method' ? plan.keepers : view.paymentMethods
  const paymentMethod = plan.paymentMethodIn(paymentMethods)
  const day = (when: string) => formatDay(when, page.school.language)
  const isBusy = plan.phase.kind !== 'idle' && plan.phase.kind !== 'elsewhere'
  const isBySavedMethod = BY_SAVED_METHOD.includes(action)
  const toPay = action === 'rest' || action === 'rest-saved' ? view.rest : view.toPay
  const act = () =>
    void (action === 'method' ? plan.changeMethod() : isBySavedMethod ? plan.payByKept(toPay) : plan.pay(toPay))
  if (plan.done) return <Done view={view} said={plan.done} />
  return (
    <Sheet narrow>
      <span className={`mb-3 block h-[6px] rounded-[2px] ${COVER_CLASS[view.course.coverColor]}`} />
      <h1 className="text-[24px]">{say(PLAN.title, { course: view.course.title, offer: view.offer })}</h1>
      <p className="mt-1.5 mb-3 text-ink-2">{formatPlan(view, money)}</p>
      <PlanTimeline plan={view} language={page.school.language} />
      {view.closedFrom && view.state !== 'completed' && (
        <p className="mt-2 text-[14px]">{say(accessWords(view), { day: day(view.renews ?? view.closedFrom) })}</p>
      )}
      {view.toPay && (action === 'pay' || action === 'pay-saved') && (
        <h2 className="mt-5 text-[18px]">
          {view.toPay.since
            ? say(PLAN.dueSince, { money: formatMoney(view.toPay.amount, money), day: day(view.toPay.since) })
            : say(PLAN.payNext, { money: formatMoney(view.toPay.amount, money) })}
        </h2>
      )}
      {view.rest && (action === 'rest' || action === 'rest-saved') && (
        <h2 className="mt-5 text-[18px]">{say(PLAN.payRest, { money: formatMoney(view.rest.amount, money) })}</h2>
      )}
      {action === 'method' && <h2 className="mt-5 text-[18px]">{PLAN.otherCard}</h2>}
      {action && !isBySavedMethod && paymentMethods.length === 0 && (
        <p role="alert" className="mt-3 rounded-field bg-late-soft px-3 py-2 font-medium">
          {say(PLAN.cannotPay, { school: page.school.name })}
        </p>
      )}
      {(isBySavedMethod || (action && paymentMethod)) && (
        <form
          method="dialog"
          noValidate
          className="mt-2"
          onSubmit={(event) => {
            event.preventDefault()
            act()
          }}
        >
          {!isBySavedMethod && paymentMethod && (
            <PaymentMethods
              paymentMethods={paymentMethods}
              chosen={paymentMethod}
              choose={plan.setPaymentMethodId}
              isBusy={isBusy}
              fields={
                <CardFrame
                  key={paymentMethod.connectionId}
                  ref={frame}
                  paymentMethod={paymentMethod}
                  mode={page.mode}
                  submit={act}
                />
              }
            />
          )}
          {plan.phase.kind === 'elsewhere' && (
            <p role="status" className="mt-3 rounded-field bg-late-soft px-3 py-2">
              {sayWith(PLAN.elsewhere, {
                there: (
                  <a className="link" href={plan.phase.url}>
                    {PAYING.there}
                  </a>
                ),
              })}
            </p>
          )}
          <div aria-live="assertive">
            {plan.message && (
              <p className="mt-3 rounded-field bg-failed-soft px-3 py-2 font-medium text-failed">{plan.message}</p>
            )}
          </div>
          {plan.phase.kind === 'checking' && (
            <p role="status" className="mt-3 rounded-field bg-sheet-2 px-3 py-2">
              {PAYING.checking}
            </p>
          )}
          <Button kind="press" type="submit" disabled={isBusy} className="mt-3 w-full rounded-lg py-[13px] text-[16px]">
            {isBusy
              ? plan.phase.kind === 'checking'
                ? PAYING.waiting
                : PAYING.busy
              : action === 'method'
                ? PLAN.useCard
                : say(isBySavedMethod ? PLAN.payBy : PLAN.pay, {
                    money: formatMoney(toPay?.amount ?? 0, money),
                    method: view.method ?? '',
                  })}
          </Button>
          <p className="mt-2 text-[12.5px] text-ink-3">{smallPrint(page, action, paymentMethod)}</p>
        </form>
      )}
      <Choices
        view={view}
        money={money}
        action={action}
        setAction={setAction}
        cancel={() => void plan.cancel()}
        comeBack={() => void plan.comeBack()}
        message={action ? null : plan.message}
      />
      {plan.phase.kind === 'confirming' && (
        <ConfirmDialog url={plan.phase.url} done={() => void plan.confirmed()} leave={() => void plan.leave()} />
      )}
    </Sheet>
  )
}

/** What becomes of access, by how the agreement stands. */
function accessWords({ isClosed, renews, state }: PlanView) {
  if (state === 'cancelled') return isClosed ? PLAN.endedOn : PLAN.endsOn
  if (isClosed) return PLAN.pausedSince
  return renews ? PLAN.renews : PLAN.pausesOn
}

/** The same payment by the saved method, or by another. */
const OTHERWISE = { pay: 'pay-saved', 'pay-saved': 'pay', rest: 'rest-saved', 'rest-saved': 'rest' } as const

/** What the buyer allows by it. */
function smallPrint({ school }: ShopPage, action: PlanAction, paymentMethod: PaymentMethod | undefined): string {
  if (action === 'pay-saved') return PLAN.onceNow
  if (action === 'rest' || action === 'rest-saved') return PLAN.onceNowRest
  const values = { school: school.name, gateway: paymentMethod?.gateway ?? '' }
  if (action === 'method') return say(PLAN.nothingToday, values)
  return say(paymentMethod?.style === 'embedded' ? PLAN.laterByCard : PLAN.laterElsewhere, values)
}

interface ChoicesProps {
  view: PlanView
  money: Parameters<typeof formatMoney>[1]
  action: PlanAction
  setAction: (action: PlanAction) => void
  cancel: () => void
  comeBack: () => void
  message: string | null
}

/** What else can be done. Cancelling takes two clicks, the second of which says what follows. */
function Choices({ view, money, action, setAction, cancel, comeBack, message }: ChoicesProps) {
  const [isAsking, setAsking] = useState(false)
  const isPaying = action === 'pay' || action === 'pay-saved'
  const isPayingRest = action === 'rest' || action === 'rest-saved'
  return (
    <>
      <p className="mt-5 flex flex-wrap gap-x-5 gap-y-1.5 text-[14.5px]">
        {view.toPay && !isPaying && (
          <Button
            kind="link"
            onClick={() => setAction(view.mayPayBySavedMethod && !view.toPay?.since ? 'pay-saved' : 'pay')}
          >
            {view.toPay.since ? say(PLAN.pay, { money: formatMoney(view.toPay.amount, money) }) : PLAN.payNextNow}
          </Button>
        )}
        {view.rest && !isPayingRest && (
          <Button kind="link" onClick={() => setAction(view.mayPayBySavedMethod ? 'rest-saved' : 'rest')}>
            {say(PLAN.payAllLeft, { money: formatMoney(view.rest.amount, money) })}
          </Button>
        )}
        {(isPaying || isPayingRest) && view.mayPayBySavedMethod && (
          <Button kind="link" onClick={() => setAction(OTHERWISE[action as keyof typeof OTHERWISE])}>
            {BY_SAVED_METHOD.includes(action) ? PLAN.otherMethod : say(PLAN.byMethod, { method: view.method ?? '' })}
          </Button>
        )}
        {view.mayComeBack && (
          <Button kind="press" onClick={comeBack}>
            {PLAN.uncancel}
          </Button>
        )}
        {view.state === 'active' && action !== 'method' && view.paymentMethods.some(({ can }) => can.keepsUnused) && (
          <Button kind="link" onClick={() => setAction('method')}>
            {PLAN.otherCard}
          </Button>
        )}
        {view.mayCancel && !isAsking && (
          <Button kind="link" onClick={() => setAsking(true)}>
            {PLAN.cancel}
          </Button>
        )}
        {!view.byLink && (
          <a className="link" href="/my">
            {PLAN.myCourses}
          </a>
        )}
      </p>
      {isAsking && (
        <div className="mt-3 rounded-lg bg-sheet-2 px-4 py-3">
          <p className="mb-3">
            {view.openUntilIfCancelled
              ? say(PLAN.cancelOpenUntil, { day: formatDay(view.openUntilIfCancelled, money.language) })
              : PLAN.cancelStaysOpen}
          </p>
          <div className="flex gap-2">
            <Button kind="danger" onClick={cancel}>
              {PLAN.cancelIt}
            </Button>
            <Button onClick={() => setAsking(false)}>{PLAN.keepIt}</Button>
          </div>
        </div>
      )}
      {message && (
        <p role="alert" className="mt-3 font-medium text-failed">
          {message}
        </p>
      )}
    </>
  )
}

function Done({ view, said }: { view: PlanView; said: string }) {
  return (
    <Sheet narrow>
      <h1 className="text-[24px]">{said}</h1>
      <p className="mt-2 mb-4 text-ink-2">{say(PLAN.messageSent, { course: view.course.title, offer: view.offer })}</p>
      <p className="flex flex-wrap gap-2">
        {!view.byLink && (
          <a className={buttonClass('press')} href="/my">
            {PLAN.myCourses}
          </a>
        )}
        <a className={buttonClass(view.byLink ? 'press' : 'quiet')} href={`/learn/${view.course.slug}`}>
          {PLAN.openCourse}
        </a>
      </p>
    </Sheet>
  )
}
