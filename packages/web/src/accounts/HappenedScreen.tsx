import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Happened } from '../record/Happened.tsx'
import { useMay } from '../shared/me.ts'
import { Empty, Labelled, Paper } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { colleagues, happenedScreen as say } from './words.ts'

/** What happened, and who did it: for keepers. */
export default function HappenedScreen() {
  const may = useMay()
  const accounts = useQuery({ ...query.accounts(), enabled: may.keep }).data ?? []
  const [account, setAccount] = useState<number>()
  return (
    <div className="mx-auto max-w-4xl space-y-4 p-5">
      <header className="flex flex-wrap items-end justify-between gap-4">
        <div>
          <h1 className="text-2xl">{say.title}</h1>
          <p className="text-ink-2">{say.what}</p>
        </div>
        {accounts.length > 0 && (
          <Labelled label={say.whose}>
            <select
              className="input"
              value={account ?? ''}
              onChange={(event) => setAccount(event.target.value === '' ? undefined : Number(event.target.value))}
            >
              <option value="">{say.everybody}</option>
              {accounts.map(({ id, name, state }) => (
                <option key={id} value={id}>
                  {state === 'ended' ? say.endedName(name) : name}
                </option>
              ))}
            </select>
          </Labelled>
        )}
      </header>
      {may.keep ? (
        <Paper>
          <Happened account={account} />
        </Paper>
      ) : (
        <Empty title={colleagues.forKeepers}>{say.forKeepers}</Empty>
      )}
    </div>
  )
}
