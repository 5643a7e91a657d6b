import { Check, ChevronDown } from 'lucide-react'
import { Select as Primitive } from 'radix-ui'
import { classes } from '../../ui/classes.ts'

/** What can be chosen: its value, and what it is called. */
type Option<T extends string> = readonly [value: T, name: string]

interface SelectProps<T extends string> {
  value: T
  options: readonly Option<T>[]
  /** More of them, each under a title; after those without one. */
  groups?: readonly { title: string; options: readonly Option<T>[] }[]
  onChange: (value: T) => void
  /** What it is called, where no label stands beside it. */
  label?: string
  /** The wiring of the field around it. */
  wiring?: { id: string; 'aria-invalid': boolean; 'aria-describedby': string | undefined }
  className: string
  disabled?: boolean
  /** Inside a sentence nothing but the word is shown. */
  isInline?: boolean
}

/** One of several. A letter jumps to the first that begins with it; arrows, Home and End go through them. */
export function Select<T extends string>(props: SelectProps<T>) {
  const { value, options, groups = [], onChange, label, wiring, className, disabled = false, isInline = false } = props
  const all = [...options, ...groups.flatMap((group) => group.options)]
  // By place, not by value: the empty value is one that can be chosen, which the list itself does not know.
  const placeOf = (wanted: T) => String(all.findIndex(([one]) => one === wanted))
  const item = ([one, name]: Option<T>) => (
    <Primitive.Item
      key={one}
      value={placeOf(one)}
      className="flex cursor-pointer items-center gap-2 rounded-field py-1.5 pr-3 pl-7 outline-none data-highlighted:bg-acorn data-[state=checked]:pl-2"
    >
      <Primitive.ItemIndicator>
        <Check size={13} strokeWidth={2.4} aria-hidden />
      </Primitive.ItemIndicator>
      <Primitive.ItemText>{name}</Primitive.ItemText>
    </Primitive.Item>
  )
  return (
    <Primitive.Root
      value={placeOf(value)}
      disabled={disabled}
      onValueChange={(place) => {
        // In a form an empty place is told too, while its options are still being counted: nobody chose that.
        const chosen = place === '' ? undefined : all[Number(place)]
        if (chosen) onChange(chosen[0])
      }}
    >
      <Primitive.Trigger
        {...wiring}
        {...(label && { 'aria-label': label })}
        className={classes(
          'cursor-pointer text-left disabled:cursor-default disabled:text-ink-3',
          !isInline && 'flex items-center justify-between gap-2',
          className,
        )}
      >
        <span className={isInline ? undefined : 'truncate'}>
          <Primitive.Value />
        </span>
        {!isInline && <ChevronDown size={14} aria-hidden className="shrink-0 text-ink-3" />}
      </Primitive.Trigger>
      <Primitive.Portal>
        <Primitive.Content
          position="popper"
          sideOffset={4}
          className="z-50 max-h-[min(360px,var(--radix-select-content-available-height))] min-w-[max(140px,var(--radix-select-trigger-width))] overflow-auto rounded-lg border border-line-2 bg-sheet p-1 text-[14px] font-normal text-ink shadow-[0_16px_40px_-22px_rgb(26_35_28/.6)]"
        >
          <Primitive.Viewport>
            {options.map(item)}
            {groups.map(({ title, options: of }) => (
              <Primitive.Group key={of[0]?.[0] ?? title}>
                <Primitive.Label className="px-2 pt-2 pb-0.5 text-[12.5px] font-semibold text-ink-2">
                  {title}
                </Primitive.Label>
                {of.map(item)}
              </Primitive.Group>
            ))}
          </Primitive.Viewport>
        </Primitive.Content>
      </Primitive.Portal>
    </Primitive.Root>
  )
}
