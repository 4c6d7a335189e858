import { routes } from '@hand-post/contract'
import { type Column, isRule, rowNumber, rulesOf, type Selection, selectionWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Bookmark, ListFilter, X } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useCallback, useMemo } from 'react'
import { FormProvider } from 'react-hook-form'
import { stale, useChange } from '../api.ts'
import { RulesInPlace } from '../people/RuleSet.tsx'
import { ColumnValues } from '../people/RuleValue.tsx'
import { OneLine, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Button } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { useWork } from './RoundContext.tsx'
import { rules as say } from './words.ts'

/** Who of the list is written to: rules, and sets of rules within them. */
export function Rules() {
  const { round, change } = useWork()
  const { id: list, version, columns } = round.list!
  const values = useMemo(() => ({ list, version, idOf: (column: string) => column }), [list, version])
  const put = useCallback((selection: Selection) => void change({ selection }), [change])
  return (
    <section
      aria-label={say.rules}
      className="flex items-start gap-2 border-rule border-b bg-sheet-2 px-3 py-1.5 text-[14px]"
    >
      <ListFilter aria-hidden size={16} className="mt-2 shrink-0 text-ink-2" />
      <div className="min-w-0 flex-1">
        <ColumnValues value={values}>
          <RulesInPlace
            selection={round.selection}
            put={put}
            columns={columns}
            rowNumbers
            groups
            lead={say.onlyPeopleWhom}
            none={say.everybodyListButThose}
          />
        </ColumnValues>
      </div>
      <Saved columns={columns} selection={round.selection} put={put} />
    </section>
  )
}

/** The rules by which the people of a posted round were chosen: they choose its late-comers too, and no longer change. */
export function RulesOfPosted() {
  const { round } = useWork()
  const groups = useQuery(query.book()).data?.groups
  const words = selectionWords(
    round.selection,
    round.list!.columns,
    (id) => groups?.find((g) => g.id === id)?.name ?? say.groupGone,
  )
  return (
    <p className="flex items-start gap-2 border-rule border-b bg-sheet-2 px-3 py-1.5 text-[14px]">
      <ListFilter aria-hidden size={16} className="mt-0.5 shrink-0 text-ink-2" />
      <span>{words === '' ? say.chosenEverybodyListBut : say.chosenPeopleWhom(words)}</span>
    </p>
  )
}

/** Rules kept under a name, for other rounds and lists: they speak of columns by name. */
function Saved({
  columns,
  selection,
  put,
}: {
  columns: Column[]
  selection: Selection
  put: (selection: Selection) => void
}) {
  const saved = useQuery(query.rules()).data ?? []
  const fresh = () => stale(keys.rules())
  const forget = useChange(routes.forgetRules, fresh)
  /** The rules with the ids that the columns of this list have. */
  const here = (rules: Selection, names: Record<string, string>): Selection => ({
    match: rules.match,
    rules: rules.rules.map((rule) => {
      if (!isRule(rule)) return here(rule, names)
      const wanted = names[rule.column]?.toLowerCase()
      const column = columns.find((c) => c.name.toLowerCase() === wanted)
      return { ...rule, column: rule.column === rowNumber.id ? rule.column : (column?.id ?? 'c999999') }
    }),
  })
  const any = selection.rules.length > 0
  if (!any && saved.length === 0) return null
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>
          <Bookmark aria-hidden size={15} /> {say.savedRules}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={4} className="paper z-50 w-80 space-y-3 p-4 shadow-lg">
          {saved.map((rules) => (
            <div key={rules.id} className="flex items-center justify-between gap-2">
              <Button kind="quiet" onClick={() => put(here(rules.selection, rules.columns))}>
                {rules.name}
              </Button>
              <Button
                kind="quiet"
                aria-label={say.forget(rules.name)}
                onClick={() => forget.mutate({ params: { rules: rules.id } })}
              >
                <X aria-hidden size={14} />
              </Button>
            </div>
          ))}
          {any && <SaveRules columns={columns} selection={selection} />}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

const saving = routes.saveRules.body.pick({ name: true })

function SaveRules({ columns, selection }: { columns: Column[]; selection: Selection }) {
  const form = useSchemaForm(saving, { name: '' })
  const save = useFormChange(form, routes.saveRules, () => {
    form.reset()
    return stale(keys.rules())
  })
  return (
    <FormProvider {...form}>
      <form
        noValidate
        onSubmit={form.handleSubmit(({ name }) => {
          const used = new Set(rulesOf(selection).map((r) => r.column))
          const names = Object.fromEntries(columns.filter((c) => used.has(c.id)).map((c) => [c.id, c.name]))
          save.mutate({ body: { name, selection, columns: names } })
        })}
      >
        <OneLine name="name" label={say.nameTheseRules} act={say.save} busy={save.isPending} />
      </form>
    </FormProvider>
  )
}
