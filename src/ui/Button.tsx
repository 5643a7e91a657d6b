import type { ButtonHTMLAttributes, Ref } from 'react'
import { classes } from './classes.ts'

const KINDS = {
  // In forced colours the border is the button's edge.
  press:
    'border border-transparent bg-ink text-sheet font-semibold px-[13px] py-[7px] hover:bg-ink-2 disabled:bg-ink-3',
  quiet: 'border border-line-2 bg-sheet px-3 py-[7px] font-medium hover:border-ink-2 disabled:text-ink-3',
  danger:
    'border border-failed bg-sheet text-failed px-3 py-[7px] font-semibold hover:bg-failed-soft disabled:opacity-60',
  link: 'link text-left disabled:text-ink-3',
} as const

export interface ButtonProps extends ButtonHTMLAttributes<HTMLButtonElement> {
  kind?: keyof typeof KINDS
  ref?: Ref<HTMLButtonElement>
}

/** A button; `press` is the one thing to do next, of which a screen has at most one or two. */
export function Button({ kind = 'quiet', className, type = 'button', ...rest }: ButtonProps) {
  return (
    <button type={type} className={classes(kind !== 'link' && 'rounded-field', KINDS[kind], className)} {...rest} />
  )
}

/** The looks of a button, for links that lead on. */
export function buttonClass(kind: keyof typeof KINDS, more = ''): string {
  return classes('inline-block rounded-field no-underline', KINDS[kind], more)
}
