import { type KeyboardEvent, useState } from 'react'

/**
 * A line that is typed here and kept elsewhere when it is left or Enter is pressed. It shows what is stored, and what was typed
 * until that changes; left blank where something must stand, it shows what is stored again.
 * @returns the text, and what the line needs.
 */
export function useKept(stored: string, put: (text: string) => void, mayBeBlank = false) {
  const [typing, setTyping] = useState<{ text: string; over: string } | null>(null)
  const known = typing?.over === stored
  // Forgotten when what is stored changes: by undoing it may be again what it was when that was typed.
  if (typing !== null && !known) setTyping(null)
  const text = known ? typing.text : stored
  const keep = () => {
    if (text.trim() === '' && !mayBeBlank) setTyping(null)
    else if (text.trim() !== stored) put(text.trim())
  }
  return {
    text,
    line: {
      value: text,
      onChange: (event: { target: { value: string } }) => setTyping({ text: event.target.value, over: stored }),
      onBlur: keep,
      onKeyDown: (event: KeyboardEvent<HTMLInputElement>) => event.key === 'Enter' && event.currentTarget.blur(),
    },
  }
}
