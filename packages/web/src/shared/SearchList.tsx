import clsx from 'clsx'
import { useId, useMemo, useState } from 'react'
import { searchList as say } from './words.ts'

interface Item {
  id: number
  name: string
  /** What stands behind the name. */
  more: string
}

/** How many are drawn at once; the others are found by searching. */
const drawn = 100
/** With so few there is nothing to search. */
const few = 8

/** A list of things by name, of which one is chosen; with a search where there are many. */
export function SearchList({
  label,
  items,
  chosen = null,
  onChoose,
}: {
  /** What is chosen from: "Lists". */
  label: string
  items: Item[]
  chosen?: number | null
  onChoose: (id: number) => void
}) {
  const [find, setFind] = useState('')
  const id = useId()
  const wanted = find.trim().toLocaleLowerCase('en-GB')
  const fitting = useMemo(
    () => items.filter((item) => `${item.name} ${item.more}`.toLocaleLowerCase('en-GB').includes(wanted)),
    [items, wanted],
  )
  return (
    <div>
      {items.length > few && (
        <input
          type="search"
          aria-label={say.search(label)}
          aria-controls={id}
          placeholder={say.search2}
          className="input mb-1 w-full"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
      )}
      <ul id={id} aria-label={label} className="max-h-56 overflow-auto">
        {fitting.slice(0, drawn).map((item) => (
          <li key={item.id}>
            <button
              type="button"
              aria-pressed={chosen === null ? undefined : item.id === chosen}
              className={clsx(
                'flex w-full items-baseline gap-2 rounded-paper px-2 py-1 text-left hover:bg-post-tint',
                item.id === chosen && 'bg-post-tint font-bold',
              )}
              onClick={() => onChoose(item.id)}
            >
              <span className="min-w-0 flex-1 truncate text-post underline decoration-1 underline-offset-2">
                {item.name}
              </span>
              <span className="shrink-0 font-normal text-[13px] text-ink-2">{item.more}</span>
            </button>
          </li>
        ))}
      </ul>
      {items.length > few && (
        <p role="status" className="px-2 text-[13px] text-ink-2">
          {fitting.length === 0
            ? say.noneHasTheseWords
            : fitting.length > drawn
              ? say.moreSearchThem(fitting.length, drawn)
              : wanted === ''
                ? say.all(items.length)
                : `${say.nMatches(fitting.length)}.`}
        </p>
      )}
    </div>
  )
}
