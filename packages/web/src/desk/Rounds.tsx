import { useQuery } from '@tanstack/react-query'
import { useSearchParams } from 'react-router'
import { faultWords } from '../api.ts'
import { RoundLines } from '../rounds/RoundLines.tsx'
import { StartRound } from '../rounds/StartRound.tsx'
import { NoneFound, useFind } from '../shared/find.tsx'
import { Empty, Paper, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'

/** All rounds. */
export function Rounds() {
  const rounds = useQuery(query.rounds())
  const [search] = useSearchParams()
  const { field, find, fits } = useFind('rounds')
  const found = (rounds.data ?? []).filter((line) => fits(line.title, line.listName))
  return (
    <div className="mx-auto max-w-5xl space-y-4 p-5">
      <header className="flex items-end justify-between">
        <h1 className="text-2xl">Rounds</h1>
        <span className="flex flex-wrap items-center gap-2">
          {(rounds.data?.length ?? 0) > 1 && field}
          <StartRound opened={search.has('start')} />
        </span>
      </header>
      <Paper>
        {rounds.error ? (
          <Empty title="The rounds cannot be shown">{faultWords(rounds.error)}</Empty>
        ) : !rounds.data ? (
          <Waiting />
        ) : rounds.data.length === 0 ? (
          <Empty title="No rounds yet">
            Every letter you send to many people is a round. It stays here, with its people, its letter and what came
            back.
          </Empty>
        ) : (
          <>
            <RoundLines lines={found} />
            {found.length === 0 && <NoneFound find={find} />}
          </>
        )}
      </Paper>
    </div>
  )
}
