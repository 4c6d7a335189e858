import clsx from 'clsx'
import { Popover } from 'radix-ui'
import type { KeyboardEvent, ReactNode } from 'react'

/** A small card of choices that opens at a button. */
export function Card({
  label,
  trigger,
  open,
  setOpen,
  align = 'start',
  className = 'w-80',
  onKeyDown,
  children,
}: {
  label: string
  /** The button. */
  trigger: ReactNode
  open: boolean
  setOpen: (open: boolean) => void
  align?: 'start' | 'end'
  className?: string
  onKeyDown?: (event: KeyboardEvent) => void
  children: ReactNode
}) {
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>{trigger}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={label}
          align={align}
          sideOffset={4}
          collisionPadding={8}
          className={clsx('paper z-50 space-y-2 p-3 text-[14px] shadow-lg', className)}
          onKeyDown={onKeyDown}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
