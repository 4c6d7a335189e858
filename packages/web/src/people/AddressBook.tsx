import { type ContactGroup, routes } from '@hand-post/contract'
import { findAddressColumn, type Row, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { FileUp, Inbox, Users } from 'lucide-react'
import { useMemo, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { useNavigate } from 'react-router'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import { Field, FormFault, OneLine, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Ask, Button, Empty, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { BringContacts } from './BringContacts.tsx'
import { Doubles } from './Doubles.tsx'
import { ListPanel } from './ListPanel.tsx'
import { Senders } from './Senders.tsx'
import { useTable } from './useTable.ts'
import { addressBook as say } from './words.ts'

/** The address book: contacts with any columns, and the groups they are in. */
export function AddressBook() {
  const book = useQuery(query.book())
  const table = useTable(book.data?.list ?? null)
  const [groupId, setGroupId] = useState<number | null>(null)
  const [doing, setDoing] = useState<'bringIn' | 'doubles' | 'senders' | null>(null)
  const [toGroup, setToGroup] = useState<Row[]>([])
  const go = useNavigate()
  const fresh = () => stale(keys.book())
  const change = useChange(routes.changeGroup, fresh)
  const groups = book.data?.groups ?? []
  const group = groups.find((g) => g.id === groupId)
  const only = useMemo(() => (group ? new Set(group.members) : null), [group])
  if (!book.data || !table) return <Waiting />
  const { list } = book.data
  const address = findAddressColumn(list.columns)
  const open = (row: Row | undefined) => {
    const text = row && address ? shown(row.cells[address]).trim() : ''
    if (text) void go(`/person?address=${encodeURIComponent(text)}`)
    else toast(say.contactHasNoAddress)
  }
  const done = () => setDoing(null)
  return (
    <div className="flex min-h-0 flex-1 gap-3">
      <Groups groups={groups} all={table.rows.length} chosen={groupId} choose={setGroupId} />
      <section aria-label={say.contacts} className="paper flex min-w-0 flex-1 flex-col overflow-hidden">
        {doing === 'bringIn' ? (
          <BringContacts table={table} group={group} onDone={done} />
        ) : doing === 'doubles' ? (
          <Doubles list={list} onDone={done} />
        ) : doing === 'senders' ? (
          <Senders onDone={done} />
        ) : (
          <>
            <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
              <h2 className="min-w-0 flex-1 truncate text-[17px]">{group ? group.name : say.allContacts}</h2>
              <Button onClick={() => setDoing('bringIn')}>
                <FileUp aria-hidden size={16} /> {say.bringContacts}
              </Button>
              <Button onClick={() => setDoing('senders')}>
                <Inbox aria-hidden size={16} /> {say.fromMailbox}
              </Button>
              <Button onClick={() => setDoing('doubles')}>
                <Users aria-hidden size={16} /> {say.lookDoubles}
              </Button>
            </header>
            {table.rows.length === 0 ? (
              <Empty title={say.noContactsYet} shows={say.shows}>
                {say.bringContactCardsVcf}
                <span className="mt-3 block">
                  <Button onClick={() => void table.edit(say.addContact, { do: 'addRows', rows: [{}] })}>
                    {say.addContact}
                  </Button>
                </span>
              </Empty>
            ) : (
              <ListPanel
                table={table}
                label={say.contacts}
                only={only}
                onAdded={(row) => group && change.mutate({ params: { group: group.id }, body: { add: [row] } })}
                rowActions={[
                  { words: say.putSelectedContactsInto, act: setToGroup },
                  ...(group
                    ? [
                        {
                          words: say.takeSelectedContactsOut(group.name),
                          act: (rows: Row[]) =>
                            change.mutate({ params: { group: group.id }, body: { remove: rows.map((r) => r.id) } }),
                        },
                      ]
                    : []),
                  { words: say.openPageSelectedContact, act: (rows) => open(rows[0]) },
                ]}
              />
            )}
          </>
        )}
      </section>
      {toGroup.length > 0 && <IntoGroup rows={toGroup} groups={groups} onDone={() => setToGroup([])} />}
    </div>
  )
}

const naming = routes.addGroup.body.pick({ name: true })

function Groups({
  groups,
  all,
  chosen,
  choose,
}: {
  groups: ContactGroup[]
  all: number
  chosen: number | null
  choose: (id: number | null) => void
}) {
  const fresh = () => stale(keys.book())
  const form = useSchemaForm(naming, { name: '' })
  const add = useFormChange(form, routes.addGroup, (group) => {
    form.reset()
    choose(group.id)
    return fresh()
  })
  const remove = useChange(routes.deleteGroup, () => {
    choose(null)
    return fresh()
  })
  const [renaming, setRenaming] = useState(false)
  const group = groups.find((g) => g.id === chosen)
  const line = (on: boolean) =>
    clsx('flex w-full justify-between gap-2 px-3 py-1.5 text-left', on ? 'bg-post-tint font-bold' : 'hover:bg-sheet-2')
  return (
    <nav aria-label={say.groups} className="paper flex w-56 shrink-0 flex-col overflow-auto">
      <button
        type="button"
        aria-pressed={chosen === null}
        className={line(chosen === null)}
        onClick={() => choose(null)}
      >
        {say.allContacts} <span className="font-normal text-ink-2">{all.toLocaleString('en-GB')}</span>
      </button>
      {groups.map((g) => (
        <button
          key={g.id}
          type="button"
          aria-pressed={g.id === chosen}
          className={line(g.id === chosen)}
          onClick={() => choose(g.id)}
        >
          <span className="truncate">{g.name}</span>
          <span className="font-normal text-ink-2">{g.members.length.toLocaleString('en-GB')}</span>
        </button>
      ))}
      <FormProvider {...form}>
        <form
          noValidate
          className="mt-2 border-rule border-t p-2"
          onSubmit={form.handleSubmit((body) => add.mutate({ body }))}
        >
          <OneLine name="name" label={say.newGroup} act={say.add} busy={add.isPending} />
          <FormFault />
        </form>
      </FormProvider>
      {group && (
        <div className="space-y-1 border-rule border-t p-2 text-[14px]">
          {renaming ? (
            <RenameGroup key={group.id} group={group} onDone={() => setRenaming(false)} />
          ) : (
            <Button kind="quiet" onClick={() => setRenaming(true)}>
              {say.rename(group.name)}
            </Button>
          )}
          <Button kind="quiet" onClick={() => remove.mutate({ params: { group: group.id } })}>
            {say.deleteGroupContactsStay}
          </Button>
        </div>
      )}
    </nav>
  )
}

function RenameGroup({ group, onDone }: { group: ContactGroup; onDone: () => void }) {
  const form = useSchemaForm(naming, { name: group.name })
  const change = useFormChange(form, routes.changeGroup, () => {
    onDone()
    return stale(keys.book())
  })
  return (
    <FormProvider {...form}>
      <form
        noValidate
        onSubmit={form.handleSubmit((body) => change.mutate({ params: { group: group.id }, body }))}
        onKeyDown={(e) => e.key === 'Escape' && onDone()}
      >
        <OneLine name="name" label={say.newNameGroup} act={say.rename2} busy={change.isPending} focused />
        <FormFault />
      </form>
    </FormProvider>
  )
}

function IntoGroup({ rows, groups, onDone }: { rows: Row[]; groups: ContactGroup[]; onDone: () => void }) {
  const form = useSchemaForm(naming, { name: groups[0]?.name ?? '' })
  const settle = () => {
    onDone()
    return stale(keys.book())
  }
  const change = useFormChange(form, routes.changeGroup, settle)
  const add = useFormChange(form, routes.addGroup, settle)
  const ids = rows.map((r) => r.id)
  const called = (name: string) => groups.find((g) => g.name === name.trim())
  const put = form.handleSubmit(({ name }) => {
    const known = called(name)
    if (known) change.mutate({ params: { group: known.id }, body: { add: ids } })
    else add.mutate({ body: { name, members: ids } })
  })
  return (
    <Ask
      open
      onClose={onDone}
      title={say.putIntoGroup(rows.length)}
      act={
        <Button kind="primary" disabled={change.isPending || add.isPending} onClick={put}>
          {called(form.watch('name')) ? say.put : say.makeGroupPut}
        </Button>
      }
    >
      <FormProvider {...form}>
        <form noValidate onSubmit={put}>
          <Field name="name" label={say.group} hint={say.nameThereNotYet}>
            {(control) => <input className="input w-full" list="groups" {...control} />}
          </Field>
          <datalist id="groups">
            {groups.map((g) => (
              <option key={g.id} value={g.name} />
            ))}
          </datalist>
          <FormFault />
        </form>
      </FormProvider>
    </Ask>
  )
}
