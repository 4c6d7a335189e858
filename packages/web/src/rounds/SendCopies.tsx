import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Popover } from 'radix-ui'
import { useState } from 'react'
import { toast } from 'sonner'
import { useChange } from '../api.ts'
import { Button, Labelled, times } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { useWork } from './RoundContext.tsx'

/** Sends copies of some people's messages to one of one's own addresses. */
export function SendCopies({ label, rowIds }: { label: string; rowIds: number[] }) {
  const { round, written } = useWork()
  const mailboxes = useQuery(query.mailboxes()).data ?? []
  const own = mailboxes.find((m) => m.id === round.mailboxId)
  const addresses = [...new Set([own, ...mailboxes].flatMap((m) => (m ? [m.address, ...m.aliases] : [])))]
  const [open, setOpen] = useState(false)
  const [to, setTo] = useState<string | null>(null)
  const copy = useChange(routes.sendCopies, (sent) => {
    setOpen(false)
    toast(
      `${sent.sent === 1 ? 'A copy is' : `${sent.sent} copies are`} on ${sent.sent === 1 ? 'its' : 'their'} way to ${sent.to}. Nobody else gets anything.`,
    )
  })
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button kind="quiet">{label}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" className="paper z-50 w-80 space-y-3 p-4 shadow-lg">
          <p>
            {rowIds.length === 1 ? 'The message goes' : `${times(rowIds.length, 'message')} go`} to you only, with the
            real files. A line on top says to whom the real {rowIds.length === 1 ? 'one goes' : 'ones go'}.
          </p>
          <Labelled label="To which of your addresses?">
            <select className="input w-full" value={to ?? addresses[0] ?? ''} onChange={(e) => setTo(e.target.value)}>
              {addresses.map((address) => (
                <option key={address}>{address}</option>
              ))}
            </select>
          </Labelled>
          <Button
            kind="primary"
            disabled={copy.isPending || addresses.length === 0}
            onClick={() =>
              void written().then(() =>
                copy.mutate({ params: { round: round.id }, body: { rowIds, to: to ?? addresses[0] } }),
              )
            }
          >
            {copy.isPending ? 'Sending…' : rowIds.length === 1 ? 'Send the copy' : `Send ${rowIds.length} copies`}
          </Button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
