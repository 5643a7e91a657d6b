import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { buttonClass } from '../../ui/Button.tsx'
import { unwrap } from '../../ui/problem.ts'
import { StateMark } from '../../ui/State.tsx'
import { api } from '../api.ts'
import { Waiting } from '../frame/Waiting.tsx'
import { useSession } from '../session/session.ts'
import { productPath, useShelf } from './queries.ts'

interface Step {
  title: string
  text: string
  isDone: boolean
  /** Where it is done, and the button's words; null while there is nothing to do it with. */
  to: string | null
  label: string
}

/** The steps to the first sale in this mode, each with whether it is done; null while that is not known. */
function useFirstSteps(): Step[] | null {
  const { mode } = useSession()
  const shelf = useShelf()
  const { data } = useQuery({
    queryKey: ['shelf', mode, 'first-steps'],
    queryFn: () => unwrap(api.catalogue['first-steps'].$get()),
  })
  if (!data) return null
  const products = (shelf.data ?? []).filter(({ isRetired }) => !isRetired)
  const [product] = products
  const offer = products.flatMap(({ offers }) => offers).find(({ isRetired }) => !isRetired)
  const sold = products.find(({ offers }) => offers.some(({ isLive, onSale }) => isLive && onSale))
  const offerPath = offer ? `/studio/sell/offers/${offer.id}` : product ? productPath(product) : null
  return [
    {
      title: 'A course',
      text: 'Begin with its name; its lessons and picture can come later.',
      isDone: data.course,
      to: '/studio/sell?new',
      label: 'New course',
    },
    {
      title: 'A price',
      text: 'One-time, installments, a subscription, name your price, or free. You see it in words as you write.',
      isDone: data.price,
      to: offerPath,
      label: 'Give it a price',
    },
    {
      title: 'A payment method',
      text: 'Connect a gateway, or use bank transfer. In Practice no real money moves.',
      isDone: data.method,
      to: '/studio/setup/gateways',
      label: 'Connect a gateway',
    },
    {
      title: 'Publish it',
      text: 'Buyers see it from then on.',
      isDone: data.published,
      to: offerPath,
      label: 'Publish',
    },
    {
      title: mode === 'practice' ? 'Buy it yourself' : 'The first sale',
      text:
        mode === 'practice'
          ? 'Pay with a sample card and see everything a buyer sees.'
          : 'What to check before is listed under Setup.',
      isDone: data.sold,
      to: mode === 'practice' ? (sold ? `/${sold.kind}/${sold.slug}` : null) : '/studio/setup/live',
      label: mode === 'practice' ? 'Open its page' : 'See what is missing',
    },
  ]
}

/** The steps below the shelf, while nothing is sold: what is done, and the next one. */
export function StepsOnShelf() {
  const steps = useFirstSteps()
  const next = steps?.find(({ isDone }) => !isDone)
  if (!steps?.[0]?.isDone || steps.at(-1)?.isDone) return null
  return (
    <section aria-label="To the first sale" className="mt-2 flex-none rounded-lg border border-line bg-sheet px-3 py-2">
      <h2 className="text-[13.5px]">To the first sale</h2>
      <ol className="mt-1 text-[13px]">
        {steps.map((step) => (
          <li key={step.title} className="flex items-center gap-1.5 py-0.5">
            <StateMark shape={step.isDone ? 'received' : 'awaited'} size={9} />
            <span className={step.isDone ? 'text-ink-2' : ''}>{step.title}</span>
            <span className="sr-only">{step.isDone ? ', done' : ', not done'}</span>
            {step === next && step.to && (
              <span className="ml-auto">
                <StepLink step={{ ...step, to: step.to }} className="link" />
              </span>
            )}
          </li>
        ))}
      </ol>
    </section>
  )
}

/** A step's button: what is in the shop opens beside the studio. */
function StepLink({ step, className }: { step: { to: string; label: string }; className: string }) {
  return step.to.startsWith('/studio') ? (
    <Link className={className} to={step.to}>
      {step.label}
    </Link>
  ) : (
    <a className={className} href={step.to} target="_blank" rel="noreferrer">
      {step.label}
    </a>
  )
}

/** The steps as a page, each with its button. */
export function StepsPage() {
  const steps = useFirstSteps()
  const next = steps?.find(({ isDone }) => !isDone)
  if (!steps) return <Waiting />
  return (
    <>
      <h1 className="text-[27px]">A course, a price, a page that sells it</h1>
      <ol className="mt-4 max-w-[60ch]">
        {steps.map((step, index) => (
          <li key={step.title} className="grid grid-cols-[28px_1fr_auto] gap-x-2 border-t border-line py-3">
            <b className="display text-[17px] text-leaf">{index + 1}</b>
            <span>
              <b className="font-semibold">{step.title}</b>
              {step.isDone && (
                <span className="ml-2 inline-flex items-center gap-1 text-[13px] text-ink-2">
                  <StateMark shape="received" size={9} /> done
                </span>
              )}
              <span className="mt-0.5 block text-ink-2">{step.text}</span>
            </span>
            {!step.isDone && step.to && (
              <StepLink
                step={{ ...step, to: step.to }}
                className={buttonClass(step === next ? 'press' : 'quiet', 'self-center')}
              />
            )}
          </li>
        ))}
      </ol>
      <p className="border-t border-line pt-3 text-ink-2">
        What is still missing before the first sale is listed at the side, with a button to fix it.
      </p>
    </>
  )
}
