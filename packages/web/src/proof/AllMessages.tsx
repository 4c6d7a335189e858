import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Download } from 'lucide-react'
import { Popover } from 'radix-ui'
import { toast } from 'sonner'
import { ask, queries, stale, tellFault, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button, times } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'

const forms = [
  ['pdf', 'As one PDF', 'A person a page, with their files listed: to read and sign off on paper.'],
  ['mbox', 'As a mailbox file', 'Every message exactly as it leaves, files included (.mbox): for any mail program.'],
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
          <Download aria-hidden size={15} /> All messages…
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
          {round.postedAt === null && <Drafts />}
          {busy && (
            <p role="status" className="text-[13px]">
              {progress.words}: {progress.done.toLocaleString('en-GB')} of {progress.of.toLocaleString('en-GB')}…
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
    toast(`${times(n, 'draft lies', 'drafts lie')} in the mailbox now. Nothing was sent.`)
    return stale(keys.round(round.id))
  })
  const away = useChange(routes.takeDraftsAway, ({ taken, missing }) => {
    toast(
      [
        `${times(taken, 'draft was', 'drafts were')} taken out of the mailbox.`,
        missing > 0 &&
          `${times(missing, 'other was', 'others were')} not found there: sent, deleted or changed in the mail program. The proof goes on asking about ${missing === 1 ? 'it' : 'them'}.`,
      ]
        .filter(Boolean)
        .join(' '),
    )
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
        {put.isPending ? 'Putting them there…' : 'As drafts in the mailbox'}
      </button>
      <p className="text-[13px] text-ink-2">
        To be sent by hand from your mail program. Nobody gets a second draft; opens and clicks are not counted.
      </p>
      {drafts && drafts.length > 0 && (
        <p role="status" className="text-[13px]">
          {times(drafts.length, 'draft was', 'drafts were')} put there, {sent} sent from there.{' '}
          <Button kind="quiet" className="min-h-6 py-0 text-[13px]" onClick={() => void look()}>
            Look again
          </Button>
          {sent < drafts.length && (
            <Button
              kind="quiet"
              className="min-h-6 py-0 text-[13px]"
              disabled={away.isPending}
              onClick={() => away.mutate({ params: { round: round.id } })}
            >
              {away.isPending
                ? 'Taking them away…'
                : `Take ${sent === 0 && drafts.length === 1 ? 'it' : 'them'} away again`}
            </Button>
          )}
        </p>
      )}
    </div>
  )
}
