import { type Mailbox, type Round, type RoundDispatch, routes } from '@hand-post/contract'
import { useCallback, useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, queries, stale, useChange } from '../api.ts'
import { Button, Say, Waiting } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { PaceFields } from './PaceFields.tsx'
import { TimetableChart } from './TimetableChart.tsx'
import { usePlan } from './usePlan.ts'
import { paceSheet as say } from './words.ts'

/** Tries out another pace for what waits of a posted round, and applies it. */
export function PaceSheet({
  round,
  mailbox,
  waiting,
  onClose,
}: {
  round: Round
  mailbox: Mailbox
  /** How many letters wait. */
  waiting: number
  onClose: () => void
}) {
  // Only what is changed here is written: the rest may change meanwhile, as when the host asks to go slower.
  const [changes, setChanges] = useState<Partial<RoundDispatch>>({})
  const pace = useMemo(() => ({ ...round.dispatch, ...changes }), [round.dispatch, changes])
  const { table, error } = usePlan(round.id, pace)
  const onChange = useCallback((more: Partial<RoundDispatch>) => setChanges((all) => ({ ...all, ...more })), [])
  const apply = useChange(routes.changePace, (written) => {
    queries.setQueryData(keys.round(round.id), written)
    void stale(keys.round(round.id))
    toast(say.applied)
    onClose()
  })
  const isSame = JSON.stringify(pace) === JSON.stringify(round.dispatch)
  return (
    <Sheet
      title={say.title}
      wide
      onClose={onClose}
      footer={
        <Button
          kind="primary"
          disabled={isSame || apply.isPending}
          onClick={() => apply.mutate({ params: { round: round.id }, body: changes })}
        >
          {say.apply(waiting)}
        </Button>
      }
    >
      <div className="min-h-0 flex-1 overflow-auto">
        <div className="border-rule border-b px-5 py-4">
          <PaceFields pace={pace} mailbox={mailbox} onChange={onChange} />
        </div>
        <div className="px-5 py-4">
          {error ? (
            <Say tone="stop">{faultWords(error)}</Say>
          ) : !table ? (
            <Waiting />
          ) : (
            <>
              {round.held && <Say tone="ask">{say.held}</Say>}
              <p role="status" className="mb-2">
                {table.sentence}
              </p>
              <TimetableChart table={table} zone={mailbox.timeZone} now={Date.now()} />
            </>
          )}
          {isSame && <p className="mt-2 text-[13px] text-ink-2">{say.asItIs}</p>}
        </div>
      </div>
    </Sheet>
  )
}
