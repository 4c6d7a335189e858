import { useRef } from 'react'

/**
 * For a dialog that is opened by no button of its own: gives the focus back to what had it, so that whoever works by keyboard goes
 * on where they were. What took the focus meanwhile keeps it.
 */
export function useFocusBack(open: boolean) {
  const before = useRef<Element | null>(null)
  const wasOpen = useRef(false)
  // Seen before anything of the dialog is drawn: a field of it may take the focus as soon as it is there.
  if (open && !wasOpen.current) before.current = document.activeElement
  wasOpen.current = open
  return {
    onCloseAutoFocus: (event: Event) => {
      event.preventDefault()
      const { activeElement, body } = document
      if (activeElement !== null && activeElement !== body) return
      if (before.current instanceof HTMLElement && before.current.isConnected) before.current.focus()
    },
  }
}
