import { routes } from '@hand-post/contract'
import { addressFault, sameAddressKey, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { type FormEvent, useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale } from '../api.ts'
import { Button, Say } from '../shared/parts.tsx'
import { query, rowsQuery } from '../shared/queries.ts'

/**
 * Where a letter was refused or came back: the right address is put into the list and the letter sent to it, in one place.
 * @param address the one that did not take it.
 */
export function NewAddress({
  roundId,
  rowId,
  person,
  address,
}: {
  roundId: number
  rowId: number
  person: string
  address: string
}) {
  const round = useQuery(query.round(roundId)).data
  const rows = useQuery(rowsQuery(round?.list?.id ?? null)).data?.rows
  const column = round?.addressColumn ?? null
  const row = rows?.find((r) => r.id === rowId)
  const inList = column && row ? shown(row.cells[column]).trim() : ''
  const isNew = inList !== '' && sameAddressKey(inList) !== sameAddressKey(address)
  const [typed, setTyped] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const [fault, setFault] = useState<string | null>(null)
  if (!round?.list || column === null || !row) return null
  const text = typed ?? (isNew ? inList : '')
  const wrong =
    text.trim() === ''
      ? null
      : (addressFault(text) ??
        (sameAddressKey(text) === sameAddressKey(address) ? 'it is the one that did not take the letter' : null))
  const send = async (event: FormEvent) => {
    event.preventDefault()
    if (text.trim() === '' || wrong) return
    setBusy(true)
    setFault(null)
    try {
      if (text.trim() !== inList)
        await ask(routes.editList, {
          params: { list: round.list!.id },
          body: { words: `New address of ${person}`, wishes: [{ do: 'cells', cells: [[rowId, column, text.trim()]] }] },
        })
      await ask(routes.sendToNew, { params: { round: roundId, row: rowId } })
      toast(`The letter goes to ${person} at ${text.trim()}.`)
      setTyped(null)
    } catch (error) {
      setFault(faultWords(error))
    }
    setBusy(false)
    await stale()
  }
  return (
    <form onSubmit={(e) => void send(e)} className="space-y-1 text-[14px]">
      <div className="flex flex-wrap items-center gap-2">
        <label className="flex min-w-64 flex-1 items-center gap-2">
          <span className="shrink-0">{isNew ? 'New address in the list' : 'Another address'}</span>
          <input
            className="input min-w-0 flex-1"
            value={text}
            placeholder={address}
            aria-invalid={wrong !== null}
            onChange={(e) => setTyped(e.target.value)}
          />
        </label>
        <Button type="submit" kind="primary" disabled={busy || text.trim() === '' || wrong !== null}>
          Send to the new address
        </Button>
      </div>
      {wrong && (
        <p className="text-[13px] text-stop">
          “{text.trim()}” will not do: {wrong}.
        </p>
      )}
      {fault && <Say tone="stop">{fault}</Say>}
    </form>
  )
}
