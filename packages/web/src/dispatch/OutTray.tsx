import type { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import type { z } from 'zod'
import { faultWords } from '../api.ts'
import { PracticeMark } from '../mailboxes/PracticeMark.tsx'
import { NoneFound, useFind } from '../shared/find.tsx'
import { Empty, Paper, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { MessageRows } from './MessageTable.tsx'
import { Sharing } from './Sharing.tsx'
import { outTray as say } from './words.ts'

/** Everything waiting to go, over all rounds. */
export default function OutTray() {
  const tray = useQuery(query.outTray())
  const { field, find, fits } = useFind(say.searchOf)
  const found = (tray.data?.messages ?? []).filter((m) => fits(m.person, m.address, m.subject, m.round))
  const doubt = tray.data?.messages.filter((m) => m.asksWriter).length ?? 0
  return (
    <div className="mx-auto flex h-full max-w-6xl flex-col gap-4 p-5">
      <header>
        <h1 className="text-2xl">{say.outTray}</h1>
        {tray.data && (
          <p role="status" className="text-ink-2">
            {tray.data.waiting === 0 ? say.nothingWaitingGo : say.waitingGoOrderLeaving(tray.data.waiting)}
            {doubt > 0 && say.doubtYourWord(doubt)}
            {tray.data.messages.length < tray.data.waiting && say.firstShown(tray.data.messages.length)}
          </p>
        )}
      </header>
      {tray.data?.sharing.map((shared) => (
        <Sharing key={shared.mailboxId} shared={shared} />
      ))}
      <Paper className="flex min-h-0 flex-1 flex-col">
        {tray.error ? (
          <Empty title={say.outTrayCannotShown}>{faultWords(tray.error)}</Empty>
        ) : !tray.data ? (
          <Waiting />
        ) : tray.data.messages.length === 0 ? (
          <Empty title={say.outTrayEmpty} shows={say.shows}>
            {say.lettersLieHereFrom}
          </Empty>
        ) : (
          <>
            <div className="flex items-center gap-3 border-rule border-b px-4 py-1.5">
              {field}
              {find !== '' && tray.data.messages.length < tray.data.waiting && (
                <span className="text-[13px] text-ink-2">{say.onlyLettersShownSearched}</span>
              )}
            </div>
            {found.length === 0 ? (
              <NoneFound find={find} />
            ) : (
              <MessageRows messages={found} roundOf={roundOf} nameOfRound={nameOfRound} />
            )}
          </>
        )}
      </Paper>
    </div>
  )
}

type Lying = z.output<typeof routes.outTray.answer>['messages'][number]

/** The round that a letter is of, or that somebody of is answered. */
const roundOf = (m: Lying) => (
  <>
    <Link className="text-post underline" to={m.answer ? '/in-tray' : `/rounds/${m.roundId}/dispatch`}>
      {nameOfRound(m)}
    </Link>
    {m.held && ' (held)'} <PracticeMark mailboxId={m.mailboxId} />
  </>
)
const nameOfRound = (m: Lying) => (m.answer ? say.answerIn(m.round) : m.round)
