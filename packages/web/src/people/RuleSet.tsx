import {
  type Column,
  type ComparisonName,
  comparisons,
  comparisonsFor,
  dateFormat,
  isDay,
  isRule,
  type PlainColumn,
  parsedValue,
  type Rule,
  rowNumber,
  type Selection,
  selectionSchema,
} from '@hand-post/core'
import { hashKey, useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useEffect, useMemo, useRef } from 'react'
import { FormProvider, useFieldArray, useFormContext, useWatch } from 'react-hook-form'
import { z } from 'zod'
import { DateEntry } from '../shared/dates.tsx'
import { useField, useSchemaForm } from '../shared/form.tsx'
import { Button, FaultLine } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { useKept } from '../shared/useKept.ts'

const deepest = 3

/** What a rule begins with: it holds where the first column is filled. */
export const firstRule = (columns: Column[]): Rule => ({ column: columns[0].id, comparison: 'isFilled', value: '' })

const same = (a: Selection, b: Selection) => hashKey([a]) === hashKey([b])

/** Rules that count as soon as they are given, wherever they are shown. */
export function RulesInPlace({
  selection,
  schema: selections = selectionSchema,
  put,
  ...rest
}: Omit<Parameters<typeof RuleSet>[0], 'name' | 'depth'> & {
  selection: Selection
  /** What such rules must fit: those of a round name columns by id. */
  schema?: z.ZodType<Selection, Selection>
  put: (selection: Selection) => void
}) {
  const schema = useMemo(() => z.object({ selection: selections }), [selections])
  const form = useSchemaForm(schema, { selection })
  const { reset, subscribe, getValues } = form
  const stored = useRef(selection)
  useEffect(() => {
    stored.current = selection
    // Chosen elsewhere: from rules that were saved, or in another window.
    if (!same(getValues('selection'), selection)) reset({ selection })
  }, [selection, reset, getValues])
  useEffect(
    () =>
      subscribe({
        formState: { values: true },
        callback: ({ values }) => {
          const read = schema.safeParse(values)
          if (!read.success || same(read.data.selection, stored.current)) return
          stored.current = read.data.selection
          put(read.data.selection)
        },
      }),
    [subscribe, put, schema],
  )
  return (
    <FormProvider {...form}>
      <RuleSet name="selection" {...rest} />
    </FormProvider>
  )
}

/** A set of rules in the form around it, all or any of which must hold; each may again be a set. */
export function RuleSet({
  name,
  columns,
  rowNumbers,
  groups = false,
  lead,
  none,
  depth = 0,
}: {
  /** Where in the form the set stands. */
  name: string
  columns: Column[]
  /** Whether rules may speak of a row's number. */
  rowNumbers: boolean
  /** Whether rules may speak of contact groups. */
  groups?: boolean
  lead: string
  none?: string
  depth?: number
}) {
  const { control, register } = useFormContext()
  const { fields, append, remove } = useFieldArray({ control, name: `${name}.rules` })
  const { match, rules } = useWatch({ control, name }) as Selection
  const choices = rowNumbers ? [...columns, rowNumber] : columns
  const first = firstRule(columns)
  return (
    <div className={depth > 0 ? 'border-rule border-l-2 pl-2' : ''}>
      <div className="flex flex-wrap items-center gap-2">
        {fields.length === 0 && none && <span className="py-1.5 text-ink-2">{none}</span>}
        {fields.length > 0 && (
          <span className="flex items-center gap-1.5">
            {lead}
            {fields.length > 1 && (
              <select aria-label="How many rules must hold" className="input" {...register(`${name}.match`)}>
                <option value="all">all of these hold:</option>
                <option value="any">any of these holds:</option>
              </select>
            )}
          </span>
        )}
        {fields.map((field, i) => {
          const rule = rules[i]
          const at = `${name}.rules.${i}`
          // While one is being taken away the form has one fewer than is drawn.
          if (!rule) return null
          return isRule(rule) ? (
            <OneRule key={field.id} name={at} rule={rule} columns={choices} groups={groups} remove={() => remove(i)} />
          ) : (
            <div key={field.id} className="flex w-full items-start gap-1">
              <RuleSet
                name={at}
                columns={columns}
                rowNumbers={rowNumbers}
                groups={groups}
                lead={match === 'all' ? 'and' : 'or'}
                depth={depth + 1}
              />
              <Button kind="quiet" aria-label="Remove this set" onClick={() => remove(i)}>
                <X aria-hidden size={14} />
              </Button>
            </div>
          )
        })}
        <Button kind="quiet" onClick={() => append(first, { shouldFocus: false })}>
          Add a rule
        </Button>
        {depth < deepest && fields.length > 0 && (
          <Button
            kind="quiet"
            onClick={() =>
              append({ match: match === 'all' ? 'any' : 'all', rules: [first, first] }, { shouldFocus: false })
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
  name,
  rule,
  columns,
  groups,
  remove,
}: {
  name: string
  rule: Rule
  columns: Column[]
  groups: boolean
  remove: () => void
}) {
  const { setValue } = useFormContext()
  const { fault } = useField(name)
  const put = (changes: Partial<Rule>) =>
    setValue(name, { ...rule, ...changes }, { shouldDirty: true, shouldValidate: true })
  const column = columns.find((c) => c.id === rule.column)
  const { takes } = comparisons[rule.comparison]
  const days = column !== undefined && isDay(column) && (takes === 'value' || takes === 'two')
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
          put({ column: e.target.value, comparison })
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
          put({ comparison, value: same ? rule.value : '' })
        }}
      >
        {offered.map((name) => (
          <option key={name} value={name}>
            {comparisons[name].words}
          </option>
        ))}
      </select>
      {takes === 'group' ? (
        <GroupChoice value={rule.value} onChange={(value) => put({ value })} />
      ) : takes === 'many' ? (
        <Typed
          label="Values, parted by semicolons"
          className="w-48"
          value={rule.value}
          placeholder={column?.id === rowNumber.id ? '2-40; 57' : 'A12; A14'}
          onChange={(value) => put({ value })}
        />
      ) : (
        takes !== 'nothing' &&
        (days ? (
          <RuleDay label="Value" column={column} value={rule.value} onChange={(value) => put({ value })} />
        ) : (
          <Typed
            label="Value"
            className={takes === 'days' ? 'w-16' : 'w-32'}
            value={rule.value}
            placeholder={takes === 'days' ? '14' : ''}
            onChange={(value) => put({ value })}
          />
        ))
      )}
      {takes === 'two' && (
        <>
          and
          {days ? (
            <RuleDay
              label="Value at the other end"
              column={column}
              value={rule.to ?? ''}
              onChange={(to) => put({ to })}
            />
          ) : (
            <Typed
              label="Value at the other end"
              className="w-32"
              value={rule.to ?? ''}
              placeholder=""
              onChange={(to) => put({ to })}
            />
          )}
        </>
      )}
      <Button kind="quiet" aria-label="Remove this rule" onClick={remove}>
        <X aria-hidden size={14} />
      </Button>
      {fault && <FaultLine fault={fault} />}
    </span>
  )
}

/** The day of a rule, written in it as the column's own days are read. */
function RuleDay({
  label,
  column,
  value,
  onChange,
}: {
  label: string
  column: PlainColumn
  value: string
  onChange: (value: string) => void
}) {
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
  const { line } = useKept(value, onChange, true)
  return <input aria-label={label} className={`input ${className}`} placeholder={placeholder} {...line} />
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
