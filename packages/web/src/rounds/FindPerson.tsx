import { displayName, type Row } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { useEffect, useMemo, useRef, useState } from 'react'
import { faultWords } from '../api.ts'
import { query } from '../shared/queries.ts'
import { usePerson, useWork } from './RoundContext.tsx'
import { findPerson as say } from './words.ts'

/** How many are shown; whoever is looked for among more types more of their name. */
const most = 8
/** Characters of what is looked for that count. */
const longest = 200

/** The name of the person in hand; typed over, it finds others by anything in their rows, and says of those left out why they are. */
export function FindPerson() {
  const { round, chosen } = useWork()
  const { list } = round
  const { person, choose } = usePerson()
  const nameOf = (row: Row) => displayName(row, round.nameColumns, round.addressColumn)
  const [typed, setTyped] = useState<string | null>(null)
  const wanted = typed?.trim().slice(0, longest) ?? ''
  const field = useRef<HTMLInputElement>(null)
  // The field says of itself that its list is always open, which is so only while something is looked for.
  useEffect(() => field.current?.setAttribute('aria-expanded', String(wanted !== '')))
  const inRound = useMemo(() => new Set(chosen), [chosen])
  const all = useQuery({
    ...query.rowsWith(list?.id ?? 0, list?.version, wanted),
    enabled: list !== null && wanted !== '',
  })
  // Those in the round stand first.
  const found = useMemo(() => {
    const rows = wanted === '' ? [] : (all.data?.rows ?? [])
    return [...rows.filter((row) => inRound.has(row.id)), ...rows.filter((row) => !inRound.has(row.id))].slice(0, most)
  }, [wanted, all.data, inRound])
  const known = all.data !== undefined && !all.isPlaceholderData
  const pick = (row: Row) => {
    choose(row.id)
    setTyped(null)
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur()
  }
  // Asked for before it is known who fits: whoever stands first then. What stands there still is of other words.
  const [first, setFirst] = useState(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: when it is known
  useEffect(() => {
    if (!first || !known) return
    setFirst(false)
    if (found[0]) pick(found[0])
  }, [first, known])
  const anyOut = found.some((row) => !inRound.has(row.id))
  const out = useQuery({ ...query.leftOut(round.id), enabled: anyOut }).data
  const why = (row: Row) => (inRound.has(row.id) ? null : (out?.find((one) => one.row === row.id)?.why ?? say.notRound))
  return (
    <Command
      label={say.findPerson}
      shouldFilter={false}
      className="relative min-w-0 flex-1"
      onKeyDown={(e) => {
        if (e.key === 'Escape' && e.target instanceof HTMLElement) e.target.blur()
        if (e.key !== 'Enter' || wanted === '' || known) return
        e.preventDefault()
        setFirst(true)
      }}
    >
      <Command.Input
        ref={field}
        aria-label={say.findPerson}
        className="w-full truncate rounded-paper bg-transparent px-1.5 py-1 font-bold placeholder:font-normal hover:bg-sheet-2"
        value={typed ?? (person ? nameOf(person) : '')}
        placeholder={say.findPerson}
        onFocus={(e) => e.currentTarget.select()}
        onValueChange={(words) => {
          setFirst(false)
          setTyped(words)
        }}
        onBlur={() => setTyped(null)}
      />
      {/* There also while nothing is typed, for the field names it. */}
      <Command.List
        hidden={wanted === ''}
        className="paper absolute top-full left-0 z-30 max-h-80 w-96 max-w-[90vw] overflow-auto shadow-lg"
      >
        {found.map((row) => (
          <Command.Item
            key={row.id}
            value={String(row.id)}
            className="cursor-pointer px-3 py-1 data-[selected=true]:bg-post-tint"
            // The field keeps the focus until one is chosen.
            onMouseDown={(e) => e.preventDefault()}
            onSelect={() => pick(row)}
          >
            <span className="block truncate">{nameOf(row)}</span>
            {why(row) !== null && (
              <span className="block text-[13px] text-ink-2">{say.leftOut(plainly(why(row)!))}</span>
            )}
          </Command.Item>
        ))}
        {found.length === 0 && wanted !== '' && (
          <p role="status" className="px-3 py-2 text-ink-2">
            {all.error ? faultWords(all.error) : all.data ? say.nobodyListHasTheir(typed!.trim()) : say.looking}
          </p>
        )}
      </Command.List>
    </Command>
  )
}

/** The reason behind "Left out:", without saying so twice. */
const plainly = (why: string) => why.replace(/^left out /, '')
