import { routes, type Forgetting as Stand } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Eraser } from 'lucide-react'
import { useState } from 'react'
import { ask, faultWords, queries, stale, tellFault, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Ask, Button, Labelled, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { forgetting as say } from './words.ts'

/** After how many months it can be forgotten, as it is offered. */
const offered = [1, 3, 6, 12, 24, 60]

/** Where it is said when what a round keeps of people is forgotten, in the sheet of its record. */
export function Forgetting() {
  const { round } = useWork()
  const stand = useQuery(query.forgetting(round.id))
  return (
    <section aria-label={say.title} className="space-y-2">
      <h3 className="font-bold">{say.title}</h3>
      {stand.error ? (
        <Say tone="stop">{faultWords(stand.error)}</Say>
      ) : !stand.data ? (
        <Waiting />
      ) : (
        <When stand={stand.data} />
      )}
    </section>
  )
}

/** On the board of a round: that what it keeps of people is forgotten soon, or what holds that up. Nothing where that is far away. */
export function ForgettingLine() {
  const { round } = useWork()
  const set = round.forgetAfter !== null && round.forgottenAt === null
  const { data: stand } = useQuery({ ...query.forgetting(round.id), enabled: set })
  if (!set || !stand || stand.at === null || stand.at - Date.now() > soon) return null
  return (
    <p className="border-rule border-b bg-ask-tint px-5 py-1.5 text-ask">
      <Eraser aria-hidden size={15} className="mr-1.5 inline" />
      {stand.at > Date.now() || stand.waits.length === 0
        ? say.soon(stand.at)
        : `${say.held(stand.at)} ${stand.waits.join(' ')}`}
    </p>
  )
}
/** How long (ms) before it is said on the board. */
const soon = 14 * 86_400_000

function When({ stand }: { stand: Stand }) {
  const { round } = useWork()
  const [asking, setAsking] = useState(false)
  const [busy, setBusy] = useState(false)
  const change = useChange(routes.setForgetting, () => stale(keys.round(round.id)))
  if (stand.forgottenAt !== null) return <p className="text-[14px] text-ink-2">{say.forgotten(stand.forgottenAt)}</p>
  const { months, at, waits } = stand
  const forget = async () => {
    setBusy(true)
    try {
      const now = await ask(routes.forgetNow, { params: { round: round.id }, body: { sure: true } })
      queries.setQueryData(keys.ofRound(round.id, 'forgetting'), now)
      setAsking(false)
      await stale(keys.round(round.id))
    } catch (error) {
      tellFault(error)
    } finally {
      setBusy(false)
    }
  }
  return (
    <>
      <p className="text-[14px] text-ink-2">{say.what}</p>
      <div className="flex flex-wrap items-end gap-3">
        <Labelled label={say.label}>
          <select
            className="input"
            value={months ?? ''}
            disabled={change.isPending}
            onChange={(e) =>
              change.mutate({
                params: { round: round.id },
                body: { months: e.target.value === '' ? null : Number(e.target.value) },
              })
            }
          >
            <option value="">{say.never}</option>
            {[...new Set([...offered, ...(months === null ? [] : [months])])]
              .sort((a, b) => a - b)
              .map((n) => (
                <option key={n} value={n}>
                  {say.after(n)}
                </option>
              ))}
          </select>
        </Labelled>
        <Button disabled={waits.length > 0} onClick={() => setAsking(true)}>
          <Eraser aria-hidden size={16} /> {say.now}
        </Button>
      </div>
      {months !== null && <p className="text-[14px]">{at === null ? say.noneLeft : say.on(at)}</p>}
      {waits.length > 0 && (
        <Say tone={months === null ? 'plain' : 'ask'}>
          {say.waits}
          <ul className="list-disc pl-5">
            {waits.map((words) => (
              <li key={words}>{words}</li>
            ))}
          </ul>
        </Say>
      )}
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.ask(round.title)}
        keep={say.keep}
        act={
          <Button kind="primary" disabled={busy} onClick={() => void forget()}>
            {say.act}
          </Button>
        }
      >
        <p>{say.there(stand.opened, stand.answers, stand.files)}</p>
        <p>{say.forGood}</p>
        <p>
          {say.elsewhere} {say.first}
        </p>
      </Ask>
    </>
  )
}
