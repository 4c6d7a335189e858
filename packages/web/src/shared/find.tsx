import { type ReactNode, useCallback, useState } from 'react'
import { find as say } from './words.ts'

/** What was looked for in each list, and how far it was scrolled: both are there again when one comes back. */
const looked = new Map<string, string>()
const scrolled = new Map<string, number>()

/**
 * A search over a list.
 * @param name the list's, in small letters: "rounds".
 * @param key what it is remembered by, where there are several lists of that name.
 * @returns the field, and whether a text has all the words that are looked for, in any order.
 */
export function useFind(
  name: string,
  key = name,
): {
  field: ReactNode
  find: string
  fits: (...texts: (string | null)[]) => boolean
} {
  const [find, setFind] = useState(() => looked.get(key) ?? '')
  // The same as long as the same is looked for, so that long lists are gone through only then.
  const fits = useCallback(
    (...texts: (string | null)[]) => {
      const words = find.toLocaleLowerCase('en-GB').split(/\s+/).filter(Boolean)
      const text = texts.join('\n').toLocaleLowerCase('en-GB')
      return words.every((word) => text.includes(word))
    },
    [find],
  )
  return {
    find: find.trim(),
    fits,
    field: (
      <input
        type="search"
        aria-label={say.search(name)}
        placeholder={say.search2}
        className="input w-52"
        value={find}
        onChange={(e) => {
          looked.set(key, e.target.value)
          setFind(e.target.value)
        }}
      />
    ),
  }
}

/** For what scrolls: it is where it was, when one comes back to it. */
export function useKeptScroll(name: string) {
  return useCallback(
    (box: HTMLElement | null) => {
      if (!box) return
      box.scrollTop = scrolled.get(name) ?? 0
      const keep = () => scrolled.set(name, box.scrollTop)
      box.addEventListener('scroll', keep, { passive: true })
      return () => box.removeEventListener('scroll', keep)
    },
    [name],
  )
}

/** Says that a search found nothing. */
export function NoneFound({ find }: { find: string }) {
  return (
    <p role="status" className="px-4 py-3 text-ink-2">
      {say.nothingHas(find)}
    </p>
  )
}
