import { RadioGroup } from 'radix-ui'
import { classes } from '../../ui/classes.ts'

interface ChipsProps<T extends string> {
  label: string
  value: T
  options: readonly (readonly [T, string])[]
  onChange: (value: T) => void
}

/** One of a few kinds, above the sentence that it decides. */
export function Chips<T extends string>({ label, value, options, onChange }: ChipsProps<T>) {
  return (
    <RadioGroup.Root
      aria-label={label}
      className="flex flex-wrap gap-1"
      orientation="horizontal"
      value={value}
      onValueChange={(chosen) => onChange(chosen as T)}
      // The group chooses what an arrow leads to only while the key is held; a short press chooses it, too.
      onKeyDown={(event) => {
        const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key]
        if (step === undefined) return
        const at = options.findIndex(([kind]) => kind === value)
        const next = options[(at + step + options.length) % options.length]
        if (next) onChange(next[0])
      }}
    >
      {options.map(([kind, word]) => (
        <RadioGroup.Item
          key={kind}
          value={kind}
          className={classes(
            'rounded-full border px-2 py-[3px] text-[12.5px]',
            kind === value
              ? 'border-ink bg-ink font-semibold text-sheet'
              : 'border-line-2 text-ink-2 hover:border-ink-2',
          )}
        >
          {word}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  )
}
