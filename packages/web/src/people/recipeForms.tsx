import {
  type CameOfField,
  type Column,
  cameOfFields,
  type DateUnit,
  dateUnits,
  type Figure,
  type LetterCase,
  letterCases,
  type Part,
  type Recipe,
  type RecipeName,
  signs,
  type TextPart,
  textParts,
} from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { parseISO } from 'date-fns'
import { X } from 'lucide-react'
import { type ComponentType, type ReactNode, useState } from 'react'
import { type RegisterOptions, useFieldArray, useFormContext, useWatch } from 'react-hook-form'
import { DateEntry, dayWords } from '../shared/dates.tsx'
import { Field, figure, useField } from '../shared/form.tsx'
import { Button, FaultLine, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { firstRule, RuleSet } from './RuleSet.tsx'
import { recipeForms as say } from './words.ts'

interface FormProps {
  columns: Column[]
  /** The list that the column is in. */
  listId: number
}

const unitWords: Record<DateUnit, string> = {
  days: 'days',
  weeks: 'weeks',
  months: 'months',
  workingDays: say.workingDays,
}
const partWords: Record<TextPart, string> = {
  firstWord: say.firstWord,
  lastWord: say.lastWord,
  firstLetters: say.firstLetters,
  lastLetters: say.lastLetters,
  before: say.whatStandsBefore,
  after: say.whatStandsAfter,
}
const caseWords: Record<LetterCase, string> = {
  title: say.eachWordCapital,
  sentence: say.firstLetterCapital,
  upper: say.allCapitals,
  lower: say.allSmallLetters,
}

const line = 'flex flex-wrap items-center gap-2'
const given = { shouldDirty: true, shouldValidate: true }

/** The recipe in the form, which is of the kind that this part of the form is for. */
const useRecipe = <Name extends RecipeName>() => useWatch({ name: 'recipe' }) as Extract<Recipe, { do: Name }>

/** One of several, in the line of a sentence. */
function Choice({
  name,
  label,
  options,
  children,
}: {
  name: string
  label: string
  options?: RegisterOptions
  children: ReactNode
}) {
  const { control, fault } = useField(name, options)
  return (
    <>
      <select aria-label={label} className="input max-w-56" {...control}>
        {children}
      </select>
      {fault && <FaultLine fault={fault} />}
    </>
  )
}

/** Something typed in the line of a sentence. */
function Entry({
  name,
  label,
  className,
  number = false,
  placeholder,
}: {
  name: string
  label: string
  className: string
  /** A figure is wanted. */
  number?: boolean
  placeholder?: string
}) {
  const { control, fault } = useField(name, number ? figure : undefined)
  return (
    <>
      <input
        aria-label={label}
        className={`input ${className}`}
        type={number ? 'number' : 'text'}
        step="any"
        placeholder={placeholder}
        {...control}
      />
      {fault && <FaultLine fault={fault} />}
    </>
  )
}

function ColumnChoice({ name, label, columns }: { name: string; label: string; columns: Column[] }) {
  const value = useWatch({ name }) as string
  return (
    <Choice name={name} label={label}>
      {!columns.some((c) => c.id === value) && <option value={value}>{say.columnGone}</option>}
      {columns.map((c) => (
        <option key={c.id} value={c.id}>
          {c.name}
        </option>
      ))}
    </Choice>
  )
}

/** A column, or something fixed that is typed beside it. */
function ColumnOr({
  name,
  label,
  columns,
  fixed,
  words,
  children,
}: {
  name: string
  label: string
  columns: Column[]
  /** What fixed things begin with. */
  fixed: Part | Figure
  /** How fixed things are offered. */
  words: string
  children: ReactNode
}) {
  const { setValue, unregister } = useFormContext()
  const value = useWatch({ name }) as Part | Figure
  const column = 'column' in value ? value.column : null
  return (
    <span className="inline-flex flex-wrap items-center gap-1">
      <select
        aria-label={label}
        className="input max-w-48"
        value={column ?? ''}
        onChange={(e) => {
          // What was typed would still count as this part of the form.
          unregister(Object.keys(value).map((key) => `${name}.${key}`))
          setValue(name, e.target.value === '' ? fixed : { column: e.target.value }, given)
        }}
      >
        <option value="">{words}</option>
        {column !== null && !columns.some((c) => c.id === column) && <option value={column}>{say.columnGone}</option>}
        {columns.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
      {column === null && children}
    </span>
  )
}

/** A column's words, or fixed ones. */
function PartChoice({ name, label, columns }: { name: string; label: string; columns: Column[] }) {
  return (
    <ColumnOr name={name} label={label} columns={columns} fixed={{ text: '' }} words={say.theseWords}>
      <Entry name={`${name}.text`} label={say.words(label)} className="w-40" />
    </ColumnOr>
  )
}

function FigureChoice({ name, label, columns }: { name: string; label: string; columns: Column[] }) {
  return (
    <ColumnOr name={name} label={label} columns={columns} fixed={{ number: 1 }} words={say.figure}>
      <Entry name={`${name}.number`} label={say.figure2(label)} className="w-24" number />
    </ColumnOr>
  )
}

function Joined({ columns }: FormProps) {
  const { fields, append, remove } = useFieldArray({ name: 'recipe.parts' })
  return (
    <div className="space-y-2">
      {fields.map(({ id }, i) => (
        <div key={id} className={line}>
          <PartChoice name={`recipe.parts.${i}`} label={say.part(i)} columns={columns} />
          {fields.length > 1 && (
            <Button kind="quiet" aria-label={say.takePartAway(i)} onClick={() => remove(i)}>
              <X aria-hidden size={14} />
            </Button>
          )}
        </div>
      ))}
      <Button kind="quiet" onClick={() => append({ column: columns[0].id }, { shouldFocus: false })}>
        {say.addPart}
      </Button>
      <Field name="recipe.between" label={say.betweenThem} hint={say.leftOutBesidePart}>
        {(control) => (
          <select className="input" {...control}>
            {(
              [
                [' ', say.space],
                [', ', say.comma],
                ['-', say.hyphen],
                ['/', say.slash],
                ['; ', say.semicolon],
                ['', 'nothing'],
              ] as const
            ).map(([sign, words]) => (
              <option key={words} value={sign}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Field>
    </div>
  )
}

function ByRule({ columns }: FormProps) {
  const { fields, append, remove } = useFieldArray({ name: 'recipe.cases' })
  return (
    <div className="space-y-3">
      {fields.map(({ id }, i) => (
        <div key={id} className="space-y-1 border-rule border-l-2 pl-3">
          <RuleSet
            name={`recipe.cases.${i}.when`}
            columns={columns}
            rowNumbers={false}
            lead={i === 0 ? say.where : say.elseWhere}
          />
          <div className={line}>
            {say.write} <PartChoice name={`recipe.cases.${i}.write`} label={say.caseIt(i)} columns={columns} />
            {fields.length > 1 && (
              <Button kind="quiet" onClick={() => remove(i)}>
                {say.takeCaseAway}
              </Button>
            )}
          </div>
        </div>
      ))}
      <Button
        kind="quiet"
        onClick={() =>
          append({ when: { match: 'all', rules: [firstRule(columns)] }, write: { text: '' } }, { shouldFocus: false })
        }
      >
        {say.addCase}
      </Button>
      <div className={line}>
        {say.otherwiseWrite} <PartChoice name="recipe.otherwise" label={say.otherwise} columns={columns} />
      </div>
    </div>
  )
}

function WorkedOut({ columns }: FormProps) {
  return (
    <div className="space-y-3">
      <div className={line}>
        <FigureChoice name="recipe.left" label={say.firstFigure} columns={columns} />
        <Choice name="recipe.sign" label={say.whatWorkedOut}>
          {signs.map((sign) => (
            <option key={sign}>{sign}</option>
          ))}
        </Choice>
        <FigureChoice name="recipe.right" label={say.secondFigure} columns={columns} />
      </div>
      <Field
        name="recipe.decimals"
        options={{ setValueAs: (chosen) => (chosen === '' || chosen === null ? null : Number(chosen)) }}
        label={say.rounded}
      >
        {(control) => (
          <select className="input" {...control}>
            <option value="">{say.asComesAmountsTwo}</option>
            {[0, 1, 2, 3, 4].map((n) => (
              <option key={n} value={n}>
                {n === 0 ? say.wholeFigures : say.nDecimals(n)}
              </option>
            ))}
          </select>
        )}
      </Field>
    </div>
  )
}

function DateMoved({ columns }: FormProps) {
  const { setValue } = useFormContext()
  const { by, unit, daysOff } = useRecipe<'dateMoved'>()
  const { fault } = useField('recipe.by')
  // The way stays chosen while the figure is still to be typed.
  const [way, setWay] = useState<1 | -1>(by < 0 ? -1 : 1)
  const putDays = (days: string[]) => setValue('recipe.daysOff', days, given)
  return (
    <div className="space-y-3">
      <div className={line}>
        <ColumnChoice name="recipe.column" label={say.date} columns={columns} />
        <input
          aria-label={say.howMany}
          className="input w-20"
          type="number"
          min={0}
          aria-invalid={fault !== undefined}
          aria-describedby={fault?.id}
          value={Number.isNaN(by) ? '' : Math.abs(by)}
          onChange={(e) => setValue('recipe.by', way * Math.abs(e.target.valueAsNumber), given)}
        />
        <Choice name="recipe.unit" label={say.unit}>
          {dateUnits.map((unit) => (
            <option key={unit} value={unit}>
              {unitWords[unit]}
            </option>
          ))}
        </Choice>
        <select
          aria-label={say.whichWay}
          className="input"
          value={way}
          onChange={(e) => {
            const next = Number(e.target.value) as 1 | -1
            setWay(next)
            setValue('recipe.by', next * Math.abs(by), given)
          }}
        >
          <option value={1}>{say.later}</option>
          <option value={-1}>{say.earlier}</option>
        </select>
        {fault && <FaultLine fault={fault} />}
      </div>
      {unit === 'workingDays' && (
        <fieldset className="space-y-1">
          <legend className="font-bold text-[13px]">{say.daysOffBesidesWeekends}</legend>
          {daysOff.length > 0 && (
            <ul className="flex flex-wrap gap-1">
              {daysOff.map((day) => (
                <li key={day} className="inline-flex items-center gap-1 rounded-paper bg-sheet-2 pl-2 text-[14px]">
                  {dayWords(parseISO(day))}
                  <Button
                    kind="quiet"
                    aria-label={say.takeAway(dayWords(parseISO(day)))}
                    onClick={() => putDays(daysOff.filter((d) => d !== day))}
                  >
                    <X aria-hidden size={14} />
                  </Button>
                </li>
              ))}
            </ul>
          )}
          <DateEntry
            // Anew for each, so that it is empty again.
            key={daysOff.length}
            label={say.addDayOff}
            kind="date"
            value=""
            onWrong={(typed) => setValue('unread', typed ?? '')}
            onChange={(day) => day !== '' && putDays([...new Set([...daysOff, day])].sort())}
          />
        </fieldset>
      )}
    </div>
  )
}

function PartOf({ columns }: FormProps) {
  const { part } = useRecipe<'partOf'>()
  return (
    <div className={line}>
      <Choice name="recipe.part" label={say.whichPart}>
        {textParts.map((part) => (
          <option key={part} value={part}>
            {partWords[part]}
          </option>
        ))}
      </Choice>
      {part.endsWith('Letters') && <Entry name="recipe.count" label={say.howManyLetters} className="w-20" number />}
      {(part === 'before' || part === 'after') && (
        <Entry name="recipe.mark" label={say.sign} className="w-24" placeholder="@" />
      )}
      {say.ofIt}
      <ColumnChoice name="recipe.column" label={say.column} columns={columns} />
    </div>
  )
}

function ChangedCase({ columns }: FormProps) {
  return (
    <div className={line}>
      <ColumnChoice name="recipe.column" label={say.column} columns={columns} />
      {say.as}
      <Choice name="recipe.case" label={say.capitals}>
        {letterCases.map((one) => (
          <option key={one} value={one}>
            {caseWords[one]}
          </option>
        ))}
      </Choice>
    </div>
  )
}

function LookedUp({ columns, listId }: FormProps) {
  const { setValue } = useFormContext()
  const { list } = useRecipe<'lookedUp'>()
  const lists = (useQuery(query.lists()).data ?? []).filter((l) => l.id !== listId)
  const other = lists.find((l) => l.id === list)
  if (lists.length === 0) return <Say tone="note">{say.thereNoOtherList}</Say>
  const begin = (id: number) => {
    const found = lists.find((l) => l.id === id)
    if (!found) return
    setValue('recipe.key', found.columns[0].id)
    setValue('recipe.value', (found.columns[1] ?? found.columns[0]).id, given)
  }
  return (
    <div className="grid grid-cols-[auto_1fr] items-center gap-2">
      <span>{say.lookList}</span>
      <div>
        <Choice
          name="recipe.list"
          label={say.list}
          options={{ setValueAs: Number, onChange: (e) => begin(Number(e.target.value)) }}
        >
          {!other && <option value={0}>{say.chooseOne}</option>}
          {lists.map((l) => (
            <option key={l.id} value={l.id}>
              {l.name}
            </option>
          ))}
        </Choice>
      </div>
      {other && (
        <>
          <span>{say.rowWhose}</span>
          <ColumnChoice name="recipe.key" label={say.columnThere} columns={other.columns} />
          <span>{say.rowS}</span>
          <ColumnChoice name="recipe.column" label={say.columnHere} columns={columns} />
          <span>{say.write2}</span>
          <ColumnChoice name="recipe.value" label={say.whatWritten} columns={other.columns} />
        </>
      )}
    </div>
  )
}

const cameOfWords: Record<CameOfField, string> = {
  outcome: say.outcome,
  word: say.outcomeWord,
  choice: say.choice,
  repliedAt: say.repliedAt,
  files: say.filesBack,
  chased: say.chased,
}

function CameOf({ listId }: FormProps) {
  const { round } = useRecipe<'cameOf'>()
  const { data: lists } = useQuery(query.lists())
  const rounds = lists?.find((l) => l.id === listId)?.rounds.filter((r) => r.posted)
  if (rounds?.length === 0) return <Say tone="note">{say.noRoundYet}</Say>
  return (
    <div className={line}>
      {say.write}
      <Choice name="recipe.what" label={say.whatOfIt}>
        {cameOfFields.map((one) => (
          <option key={one} value={one}>
            {cameOfWords[one]}
          </option>
        ))}
      </Choice>
      {say.ofRound}
      <Choice name="recipe.round" label={say.round} options={{ setValueAs: Number }}>
        {!rounds?.some((r) => r.id === round) && <option value={0}>{say.chooseOne}</option>}
        {rounds?.map((r) => (
          <option key={r.id} value={r.id}>
            {r.title}
          </option>
        ))}
      </Choice>
    </div>
  )
}

/** The part of a form that fills in a recipe, for every one of core's table. */
export const recipeForms: Record<RecipeName, ComponentType<FormProps>> = {
  joined: Joined,
  byRule: ByRule,
  workedOut: WorkedOut,
  dateMoved: DateMoved,
  partOf: PartOf,
  case: ChangedCase,
  lookedUp: LookedUp,
  cameOf: CameOf,
}
