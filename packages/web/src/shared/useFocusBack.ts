import { useRef } from 'react'

/**
 * For a dialog that is opened by no button of its own: gives the focus back to what had it, so that whoever works by keyboard goes
 * on where they were. What took the focus meanwhile keeps it.
 */
export function useFocusBack() {
  const before = useRef<Element | null>(null)
  return {
    onOpenAutoFocus: () => {
      before.current = document.activeElement
    },
    onCloseAutoFocus: (event: Event) => {
      event.preventDefault()
      const { activeElement, body } = document
      if (activeElement !== null && activeElement !== body) return
      if (before.current instanceof HTMLElement && before.current.isConnected) before.current.focus()
    },
  }
}
