import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Popover } from 'radix-ui'
import { useState } from 'react'
import { toast } from 'sonner'
import { useChange } from '../api.ts'
import { Button, Labelled } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { useWork } from './RoundContext.tsx'
import { sendCopies as say } from './words.ts'

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
    toast(say.copiesWayNobodyElse(sent.sent, sent.to))
  })
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button kind="quiet">{label}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" className="paper z-50 w-80 space-y-3 p-4 shadow-lg">
          <p>{say.goYouOnlyReal(rowIds.length)}</p>
          <Labelled label={say.whichYourAddresses}>
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
            {copy.isPending ? say.sending : rowIds.length === 1 ? say.sendCopy : say.sendCopies(rowIds.length)}
          </Button>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
