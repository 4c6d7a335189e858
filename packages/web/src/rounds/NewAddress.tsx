import { routes } from '@hand-post/contract'
import { addressFault, sameAddressKey, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { z } from 'zod'
import { ask, faultWords, stale } from '../api.ts'
import { FormFault, OneLine, useSchemaForm } from '../shared/form.tsx'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { query } from '../shared/queries.ts'
import { someRowsQuery } from '../shared/rows.ts'
import { newAddress as say } from './words.ts'

/**
 * Where a letter was refused or came back: the right address is put into the list and the letter sent to it, in one place, by whoever may post.
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
  const may = useMay()
  const round = useQuery(query.round(roundId)).data
  const rows = useQuery(someRowsQuery(round?.list?.id ?? null, [rowId])).data
  const column = round?.addressColumn ?? null
  const row = rows?.[0]
  if (!round?.list || column === null || !row) return null
  if (!may.post) return <OthersPost />
  const inList = shown(row.cells[column]).trim()
  return (
    <AddressForm
      key={inList}
      to={{ roundId, listId: round.list.id, rowId, column, person }}
      inList={inList}
      refused={address}
    />
  )
}

/** An address that may take the letter: it is one, and not the one that did not. */
const newAddress = (refused: string) =>
  z.object({
    address: z
      .string()
      .trim()
      .superRefine((address, context) => {
        if (address === '') return context.addIssue({ code: 'custom', message: say.mustBeFilledIn })
        const fault =
          addressFault(address) ?? (sameAddressKey(address) === sameAddressKey(refused) ? say.oneDidNotTake : null)
        if (fault !== null) context.addIssue({ code: 'custom', message: say.willNotDo(address, fault) })
      }),
  })

function AddressForm({
  to: { roundId, listId, rowId, column, person },
  inList,
  refused,
}: {
  to: { roundId: number; listId: number; rowId: number; column: string; person: string }
  inList: string
  refused: string
}) {
  const isNew = inList !== '' && sameAddressKey(inList) !== sameAddressKey(refused)
  const form = useSchemaForm(newAddress(refused), { address: isNew ? inList : '' }, 'whenSent')
  const send = form.handleSubmit(async ({ address }) => {
    try {
      if (address !== inList)
        await ask(routes.editList, {
          params: { list: listId },
          body: { words: say.newAddress(person), wishes: [{ do: 'cells', cells: [[rowId, column, address]] }] },
        })
      await ask(routes.sendToNew, { params: { round: roundId, row: rowId } })
      toast(say.letterGoes(person, address))
    } catch (error) {
      form.setError('root.desk', { message: faultWords(error) })
    }
    await stale()
  })
  return (
    <FormProvider {...form}>
      <form noValidate onSubmit={send} className="space-y-1 text-[14px]">
        <OneLine
          name="address"
          label={isNew ? say.newAddressList : say.anotherAddress}
          placeholder={refused}
          primary
          act={say.sendNewAddress}
          busy={form.formState.isSubmitting}
        />
        <FormFault />
      </form>
    </FormProvider>
  )
}
