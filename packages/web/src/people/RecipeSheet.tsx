import { routes } from '@hand-post/contract'
import {
  type Column,
  type DateUnit,
  dateUnits,
  type Figure,
  type LetterCase,
  letterCases,
  type Part,
  type Recipe,
  type Sign,
  shown,
  signs,
  type TextPart,
  textParts,
} from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { TriangleAlert, X } from 'lucide-react'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import { ask, faultWords, useLists } from '../api.ts'
import { Button, Labelled, Say, times } from '../shared/parts.tsx'
import { RuleSet } from './RuleSet.tsx'
import type { TableWork } from './useTable.ts'

const recipeWords: Record<Recipe['do'], [string, string]> = {
  joined: ['Join words', 'First and last name in one; a berth and its pontoon'],
  byRule: ['Choose by rule', '“long” where the length is above 12, else “short”'],
  workedOut: ['Work out a figure', 'The fee times 1.2, to two decimals'],
  dateMoved: ['Move a date', 'Ten working days before the due date'],
  partOf: ['Take a part', 'The first word; what stands after the @'],
  case: ['Change capitals', 'ADA PENROSE becomes Ada Penrose'],
  lookedUp: ['Look up in another list', 'The warden of the berth’s pontoon'],
}
const unitWords: Record<DateUnit, string> = {
  days: 'days',
  weeks: 'weeks',
  months: 'months',
  workingDays: 'working days',
}
const partWords: Record<TextPart, string> = {
  firstWord: 'the first word',
  lastWord: 'the last word',
  firstLetters: 'the first letters',
  lastLetters: 'the last letters',
  before: 'what stands before',
  after: 'what stands after',
}
const caseWords: Record<LetterCase, string> = {
  title: 'Each Word With A Capital',
  sentence: 'The first letter a capital',
  upper: 'ALL CAPITALS',
  lower: 'all small letters',
}

/** The simplest recipe of a kind, to begin with. */
function begun(kind: Recipe['do'], columns: Column[]): Recipe {
  const [first, second] = [columns[0].id, (columns[1] ?? columns[0]).id]
  const figure = columns.find((c) => c.kind === 'amount' || c.kind === 'number')?.id ?? first
  const date = columns.find((c) => c.kind === 'date' || c.kind === 'dateTime')?.id ?? first
  switch (kind) {
    case 'joined':
      return { do: 'joined', parts: [{ column: first }, { column: second }], between: ' ' }
    case 'byRule':
      return {
        do: 'byRule',
        cases: [
          {
            when: { match: 'all', rules: [{ column: first, comparison: 'isFilled', value: '' }] },
            write: { text: 'yes' },
          },
        ],
        otherwise: { text: 'no' },
      }
    case 'workedOut':
      return { do: 'workedOut', left: { column: figure }, sign: '×', right: { number: 1 }, decimals: null }
    case 'dateMoved':
      return { do: 'dateMoved', column: date, by: 1, unit: 'days', daysOff: [] }
    case 'partOf':
      return { do: 'partOf', column: first, part: 'firstWord', count: 1, mark: '' }
    case 'case':
      return { do: 'case', column: first, case: 'title' }
    case 'lookedUp':
      return { do: 'lookedUp', column: first, list: 0, key: 'c1', value: 'c2' }
  }
}

/** Says how a column is worked out from others, with what comes of it for the first five people. */
export default function RecipeSheet({
  table,
  column,
  onClose,
  onDone,
}: {
  table: TableWork
  /** The derived column that is changed; null for a new one. */
  column: Column | null
  onClose: () => void
  onDone: (name: string, recipe: Recipe) => void
}) {
  const { list, rows, derive } = table
  const columns = list.columns.filter((c) => c.id !== column?.id)
  const [name, setName] = useState(column?.name ?? '')
  const [recipe, setRecipe] = useState<Recipe>(() => column?.recipe ?? begun('joined', columns))
  const ready = recipe.do !== 'lookedUp' || recipe.list > 0
  const sample = useQuery({
    queryKey: ['recipe', list.id, list.version, JSON.stringify(recipe)],
    enabled: ready,
    queryFn: () => ask(routes.tryRecipe, { params: { list: list.id }, body: { recipe } }),
    placeholderData: (before) => before,
  })
  const taken = columns.some((c) => c.name.toLowerCase() === name.trim().toLowerCase())
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="paper fixed top-0 right-0 z-50 flex h-dvh w-[min(560px,96vw)] flex-col shadow-xl"
        >
          <header className="flex items-center justify-between border-rule border-b px-5 py-3">
            <Dialog.Title className="text-xl">
              {column ? `How “${column.name}” is worked out` : 'A column that is worked out'}
            </Dialog.Title>
            <Dialog.Close asChild>
              <Button kind="quiet" aria-label="Close">
                <X aria-hidden size={16} />
              </Button>
            </Dialog.Close>
          </header>
          <div className="min-h-0 flex-1 space-y-4 overflow-auto px-5 py-4">
            <Labelled label="Name of the column" hint="Its field in the letter is called the same.">
              <input
                className="input w-full"
                value={name}
                maxLength={200}
                placeholder="Full name"
                onChange={(e) => setName(e.target.value)}
              />
            </Labelled>
            {taken && <Say tone="ask">Another column is called so already.</Say>}
            <Labelled label="What is done" hint={`For example: ${recipeWords[recipe.do][1]}.`}>
              <select
                className="input w-full"
                value={recipe.do}
                onChange={(e) => setRecipe(begun(e.target.value as Recipe['do'], columns))}
              >
                {(Object.keys(recipeWords) as Recipe['do'][]).map((kind) => (
                  <option key={kind} value={kind}>
                    {recipeWords[kind][0]}
                  </option>
                ))}
              </select>
            </Labelled>
            <RecipeForm recipe={recipe} columns={columns} listId={list.id} put={setRecipe} />
            <section aria-label="Sample">
              <h3 className="text-[15px]">What comes of it</h3>
              {sample.error ? (
                <Say tone="stop">{faultWords(sample.error)}</Say>
              ) : !ready ? (
                <p className="text-ink-2">Choose the list first.</p>
              ) : (
                <table className="mt-1 w-full text-[14px]">
                  <tbody>
                    {sample.data?.cells.map((cell, i) => (
                      <tr key={i} className="border-rule border-b">
                        <th scope="row" className="w-1/2 max-w-0 truncate px-1 py-1 text-left font-normal text-ink-2">
                          {rows[i]
                            ? columns
                                .slice(0, 3)
                                .map((c) => shown(derive(rows[i]).cells[c.id]))
                                .filter(Boolean)
                                .join(', ')
                            : ''}
                        </th>
                        <td className="px-1 py-1">
                          {cell.fault ? (
                            <span className="text-stop">
                              <TriangleAlert aria-hidden size={13} className="mr-1 inline" />
                              {cell.fault}
                            </span>
                          ) : (
                            cell.shown || <span className="text-ink-2">blank</span>
                          )}
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              )}
              {sample.data && (
                <p role="status" className="mt-1 text-[13px] text-ink-2">
                  {sample.data.faults === 0
                    ? 'It works for every row.'
                    : `${times(sample.data.faults, 'cell')} of the list cannot be worked out; each says why in the table.`}
                </p>
              )}
            </section>
          </div>
          <footer className="flex gap-2 border-rule border-t px-5 py-3">
            <Button
              kind="primary"
              disabled={!name.trim() || taken || !ready}
              onClick={() => onDone(name.trim(), recipe)}
            >
              {column ? 'Change the column' : 'Add the column'}
            </Button>
            <Dialog.Close asChild>
              <Button>Not now</Button>
            </Dialog.Close>
          </footer>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}

function ColumnChoice({
  label,
  columns,
  value,
  onChange,
}: {
  label: string
  columns: Column[]
  value: string
  onChange: (id: string) => void
}) {
  return (
    <select aria-label={label} className="input max-w-56" value={value} onChange={(e) => onChange(e.target.value)}>
      {!columns.some((c) => c.id === value) && <option value={value}>a column that is gone</option>}
      {columns.map((c) => (
        <option key={c.id} value={c.id}>
          {c.name}
        </option>
      ))}
    </select>
  )
}

/** A column's words, or fixed ones. */
function PartChoice({
  label,
  columns,
  part,
  onChange,
}: {
  label: string
  columns: Column[]
  part: Part
  onChange: (part: Part) => void
}) {
  const fixed = 'text' in part
  return (
    <span className="inline-flex items-center gap-1">
      <select
        aria-label={label}
        className="input max-w-48"
        value={fixed ? '' : part.column}
        onChange={(e) => onChange(e.target.value === '' ? { text: '' } : { column: e.target.value })}
      >
        <option value="">these words:</option>
        {columns.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
      {fixed && (
        <input
          aria-label={`${label}: words`}
          className="input w-40"
          value={part.text}
          onChange={(e) => onChange({ text: e.target.value })}
        />
      )}
    </span>
  )
}

function FigureChoice({
  label,
  columns,
  figure,
  onChange,
}: {
  label: string
  columns: Column[]
  figure: Figure
  onChange: (figure: Figure) => void
}) {
  const fixed = 'number' in figure
  return (
    <span className="inline-flex items-center gap-1">
      <select
        aria-label={label}
        className="input max-w-48"
        value={fixed ? '' : figure.column}
        onChange={(e) => onChange(e.target.value === '' ? { number: 1 } : { column: e.target.value })}
      >
        <option value="">this figure:</option>
        {columns.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
      {fixed && (
        <input
          aria-label={`${label}: figure`}
          className="input w-24"
          type="number"
          step="any"
          value={figure.number}
          onChange={(e) => onChange({ number: Number(e.target.value) || 0 })}
        />
      )}
    </span>
  )
}

function RecipeForm({
  recipe,
  columns,
  listId,
  put,
}: {
  recipe: Recipe
  columns: Column[]
  listId: number
  put: (recipe: Recipe) => void
}) {
  const line = 'flex flex-wrap items-center gap-2'
  switch (recipe.do) {
    case 'joined': {
      const setParts = (parts: Part[]) => put({ ...recipe, parts })
      return (
        <div className="space-y-2">
          {recipe.parts.map((part, i) => (
            <div key={i} className={line}>
              <PartChoice
                label={`Part ${i + 1}`}
                columns={columns}
                part={part}
                onChange={(next) => setParts(recipe.parts.map((p, n) => (n === i ? next : p)))}
              />
              {recipe.parts.length > 1 && (
                <Button
                  kind="quiet"
                  aria-label={`Take part ${i + 1} away`}
                  onClick={() => setParts(recipe.parts.filter((_, n) => n !== i))}
                >
                  <X aria-hidden size={14} />
                </Button>
              )}
            </div>
          ))}
          <Button kind="quiet" onClick={() => setParts([...recipe.parts, { column: columns[0].id }])}>
            Add a part
          </Button>
          <Labelled label="Between them" hint="Left out beside a part that is blank.">
            <select
              className="input"
              value={recipe.between}
              onChange={(e) => put({ ...recipe, between: e.target.value })}
            >
              {(
                [
                  [' ', 'a space'],
                  [', ', 'a comma'],
                  ['-', 'a hyphen'],
                  ['/', 'a slash'],
                  ['; ', 'a semicolon'],
                  ['', 'nothing'],
                ] as const
              ).map(([sign, words]) => (
                <option key={words} value={sign}>
                  {words}
                </option>
              ))}
            </select>
          </Labelled>
        </div>
      )
    }
    case 'byRule':
      return (
        <div className="space-y-3">
          {recipe.cases.map((one, i) => {
            const change = (next: Partial<typeof one>) =>
              put({ ...recipe, cases: recipe.cases.map((c, n) => (n === i ? { ...c, ...next } : c)) })
            return (
              <div key={i} className="space-y-1 border-rule border-l-2 pl-3">
                <RuleSet
                  selection={one.when}
                  columns={columns}
                  rowNumbers={false}
                  put={(when) => change({ when })}
                  lead={i === 0 ? 'Where' : 'Else, where'}
                />
                <div className={line}>
                  write{' '}
                  <PartChoice
                    label={`Case ${i + 1}`}
                    columns={columns}
                    part={one.write}
                    onChange={(write) => change({ write })}
                  />
                  {recipe.cases.length > 1 && (
                    <Button
                      kind="quiet"
                      onClick={() => put({ ...recipe, cases: recipe.cases.filter((_, n) => n !== i) })}
                    >
                      Take this case away
                    </Button>
                  )}
                </div>
              </div>
            )
          })}
          <Button
            kind="quiet"
            onClick={() =>
              put({
                ...recipe,
                cases: [
                  ...recipe.cases,
                  {
                    when: { match: 'all', rules: [{ column: columns[0].id, comparison: 'isFilled', value: '' }] },
                    write: { text: '' },
                  },
                ],
              })
            }
          >
            Add a case
          </Button>
          <div className={line}>
            otherwise write{' '}
            <PartChoice
              label="Otherwise"
              columns={columns}
              part={recipe.otherwise}
              onChange={(otherwise) => put({ ...recipe, otherwise })}
            />
          </div>
        </div>
      )
    case 'workedOut':
      return (
        <div className="space-y-3">
          <div className={line}>
            <FigureChoice
              label="First figure"
              columns={columns}
              figure={recipe.left}
              onChange={(left) => put({ ...recipe, left })}
            />
            <select
              aria-label="What is worked out"
              className="input"
              value={recipe.sign}
              onChange={(e) => put({ ...recipe, sign: e.target.value as Sign })}
            >
              {signs.map((sign) => (
                <option key={sign}>{sign}</option>
              ))}
            </select>
            <FigureChoice
              label="Second figure"
              columns={columns}
              figure={recipe.right}
              onChange={(right) => put({ ...recipe, right })}
            />
          </div>
          <Labelled label="Rounded to">
            <select
              className="input"
              value={recipe.decimals ?? ''}
              onChange={(e) => put({ ...recipe, decimals: e.target.value === '' ? null : Number(e.target.value) })}
            >
              <option value="">as it comes; amounts to two decimals</option>
              {[0, 1, 2, 3, 4].map((n) => (
                <option key={n} value={n}>
                  {n === 0 ? 'whole figures' : times(n, 'decimal')}
                </option>
              ))}
            </select>
          </Labelled>
        </div>
      )
    case 'dateMoved':
      return (
        <div className="space-y-3">
          <div className={line}>
            <ColumnChoice
              label="Date"
              columns={columns}
              value={recipe.column}
              onChange={(column) => put({ ...recipe, column })}
            />
            <input
              aria-label="How many"
              className="input w-20"
              type="number"
              value={Math.abs(recipe.by)}
              min={0}
              onChange={(e) =>
                put({ ...recipe, by: (recipe.by < 0 ? -1 : 1) * Math.abs(Math.trunc(Number(e.target.value) || 0)) })
              }
            />
            <select
              aria-label="Unit"
              className="input"
              value={recipe.unit}
              onChange={(e) => put({ ...recipe, unit: e.target.value as DateUnit })}
            >
              {dateUnits.map((unit) => (
                <option key={unit} value={unit}>
                  {unitWords[unit]}
                </option>
              ))}
            </select>
            <select
              aria-label="Which way"
              className="input"
              value={recipe.by < 0 ? 'earlier' : 'later'}
              onChange={(e) => put({ ...recipe, by: (e.target.value === 'earlier' ? -1 : 1) * Math.abs(recipe.by) })}
            >
              <option value="later">later</option>
              <option value="earlier">earlier</option>
            </select>
          </div>
          {recipe.unit === 'workingDays' && (
            <Labelled label="Days off besides weekends" hint="One date a line, as 2026-12-25.">
              <textarea
                className="input h-20 w-48"
                defaultValue={recipe.daysOff.join('\n')}
                onBlur={(e) =>
                  put({ ...recipe, daysOff: e.target.value.split(/\s+/).filter((d) => /^\d{4}-\d\d-\d\d$/.test(d)) })
                }
              />
            </Labelled>
          )}
        </div>
      )
    case 'partOf':
      return (
        <div className={line}>
          <select
            aria-label="Which part"
            className="input"
            value={recipe.part}
            onChange={(e) => put({ ...recipe, part: e.target.value as TextPart })}
          >
            {textParts.map((part) => (
              <option key={part} value={part}>
                {partWords[part]}
              </option>
            ))}
          </select>
          {recipe.part.endsWith('Letters') && (
            <input
              aria-label="How many letters"
              className="input w-20"
              type="number"
              min={1}
              value={recipe.count}
              onChange={(e) => put({ ...recipe, count: Math.max(0, Math.trunc(Number(e.target.value) || 0)) })}
            />
          )}
          {(recipe.part === 'before' || recipe.part === 'after') && (
            <input
              aria-label="The sign"
              className="input w-24"
              value={recipe.mark}
              placeholder="@"
              onChange={(e) => put({ ...recipe, mark: e.target.value })}
            />
          )}
          of
          <ColumnChoice
            label="Column"
            columns={columns}
            value={recipe.column}
            onChange={(column) => put({ ...recipe, column })}
          />
        </div>
      )
    case 'case':
      return (
        <div className={line}>
          <ColumnChoice
            label="Column"
            columns={columns}
            value={recipe.column}
            onChange={(column) => put({ ...recipe, column })}
          />
          as
          <select
            aria-label="Capitals"
            className="input"
            value={recipe.case}
            onChange={(e) => put({ ...recipe, case: e.target.value as LetterCase })}
          >
            {letterCases.map((one) => (
              <option key={one} value={one}>
                {caseWords[one]}
              </option>
            ))}
          </select>
        </div>
      )
    case 'lookedUp':
      return <LookUpForm recipe={recipe} columns={columns} listId={listId} put={put} />
  }
}

function LookUpForm({
  recipe,
  columns,
  listId,
  put,
}: {
  recipe: Extract<Recipe, { do: 'lookedUp' }>
  columns: Column[]
  listId: number
  put: (recipe: Recipe) => void
}) {
  const lists = (useLists().data ?? []).filter((l) => l.id !== listId)
  const other = lists.find((l) => l.id === recipe.list)
  if (lists.length === 0) return <Say tone="note">There is no other list yet. Bring one in at People first.</Say>
  return (
    <div className="grid grid-cols-[auto_1fr] items-center gap-2">
      <span>Look in the list</span>
      <select
        aria-label="List"
        className="input"
        value={recipe.list}
        onChange={(e) => {
          const found = lists.find((l) => l.id === Number(e.target.value))!
          const key = found.columns[0].id
          put({ ...recipe, list: found.id, key, value: (found.columns[1] ?? found.columns[0]).id })
        }}
      >
        {!other && <option value={0}>choose one</option>}
        {lists.map((l) => (
          <option key={l.id} value={l.id}>
            {l.name}
          </option>
        ))}
      </select>
      {other && (
        <>
          <span>for the row whose</span>
          <ColumnChoice
            label="Column there"
            columns={other.columns}
            value={recipe.key}
            onChange={(key) => put({ ...recipe, key })}
          />
          <span>is this row’s</span>
          <ColumnChoice
            label="Column here"
            columns={columns}
            value={recipe.column}
            onChange={(column) => put({ ...recipe, column })}
          />
          <span>and write its</span>
          <ColumnChoice
            label="What is written"
            columns={other.columns}
            value={recipe.value}
            onChange={(value) => put({ ...recipe, value })}
          />
        </>
      )}
    </div>
  )
}
