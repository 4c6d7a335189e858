import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { Link, NavLink, useParams } from 'react-router'
import { stale, useChange } from '../api.ts'
import { NoneFound, useFind } from '../shared/find.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Paper, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { AddressBook } from './AddressBook.tsx'
import { Lists } from './Lists.tsx'
import { RefuseForm } from './RefuseForm.tsx'
import { peopleScreen as say } from './words.ts'

const parts = { lists: say.lists, book: say.addressBook, 'do-not-write': say.doNotWriteList } as const

/** People: the lists, the address book with its groups, and who is not to be written to. */
export default function PeopleScreen() {
  const part = (useParams().part ?? 'lists') as keyof typeof parts
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 p-4">
      <h1 className="sr-only">{say.people}</h1>
      <nav aria-label={say.people} className="flex gap-1">
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

function DoNotWrite() {
  const { field, find, fits } = useFind('do-not-write list')
  const refused = useQuery(query.doNotWrite())
  const fresh = () => stale(keys.doNotWrite())
  const allow = useChange(routes.allowAddress, fresh)
  const all = refused.data ?? []
  const found = all.filter((one) => fits(one.address, one.reason))
  return (
    <Paper title={say.doNotWriteList} className="min-h-0 overflow-auto" actions={all.length > 1 && field}>
      <p className="px-4 pt-3 text-ink-2">{say.noRoundWritesThese}</p>
      <RefuseForm then={fresh} />
      {refused.isPending ? (
        <Waiting />
      ) : all.length === 0 ? (
        <Empty title={say.nobody} shows={say.refusedShows}>
          {say.putSomebodyHereWho}
        </Empty>
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
                {say.takeOffList}
              </Button>
            </li>
          ))}
        </ul>
      )}
    </Paper>
  )
}
