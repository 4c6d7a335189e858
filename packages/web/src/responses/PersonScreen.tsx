import { type PersonPage, routes } from '@hand-post/contract'
import { type Outcome, stateWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Paperclip, UserX } from 'lucide-react'
import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { faultWords, stale, useChange } from '../api.ts'
import { RefuseDialog } from '../people/RefuseForm.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Paper, Say, StateMark, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { OutcomeMark } from './outcomeMarks.tsx'
import { ReturnedFiles } from './ReturnedFiles.tsx'
import { personScreen as say } from './words.ts'

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
  const forget = useChange(routes.forgetAddress, fresh)
  if (person.error) return <Empty title={say.notShown}>{faultWords(person.error)}</Empty>
  if (!person.data) return <Waiting />
  const { name, also, contact, doNotWrite, rounds } = person.data
  return (
    <div className="mx-auto grid max-w-5xl gap-3 p-4 md:grid-cols-[1fr_2fr]">
      <Paper title={name}>
        <div className="space-y-3 p-4">
          <p className="break-words">{address}</p>
          {also.length > 0 && (
            <div className="text-[14px]">
              <p className="text-ink-2">{say.also}</p>
              <ul>
                {also.map((one) => (
                  <li key={one} className="flex flex-wrap items-center gap-x-2">
                    <span className="min-w-0 break-words">{one}</span>
                    <Button kind="quiet" onClick={() => forget.mutate({ query: { address: one } })}>
                      {say.forget}
                    </Button>
                  </li>
                ))}
              </ul>
            </div>
          )}
          {doNotWrite ? (
            <Say tone="stop">
              {say.refused(moment(doNotWrite.at), doNotWrite.reason)}
              <Button kind="quiet" className="mt-1" onClick={() => allow.mutate({ query: { address } })}>
                {say.allow}
              </Button>
            </Say>
          ) : (
            <Button onClick={() => setAsking(true)}>
              <UserX aria-hidden size={16} /> {say.refuse}
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
              <p className="text-[14px]">{say.groups(contact.groups)}</p>
              <Link to="/people/book" className="text-post underline">
                {say.toBook}
              </Link>
            </>
          ) : (
            <p className="text-[14px] text-ink-2">
              {say.notInBook}{' '}
              <Button
                kind="quiet"
                onClick={() => add.mutate({ body: { people: [{ name: name === address ? '' : name, address }] } })}
              >
                {say.putIn}
              </Button>
            </p>
          )}
        </div>
      </Paper>
      <Paper title={say.letters(rounds.length)}>
        {rounds.length === 0 ? (
          <Empty title={say.none} shows={say.noneShows}>
            {say.noneMore}
          </Empty>
        ) : (
          <>
            <p className="px-4 pt-2 text-[14px] text-ink-2">{say.summary(rounds)}</p>
            <ul>
              {rounds.map((r) => (
                <Letter
                  key={`${r.round} ${r.row} ${r.address}`}
                  letter={r}
                  to={r.address === address ? null : r.address}
                />
              ))}
            </ul>
          </>
        )}
      </Paper>
      {asking && <RefuseDialog address={address} onClose={() => setAsking(false)} />}
    </div>
  )
}

/** One letter to the person: its words, its files, and what came back, newest last. */
function Letter({ letter: r, to }: { letter: PersonPage['rounds'][number]; to: string | null }) {
  return (
    <li className="border-rule border-b px-4 py-2.5 last:border-0">
      <div className="flex flex-wrap items-center gap-2">
        <Link to={`/rounds/${r.round}/responses`} className="py-0.5 font-bold text-post hover:underline">
          {r.title}
        </Link>
        {r.state === 'sent' ? (
          <OutcomeMark outcome={r.outcome as Outcome} />
        ) : (
          <StateMark state={stateWords[r.state]} />
        )}
        <span className="ml-auto text-[13px] text-ink-2">
          {r.sentAt !== null ? moment(r.sentAt) : r.plannedAt !== null ? say.planned(moment(r.plannedAt)) : ''}
        </span>
      </div>
      <details className="mt-1 text-[14px]">
        <summary className="cursor-pointer">
          {r.subject}
          {to !== null && <span className="text-ink-2"> {say.to(to)}</span>}
        </summary>
        <p className="mt-1 whitespace-pre-line break-words border-rule border-l-2 pl-3">{r.text}</p>
      </details>
      {r.reason && r.state !== 'sent' && <p className="text-[14px] text-ask">{r.reason}</p>}
      {r.files.length > 0 && (
        <p className="mt-1 flex flex-wrap items-center gap-x-3 text-[14px]">
          <Paperclip aria-label={say.files} size={14} />
          {r.files.map(({ name, hash }) => (
            <a
              key={name}
              className="text-post underline"
              target="_blank"
              rel="noreferrer"
              href={`/api/files/${hash}?name=${encodeURIComponent(name)}`}
            >
              {name}
            </a>
          ))}
        </p>
      )}
      {r.responses
        .filter((x) => x.words !== '' || x.forgotten)
        .map((x) => (
          <div key={`${x.kind} ${x.at}`} className="mt-1.5 border-rule border-l-2 pl-3 text-[14px]">
            <p className="text-[13px] text-ink-2">{say.came(x.kind, moment(x.at))}</p>
            <p className={x.forgotten ? 'text-ink-2' : 'whitespace-pre-line break-words'}>
              {x.forgotten ? say.forgotten : x.words}
            </p>
          </div>
        ))}
      {r.returned.length > 0 && (
        <div className="mt-1.5 border-rule border-l-2 pl-3">
          <ReturnedFiles files={r.returned} fetching={false} />
        </div>
      )}
    </li>
  )
}
