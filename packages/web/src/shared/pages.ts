import { type QueryKey, type UseQueryOptions, useQueries } from '@tanstack/react-query'
import { useCallback, useMemo, useRef, useState } from 'react'

/** How many lines are fetched together. */
const page = 200

/**
 * A long list of which the desk gives what is in view: counted, sorted and searched there.
 * @param part how a part of it is fetched.
 * @param read what a part says: how many lines there are, and those that it brings.
 * @returns `shown`: a part with what it says beside its lines, and all lines, those that are not here missing; null before the first is.
 */
export function usePages<Part, Line, Key extends QueryKey>(
  part: (which: { from: number; count: number }) => UseQueryOptions<Part, Error, Part, Key>,
  read: (part: Part) => { count: number; lines: Line[] },
): {
  shown: { part: Part; lines: (Line | undefined)[] } | null
  fault: Error | undefined
  onView: (first: number, last: number) => void
} {
  const [view, setView] = useState<[number, number]>([0, 0])
  const onView = useCallback((first: number, last: number) => setView([first, last]), [])
  const pages = useMemo(() => {
    const [first, last] = view.map((at) => Math.floor(at / page))
    return Array.from({ length: last - first + 1 }, (_, i) => first + i)
  }, [view])
  const parts = useQueries({ queries: pages.map((at) => part({ from: at * page, count: page })) })
  const fetched = parts.filter(({ data }) => data !== undefined)
  // While others are wanted, those of before stay, so that nothing jumps.
  const shown = useRef<{ part: Part; lines: (Line | undefined)[] } | null>(null)
  if (fetched.length > 0) {
    const { data } = fetched[0]
    const lines: (Line | undefined)[] = new Array(read(data as Part).count).fill(undefined)
    for (const [i, one] of parts.entries())
      if (one.data !== undefined)
        for (const [n, line] of read(one.data as Part).lines.entries()) lines[pages[i] * page + n] = line
    shown.current = { part: data as Part, lines }
  }
  return { shown: shown.current, fault: parts.find(({ error }) => error)?.error ?? undefined, onView }
}
