import { routes } from '@hand-post/contract'
import { domainOf, sameAddressKey } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useMemo, useState } from 'react'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { moment } from '../shared/moment.ts'
import { Button, Empty, Labelled, Say } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { senders as say } from './words.ts'

/** The senders of chosen messages of a mailbox, as contacts and a group. */
export function Senders({ onDone }: { onDone: () => void }) {
  const mailboxes = useQuery(query.mailboxes()).data ?? []
  const [mailboxId, setMailboxId] = useState<number>()
  const [days, setDays] = useState(90)
  const [domains, setDomains] = useState('')
  const [words, setWords] = useState('')
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set())
  const [group, setGroup] = useState('')
  const mailbox = mailboxId ?? mailboxes[0]?.id
  const messages = useQuery({ ...query.senders(mailbox, days), enabled: mailbox !== undefined })
  const kept = useMemo(() => {
    const out = new Set(
      domains
        .split(/[\s,;]+/)
        .map((d) => d.toLowerCase().replace(/^@/, ''))
        .filter(Boolean),
    )
    const wanted = words.trim().toLowerCase()
    return (messages.data ?? [])
      .filter((m) => wanted === '' || `${m.name} ${m.address} ${m.subject}`.toLowerCase().includes(wanted))
      .map((m) => ({ ...m, keptOut: m.keptOut ?? (out.has(domainOf(m.address)) ? say.domainKeptOut : null) }))
  }, [messages.data, domains, words])
  const people = useMemo(() => {
    const found = new Map<string, { name: string; address: string }>()
    for (const m of kept) {
      const key = sameAddressKey(m.address)
      if (m.keptOut || left.has(m.uid) || found.get(key)?.name) continue
      found.set(key, { name: m.name, address: m.address })
    }
    return [...found.values()]
  }, [kept, left])
  const add = useChange(routes.addToBook, async ({ added, known }) => {
    toast(say.added(added, known))
    await stale(keys.book())
    onDone()
  })
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <header className="flex flex-wrap items-end gap-3 border-rule border-b px-4 py-2">
        <h2 className="w-full text-[17px]">{say.whoWroteMailbox}</h2>
        {mailboxes.length > 1 && (
          <Labelled label={say.mailbox}>
            <select className="input" value={mailbox} onChange={(e) => setMailboxId(Number(e.target.value))}>
              {mailboxes.map((m) => (
                <option key={m.id} value={m.id}>
                  {m.name}
                </option>
              ))}
            </select>
          </Labelled>
        )}
        <Labelled label={say.last}>
          <select className="input" value={days} onChange={(e) => setDays(Number(e.target.value))}>
            {[7, 30, 90, 365].map((n) => (
              <option key={n} value={n}>
                {say.days(n)}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={say.theseWords}>
          <input className="input w-40" value={words} onChange={(e) => setWords(e.target.value)} />
        </Labelled>
        <Labelled label={say.domainsKeptOut}>
          <input
            className="input w-52"
            value={domains}
            placeholder={say.quaymailExample}
            onChange={(e) => setDomains(e.target.value)}
          />
        </Labelled>
      </header>
      {messages.error ? (
        <div className="p-4">
          <Say tone="stop">{faultWords(messages.error)}</Say>
        </div>
      ) : messages.isPending ? (
        <p role="status" className="p-4 text-ink-2">
          {say.lookingIntoInbox}
        </p>
      ) : kept.length === 0 ? (
        <Empty title={say.noMessages}>{say.inboxHasNoneThese}</Empty>
      ) : (
        <ul aria-label={say.messages} className="min-h-0 flex-1 overflow-auto text-[14px]">
          {kept.slice(0, 1000).map((m) => (
            <li key={m.uid} className="border-rule border-b">
              <label className="flex items-center gap-3 px-4 py-1">
                <input
                  type="checkbox"
                  disabled={m.keptOut !== null}
                  checked={m.keptOut === null && !left.has(m.uid)}
                  onChange={(e) => {
                    const next = new Set(left)
                    if (e.target.checked) next.delete(m.uid)
                    else next.add(m.uid)
                    setLeft(next)
                  }}
                />
                <span className="w-64 shrink-0 truncate" title={m.address}>
                  {m.name ? `${m.name}, ${m.address}` : m.address}
                </span>
                <span className="min-w-0 flex-1 truncate text-ink-2">{m.subject}</span>
                {m.keptOut && <span className="text-ask">{say.keptOut(m.keptOut)}</span>}
                <span className="w-36 shrink-0 text-right text-[13px] text-ink-2">{moment(m.at)}</span>
              </label>
            </li>
          ))}
        </ul>
      )}
      <footer className="flex flex-wrap items-center gap-2 border-rule border-t px-4 py-2">
        <Labelled label={say.intoGroup}>
          <input
            className="input w-52"
            value={group}
            maxLength={100}
            placeholder={say.none}
            onChange={(e) => setGroup(e.target.value)}
          />
        </Labelled>
        <Button
          kind="primary"
          className="self-end"
          disabled={people.length === 0 || add.isPending}
          onClick={() => add.mutate({ body: { people, group: group.trim() || undefined } })}
        >
          {say.take(people.length)}
        </Button>
        <Button className="self-end" onClick={onDone}>
          {say.notNow}
        </Button>
      </footer>
    </div>
  )
}
