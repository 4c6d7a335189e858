import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Plus } from 'lucide-react'
import { Popover } from 'radix-ui'
import { type FormEvent, useState } from 'react'
import { useNavigate } from 'react-router'
import { stale, useChange } from '../api.ts'
import { Button, Labelled } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'

/** Starts a round: a title and a mailbox, nothing more. */
export function StartRound({ opened = false }: { opened?: boolean }) {
  const [title, setTitle] = useState('')
  const [mailboxId, setMailboxId] = useState<number>()
  const mailboxes = useQuery(query.mailboxes()).data ?? []
  const go = useNavigate()
  const start = useChange(routes.startRound, (round) => {
    void stale(keys.rounds())
    void go(`/rounds/${round.id}/people`)
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (title.trim()) start.mutate({ body: { title, mailboxId } })
  }
  return (
    <Popover.Root defaultOpen={opened}>
      <Popover.Trigger asChild>
        <Button kind="primary">
          <Plus aria-hidden size={16} /> Start a round
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="end" sideOffset={6} className="paper z-50 w-80 p-4 shadow-lg">
          <form onSubmit={submit} className="space-y-3">
            <Labelled label="What is this round about?" hint="Only you see this title.">
              <input
                className="input w-full"
                value={title}
                onChange={(e) => setTitle(e.target.value)}
                maxLength={200}
                placeholder="Season permits"
              />
            </Labelled>
            {mailboxes.length > 1 && (
              <Labelled label="From which mailbox?">
                <select
                  className="input w-full"
                  value={mailboxId ?? mailboxes[0].id}
                  onChange={(e) => setMailboxId(Number(e.target.value))}
                >
                  {mailboxes.map((m) => (
                    <option key={m.id} value={m.id}>
                      {m.name}, {m.address}
                    </option>
                  ))}
                </select>
              </Labelled>
            )}
            <Button kind="primary" type="submit" disabled={!title.trim() || start.isPending}>
              Start with the people
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
