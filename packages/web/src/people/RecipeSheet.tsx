import { type Column, type Recipe, type RecipeName, recipeNames, recipes, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { TriangleAlert } from 'lucide-react'
import { useState } from 'react'
import { faultWords } from '../api.ts'
import { Button, Labelled, Say, times } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { type RecipeForm, recipeForms } from './recipeForms.tsx'
import type { TableWork } from './useTable.ts'

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
  const [recipe, setRecipe] = useState<Recipe>(() => column?.recipe ?? recipes.joined.begun(columns))
  const Form = recipeForms[recipe.do] as RecipeForm
  const ready = recipe.do !== 'lookedUp' || recipe.list > 0
  const sample = useQuery({ ...query.recipe(list.id, list.version, recipe), enabled: ready })
  const taken = columns.some((c) => c.name.toLowerCase() === name.trim().toLowerCase())
  return (
    <Sheet
      title={column ? `How “${column.name}” is worked out` : 'A column that is worked out'}
      onClose={onClose}
      footer={
        <Button kind="primary" disabled={!name.trim() || taken || !ready} onClick={() => onDone(name.trim(), recipe)}>
          {column ? 'Change the column' : 'Add the column'}
        </Button>
      }
    >
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
        <Labelled label="What is done" hint={`For example: ${recipes[recipe.do].words[1]}.`}>
          <select
            className="input w-full"
            value={recipe.do}
            onChange={(e) => setRecipe(recipes[e.target.value as RecipeName].begun(columns))}
          >
            {recipeNames.map((kind) => (
              <option key={kind} value={kind}>
                {recipes[kind].words[0]}
              </option>
            ))}
          </select>
        </Labelled>
        <Form recipe={recipe} columns={columns} listId={list.id} put={setRecipe} />
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
    </Sheet>
  )
}
