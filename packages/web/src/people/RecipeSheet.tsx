import { columnSchema } from '@hand-post/contract'
import {
  type Column,
  isFollowed,
  isRule,
  type Recipe,
  type RecipeName,
  recipeNames,
  recipeSchema,
  recipes,
  type Selection,
  shown,
} from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { TriangleAlert } from 'lucide-react'
import { useEffect, useMemo } from 'react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { faultWords, tellFault } from '../api.ts'
import { Field, useSchemaForm, useUnsaved } from '../shared/form.tsx'
import { Button, Labelled, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { isHere } from '../shared/rows.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { ColumnValues } from './RuleValue.tsx'
import { recipeForms } from './recipeForms.tsx'
import type { TableWork } from './useTable.ts'
import { recipeSheet as say } from './words.ts'

/** A column's name, which no other has, and how it is worked out. */
const columnForm = (others: Column[]) =>
  z
    .object({
      name: columnSchema.shape.name.refine(
        (name) => !others.some((c) => c.name.toLowerCase() === name.toLowerCase()),
        say.anotherColumnAlreadyHas,
      ),
      recipe: recipeSchema,
      /** What was typed as a day and is none: nothing is stored without it. */
      unread: z.string().max(0),
    })
    .superRefine(({ recipe }, context) => {
      // In a round a rule that is not finished waits; in a column it would write its words for everybody.
      if (recipe.do !== 'byRule') return
      for (const [i, { when }] of recipe.cases.entries()) {
        const at = ['recipe', 'cases', i, 'when']
        for (const path of unfinishedIn(when, at))
          context.addIssue({ code: 'custom', path, message: say.finishRuleOrTake })
      }
    })

/** Where in a set of rules some stand that are not finished. */
const unfinishedIn = (set: Selection, at: (string | number)[]): (string | number)[][] =>
  set.rules.flatMap((rule, i) => {
    const path = [...at, 'rules', i]
    return isRule(rule) ? (isFollowed(rule) ? [] : [path]) : unfinishedIn(rule, path)
  })

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
  /** Ends when the column is stored, or was refused. */
  onDone: (name: string, recipe: Recipe) => Promise<void>
}) {
  const { list, rows, derive, here } = table
  // The first five may not have been looked at, where the table stands elsewhere.
  useEffect(() => {
    const lacking = rows.slice(0, 5).filter((row) => !isHere(row))
    if (lacking.length > 0) here(lacking.map(({ id }) => id)).catch(tellFault)
  }, [here, rows])
  const columns = list.columns.filter((c) => c.id !== column?.id)
  const form = useSchemaForm(columnForm(columns), {
    name: column?.name ?? '',
    recipe: column?.recipe ?? recipes.joined.begun(columns),
    unread: '',
  })
  const [name, recipe] = form.watch(['name', 'recipe'])
  const Form = recipeForms[recipe.do]
  const whole = recipeSchema.safeParse(recipe)
  const sample = useQuery({ ...query.recipe(list.id, list.version, whole.data ?? recipe), enabled: whole.success })
  const values = useMemo(
    () => ({ list: list.id, version: list.version, idOf: (id: string) => id }),
    [list.id, list.version],
  )
  const { leave, question } = useUnsaved(form.formState.isDirty, onClose)
  return (
    <ColumnValues value={values}>
      <Sheet
        title={column ? say.howWorkedOut(column.name) : say.columnWorkedOut}
        onClose={leave}
        footer={
          <>
            <Button
              kind="primary"
              disabled={form.formState.isSubmitting}
              onClick={form.handleSubmit(({ name, recipe }) => onDone(name, recipe))}
            >
              {column ? say.changeColumn : say.addColumn}
            </Button>
            {question}
          </>
        }
      >
        <div className="min-h-0 flex-1 space-y-4 overflow-auto px-5 py-4">
          <FormProvider {...form}>
            <Field name="name" label={say.nameColumn} hint={say.fieldLetterCalledSame}>
              {(control) => <input className="input w-full" placeholder={say.fullName} {...control} />}
            </Field>
            <Labelled label={say.whatDone} hint={say.example(recipes[recipe.do].words[1])}>
              <select
                className="input w-full"
                value={recipe.do}
                onChange={(e) =>
                  form.reset(
                    { name, recipe: recipes[e.target.value as RecipeName].begun(columns), unread: '' },
                    { keepDefaultValues: true },
                  )
                }
              >
                {recipeNames.map((kind) => (
                  <option key={kind} value={kind}>
                    {recipes[kind].words[0]}
                  </option>
                ))}
              </select>
            </Labelled>
            <Form key={recipe.do} columns={columns} listId={list.id} />
          </FormProvider>
          <section aria-label={say.sample}>
            <h3 className="text-[15px]">{say.resultFirstPeople}</h3>
            {sample.error ? (
              <Say tone="stop">{faultWords(sample.error)}</Say>
            ) : !whole.success ? (
              <p className="text-ink-2">{say.nothingYetSomethingAbove}</p>
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
                          cell.shown || <span className="text-ink-2">{say.blank}</span>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            {whole.success && sample.data && (
              <p role="status" className="mt-1 text-[13px] text-ink-2">
                {sample.data.faults === 0 ? say.worksEveryRow : say.listCannotWorkedOut(sample.data.faults)}
              </p>
            )}
          </section>
        </div>
      </Sheet>
    </ColumnValues>
  )
}
