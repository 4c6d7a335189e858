import { addressFault } from '@hand-post/core'
import { useEffect, useState } from 'react'
import { useMailboxes } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { Button } from '../shared/parts.tsx'

const many = (addresses: string[]) =>
  addresses.length < 2 ? addresses.join('') : `${addresses.slice(0, -1).join(', ')} and ${addresses.at(-1)}`

/** Who will see whom, in words. */
export function sightSentence(cc: string[], bcc: string[]): string {
  const seen = cc.length > 0 ? `, and ${many(cc)} as a copy` : ''
  const hidden = bcc.length > 0 ? ` ${many(bcc)} ${bcc.length === 1 ? 'gets' : 'get'} every message unseen.` : ''
  const counted = cc.length + bcc.length
  const cost = counted > 0 ? ` Each message counts as ${1 + counted} recipients.` : ''
  return `Each person gets a message of their own and sees only their own name${seen}.${hidden}${cost}`
}

/** From which mailbox, and who gets copies. */
export function WhoSeesWhom() {
  const { round, change } = useWork()
  const mailboxes = useMailboxes().data ?? []
  const editable = round.postedAt === null
  const [open, setOpen] = useState(round.cc.length + round.bcc.length > 0)
  return (
    <div className="space-y-1.5 border-rule border-b px-4 py-2 text-[14px]">
      <div className="flex items-center gap-3">
        <span className="w-16 shrink-0 text-[13px] text-ink-2">From</span>
        <select
          aria-label="Mailbox"
          className="input min-w-0 max-w-xl flex-1"
          disabled={!editable}
          value={round.mailboxId}
          onChange={(e) => void change({ mailboxId: Number(e.target.value) })}
        >
          {mailboxes.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}, {m.address}
              {m.practice ? ' (practice)' : ''}
            </option>
          ))}
        </select>
        {!open && editable && (
          <Button kind="quiet" onClick={() => setOpen(true)}>
            Add Cc or Bcc
          </Button>
        )}
      </div>
      {open && (
        <>
          <Copies name="Cc" value={round.cc} editable={editable} put={(cc) => void change({ cc })} />
          <Copies name="Bcc" value={round.bcc} editable={editable} put={(bcc) => void change({ bcc })} />
        </>
      )}
      <p className="pl-19 text-[13px] text-ink-2">{sightSentence(round.cc, round.bcc)}</p>
    </div>
  )
}

function Copies({
  name,
  value,
  editable,
  put,
}: {
  name: string
  value: string[]
  editable: boolean
  put: (addresses: string[]) => void
}) {
  const [text, setText] = useState(value.join('; '))
  const [fault, setFault] = useState('')
  useEffect(() => setText(value.join('; ')), [value])
  const keep = () => {
    const addresses = text
      .split(/[;,\s]+/)
      .map((a) => a.trim())
      .filter(Boolean)
    const wrong = addresses.find((a) => addressFault(a) !== null)
    setFault(wrong ? `“${wrong}” cannot get a copy: ${addressFault(wrong)}.` : '')
    if (!wrong && addresses.join() !== value.join()) put(addresses)
  }
  return (
    <div className="flex items-center gap-3">
      <label className="flex flex-1 items-center gap-3">
        <span className="w-16 shrink-0 text-[13px] text-ink-2">{name}</span>
        <input
          className="input max-w-md flex-1"
          value={text}
          disabled={!editable}
          placeholder="The same for every message; several parted by ;"
          onChange={(e) => setText(e.target.value)}
          onBlur={keep}
          onKeyDown={(e) => e.key === 'Enter' && keep()}
        />
      </label>
      {fault && (
        <span role="alert" className="text-[13px] text-stop">
          {fault}
        </span>
      )}
    </div>
  )
}
