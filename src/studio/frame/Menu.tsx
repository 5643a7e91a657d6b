import { DropdownMenu } from 'radix-ui'
import type { ReactNode } from 'react'

/** A small menu below its button. */
export function Menu({ trigger, children }: { trigger: ReactNode; children: ReactNode }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={6}
          className="z-50 min-w-[190px] rounded-lg border border-line-2 bg-sheet p-1 text-[14px] shadow-[0_16px_40px_-22px_rgb(26_35_28/.6)]"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}

export function MenuItem({
  onSelect,
  children,
  disabled = false,
}: {
  onSelect: () => void
  children: ReactNode
  disabled?: boolean
}) {
  return (
    <DropdownMenu.Item
      disabled={disabled}
      onSelect={onSelect}
      className="cursor-pointer rounded-field px-3 py-1.5 outline-none data-disabled:text-ink-3 data-highlighted:bg-acorn"
    >
      {children}
    </DropdownMenu.Item>
  )
}
