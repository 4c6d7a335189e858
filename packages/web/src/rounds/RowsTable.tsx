import { routes } from '@hand-post/contract'
import { type Column, fieldsOf, type Row } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Ban, BellOff, Check, Clock3, Filter, Link2, Printer, UserMinus } from 'lucide-react'
import { type ReactNode, useCallback, useMemo, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { z } from 'zod'
import { stale, useChange } from '../api.ts'
import { ListPanel } from '../people/ListPanel.tsx'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Ask, Button } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { useLetter, usePerson, useWork } from './RoundContext.tsx'
import { rowsTable as say } from './words.ts'

type Out = 'onPaper' | 'byRule' | 'setAside' | 'doNotWrite' | 'joined' | 'sameAddress' | 'notChased' | 'late'
const outWords: Record<Out, [string, typeof Check, string]> = {
  onPaper: [say.onPaper, Printer, say.byPaperPost],
  byRule: [say.rule, Filter, say.leftOutYourRules],
  setAside: [say.setAside2, UserMinus, say.clickTakeBack],
  doNotWrite: [say.doNotWrite, Ban, say.doNotWriteList],
  joined: ['joined', Link2, say.goesMessageEarlierRow],
  sameAddress: [say.had, Link2, say.earlierRowSameAddress],
  notChased: [say.notChased, BellOff, say.notChasedWhy],
  late: [say.cameLate, Clock3, say.roundButWithoutMessage],
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
    for (const kind of ['onPaper', 'byRule', 'setAside', 'doNotWrite', 'joined', 'sameAddress', 'notChased'] as const)
      for (const id of people?.[kind] ?? []) all.set(id, kind)
    for (const id of people?.lateComers ?? []) all.set(id, 'late')
    return all
  }, [people])
  const reasons = useMemo(() => new Map(round.setAside.map((s) => [s.rowId, s.reason])), [round.setAside])
  const used = useMemo(() => new Set(fieldsOf(letter).map((f) => f.field.column.toLowerCase())), [letter])
  const [reasonFor, setReasonFor] = useState<Row[]>([])
  const fresh = () => stale(keys.round(round.id))
  const { mutate: setAside } = useChange(routes.setAside, fresh)
  const { mutate: onPaper } = useChange(routes.putOnPaper, fresh)
  const { mutate: takeBack } = useChange(routes.takeBack, fresh)

  const roundId = round.id
  const standing = useCallback(
    (row: Row) => {
      const kind = out.get(row.id)
      const [words, Icon, why] = kind ? outWords[kind] : (['yes', Check, ''] as const)
      // In a posted round late-comers only can still be set aside, and whoever is set aside be taken back.
      const open = draft || kind === 'late' || kind === 'setAside'
      const mine = kind === undefined || kind === 'onPaper' || kind === 'setAside' || kind === 'late'
      return (
        <button
          type="button"
          disabled={!mine || !open}
          title={
            kind === 'setAside'
              ? say.setAside3(reasons.get(row.id), open, why)
              : kind
                ? why
                : draft
                  ? say.roundClickSetAside
                  : say.round2
          }
          className="flex size-full items-center gap-1 px-2 text-left text-[13px] enabled:hover:bg-sheet-2"
          onClick={() =>
            kind === 'setAside'
              ? takeBack({ params: { round: roundId, row: row.id } })
              : setAside({ params: { round: roundId, row: row.id }, body: { reason: say.byHand } })
          }
        >
          <Icon
            aria-hidden
            size={14}
            className={
              kind === undefined || kind === 'onPaper' ? 'text-good' : kind === 'byRule' ? 'text-ink-2' : 'text-ask'
            }
          />
          {words}
        </button>
      )
    },
    [out, reasons, draft, roundId, setAside, takeBack],
  )
  const lead = useMemo(() => ({ head: say.included, width: 96, cell: standing }), [standing])
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
          <p className="font-bold text-[13px]">{say.round}</p>
          <div className="flex flex-wrap gap-1">
            <Button
              kind="quiet"
              disabled={column.id === round.addressColumn}
              onClick={() => void change({ addressColumn: column.id })}
            >
              {say.useAddresses}
            </Button>
            <Button kind="quiet" onClick={() => void change({ nameColumns: [column.id] })}>
              {say.useNames}
            </Button>
            {round.nameColumns.length > 0 && !round.nameColumns.includes(column.id) && (
              <Button
                kind="quiet"
                onClick={() => void change({ nameColumns: [...round.nameColumns, column.id].slice(-4) })}
              >
                {say.addNames}
              </Button>
            )}
            <Button
              kind="quiet"
              onClick={() => void change({ filesColumn: column.id === round.filesColumn ? null : column.id })}
            >
              {column.id === round.filesColumn ? say.namesNoFiles : say.useEachPersonS}
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
                  words: say.setSelectedRowsAside,
                  act: setReasonFor,
                },
                {
                  words: say.putSelectedOnPaper,
                  act: (rows) =>
                    onPaper({ params: { round: roundId }, body: { rows: rows.map((r) => r.id), onPaper: true } }),
                },
                {
                  words: say.takeSelectedOffPaper,
                  act: (rows) =>
                    onPaper({ params: { round: roundId }, body: { rows: rows.map((r) => r.id), onPaper: false } }),
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
  const form = useSchemaForm(asideSchema, { reason: say.hand })
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
      title={say.setAside4(rows.length)}
      act={
        <Button kind="primary" disabled={setAside.isPending} onClick={send}>
          {say.setAside}
        </Button>
      }
    >
      <FormProvider {...form}>
        <form noValidate onSubmit={send}>
          <Field name="reason" label={say.why} hint={say.keptRoundTheirRows}>
            {(control) => <input className="input w-full" {...control} />}
          </Field>
          <FormFault />
        </form>
      </FormProvider>
    </Ask>
  )
}
