import { useMutation } from '@tanstack/react-query'
import { Fragment, type ReactNode } from 'react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { formatDay } from '../../core/calendar/formatDay.ts'
import { formatMoney, type MoneyFormat } from '../../core/money/format.ts'
import { formatCodes } from '../../core/sentence/codes.ts'
import { beginSentence } from '../../core/sentence/words.ts'
import { Button } from '../../ui/Button.tsx'
import { formatDate, formatMoment } from '../../ui/dates.ts'
import { State } from '../../ui/State.tsx'
import { useOnce } from '../../ui/useOnce.ts'
import { api } from '../api.ts'
import { Section } from '../frame/Places.tsx'
import { GrantRow } from '../people/GrantRow.tsx'
import { useSendPasswordLink } from '../people/useSendPasswordLink.ts'
import { useSession } from '../session/session.ts'
import { AgreementPanel } from './AgreementPanel.tsx'
import { Disputes } from './Disputes.tsx'
import { isPaidTwice, type Order } from './order.ts'
import { PaidTwice, Refunds, shareOfLine, TooLate } from './Refunds.tsx'
import { hadTransfer, Transfer } from './Transfer.tsx'
import { attemptState, firstAgreement, formatWorth, orderState, paymentState } from './words.ts'

/** One order: its lines, payments, attempts and grants. */
export function OrderBench({ order }: { order: Order }) {
  const { school } = useSession()
  const money = { ...school, currency: order.currency }
  const agreement = firstAgreement(order.agreements)
  const status = {
    ...order,
    agreement: agreement && { ...agreement, chargedNext: agreement.next?.on ?? agreement.next?.due ?? null },
    lines: order.lines.length,
  }
  const titleOf = (lineId: string) => order.lines.find(({ id }) => id === lineId)?.title ?? ''
  const [shape, word] = orderState(status, school)
  const sendPasswordLink = useSendPasswordLink(order.person)
  return (
    <>
      <p className="text-[13px] text-ink-3">
        Order {order.number} · {formatMoment(order.createdAt, school.timeZone)}
      </p>
      <div className="mt-1 flex flex-wrap items-baseline gap-x-4">
        <h1 data-title={`Order ${order.number}`} className="text-[27px]">
          {beginSentence(formatWorth(status, school))}
        </h1>
        <State shape={shape}>{word}</State>
      </div>
      <p className="mt-1">
        by{' '}
        <Link className="link" to={`/studio/people/${order.person.id}`}>
          {order.person.name}
        </Link>
        , {order.person.email}
      </p>
      {order.page && (
        <p className="mt-1 text-[13.5px] text-ink-2">
          On the checkout page{' '}
          <Link className="link" to={`/studio/sell/pages/${order.page.id}`}>
            {order.page.name ?? 'of the basket'}
          </Link>
          , version {order.page.version}
          {order.cameFrom && <> · came from “{order.cameFrom}”</>}
        </p>
      )}
      {(order.follows || order.followedBy.length > 0) && (
        <p className="mt-1 flex flex-wrap gap-x-4 text-[13.5px] text-ink-2">
          {order.follows && (
            <span>
              An upsell after{' '}
              <Link className="link" to={`/studio/orders/${order.follows.id}`}>
                order {order.follows.number}
              </Link>
            </span>
          )}
          {order.followedBy.map(({ id, number }) => (
            <span key={id}>
              Followed by{' '}
              <Link className="link" to={`/studio/orders/${id}`}>
                order {number}
              </Link>
            </span>
          ))}
        </p>
      )}
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[13.5px]">
        <Button kind="link" onClick={() => sendPasswordLink.mutate()}>
          Send a password link
        </Button>
        {order.state === 'paid' && (
          <a className="link" href={`/api/orders/${order.id}/receipt.pdf`} target="_blank" rel="noopener">
            Receipt as PDF
          </a>
        )}
      </p>
      <TooLate order={order} money={money} />
      <PaidTwice order={order} money={money} />
      <Section title="Items">
        <Lines order={order} money={money} />
        {formatCodes(order.quote, money).map(({ code, says }) => (
          <p key={code} className="mt-1.5 text-[13.5px] text-ink-2">
            Code {code}: {says}
          </p>
        ))}
        {order.quote.codes.some(({ counts }) => counts) && order.refunds.some(({ state }) => state === 'refunded') && (
          <GiveCodesBack orderId={order.id} wasDone={order.journal.some(({ what }) => what === 'code-given-back')} />
        )}
      </Section>
      <Section title="Payments">
        {order.payments.length === 0 ? (
          <p className="pt-[5px] text-ink-2">Nothing to pay.</p>
        ) : (
          <Payments order={order} money={money} />
        )}
      </Section>
      {(order.awaited || order.transfers.length > 0 || hadTransfer(order)) && (
        <Section title="Transfer">
          <Transfer order={order} money={money} />
        </Section>
      )}
      {order.disputes.length > 0 && (
        <Section title="Disputed">
          <Disputes order={order} money={money} />
        </Section>
      )}
      {order.agreements.map((agreement) => (
        <Section key={agreement.id} title="Agreement" id="agreement">
          {order.lines.length > 1 && <p className="pt-[5px] font-medium">{titleOf(agreement.lineId)}</p>}
          <AgreementPanel agreement={agreement} money={money} />
        </Section>
      ))}
      {order.attempts.length > 0 && (
        <Section title="Attempts">
          <Attempts order={order} money={money} />
        </Section>
      )}
      {order.charges.length > 0 && (
        <Section title="Refunds" id="refunds">
          <Refunds order={order} money={money} />
        </Section>
      )}
      <Section title="Access">
        {order.grants.length === 0 && (
          <p className="pt-[5px] text-ink-2">
            {isPaidTwice(order)
              ? 'None: another order gives access to the course.'
              : 'None yet: access opens when the order is paid.'}
          </p>
        )}
        {order.grants.map((grant) => (
          <GrantRow key={grant.id} grant={grant} isInOrder />
        ))}
      </Section>
    </>
  )
}

function Table({ head, children }: { head: [string, boolean][]; children: ReactNode }) {
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[13.5px] [&_td]:border-b [&_td]:border-line [&_td]:py-1.5 [&_td]:pr-3 [&_td]:align-top">
        <thead>
          <tr>
            {head.map(([label, isNumber]) => (
              <th
                key={label}
                scope="col"
                className={`border-b border-line-2 py-1.5 pr-3 text-[12px] font-semibold text-ink-3 ${isNumber ? 'text-right' : 'text-left'}`}
              >
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>{children}</tbody>
      </table>
    </div>
  )
}

/** A refund gives no use of a code back; the creator can. */
function GiveCodesBack({ orderId, wasDone }: { orderId: string; wasDone: boolean }) {
  const once = useOnce()
  const { mutate } = useMutation({
    mutationFn: () =>
      once((header) => api.settling.orders[':order'].codes['give-back'].$post({ param: { order: orderId }, header })),
    onSuccess: ({ codes }) => toast(`${codes.join(', ')} can be used again.`),
  })
  if (wasDone) return <p className="mt-1 text-[13.5px] text-ink-2">Its code can be used again.</p>
  return (
    <Button kind="link" className="mt-1 text-[13.5px]" onClick={() => mutate()}>
      Let the code be used again
    </Button>
  )
}

/** What was received of a bundle, less refunds, split over its courses. */
function formatShares(order: Order, line: Order['lines'][number], money: MoneyFormat): string {
  const shares = line.courses.map(
    ({ courseId, title }) => `${title} ${formatMoney(shareOfLine(order, line, [courseId]), money)}`,
  )
  return shares.join(' · ')
}

function Lines({ order, money }: { order: Order; money: MoneyFormat }) {
  const { today } = order.quote
  const ofToday = (line: Order['lines'][number]) =>
    line.quoted.payments.filter((payment) => payment.due === order.quote.purchaseDay)
  const isReduced = order.lines.some((line) =>
    ofToday(line).some(({ list, price, discount }) => list - price + discount > 0),
  )
  return (
    <Table
      head={[
        ['Item', false],
        ['Offer', false],
        ['Price', true],
        ...(isReduced
          ? ([
              ['Sale', true],
              ['Codes', true],
            ] as [string, boolean][])
          : []),
        ['VAT', true],
        ['Today', true],
      ]}
    >
      {order.lines.map((line) => {
        const due = ofToday(line)
        const sum = (pick: (payment: (typeof due)[number]) => number) =>
          formatMoney(
            due.reduce((all, payment) => all + pick(payment), 0),
            money,
          )
        return (
          <Fragment key={line.id}>
            <tr>
              <td>
                {line.title}
                {line.role !== 'main' && (
                  <span className="block text-[13px] text-ink-2">{line.role === 'bump' ? 'order bump' : 'upsell'}</span>
                )}
                {line.duplicateOf && order.lines.length > 1 && (
                  <span className="block text-[13px] text-ink-2">paid twice, opens nothing</span>
                )}
              </td>
              <td>{line.offerName}</td>
              <td className="text-right">{sum((payment) => payment.list)}</td>
              {isReduced && (
                <>
                  <td className="text-right">{sum((payment) => payment.price - payment.list)}</td>
                  <td className="text-right">{sum((payment) => -payment.discount)}</td>
                </>
              )}
              <td className="text-right">{sum((payment) => payment.tax)}</td>
              <td className="text-right font-semibold">{sum((payment) => payment.pay)}</td>
            </tr>
            {line.courses.length > 1 && (
              <tr>
                <td colSpan={isReduced ? 7 : 5} className="text-[13px] text-ink-2">
                  Received, by course: {formatShares(order, line, money)}
                </td>
              </tr>
            )}
          </Fragment>
        )
      })}
      {order.lines.length > 1 && (
        <tr>
          <td colSpan={isReduced ? 6 : 4}>In all</td>
          <td className="text-right font-semibold">{formatMoney(today.pay, money)}</td>
        </tr>
      )}
    </Table>
  )
}

function Payments({ order, money }: { order: Order; money: MoneyFormat }) {
  const { school } = useSession()
  const several = order.lines.length > 1
  // Of a transfer only its day is known.
  const collected = (at: string) =>
    order.transfers.length > 0 ? formatDate(at, school.timeZone) : formatMoment(at, school.timeZone)
  return (
    <Table
      head={[
        ['Due', false],
        ['Amount', true],
        ['State', false],
        ['Collected', false],
      ]}
    >
      {order.payments.map((payment) => (
        <tr key={payment.id}>
          <td>
            {formatDay(payment.due, school.language)}
            {several && (
              <span className="text-ink-2"> · {order.lines.find(({ id }) => id === payment.lineId)?.title}</span>
            )}
            {payment.name && <span className="text-ink-2"> · {payment.name}</span>}
          </td>
          <td className="text-right">{formatMoney(payment.pay, money)}</td>
          <td>
            <State shape={paymentState(payment, order)[0]}>{paymentState(payment, order)[1]}</State>
          </td>
          <td>{payment.collectedAt ? collected(payment.collectedAt) : '–'}</td>
        </tr>
      ))}
    </Table>
  )
}

function Attempts({ order, money }: { order: Order; money: MoneyFormat }) {
  const { school } = useSession()
  return (
    <ol>
      {order.attempts.map((attempt) => {
        const [shape, word] = attemptState(attempt.state, attempt.reason)
        return (
          <li key={attempt.id} className="border-b border-line py-2 text-[13.5px]">
            <p className="flex flex-wrap items-baseline justify-between gap-x-4">
              <State shape={shape}>{word}</State>
              <span>
                {formatMoney(attempt.amount, money)}
                {attempt.fee !== null && <span className="text-ink-3">, fee {formatMoney(attempt.fee, money)}</span>}
              </span>
            </p>
            <p className="text-[13px] text-ink-2">
              {formatMoment(attempt.startedAt, school.timeZone)}
              {attempt.method && ` · ${attempt.method}`}
              {attempt.replacesId && ' · for what the buyer keeps'}
            </p>
            <p className="text-[12.5px] text-ink-3" title={`Our key: ${attempt.key}`}>
              {attempt.reference ? (
                <>
                  Gateway’s reference <span className="font-mono">{attempt.reference}</span>
                </>
              ) : (
                'The gateway gave no reference'
              )}
            </p>
          </li>
        )
      })}
    </ol>
  )
}
