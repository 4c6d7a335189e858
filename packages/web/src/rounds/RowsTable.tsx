import { routes } from '@hand-post/contract'
import { type Column, fieldsOf, type Row } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Ban, Check, Clock3, Filter, Link2, UserMinus } from 'lucide-react'
import { type ReactNode, useCallback, useMemo, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { stale, useChange } from '../api.ts'
import { ListPanel } from '../people/ListPanel.tsx'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Ask, Button, times } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { useLetter, usePerson, useWork } from './RoundContext.tsx'

type Out = 'byRule' | 'setAside' | 'doNotWrite' | 'joined' | 'sameAddress' | 'late'
const outWords: Record<Out, [string, typeof Check, string]> = {
  byRule: ['by rule', Filter, 'Left out by your rules.'],
  setAside: ['set aside', UserMinus, 'Click to take back.'],
  doNotWrite: ['do not write', Ban, 'On the do-not-write list; no round writes to it.'],
  joined: ['joined', Link2, 'Goes with the message of an earlier row of the same address.'],
  sameAddress: ['had it', Link2, 'An earlier row of the same address has the message.'],
  late: ['came late', Clock3, 'In the round, but without a message yet.'],
}

/** The rows of the round's list: who is in the round, and what stands in the cells. */
export default function RowsTable({
  tools = false,
  only,
  before,
}: {
  tools?: boolean
  only?: ReadonlySet<number> | null
  before?: ReactNode
}) {
  const { round, table, change } = useWork()
  const { person, choose } = usePerson()
  const { letter } = useLetter()
  const draft = round.postedAt === null
  const people = useQuery(query.people(round.id)).data
  const out = useMemo(() => {
    const all = new Map<number, Out>()
    for (const kind of ['byRule', 'setAside', 'doNotWrite', 'joined', 'sameAddress'] as const)
      for (const id of people?.[kind] ?? []) all.set(id, kind)
    for (const id of people?.lateComers ?? []) all.set(id, 'late')
    return all
  }, [people])
  const reasons = useMemo(() => new Map(round.setAside.map((s) => [s.rowId, s.reason])), [round.setAside])
  const used = useMemo(() => new Set(fieldsOf(letter).map((f) => f.field.column.toLowerCase())), [letter])
  const [reasonFor, setReasonFor] = useState<Row[]>([])
  const fresh = () => stale(keys.round(round.id))
  const { mutate: setAside } = useChange(routes.setAside, fresh)
  const { mutate: takeBack } = useChange(routes.takeBack, fresh)

  const roundId = round.id
  const standing = useCallback(
    (row: Row) => {
      const kind = out.get(row.id)
      const [words, Icon, why] = kind ? outWords[kind] : (['yes', Check, ''] as const)
      // In a posted round late-comers only can still be set aside, and whoever is set aside be taken back.
      const open = draft || kind === 'late' || kind === 'setAside'
      const mine = kind === undefined || kind === 'setAside' || kind === 'late'
      return (
        <button
          type="button"
          disabled={!mine || !open}
          title={
            kind === 'setAside'
              ? `Set aside${reasons.get(row.id) ? `: ${reasons.get(row.id)}` : ''}. ${open ? why : ''}`
              : kind
                ? why
                : draft
                  ? 'In this round. Click to set aside.'
                  : 'In this round.'
          }
          className="flex size-full items-center gap-1 px-2 text-left text-[13px] enabled:hover:bg-sheet-2"
          onClick={() =>
            kind === 'setAside'
              ? takeBack({ params: { round: roundId, row: row.id } })
              : setAside({ params: { round: roundId, row: row.id }, body: { reason: 'by hand' } })
          }
        >
          <Icon
            aria-hidden
            size={14}
            className={kind === undefined ? 'text-good' : kind === 'byRule' ? 'text-ink-2' : 'text-ask'}
          />
          {words}
        </button>
      )
    },
    [out, reasons, draft, roundId, setAside, takeBack],
  )
  const lead = useMemo(() => ({ head: 'Included', width: 96, cell: standing }), [standing])
  const usesOf = useCallback(
    (column: Column) =>
      [
        column.id === round.addressColumn && ('address' as const),
        round.nameColumns.includes(column.id) && ('name' as const),
        column.id === round.filesColumn && ('files' as const),
      ].filter((use) => use !== false),
    [round.addressColumn, round.nameColumns, round.filesColumn],
  )
  const columnActions = useCallback(
    (column: Column) =>
      draft && (
        <div>
          <p className="font-bold text-[13px]">In this round</p>
          <div className="flex flex-wrap gap-1">
            <Button
              kind="quiet"
              disabled={column.id === round.addressColumn}
              onClick={() => void change({ addressColumn: column.id })}
            >
              Use it for the addresses
            </Button>
            <Button kind="quiet" onClick={() => void change({ nameColumns: [column.id] })}>
              Use it for the names
            </Button>
            {round.nameColumns.length > 0 && !round.nameColumns.includes(column.id) && (
              <Button
                kind="quiet"
                onClick={() => void change({ nameColumns: [...round.nameColumns, column.id].slice(-4) })}
              >
                Add it to the names
              </Button>
            )}
            <Button
              kind="quiet"
              onClick={() => void change({ filesColumn: column.id === round.filesColumn ? null : column.id })}
            >
              {column.id === round.filesColumn ? 'It names no files' : 'Use it for each person’s own files'}
            </Button>
          </div>
        </div>
      ),
    [draft, change, round.addressColumn, round.nameColumns, round.filesColumn],
  )
  return (
    <>
      <ListPanel
        table={table!}
        tools={tools}
        before={before}
        chosen={person?.id ?? null}
        onChoose={choose}
        only={only}
        lead={lead}
        used={used}
        usesOf={usesOf}
        columnActions={columnActions}
        rowActions={
          draft
            ? [
                {
                  words: 'Set the selected rows aside…',
                  act: setReasonFor,
                },
              ]
            : undefined
        }
      />
      {reasonFor.length > 0 && <SetAside rows={reasonFor} onDone={() => setReasonFor([])} />}
    </>
  )
}

const asideSchema = z.object({ reason: routes.setAside.body.shape.reason.unwrap() })

/** Sets people aside, and asks why. */
function SetAside({ rows, onDone }: { rows: Row[]; onDone: () => void }) {
  const { round } = useWork()
  const form = useSchemaForm(asideSchema, { reason: 'by hand' })
  const setAside = useFormChange(form, routes.setAside)
  const send = form.handleSubmit(async (body) => {
    try {
      await Promise.all(rows.map((row) => setAside.mutateAsync({ params: { round: round.id, row: row.id }, body })))
      onDone()
    } catch {
      // Said in the form; those that the desk took are set aside.
    }
    await stale(keys.round(round.id))
  })
  return (
    <Ask
      open
      onClose={onDone}
      title={`Set ${times(rows.length, 'person', 'people')} aside?`}
      act={
        <Button kind="primary" disabled={setAside.isPending} onClick={send}>
          Set aside
        </Button>
      }
    >
      <FormProvider {...form}>
        <form noValidate onSubmit={send}>
          <Field name="reason" label="Why" hint="Kept with the round. Their rows stay in the list.">
            {(control) => <input className="input w-full" {...control} />}
          </Field>
          <FormFault />
        </form>
      </FormProvider>
    </Ask>
  )
}
