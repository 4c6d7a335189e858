import { type List, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { FileUp } from 'lucide-react'
import { useState } from 'react'
import { Link, NavLink, useNavigate, useParams } from 'react-router'
import { toast } from 'sonner'
import { stale, useChange } from '../api.ts'
import { NoneFound, useFind, useKeptScroll } from '../shared/find.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Paper, times, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { AddressBook } from './AddressBook.tsx'
import { BringIn } from './BringIn.tsx'
import { RefuseForm } from './RefuseForm.tsx'

const parts = { lists: 'Lists', book: 'Address book', 'do-not-write': 'Do-not-write list' } as const

/** People: the lists, the address book with its groups, and who is not to be written to. */
export default function PeopleScreen() {
  const part = (useParams().part ?? 'lists') as keyof typeof parts
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 p-4">
      <nav aria-label="People" className="flex gap-1">
        {(Object.keys(parts) as (keyof typeof parts)[]).map((p) => (
          <NavLink
            key={p}
            to={`/people/${p}`}
            aria-current={p === part ? 'page' : undefined}
            className={clsx('rounded-paper px-3 py-1', p === part ? 'bg-sheet font-bold' : 'hover:bg-sheet-2')}
          >
            {parts[p]}
          </NavLink>
        ))}
      </nav>
      {part === 'book' ? <AddressBook /> : part === 'do-not-write' ? <DoNotWrite /> : <Lists />}
    </div>
  )
}

function Lists() {
  const lists = useQuery(query.lists())
  const [bringing, setBringing] = useState(false)
  const { field, find, fits } = useFind('lists')
  const scroll = useKeptScroll('lists')
  const go = useNavigate()
  if (lists.isPending) return <Waiting />
  const all = lists.data ?? []
  const found = all.filter((list) => fits(list.name, ...list.columns.map((c) => c.name)))
  if (bringing)
    return (
      <section className="paper min-h-0 flex-1 overflow-auto">
        <BringIn onDone={(list) => void go(`/people/lists/${list.id}`)} onCancel={() => setBringing(false)} />
      </section>
    )
  return (
    <Paper
      title="Lists"
      className="min-h-0 overflow-auto"
      scroll={scroll}
      actions={
        <span className="flex flex-wrap items-center gap-2">
          {all.length > 1 && field}
          <Button kind="primary" onClick={() => setBringing(true)}>
            <FileUp aria-hidden size={16} /> Bring in a list
          </Button>
        </span>
      }
    >
      {all.length === 0 ? (
        <Empty title="No lists yet">A list is a table of people: bring one in, and every round can use it.</Empty>
      ) : (
        <ul>
          {found.map((list) => (
            <ListLine key={list.id} list={list} />
          ))}
          {found.length === 0 && <NoneFound find={find} />}
        </ul>
      )}
    </Paper>
  )
}

function ListLine({ list }: { list: List & { rounds: number } }) {
  const fresh = () => stale(keys.lists())
  const copy = useChange(routes.copyList, fresh)
  const remove = useChange(routes.deleteList, fresh)
  return (
    <li className="flex flex-wrap items-center gap-3 border-rule border-b px-4 py-2 last:border-0">
      <Link to={`/people/lists/${list.id}`} className="min-w-48 flex-1 font-bold text-post hover:underline">
        {list.name}
      </Link>
      <span className="w-56 text-[14px] text-ink-2">
        {times(list.rowCount, 'row')}, {times(list.columns.length, 'column')}
      </span>
      <span className="w-40 text-[14px] text-ink-2">
        {list.rounds > 0 ? `in ${times(list.rounds, 'round')}` : 'in no round'}
      </span>
      <span className="w-44 text-[14px] text-ink-2">{moment(list.createdAt)}</span>
      <Button
        kind="quiet"
        disabled={copy.isPending || list.rowCount === 0}
        onClick={() => copy.mutate({ params: { list: list.id }, body: { name: `${list.name}, copy`.slice(0, 200) } })}
      >
        Copy
      </Button>
      <Button
        kind="quiet"
        disabled={list.rounds > 0 || remove.isPending}
        title={list.rounds > 0 ? 'A round uses it.' : undefined}
        onClick={() => {
          remove.mutate({ params: { list: list.id } })
          toast(`“${list.name}” was deleted.`)
        }}
      >
        Delete
      </Button>
    </li>
  )
}

function DoNotWrite() {
  const { field, find, fits } = useFind('do-not-write list')
  const refused = useQuery(query.doNotWrite())
  const fresh = () => stale(keys.doNotWrite())
  const allow = useChange(routes.allowAddress, fresh)
  const all = refused.data ?? []
  const found = all.filter((one) => fits(one.address, one.reason))
  return (
    <Paper title="Do-not-write list" className="min-h-0 overflow-auto" actions={all.length > 1 && field}>
      <p className="px-4 pt-3 text-ink-2">No round writes to these addresses, whatever list they stand in.</p>
      <RefuseForm then={fresh} />
      {refused.isPending ? (
        <Waiting />
      ) : all.length === 0 ? (
        <Empty title="Nobody is on it">Put somebody here who asked not to be written to.</Empty>
      ) : (
        <ul className="border-rule border-t">
          {found.length === 0 && <NoneFound find={find} />}
          {found.map((one) => (
            <li key={one.address} className="flex flex-wrap items-center gap-3 border-rule border-b px-4 py-1.5">
              <Link
                to={`/person?address=${encodeURIComponent(one.address)}`}
                className="w-72 text-post hover:underline"
              >
                {one.address}
              </Link>
              <span className="min-w-0 flex-1">{one.reason}</span>
              <span className="text-[13px] text-ink-2">{moment(one.at)}</span>
              <Button kind="quiet" onClick={() => allow.mutate({ query: { address: one.address } })}>
                Take off the list
              </Button>
            </li>
          ))}
        </ul>
      )}
    </Paper>
  )
}
