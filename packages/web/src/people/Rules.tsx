import { type ComparisonName, comparisons, comparisonsFor, type Selection } from '@hand-post/core'
import { ListFilter, X } from 'lucide-react'
import { useState } from 'react'
import { useWork } from '../rounds/RoundContext.ts'
import { Button } from '../shared/parts.tsx'

/** Who of the list is written to: rules on one level, all or any of which must hold. */
export function Rules() {
  const { round, change } = useWork()
  const columns = round.list!.columns
  // A value that is being typed; it counts when Enter is pressed or the field is left.
  const [typing, setTyping] = useState<Selection | null>(null)
  const selection = typing ?? round.selection
  const put = (next: Selection) => {
    setTyping(null)
    void change({ selection: next })
  }
  const { match, rules } = selection
  const setRule = (i: number, rule: Partial<Selection['rules'][number]>) => ({
    match,
    rules: rules.map((r, n) => (n === i ? { ...r, ...rule } : r)),
  })
  return (
    <section
      aria-label="Rules"
      className="flex flex-wrap items-center gap-2 border-rule border-b bg-sheet-2 px-4 py-1.5 text-[14px]"
    >
      <ListFilter aria-hidden size={16} className="text-ink-2" />
      {rules.length === 0 && <span className="text-ink-2">Everybody in the list, but those set aside.</span>}
      {rules.length > 0 && (
        <span className="flex items-center gap-1.5">
          Only people for whom
          {rules.length > 1 ? (
            <select
              aria-label="How many rules must hold"
              className="input"
              value={match}
              onChange={(e) => put({ match: e.target.value as 'all' | 'any', rules })}
            >
              <option value="all">all of these hold:</option>
              <option value="any">any of these holds:</option>
            </select>
          ) : (
            ' '
          )}
        </span>
      )}
      {rules.map((rule, i) => {
        const column = columns.find((c) => c.id === rule.column)
        return (
          <span key={i} className="paper flex items-center gap-1 px-1.5 py-1">
            <select
              aria-label="Column"
              className="input"
              value={rule.column}
              onChange={(e) => {
                const kind = columns.find((c) => c.id === e.target.value)!.kind
                const comparison = comparisonsFor(kind).includes(rule.comparison) ? rule.comparison : 'is'
                put(setRule(i, { column: e.target.value, comparison }))
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
              onChange={(e) => put(setRule(i, { comparison: e.target.value as ComparisonName }))}
            >
              {comparisonsFor(column?.kind ?? 'text').map((name) => (
                <option key={name} value={name}>
                  {comparisons[name].words}
                </option>
              ))}
            </select>
            {comparisons[rule.comparison].takesValue && (
              <input
                aria-label="Value"
                className="input w-32"
                value={rule.value}
                placeholder={column?.kind === 'date' ? '31/12/2026' : ''}
                onChange={(e) => setTyping(setRule(i, { value: e.target.value }))}
                onBlur={() => rule.value !== round.selection.rules[i]?.value && put(selection)}
                onKeyDown={(e) => e.key === 'Enter' && put(selection)}
              />
            )}
            <Button
              kind="quiet"
              aria-label="Remove this rule"
              onClick={() => put({ match, rules: rules.filter((_, n) => n !== i) })}
            >
              <X aria-hidden size={14} />
            </Button>
          </span>
        )
      })}
      <Button
        kind="quiet"
        onClick={() => put({ match, rules: [...rules, { column: columns[0].id, comparison: 'isFilled', value: '' }] })}
      >
        Add a rule
      </Button>
    </section>
  )
}
