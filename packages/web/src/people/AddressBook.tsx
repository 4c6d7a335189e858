import { type ContactGroup, routes } from '@hand-post/contract'
import { findAddressColumn, type Row, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { FileUp, Inbox, Users } from 'lucide-react'
import { useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import { Ask, Button, Empty, Labelled, times, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Doubles } from './Doubles.tsx'
import { ListPanel } from './ListPanel.tsx'
import { Senders } from './Senders.tsx'
import { UpdateList } from './UpdateList.tsx'
import { useTable } from './useTable.ts'

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
    else toast('This contact has no address, so there is nothing to show of them.')
  }
  const done = () => setDoing(null)
  return (
    <div className="flex min-h-0 flex-1 gap-3">
      <Groups groups={groups} all={table.rows.length} chosen={groupId} choose={setGroupId} />
      <section aria-label="Contacts" className="paper flex min-w-0 flex-1 flex-col overflow-hidden">
        {doing === 'bringIn' ? (
          <UpdateList table={table} onDone={done} />
        ) : doing === 'doubles' ? (
          <Doubles list={list} onDone={done} />
        ) : doing === 'senders' ? (
          <Senders onDone={done} />
        ) : (
          <>
            <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
              <h2 className="min-w-0 flex-1 truncate text-[17px]">{group ? group.name : 'All contacts'}</h2>
              <Button onClick={() => setDoing('bringIn')}>
                <FileUp aria-hidden size={16} /> Bring in contacts
              </Button>
              <Button onClick={() => setDoing('senders')}>
                <Inbox aria-hidden size={16} /> From the mailbox
              </Button>
              <Button onClick={() => setDoing('doubles')}>
                <Users aria-hidden size={16} /> Look for doubles
              </Button>
            </header>
            {table.rows.length === 0 ? (
              <Empty title="No contacts yet">
                Bring in contact cards (.vcf) or a table, take the senders of messages in your mailbox, or add a row and
                type.
                <span className="mt-3 block">
                  <Button onClick={() => void table.edit('Add a contact', { do: 'addRows', rows: [{}] })}>
                    Add a contact
                  </Button>
                </span>
              </Empty>
            ) : (
              <ListPanel
                table={table}
                label="Contacts"
                only={only}
                onAdded={(row) => group && change.mutate({ params: { group: group.id }, body: { add: [row] } })}
                rowActions={[
                  { words: 'Put the selected contacts into a group…', act: setToGroup },
                  ...(group
                    ? [
                        {
                          words: `Take the selected contacts out of “${group.name}”`,
                          act: (rows: Row[]) =>
                            change.mutate({ params: { group: group.id }, body: { remove: rows.map((r) => r.id) } }),
                        },
                      ]
                    : []),
                  { words: 'Open the page of the selected contact', act: (rows) => open(rows[0]) },
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
  const add = useChange(routes.addGroup, (group) => {
    setName('')
    choose(group.id)
    return fresh()
  })
  const change = useChange(routes.changeGroup, fresh)
  const remove = useChange(routes.deleteGroup, () => {
    choose(null)
    return fresh()
  })
  const [name, setName] = useState('')
  const [renaming, setRenaming] = useState<string | null>(null)
  const group = groups.find((g) => g.id === chosen)
  const line = (on: boolean) =>
    clsx('flex w-full justify-between gap-2 px-3 py-1.5 text-left', on ? 'bg-post-tint font-bold' : 'hover:bg-sheet-2')
  return (
    <nav aria-label="Groups" className="paper flex w-56 shrink-0 flex-col overflow-auto">
      <button
        type="button"
        aria-pressed={chosen === null}
        className={line(chosen === null)}
        onClick={() => choose(null)}
      >
        All contacts <span className="font-normal text-ink-2">{all.toLocaleString('en-GB')}</span>
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
      <form
        className="mt-2 flex gap-1 border-rule border-t p-2"
        onSubmit={(e) => {
          e.preventDefault()
          if (name.trim()) add.mutate({ body: { name: name.trim() } })
        }}
      >
        <input
          aria-label="Name of a new group"
          className="input min-w-0 flex-1"
          placeholder="New group"
          value={name}
          maxLength={100}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" disabled={!name.trim()}>
          Add
        </Button>
      </form>
      {group && (
        <div className="space-y-1 border-rule border-t p-2 text-[14px]">
          {renaming === null ? (
            <Button kind="quiet" onClick={() => setRenaming(group.name)}>
              Rename “{group.name}”
            </Button>
          ) : (
            <input
              aria-label="New name of the group"
              className="input w-full"
              value={renaming}
              maxLength={100}
              // biome-ignore lint/a11y/noAutofocus: renaming was asked for
              autoFocus
              onChange={(e) => setRenaming(e.target.value)}
              onBlur={() => {
                if (renaming.trim() && renaming !== group.name)
                  change.mutate({ params: { group: group.id }, body: { name: renaming.trim() } })
                setRenaming(null)
              }}
              onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
            />
          )}
          <Button kind="quiet" onClick={() => remove.mutate({ params: { group: group.id } })}>
            Delete the group; contacts stay
          </Button>
        </div>
      )}
    </nav>
  )
}

function IntoGroup({ rows, groups, onDone }: { rows: Row[]; groups: ContactGroup[]; onDone: () => void }) {
  const [name, setName] = useState(groups[0]?.name ?? '')
  const settle = () => {
    onDone()
    return stale(keys.book())
  }
  const change = useChange(routes.changeGroup, settle)
  const add = useChange(routes.addGroup, settle)
  const ids = rows.map((r) => r.id)
  const known = groups.find((g) => g.name === name.trim())
  return (
    <Ask
      open
      onClose={onDone}
      title={`Put ${times(rows.length, 'contact')} into a group`}
      act={
        <Button
          kind="primary"
          disabled={!name.trim()}
          onClick={() =>
            known
              ? change.mutate({ params: { group: known.id }, body: { add: ids } })
              : add.mutate({ body: { name: name.trim(), members: ids } })
          }
        >
          {known ? 'Put in' : 'Make the group and put in'}
        </Button>
      }
    >
      <Labelled label="Group" hint="A name that there is not yet makes a new group.">
        <input
          className="input w-full"
          list="groups"
          value={name}
          maxLength={100}
          onChange={(e) => setName(e.target.value)}
        />
      </Labelled>
      <datalist id="groups">
        {groups.map((g) => (
          <option key={g.id} value={g.name} />
        ))}
      </datalist>
    </Ask>
  )
}
