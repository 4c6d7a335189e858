import { routes } from '@hand-post/contract'
import { type Outcome, stateWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { UserX } from 'lucide-react'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { faultWords, stale, useChange } from '../api.ts'
import { RefuseDialog } from '../people/RefuseForm.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Paper, Say, StateMark, times, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { OutcomeMark } from './outcomeMarks.tsx'

/** Everything about one person: what the address book says, every round, what came back. */
export default function PersonScreen() {
  const address = useSearchParams()[0].get('address') ?? ''
  const person = useQuery(query.person(address))
  const [asking, setAsking] = useState(false)
  const fresh = async () => {
    await stale(keys.anyPerson())
    await stale(keys.doNotWrite())
  }
  const allow = useChange(routes.allowAddress, fresh)
  const add = useChange(routes.addToBook, fresh)
  if (person.error) return <Empty title="This person cannot be shown">{faultWords(person.error)}</Empty>
  if (!person.data) return <Waiting />
  const { name, contact, doNotWrite, rounds } = person.data
  return (
    <div className="mx-auto grid max-w-5xl gap-3 p-4 md:grid-cols-[1fr_2fr]">
      <Paper title={name}>
        <div className="space-y-3 p-4">
          <p className="break-words">{address}</p>
          {doNotWrite ? (
            <Say tone="stop">
              On the do-not-write list since {moment(doNotWrite.at)}: {doNotWrite.reason}
              <Button kind="quiet" className="mt-1" onClick={() => allow.mutate({ query: { address } })}>
                Take off the list
              </Button>
            </Say>
          ) : (
            <Button onClick={() => setAsking(true)}>
              <UserX aria-hidden size={16} /> Do not write to them
            </Button>
          )}
          {contact ? (
            <>
              <dl className="grid grid-cols-[auto_1fr] gap-x-3 text-[14px]">
                {contact.cells
                  .filter((c) => c.shown !== '')
                  .map((c) => (
                    <div key={c.column} className="contents">
                      <dt className="text-ink-2">{c.column}</dt>
                      <dd className="min-w-0 whitespace-pre-line break-words">{c.shown}</dd>
                    </div>
                  ))}
              </dl>
              <p className="text-[14px]">
                {contact.groups.length > 0
                  ? `In the ${contact.groups.length === 1 ? 'group' : 'groups'} ${contact.groups.join(', ')}.`
                  : 'In no group.'}
              </p>
              <Link to="/people/book" className="text-post underline">
                To the address book
              </Link>
            </>
          ) : (
            <p className="text-[14px] text-ink-2">
              Not in the address book.{' '}
              <Button
                kind="quiet"
                onClick={() => add.mutate({ body: { people: [{ name: name === address ? '' : name, address }] } })}
              >
                Put them in
              </Button>
            </p>
          )}
        </div>
      </Paper>
      <Paper title={rounds.length === 0 ? 'Rounds' : `In ${times(rounds.length, 'letter')}`}>
        {rounds.length === 0 ? (
          <Empty title="Never written to">No round has a letter for this address.</Empty>
        ) : (
          <ul>
            {rounds.map((r, i) => (
              <li key={i} className="border-rule border-b px-4 py-2 last:border-0">
                <div className="flex flex-wrap items-center gap-2">
                  <Link to={`/rounds/${r.round}/responses`} className="font-bold text-post hover:underline">
                    {r.title}
                  </Link>
                  {r.state === 'sent' ? (
                    <OutcomeMark outcome={r.outcome as Outcome} />
                  ) : (
                    <StateMark state={stateWords[r.state]} />
                  )}
                  <span className="ml-auto text-[13px] text-ink-2">
                    {r.sentAt !== null
                      ? moment(r.sentAt)
                      : r.plannedAt !== null
                        ? `planned ${moment(r.plannedAt)}`
                        : ''}
                  </span>
                </div>
                <p className="text-[14px] text-ink-2">{r.subject}</p>
                {r.responses
                  .filter((x) => x.words !== '')
                  .map((x) => (
                    <p key={x.at} className="mt-1 line-clamp-3 border-rule border-l-2 pl-2 text-[14px]">
                      {x.words}
                    </p>
                  ))}
              </li>
            ))}
          </ul>
        )}
      </Paper>
      {asking && <RefuseDialog address={address} onClose={() => setAsking(false)} />}
    </div>
  )
}
