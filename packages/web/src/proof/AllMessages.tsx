import { addressOf, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Download } from 'lucide-react'
import { Popover } from 'radix-ui'
import { toast } from 'sonner'
import { ask, queries, stale, tellFault, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { allMessages as say } from './words.ts'

const forms = [
  ['pdf', say.asOnePdf, say.personPageTheirFiles],
  ['mbox', say.asMailboxFile, say.everyMessageExactlyAs],
] as const

/** Takes all messages of the round out as one file. */
export function AllMessages() {
  const { round } = useWork()
  const progress = useProgress(round.id)
  const busy = progress && /paper|Writing|drafts/.test(progress.words) && progress.done < progress.of
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button kind="quiet" className="text-[14px]">
          <Download aria-hidden size={15} /> {say.allMessages}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" className="paper z-50 w-80 space-y-3 p-4 shadow-lg">
          {forms.map(([as, words, why]) => (
            <div key={as}>
              <a
                className="font-bold text-post underline"
                href={`/api/rounds/${round.id}/all-messages?as=${as}`}
                download
              >
                {words}
              </a>
              <p className="text-[13px] text-ink-2">{why}</p>
            </div>
          ))}
          {round.counts.onPaper > 0 && (
            <div>
              <a
                className="font-bold text-post underline"
                href={addressOf(routes.paperPdf, { params: { round: round.id }, query: { which: 'all' } })}
                download
              >
                {say.lettersOnPaper(round.counts.onPaper)}
              </a>
              <p className="text-[13px] text-ink-2">{say.asTheyArePrinted}</p>
            </div>
          )}
          {round.postedAt === null && round.chases === null && <Drafts />}
          {busy && (
            <p role="status" className="text-[13px]">
              {say.ofIt(progress.words, progress.done, progress.of)}
            </p>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** The messages as drafts in the mailbox, to be sent by hand from there; and how many were. */
function Drafts() {
  const { round, written } = useWork()
  const drafts = useQuery(query.drafts(round.id)).data
  const put = useChange(routes.putDrafts, ({ put: n }) => {
    toast(say.mailboxNowNothingSent(n))
    return stale(keys.round(round.id))
  })
  const away = useChange(routes.takeDraftsAway, ({ taken, missing }) => {
    toast([say.takenOutMailbox(taken), missing > 0 && say.notFoundThereSent(missing)].filter(Boolean).join(' '))
    return stale(keys.round(round.id))
  })
  const look = async () => {
    try {
      queries.setQueryData(
        keys.ofRound(round.id, 'drafts'),
        await ask(routes.drafts, { params: { round: round.id }, query: { look: 'yes' } }),
      )
    } catch (error) {
      tellFault(error)
    }
  }
  const sent = drafts?.filter((d) => d.sentAt !== null).length ?? 0
  return (
    <div>
      <button
        type="button"
        className="font-bold text-post underline disabled:opacity-55"
        disabled={put.isPending}
        onClick={() => void written().then(() => put.mutate({ params: { round: round.id } }))}
      >
        {put.isPending ? say.puttingThemThere : say.asDraftsMailbox}
      </button>
      <p className="text-[13px] text-ink-2">{say.sentHandFromYour}</p>
      {drafts && drafts.length > 0 && (
        <p role="status" className="text-[13px]">
          {say.putThereSentFrom(drafts.length, sent)}{' '}
          <Button kind="quiet" className="min-h-6 py-0 text-[13px]" onClick={() => void look()}>
            {say.lookAgain}
          </Button>
          {sent < drafts.length && (
            <Button
              kind="quiet"
              className="min-h-6 py-0 text-[13px]"
              disabled={away.isPending}
              onClick={() => away.mutate({ params: { round: round.id } })}
            >
              {away.isPending ? say.takingThemAway : say.takeAwayAgain(sent, drafts.length)}
            </Button>
          )}
        </p>
      )}
    </div>
  )
}
