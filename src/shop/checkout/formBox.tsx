import type { CheckoutView } from '../../server/client.ts'

/** The sheet of the checkout, with room for its stitched edge. */
export const FORM_BOX =
  'relative rounded-lg bg-sheet py-5 pr-4 pl-[42px] shadow-[0_1px_0_var(--color-line-2),0_12px_28px_-22px_rgb(26_35_28/.5)] md:py-[22px] md:pr-[26px] md:pl-14'

/** What the buyer has of the course already, and where they change it. */
export function Held({ held }: { held: NonNullable<CheckoutView['held']> }) {
  return (
    <p className="mt-1.5 mb-4 text-ink-2">
      {held.says}{' '}
      <a className="link" href={held.href}>
        {held.label}
      </a>
    </p>
  )
}
