import {
  type ComparisonName,
  comparisons,
  dateFormat,
  familyOf,
  isDay,
  manyValues,
  type PlainColumn,
  parsedValue,
  type Rule,
  rowNumber,
} from '@hand-post/core'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { Check, ChevronDown } from 'lucide-react'
import { Popover } from 'radix-ui'
import { createContext, useContext, useState } from 'react'
import { DateEntry } from '../shared/dates.tsx'
import { Button } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { useKept } from '../shared/useKept.ts'
import { ruleValue as say } from './words.ts'

/** Where the values of the columns stand that rules speak of. */
interface ValuesOf {
  list: number
  version: number
  /** The column's id in that list; null when it has none. */
  idOf: (column: string) => string | null
}

/** Around rules: where the values are that they are offered. Without it, none are. */
export const ColumnValues = createContext<ValuesOf | null>(null)

interface Given {
  label: string
  column: PlainColumn | undefined
  value: string
  onChange: (value: string) => void
}

/** What a rule compares with, given in the way that suits the column and the comparison. */
export function RuleValue({
  rule,
  column,
  put,
}: {
  rule: Rule
  column: PlainColumn | undefined
  put: (changes: Partial<Rule>) => void
}) {
  const { takes } = comparisons[rule.comparison]
  const first = { column, value: rule.value, onChange: (value: string) => put({ value }) }
  switch (takes) {
    case 'nothing':
      return null
    case 'group':
      return <GroupChoice value={rule.value} onChange={first.onChange} />
    case 'days':
      return <Typed {...first} label={say.numberDays} className="w-16" placeholder="14" />
    case 'many':
      return (
        <span className="inline-flex items-center gap-1">
          <Typed
            {...first}
            label={say.valuesSeparatedSemicolons}
            className="w-48"
            placeholder={column?.id === rowNumber.id ? '2-40; 57' : 'A12; A14'}
          />
          <ValuesMenu {...first} label={say.chooseValues} many />
        </span>
      )
    case 'two':
      return (
        <>
          <OneValue {...first} comparison={rule.comparison} label={say.value} />
          {say.and}
          <OneValue
            column={column}
            value={rule.to ?? ''}
            onChange={(to) => put({ to })}
            comparison={rule.comparison}
            label={say.valueOtherEnd}
          />
        </>
      )
    case 'value':
      return <OneValue {...first} comparison={rule.comparison} label={say.value} />
  }
}

/** The comparisons that look for a whole value, such as stand in the column. */
const ofWholeValues: ComparisonName[] = ['is', 'isNot']

function OneValue({ comparison, ...given }: Given & { comparison: ComparisonName }) {
  const { column } = given
  if (column && isDay(column)) return <RuleDay {...given} column={column} />
  if (column && familyOf(column) === 'yesNo') return <YesNo {...given} column={column} />
  return (
    <span className="inline-flex items-center gap-1">
      <Typed {...given} className="w-32" />
      {ofWholeValues.includes(comparison) && <ValuesMenu {...given} label={say.chooseValue} />}
    </span>
  )
}

/** A value that counts when Enter is pressed or the field is left. */
function Typed({
  label,
  value,
  className,
  placeholder,
  onChange,
}: Given & { className: string; placeholder?: string }) {
  const { line } = useKept(value, onChange, true)
  return <input aria-label={label} className={`input ${className}`} placeholder={placeholder} {...line} />
}

/** The values of a column as far as they are looked for; undefined while they are on their way. */
function useValues(column: PlainColumn | undefined, find: string, wanted: boolean) {
  const values = useContext(ColumnValues)
  const id = column && column.id !== rowNumber.id && values ? values.idOf(column.id) : null
  const found = useQuery({
    ...query.columnValues(values?.list ?? 0, values?.version ?? 0, id ?? '', find),
    enabled: wanted && id !== null,
    placeholderData: keepPreviousData,
  })
  return { there: id !== null, found: found.data, fault: found.error }
}

/** Offers the values that stand in the column, with the number of rows that have each; one is taken, or several. */
function ValuesMenu({ label, column, value, onChange, many = false }: Given & { many?: boolean }) {
  const [open, setOpen] = useState(false)
  const [find, setFind] = useState('')
  const { there, found, fault } = useValues(column, find, open)
  if (!there) return null
  const chosen = many ? manyValues(value) : value === '' ? [] : [value]
  const same = (a: string, b: string) => a.trim().toLocaleLowerCase('en-GB') === b.trim().toLocaleLowerCase('en-GB')
  const take = (one: string) => {
    if (!many) {
      onChange(one)
      setOpen(false)
      return
    }
    const without = chosen.filter((v) => !same(v, one))
    onChange((without.length < chosen.length ? without : [...chosen, one]).join('; '))
  }
  // A value with a semicolon in it would be read as two.
  const offered = (found?.values ?? []).filter((v) => !many || manyValues(v.value).length === 1)
  return (
    <Popover.Root
      open={open}
      onOpenChange={(next) => {
        setFind('')
        setOpen(next)
      }}
    >
      <Popover.Trigger asChild>
        <Button className="px-1.5" aria-label={label} title={label}>
          <ChevronDown aria-hidden size={15} />
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          aria-label={label}
          className="paper z-50 w-72 p-2 text-[14px] shadow-lg"
        >
          <Command label={label} shouldFilter={false}>
            <Command.Input
              autoFocus
              value={find}
              onValueChange={setFind}
              placeholder={say.searchValues}
              className="input mb-1 w-full"
            />
            <Command.List className="max-h-64 overflow-auto">
              {offered.map(({ value: one, rows }) => {
                const on = chosen.some((v) => same(v, one))
                return (
                  <Command.Item
                    key={one}
                    value={one}
                    onSelect={() => take(one)}
                    className="flex cursor-pointer items-center gap-2 rounded-paper px-2 py-1 data-[selected=true]:bg-post-tint"
                  >
                    <Check aria-hidden size={14} className={on ? 'shrink-0 text-post' : 'invisible shrink-0'} />
                    <span className="min-w-0 flex-1 truncate">{one}</span>
                    {on && <span className="sr-only">{say.chosen}</span>}
                    <span className="shrink-0 text-[13px] text-ink-2">{say.nRows(rows)}</span>
                  </Command.Item>
                )
              })}
            </Command.List>
            <p role="status" className="px-2 pt-1 text-[13px] text-ink-2">
              {fault
                ? say.valuesCannotShownJust
                : !found
                  ? say.fetchingValues
                  : found.different === 0
                    ? find === ''
                      ? say.nothingStandsColumn
                      : say.noValueContains
                    : [
                        found.different > offered.length &&
                          say.firstValuesSearchOthers(offered.length, found.different),
                        found.blank > 0 && say.blank(found.blank),
                      ]
                        .filter(Boolean)
                        .join(' ')}
            </p>
            {many && (
              <div className="mt-1 flex justify-end border-rule border-t pt-2">
                <Button onClick={() => setOpen(false)}>{say.done}</Button>
              </div>
            )}
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** Yes or no, each with the number of rows that say so. */
function YesNo({ label, column, value, onChange }: Given & { column: PlainColumn }) {
  const { found } = useValues(column, '', true)
  const meant = (text: string) => parsedValue(text, column)
  const rows = (truth: boolean) =>
    found?.values.filter((v) => meant(v.value) === truth).reduce((sum, v) => sum + v.rows, 0)
  const chosen = meant(value)
  return (
    <select
      aria-label={label}
      className="input"
      value={chosen === true ? 'yes' : chosen === false ? 'no' : value}
      onChange={(e) => onChange(e.target.value)}
    >
      {chosen === null && <option value={value}>{value === '' ? say.yesOrNo : value}</option>}
      {(['yes', 'no'] as const).map((word) => {
        const n = rows(word === 'yes')
        return (
          <option key={word} value={word}>
            {n === undefined ? word : `${word}, ${say.nRows(n)}`}
          </option>
        )
      })}
    </select>
  )
}

/** The day of a rule, written in it as the column's own days are read. */
function RuleDay({ label, column, value, onChange }: Given & { column: PlainColumn }) {
  const read = parsedValue(value, column)
  const iso = typeof read === 'string' ? read : ''
  const kind = iso.includes('T') ? 'dateTime' : 'date'
  const written = dateFormat(`${column.dayFirst === false ? 'MM/dd' : 'dd/MM'}/yyyy${kind === 'date' ? '' : ' HH:mm'}`)!
  return (
    <DateEntry
      // Anew when it was changed elsewhere.
      key={value}
      label={label}
      kind={kind}
      value={iso}
      unread={iso === '' && value.trim() !== '' ? value : undefined}
      onChange={(day) => onChange(day === '' ? '' : written(day))}
    />
  )
}

function GroupChoice({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const groups = useQuery(query.book()).data?.groups ?? []
  return (
    <select aria-label={say.group} className="input" value={value} onChange={(e) => onChange(e.target.value)}>
      {!groups.some((g) => String(g.id) === value) && (
        <option value={value}>{value === '' ? say.chooseGroup : say.groupGone}</option>
      )}
      {groups.map((g) => (
        <option key={g.id} value={g.id}>
          {g.name}, {say.nContacts(g.members.length)}
        </option>
      ))}
    </select>
  )
}
