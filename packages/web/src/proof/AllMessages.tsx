import { Download } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useProgress } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { Button } from '../shared/parts.tsx'

const forms = [
  ['pdf', 'As one PDF', 'A person a page, with their files listed: to read and sign off on paper.'],
  ['mbox', 'As a mailbox file', 'Every message exactly as it leaves, files included (.mbox): for any mail program.'],
] as const

/** Takes all messages of the round out as one file. */
export function AllMessages() {
  const { round } = useWork()
  const progress = useProgress(round.id)
  const busy = progress && /paper|Writing/.test(progress.words) && progress.done < progress.of
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button kind="quiet" className="text-[14px]">
          <Download aria-hidden size={15} /> All on paper…
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
