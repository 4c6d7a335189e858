import { type MessageLine, type Round, routes } from '@hand-post/contract'
import type { Selection } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { RulesInPlace } from '../people/RuleSet.tsx'
import { ColumnValues } from '../people/RuleValue.tsx'
import { NoneFound, useFind } from '../shared/find.tsx'
import { moment } from '../shared/moment.ts'
import { type PersonColumn, PersonTable } from '../shared/PersonTable.tsx'
import { Ask, Button, Say, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { withdrawSome as say } from './words.ts'

const noLetters: MessageLine[] = []
const noRules: Selection = { match: 'all', rules: [] }

/** Chooses some of the letters that wait, by rules, by hand, or by rules and then by hand, and withdraws them. */
export function WithdrawSome({ round, onClose }: { round: Round; onClose: () => void }) {
  const letters = useQuery(query.messages(round.id, { waiting: 'yes' }))
  const waiting = letters.data ?? noLetters
  const { id: list, version, columns } = round.list!
  const values = useMemo(() => ({ list, version, idOf: (column: string) => column }), [list, version])
  const [rules, setRules] = useState(noRules)
  const put = useCallback((selection: Selection) => {
    setRules(selection)
    // Other rules choose others: what was ticked and unticked by hand was said of those before.
    setByHand(new Map())
  }, [])
  const [byHand, setByHand] = useState<ReadonlyMap<number, boolean>>(new Map())
  const found = useQuery({ ...query.waitingBy(round.id, rules), enabled: rules.rules.length > 0 })
  const fits = useMemo(() => new Set(rules.rules.length > 0 ? (found.data ?? []) : []), [rules, found.data])
  const isChosen = useCallback((m: MessageLine) => byHand.get(m.id) ?? fits.has(m.id), [byHand, fits])
  const chosen = waiting.filter(isChosen)
  const { field, find, fits: isFound } = useFind(say.find, `withdraw ${round.id}`)
  const shown = waiting.filter((m) => isFound(m.person, m.address))
  const turn = useCallback((m: MessageLine, on: boolean) => setByHand((all) => new Map(all).set(m.id, on)), [])
  const [asking, setAsking] = useState(false)
  const withdraw = useChange(routes.withdrawSome, ({ withdrawn }) => {
    toast(say.withdrawn(withdrawn, chosen.length))
    onClose()
    return stale()
  })
  const table = useMemo<PersonColumn<MessageLine>[]>(
    () => [
      {
        id: 'chosen',
        head: say.chosen,
        width: 84,
        by: (m) => (isChosen(m) ? 0 : 1),
        cell: (m) => (
          <input
            type="checkbox"
            aria-label={say.withdrawOf(m.person)}
            checked={isChosen(m)}
            onChange={(e) => turn(m, e.target.checked)}
          />
        ),
      },
      { id: 'person', head: say.person, width: 200, grows: true, by: (m) => m.person, cell: (m) => m.person },
      { id: 'address', head: say.address, width: 220, by: (m) => m.address, cell: (m) => m.address },
      {
        id: 'when',
        head: say.planned,
        width: 150,
        by: (m) => m.plannedAt,
        cell: (m) => (m.plannedAt !== null ? moment(m.plannedAt) : round.held ? say.held : say.noTime),
      },
    ],
    [isChosen, turn, round.held],
  )
  return (
    <Sheet
      title={say.title}
      wide
      onClose={onClose}
      footer={
        <Button kind="primary" disabled={chosen.length === 0 || found.isFetching} onClick={() => setAsking(true)}>
          {say.withdraw(chosen.length)}
        </Button>
      }
    >
      <div className="border-rule border-b bg-sheet-2 px-5 py-2 text-[14px]">
        <ColumnValues value={values}>
          <RulesInPlace
            selection={rules}
            put={put}
            columns={columns}
            rowNumbers
            groups
            lead={say.thoseOfWhom}
            none={say.noRules}
          />
        </ColumnValues>
        {found.error && <Say tone="stop">{faultWords(found.error)}</Say>}
      </div>
      <div className="flex items-center gap-3 px-5 py-2 text-[14px]">
        <p role="status" className="flex-1">
          {say.chosenOf(chosen.length, waiting.length)}
        </p>
        {field}
      </div>
      <div className="flex min-h-0 flex-1 flex-col border-rule border-t">
        {letters.error ? (
          <Say tone="stop">{faultWords(letters.error)}</Say>
        ) : !letters.data ? (
          <Waiting />
        ) : shown.length === 0 ? (
          <NoneFound find={find} />
        ) : (
          <PersonTable label={say.title} columns={table} lines={shown} keyOf={(m) => m.id} isChosen={isChosen} />
        )}
      </div>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.withdrawTitle(chosen.length)}
        act={
          <Button
            kind="primary"
            disabled={withdraw.isPending}
            onClick={() => withdraw.mutate({ params: { round: round.id }, body: { letters: chosen.map((m) => m.id) } })}
          >
            {say.withdraw(chosen.length)}
          </Button>
        }
      >
        <p>{say.cannotBePutBack}</p>
        <ul className="max-h-48 list-disc overflow-auto pl-5 text-[14px]">
          {chosen.slice(0, maxNamed).map((m) => (
            <li key={m.id}>
              {m.person}, {m.address}
            </li>
          ))}
          {chosen.length > maxNamed && <li>{say.more(chosen.length - maxNamed)}</li>}
        </ul>
      </Ask>
    </Sheet>
  )
}

/** How many are named before they are withdrawn. */
const maxNamed = 100
