import { X } from 'lucide-react'
import { Dialog } from 'radix-ui'
import type { ReactNode } from 'react'
import { Button } from './parts.tsx'
import { useFocusBack } from './useFocusBack.ts'
import { sheet as say } from './words.ts'

/** A sheet that lies at the side of what one works with, until it is closed. */
export function Sheet({
  title,
  wide = false,
  footer,
  onClose,
  children,
}: {
  title: string
  wide?: boolean
  /** What is done with it, beside “Not now”. */
  footer?: ReactNode
  onClose: () => void
  children: ReactNode
}) {
  const focusBack = useFocusBack(true)
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content
          {...focusBack}
          aria-describedby={undefined}
          style={{ width: `min(${wide ? 760 : 560}px, 96vw)` }}
          className="paper fixed top-0 right-0 z-50 flex h-dvh flex-col shadow-xl"
        >
          <header className="flex items-center justify-between border-rule border-b px-5 py-2.5">
            <Dialog.Title className="text-xl">{title}</Dialog.Title>
            <Dialog.Close asChild>
              <Button kind="quiet" aria-label={say.close}>
                <X aria-hidden size={16} />
              </Button>
            </Dialog.Close>
          </header>
          {children}
          {footer && (
            <footer className="flex gap-2 border-rule border-t px-5 py-3">
              {footer}
              <Dialog.Close asChild>
                <Button>{say.notNow}</Button>
              </Dialog.Close>
            </footer>
          )}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
