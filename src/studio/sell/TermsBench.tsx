import { type ReactNode, useState } from 'react'
import { changeKind, type DraftTerms } from '../../core/content/offer.ts'
import type { MoneyFormat } from '../../core/money/format.ts'
import { Button } from '../../ui/Button.tsx'
import { Chips } from './Chips.tsx'
import { CountField, Pick, SpanField, TakeOut } from './InlineFields.tsx'
import { PriceField } from './PriceField.tsx'

type Installments = Extract<DraftTerms, { kind: 'installments' }>
type Subscription = Extract<DraftTerms, { kind: 'subscription' }>

interface TermsBenchProps {
  terms: DraftTerms
  money: MoneyFormat
  onChange: (terms: DraftTerms) => void
}

const KINDS = [
  ['single', 'One-time'],
  ['installments', 'Installments'],
  ['subscription', 'Subscription'],
  ['openPrice', 'Name your price'],
  ['free', 'Free'],
] as const

/** Price terms, edited inside the sentence that they read as. */
export function TermsBench({ terms, money, onChange }: TermsBenchProps) {
  return (
    <>
      <Chips
        label="Kind of price"
        value={terms.kind}
        options={KINDS}
        onChange={(kind) => onChange(changeKind(terms, kind))}
      />
      <div className="py-2 text-[16.5px] leading-[2.1]">
        <Sentence terms={terms} money={money} onChange={onChange} />
      </div>
    </>
  )
}

function Sentence({ terms, money, onChange }: TermsBenchProps) {
  switch (terms.kind) {
    case 'free':
      return <>The buyer pays nothing, and gives a name and an email.</>
    case 'single':
      return (
        <>
          The buyer pays{' '}
          <PriceField
            label="Price"
            amount={terms.amount}
            money={money}
            onChange={(amount) => onChange({ ...terms, amount })}
          />{' '}
          once, at purchase.
        </>
      )
    case 'openPrice':
      return (
        <>
          The buyer names the price, at least{' '}
          <PriceField
            label="Minimum price"
            amount={terms.minimum}
            money={money}
            mayBeZero
            onChange={(minimum) => onChange({ ...terms, minimum })}
          />
          ;{' '}
          <PriceField
            label="Suggested price"
            amount={terms.suggested}
            money={money}
            mayBeZero
            onChange={(suggested) => onChange({ ...terms, suggested })}
          />{' '}
          is suggested.
        </>
      )
    case 'installments':
      return <InstallmentSentence terms={terms} money={money} onChange={onChange} />
    case 'subscription':
      return <SubscriptionSentence terms={terms} money={money} onChange={onChange} />
  }
}

function InstallmentSentence({ terms, money, onChange }: TermsBenchProps & { terms: Installments }) {
  // While no figure is written, the terms themselves do not say which one it will be.
  const [chosen, setChosen] = useState<'total' | 'each'>('total')
  const isTotal = terms.total !== null || (terms.amount === null && chosen === 'total')
  const set = (patch: Partial<Installments>) => onChange({ ...terms, ...patch })
  const formatWhat = (what: 'total' | 'each') => {
    setChosen(what)
    const figure = terms.total ?? terms.amount
    if (what === 'total') set({ amount: null, total: figure === null ? null : isTotal ? figure : figure * terms.count })
    else set({ total: null, amount: figure === null ? null : isTotal ? Math.round(figure / terms.count) : figure })
  }
  return (
    <>
      The buyer pays{' '}
      <CountField
        label="Number of installments"
        value={terms.count}
        least={2}
        most={120}
        onChange={(count) => set({ count })}
      />{' '}
      installments,{' '}
      {isTotal ? (
        <PriceField label="Price in all" amount={terms.total} money={money} onChange={(total) => set({ total })} />
      ) : (
        <PriceField
          label="Amount of each installment"
          amount={terms.amount}
          money={money}
          onChange={(amount) => set({ amount })}
        />
      )}{' '}
      <Pick
        label="What the price is of"
        value={isTotal ? 'total' : 'each'}
        options={[
          ['each', 'each'],
          // A deposit comes on top: “in all” is said of both together, below.
          ['total', terms.deposit === null ? 'in all' : 'for all installments'],
        ]}
        onChange={formatWhat}
      />
      , one every <SpanField label="Between installments" span={terms.every} onChange={(every) => set({ every })} />
      {terms.deposit !== null && (
        <>
          , after a deposit of{' '}
          <PriceField
            label="Deposit"
            amount={terms.deposit || null}
            money={money}
            onChange={(deposit) => set({ deposit: deposit ?? 0 })}
          />{' '}
          at purchase
          <TakeOut label="Remove the deposit" onClick={() => set({ deposit: null })} />
        </>
      )}
      <TrialPart trial={terms.trial} money={money} onChange={(trial) => set({ trial })} />.
      <Additions>
        {terms.deposit === null && terms.trial === null && (
          <Add onClick={() => set({ deposit: terms.amount ?? Math.round((terms.total ?? 0) / terms.count) })}>
            Add a deposit
          </Add>
        )}
        {terms.trial === null && terms.deposit === null && (
          <Add onClick={() => set({ trial: { length: { count: 7, unit: 'day' }, amount: 0 } })}>Add a trial</Add>
        )}
      </Additions>
    </>
  )
}

function SubscriptionSentence({ terms, money, onChange }: TermsBenchProps & { terms: Subscription }) {
  const set = (patch: Partial<Subscription>) => onChange({ ...terms, ...patch })
  return (
    <>
      The buyer pays{' '}
      <PriceField label="Price" amount={terms.amount} money={money} onChange={(amount) => set({ amount })} /> every{' '}
      <SpanField label="Repeats every" span={terms.every} onChange={(every) => set({ every })} />,{' '}
      <Pick
        label="How long"
        value={terms.payments === null ? 'endless' : 'stops'}
        options={[
          ['endless', 'until cancelled'],
          ['stops', 'and it stops'],
        ]}
        onChange={(how) => set({ payments: how === 'endless' ? null : 12 })}
      />
      {terms.payments !== null && (
        <>
          {' '}
          after{' '}
          <CountField
            label="Number of payments"
            value={terms.payments}
            least={1}
            most={520}
            onChange={(payments) => set({ payments })}
          />{' '}
          payments
        </>
      )}
      {terms.setupFee !== null && (
        <>
          , and{' '}
          <PriceField
            label="Set-up fee"
            amount={terms.setupFee}
            money={money}
            mayBeZero
            isNeeded
            onChange={(setupFee) => set({ setupFee: setupFee ?? 0 })}
          />{' '}
          once to begin
          <TakeOut label="Remove the set-up fee" onClick={() => set({ setupFee: null })} />
        </>
      )}
      <TrialPart trial={terms.trial} money={money} onChange={(trial) => set({ trial })} />.
      <Additions>
        {terms.trial === null && (
          <Add onClick={() => set({ trial: { length: { count: 7, unit: 'day' }, amount: 0 } })}>Add a trial</Add>
        )}
        {terms.setupFee === null && <Add onClick={() => set({ setupFee: 0 })}>Add a set-up fee</Add>}
      </Additions>
    </>
  )
}

interface TrialPartProps {
  trial: Installments['trial']
  money: MoneyFormat
  onChange: (trial: Installments['trial']) => void
}

function TrialPart({ trial, money, onChange }: TrialPartProps) {
  if (!trial) return null
  return (
    <>
      , after <SpanField label="Trial" span={trial.length} onChange={(length) => onChange({ ...trial, length })} /> for{' '}
      <PriceField
        label="Price of the trial"
        amount={trial.amount}
        money={money}
        mayBeZero
        isNeeded
        onChange={(amount) => onChange({ ...trial, amount: amount ?? 0 })}
      />
      <TakeOut label="Remove the trial" onClick={() => onChange(null)} />
    </>
  )
}

/** Links that add what is seldom needed to the sentence. */
export function Additions({ children }: { children: ReactNode }) {
  return <div className="mt-1 flex flex-wrap gap-x-3.5 text-[13.5px] leading-normal empty:hidden">{children}</div>
}

export function Add({ onClick, children }: { onClick: () => void; children: string }) {
  return (
    <Button kind="link" onClick={onClick}>
      {children}
    </Button>
  )
}
