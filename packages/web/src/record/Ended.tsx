import { routes } from '@hand-post/contract'
import { Eraser, Flag } from 'lucide-react'
import { stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { ended as say } from './words.ts'

/** Ends the round that is open, or opens it again. */
function useEnding() {
  const { round } = useWork()
  const change = useChange(routes.endRound, () => stale(keys.round(round.id)))
  const put = (ended: boolean) => change.mutate({ params: { round: round.id }, body: { ended } })
  return { round, put, busy: change.isPending }
}

/** Says that a round is ended, with the way to open it again; nothing where it is not. */
export function EndedLine() {
  const { round, put, busy } = useEnding()
  if (round.endedAt === null) return null
  if (round.forgottenAt !== null)
    return (
      <p className="border-rule border-b bg-note-tint px-5 py-1.5">
        <Eraser aria-hidden size={15} className="mr-1.5 inline" />
        {say.forgotten(round.forgottenAt)}
      </p>
    )
  return (
    <p className="flex flex-wrap items-center gap-3 border-rule border-b bg-note-tint px-5 py-1.5">
      <span className="flex-1">
        <Flag aria-hidden size={15} className="mr-1.5 inline" />
        {say.since(round.endedAt)}
      </span>
      <Button disabled={busy} onClick={() => put(false)}>
        {say.reopen}
      </Button>
    </p>
  )
}

/** Where a round is ended, in the sheet of its record. */
export function Ending({ finished }: { finished: boolean }) {
  const { round, put, busy } = useEnding()
  return (
    <section aria-label={say.title} className="space-y-2">
      <h3 className="font-bold">{say.title}</h3>
      <p className="text-[14px] text-ink-2">{round.endedAt === null ? say.what : say.since(round.endedAt)}</p>
      {round.forgottenAt !== null ? null : round.endedAt !== null ? (
        <Button disabled={busy} onClick={() => put(false)}>
          {say.reopen}
        </Button>
      ) : finished ? (
        <Button disabled={busy} onClick={() => put(true)}>
          <Flag aria-hidden size={16} /> {say.end}
        </Button>
      ) : (
        <p className="text-[14px]">{say.unfinished}</p>
      )}
    </section>
  )
}
