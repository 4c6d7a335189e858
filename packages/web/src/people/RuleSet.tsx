import {
  type Column,
  type ComparisonName,
  comparisons,
  comparisonsFor,
  isRule,
  type Rule,
  rowNumber,
  type Selection,
} from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useState } from 'react'
import { Button } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'

const deepest = 3

/** A set of rules, all or any of which must hold; each may again be a set. */
export function RuleSet({
  selection,
  columns,
  rowNumbers,
  groups = false,
  put,
  lead,
  none,
  depth = 0,
}: {
  selection: Selection
  columns: Column[]
  /** Whether rules may speak of a row's number. */
  rowNumbers: boolean
  /** Whether rules may speak of contact groups. */
  groups?: boolean
  put: (selection: Selection) => void
  lead: string
  none?: string
  depth?: number
}) {
  const { match, rules } = selection
  const choices = rowNumbers ? [...columns, rowNumber] : columns
  const setRule = (i: number, rule: Rule | Selection) =>
    put({ match, rules: rules.map((r, n) => (n === i ? rule : r)) })
  const remove = (i: number) => put({ match, rules: rules.filter((_, n) => n !== i) })
  const first: Rule = { column: columns[0].id, comparison: 'isFilled', value: '' }
  return (
    <div className={depth > 0 ? 'border-rule border-l-2 pl-2' : ''}>
      <div className="flex flex-wrap items-center gap-2">
        {rules.length === 0 && none && <span className="py-1.5 text-ink-2">{none}</span>}
        {rules.length > 0 && (
          <span className="flex items-center gap-1.5">
            {lead}
            {rules.length > 1 && (
              <select
                aria-label="How many rules must hold"
                className="input"
                value={match}
                onChange={(e) => put({ match: e.target.value as 'all' | 'any', rules })}
              >
                <option value="all">all of these hold:</option>
                <option value="any">any of these holds:</option>
              </select>
            )}
          </span>
        )}
        {rules.map((rule, i) =>
          isRule(rule) ? (
            <OneRule
              key={i}
              rule={rule}
              columns={choices}
              groups={groups}
              put={(next) => setRule(i, next)}
              remove={() => remove(i)}
            />
          ) : (
            <div key={i} className="flex w-full items-start gap-1">
              <RuleSet
                selection={rule}
                columns={columns}
                rowNumbers={rowNumbers}
                groups={groups}
                put={(next) => setRule(i, next)}
                lead={match === 'all' ? 'and' : 'or'}
                depth={depth + 1}
              />
              <Button kind="quiet" aria-label="Remove this set" onClick={() => remove(i)}>
                <X aria-hidden size={14} />
              </Button>
            </div>
          ),
        )}
        <Button kind="quiet" onClick={() => put({ match, rules: [...rules, first] })}>
          Add a rule
        </Button>
        {depth < deepest && rules.length > 0 && (
          <Button
            kind="quiet"
            onClick={() =>
              put({ match, rules: [...rules, { match: match === 'all' ? 'any' : 'all', rules: [first, first] }] })
            }
          >
            Add a set of rules
          </Button>
        )}
      </div>
    </div>
  )
}

function OneRule({
  rule,
  columns,
  groups,
  put,
  remove,
}: {
  rule: Rule
  columns: Column[]
  groups: boolean
  put: (rule: Rule) => void
  remove: () => void
}) {
  const column = columns.find((c) => c.id === rule.column)
  const { takes } = comparisons[rule.comparison]
  const offered = comparisonsFor(column?.kind ?? 'text').filter((name) => groups || comparisons[name].takes !== 'group')
  return (
    <span className="paper flex flex-wrap items-center gap-1 px-1.5 py-1">
      <select
        aria-label="Column"
        className="input max-w-48"
        value={rule.column}
        onChange={(e) => {
          const kind = columns.find((c) => c.id === e.target.value)!.kind
          const comparison = comparisonsFor(kind).includes(rule.comparison) ? rule.comparison : 'is'
          put({ ...rule, column: e.target.value, comparison })
        }}
      >
        {!column && <option value={rule.column}>a column that is gone</option>}
        {columns.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
      <select
        aria-label="Comparison"
        className="input"
        value={rule.comparison}
        onChange={(e) => {
          const comparison = e.target.value as ComparisonName
          // A value of another sort would mean something else.
          const same =
            comparisons[comparison].takes === takes || (takes !== 'group' && comparisons[comparison].takes !== 'group')
          put({ ...rule, comparison, value: same ? rule.value : '' })
        }}
      >
        {offered.map((name) => (
          <option key={name} value={name}>
            {comparisons[name].words}
          </option>
        ))}
      </select>
      {takes === 'group' ? (
        <GroupChoice value={rule.value} onChange={(value) => put({ ...rule, value })} />
      ) : takes === 'many' ? (
        <Typed
          label="Values, parted by semicolons"
          className="w-48"
          value={rule.value}
          placeholder={column?.id === rowNumber.id ? '2-40; 57' : 'A12; A14'}
          onChange={(value) => put({ ...rule, value })}
        />
      ) : (
        takes !== 'nothing' && (
          <Typed
            label="Value"
            className={takes === 'days' ? 'w-16' : 'w-32'}
            value={rule.value}
            placeholder={takes === 'days' ? '14' : column?.kind === 'date' ? '31/12/2026' : ''}
            onChange={(value) => put({ ...rule, value })}
          />
        )
      )}
      {takes === 'two' && (
        <>
          and
          <Typed
            label="Value at the other end"
            className="w-32"
            value={rule.to ?? ''}
            placeholder={column?.kind === 'date' ? '31/01/2027' : ''}
            onChange={(to) => put({ ...rule, to })}
          />
        </>
      )}
      <Button kind="quiet" aria-label="Remove this rule" onClick={remove}>
        <X aria-hidden size={14} />
      </Button>
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
}: {
  label: string
  value: string
  className: string
  placeholder: string
  onChange: (value: string) => void
}) {
  const [typing, setTyping] = useState<string | null>(null)
  const keep = () => {
    if (typing !== null && typing !== value) onChange(typing)
    setTyping(null)
  }
  return (
    <input
      aria-label={label}
      className={`input ${className}`}
      value={typing ?? value}
      placeholder={placeholder}
      onChange={(e) => setTyping(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => e.key === 'Enter' && keep()}
    />
  )
}

function GroupChoice({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  const groups = useQuery(query.book()).data?.groups ?? []
  return (
    <select aria-label="Group" className="input" value={value} onChange={(e) => onChange(e.target.value)}>
      {!groups.some((g) => String(g.id) === value) && (
        <option value={value}>{value === '' ? 'choose a group' : 'a group that is gone'}</option>
      )}
      {groups.map((g) => (
        <option key={g.id} value={g.id}>
          {g.name}
        </option>
      ))}
    </select>
  )
}
