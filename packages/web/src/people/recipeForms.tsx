import {
  type Column,
  type DateUnit,
  dateUnits,
  type Figure,
  type LetterCase,
  letterCases,
  type Part,
  type Recipe,
  type RecipeName,
  type Sign,
  signs,
  type TextPart,
  textParts,
} from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import type { ComponentType } from 'react'
import { Button, Labelled, Say, times } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { RuleSet } from './RuleSet.tsx'

interface FormProps<Name extends RecipeName> {
  recipe: Extract<Recipe, { do: Name }>
  columns: Column[]
  /** The list that the column is in. */
  listId: number
  put: (recipe: Recipe) => void
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

const line = 'flex flex-wrap items-center gap-2'

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

function Joined({ recipe, columns, put }: FormProps<'joined'>) {
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
        <select className="input" value={recipe.between} onChange={(e) => put({ ...recipe, between: e.target.value })}>
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

function ByRule({ recipe, columns, put }: FormProps<'byRule'>) {
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
                <Button kind="quiet" onClick={() => put({ ...recipe, cases: recipe.cases.filter((_, n) => n !== i) })}>
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
}

function WorkedOut({ recipe, columns, put }: FormProps<'workedOut'>) {
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
}

function DateMoved({ recipe, columns, put }: FormProps<'dateMoved'>) {
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
}

function PartOf({ recipe, columns, put }: FormProps<'partOf'>) {
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
}

function ChangedCase({ recipe, columns, put }: FormProps<'case'>) {
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
}

function LookedUp({ recipe, columns, listId, put }: FormProps<'lookedUp'>) {
  const lists = (useQuery(query.lists()).data ?? []).filter((l) => l.id !== listId)
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

/** A form for every recipe: what core's table says of it, to be filled in. */
export const recipeForms: { [Name in RecipeName]: ComponentType<FormProps<Name>> } = {
  joined: Joined,
  byRule: ByRule,
  workedOut: WorkedOut,
  dateMoved: DateMoved,
  partOf: PartOf,
  case: ChangedCase,
  lookedUp: LookedUp,
}
/** A form of any recipe, for whoever has found the one that belongs to it. */
export type RecipeForm = ComponentType<{
  recipe: Recipe
  columns: Column[]
  listId: number
  put: (recipe: Recipe) => void
}>
