import {
  type Column,
  type ComparisonName,
  comparisons,
  comparisonsFor,
  isRule,
  type PlainColumn,
  type Rule,
  rowNumber,
  ruleFault,
  type Selection,
  selectionSchema,
  unreadValues,
} from '@hand-post/core'
import { hashKey } from '@tanstack/react-query'
import { CircleHelp, X } from 'lucide-react'
import { useEffect, useMemo, useRef } from 'react'
import { FormProvider, useFieldArray, useFormContext, useWatch } from 'react-hook-form'
import { z } from 'zod'
import { useField, useSchemaForm } from '../shared/form.tsx'
import { Button, FaultLine } from '../shared/parts.tsx'
import { RuleValue } from './RuleValue.tsx'
import { ruleSet as say } from './words.ts'

const deepest = 3

/** What a rule begins with: it is not finished, and so chooses and leaves out nobody yet. */
export const firstRule = (columns: Column[]): Rule => ({ column: columns[0].id, comparison: 'is', value: '' })

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
              <select aria-label={say.howManyRulesMust} className="input" {...register(`${name}.match`)}>
                <option value="all">{say.allTheseHold}</option>
                <option value="any">{say.anyTheseHolds}</option>
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
              <Button kind="quiet" aria-label={say.removeSet} onClick={() => remove(i)}>
                <X aria-hidden size={14} />
              </Button>
            </div>
          )
        })}
        <Button kind="quiet" onClick={() => append(first, { shouldFocus: false })}>
          {say.addRule}
        </Button>
        {depth < deepest && fields.length > 0 && (
          <Button
            kind="quiet"
            onClick={() =>
              append({ match: match === 'all' ? 'any' : 'all', rules: [first, first] }, { shouldFocus: false })
            }
          >
            {say.addSetRules}
          </Button>
        )}
      </div>
    </div>
  )
}

/** Says at once that a rule counts for nothing yet, or that nobody can fit it. */
function CannotBeFollowed({ rule, columns }: { rule: Rule; columns: PlainColumn[] }) {
  const fault = ruleFault(rule, columns)
  if (!fault) return null
  return (
    <span role="status" className="flex w-full items-center gap-1 text-[13px] text-ask">
      <CircleHelp aria-hidden size={14} className="shrink-0" />
      {fault.words}
    </span>
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
  columns: PlainColumn[]
  groups: boolean
  remove: () => void
}) {
  const { setValue } = useFormContext()
  const { fault } = useField(name)
  const put = (changes: Partial<Rule>) =>
    setValue(name, { ...rule, ...changes }, { shouldDirty: true, shouldValidate: true })
  const column = columns.find((c) => c.id === rule.column)
  const { takes } = comparisons[rule.comparison]
  const offered = comparisonsFor(column?.kind ?? 'text').filter((name) => groups || comparisons[name].takes !== 'group')
  return (
    <span className="paper flex flex-wrap items-center gap-1 px-1.5 py-1">
      <select
        aria-label={say.column}
        className="input max-w-48"
        value={rule.column}
        onChange={(e) => {
          const chosen = columns.find((c) => c.id === e.target.value)!
          const comparison = comparisonsFor(chosen.kind).includes(rule.comparison) ? rule.comparison : 'is'
          // What says nothing of the other column is not taken along.
          const stays = unreadValues(chosen, { ...rule, comparison }).length === 0
          put({ column: chosen.id, comparison, ...(stays ? {} : { value: '', to: undefined }) })
        }}
      >
        {!column && <option value={rule.column}>{say.columnGone}</option>}
        {columns.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
      <select
        aria-label={say.comparison}
        className="input max-w-40"
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
      <RuleValue rule={rule} column={column} put={put} />
      <Button kind="quiet" aria-label={say.removeRule} onClick={remove}>
        <X aria-hidden size={14} />
      </Button>
      {fault ? <FaultLine fault={fault} /> : <CannotBeFollowed rule={rule} columns={columns} />}
    </span>
  )
}
