import { type Mailbox, roundSenderSchema } from '@hand-post/contract'
import { addressesIn, addressFault, type Column, parseTemplate, plainField, serializeField } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Popover } from 'radix-ui'
import { useEffect, useMemo, useRef } from 'react'
import { FormProvider, useFormContext } from 'react-hook-form'
import { z } from 'zod'
import { practice } from '../mailboxes/words.ts'
import { isOpen, useWork } from '../rounds/RoundContext.tsx'
import { Field, useSchemaForm } from '../shared/form.tsx'
import { Button } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { whoSeesWhom as say } from './words.ts'

const many = (addresses: string[]) =>
  addresses.length < 2 ? addresses.join('') : `${addresses.slice(0, -1).join(', ')} and ${addresses.at(-1)}`

/** An entry of Cc, Bcc or Reply-To in words: an address, or whose column it comes from. */
const entryWords = (entry: string) =>
  parseTemplate(entry)
    .map((s) => (typeof s === 'string' ? s : say.whoeverStands(s.column)))
    .join('')

/** Who will see whom, in words. */
function sightSentence(cc: string[], bcc: string[], replyTo: string | null = null): string {
  const [open, unseen] = [cc.map(entryWords), bcc.map(entryWords)]
  const seen = open.length > 0 ? say.asCopy(many(open)) : ''
  const hidden = unseen.length > 0 ? say.everyMessageUnseen(many(unseen), unseen.length) : ''
  const counted = cc.length + bcc.length
  const fixed = [...cc, ...bcc].every((entry) => parseTemplate(entry).every((s) => typeof s === 'string'))
  const cost = counted === 0 ? '' : fixed ? say.eachMessageCountsAs(counted) : say.eachCopyCountsAs
  const answers = replyTo ? say.answersGo(entryWords(replyTo)) : ''
  return say.eachPersonGetsMessage(seen, hidden, cost, answers)
}

/** From whom the letters are, who gets copies, and where answers go. */
export function WhoSeesWhom() {
  const { round, change } = useWork()
  const mailboxes = useQuery(query.mailboxes()).data ?? []
  const mailbox = mailboxes.find((m) => m.id === round.mailboxId)
  const editable = isOpen(round)
  const { sender } = round
  const wrong = wrongEntries([...round.cc, ...round.bcc, ...(sender.replyTo ? [sender.replyTo] : [])])
  return (
    <div className="border-rule border-b px-4 py-1 text-[14px]">
      <div className="flex items-center gap-3">
        <span className="w-16 shrink-0 text-[13px] text-ink-2">{say.from}</span>
        <select
          aria-label={say.from}
          className="input min-w-0 max-w-xl flex-1"
          disabled={!editable}
          value={`${round.mailboxId} ${sender.address ?? mailbox?.address ?? ''}`}
          onChange={(e) => {
            const [id, address] = e.target.value.split(' ')
            const chosen = mailboxes.find((m) => m.id === Number(id))
            void change({
              ...(Number(id) === round.mailboxId ? {} : { mailboxId: Number(id) }),
              sender: { address: address === chosen?.address ? null : address },
            })
          }}
        >
          {mailboxes
            .filter((m) => round.postedAt === null || m.id === round.mailboxId)
            .map((m) => (
              <optgroup key={m.id} label={m.practice ? practice.inList(m.name) : m.name}>
                {[m.address, ...m.aliases].map((address) => (
                  <option key={address} value={`${m.id} ${address}`}>
                    {address}
                  </option>
                ))}
              </optgroup>
            ))}
        </select>
        {editable && (
          <Popover.Root>
            <Popover.Trigger asChild>
              <Button kind="quiet" className="!min-h-0 shrink-0 py-0.5">
                {say.senderCopiesAnswers}
              </Button>
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                align="end"
                sideOffset={4}
                collisionPadding={8}
                className="paper z-50 w-[min(620px,94vw)] p-4 text-[14px] shadow-lg"
              >
                <Wishes mailbox={mailbox} />
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        )}
      </div>
      <div className="flex items-start gap-3 pl-19 text-[13px] text-ink-2">
        <span className="min-w-0 flex-1 py-0.5">
          {sightSentence(round.cc, round.bcc, sender.replyTo)}
          {wrong.length > 0 && (
            <b className="block text-stop">{say.keptHereMendedProof(wrong.join(' '), wrong.length)}</b>
          )}
        </span>
      </div>
    </div>
  )
}

/** What is filled in: addresses in one line each, separated by semicolons. */
interface SenderValues {
  name: string
  replyTo: string
  cc: string
  bcc: string
}
const addressLines = ['replyTo', 'cc', 'bcc'] as const

const senderForm: z.ZodType<SenderValues, SenderValues> = z
  .object({
    name: roundSenderSchema.shape.name.unwrap(),
    replyTo: roundSenderSchema.shape.replyTo.unwrap(),
    cc: z.string(),
    bcc: z.string(),
  })
  .superRefine((values, context) => {
    for (const path of addressLines)
      for (const message of wrongEntries(entriesIn(values[path])))
        context.addIssue({ code: 'custom', path: [path], message })
  })

/**
 * The sender's name, where answers go, who gets copies, and opting out. A field counts when Enter is pressed or it is left, in whatever
 * way: by Tab, by Escape, by a click elsewhere that shuts what it stands in. An address that is none is kept too, and said until it is
 * mended; the proof stops at it.
 */
function Wishes({ mailbox }: { mailbox: Mailbox | undefined }) {
  const { round, change } = useWork()
  const { sender } = round
  const stored = useMemo<SenderValues>(
    () => ({
      name: sender.name ?? '',
      replyTo: sender.replyTo ?? '',
      cc: round.cc.join('; '),
      bcc: round.bcc.join('; '),
    }),
    [sender.name, sender.replyTo, round.cc, round.bcc],
  )
  const form = useSchemaForm(senderForm, stored)
  const { resetField, trigger, getValues } = form
  // A field shows what was kept of it, and what was changed elsewhere; the others may be being typed in.
  const shown = useRef(stored)
  useEffect(() => {
    for (const field of ['name', ...addressLines] as const)
      if (stored[field] !== shown.current[field]) resetField(field, { defaultValue: stored[field] })
    shown.current = stored
    void trigger()
  }, [stored, resetField, trigger])
  const keep = () => {
    const { name, ...lines } = getValues()
    if (name.trim() !== stored.name && senderForm.safeParse({ ...stored, name }).success)
      void change({ sender: { name: name.trim() || null } })
    for (const line of addressLines) {
      const entries = entriesIn(lines[line])
      if (entries.join() === entriesIn(stored[line]).join()) continue
      void change(line === 'replyTo' ? { sender: { replyTo: entries.join('; ') || null } } : { [line]: entries })
    }
  }
  // What is shut takes its fields away without leaving them.
  const last = useRef(keep)
  last.current = keep
  useEffect(() => () => last.current(), [])
  const columns = (round.list?.columns ?? []).filter((c) => c.kind === 'address' && c.id !== round.addressColumn)
  const addresses = (name: (typeof addressLines)[number], label: string, placeholder = say.addressesSeparated) => (
    <Addresses name={name} label={label} placeholder={placeholder} columns={columns} keep={keep} />
  )
  return (
    <FormProvider {...form}>
      <form
        noValidate
        className="grid gap-x-6 gap-y-3 sm:grid-cols-2"
        onBlur={keep}
        onSubmit={(e) => {
          e.preventDefault()
          keep()
        }}
      >
        <Field name="name" label={say.senderSName}>
          {(control) => <input className="input w-full" placeholder={mailbox?.senderName ?? ''} {...control} />}
        </Field>
        {addresses('replyTo', say.answersGo2, say.addressTheyComeFrom)}
        {addresses('cc', 'Cc')}
        {addresses('bcc', 'Bcc')}
        <label className="flex items-start gap-2 sm:col-span-2">
          <input
            type="checkbox"
            className="mt-0.5 size-4 accent-post"
            checked={round.tracking.optOut}
            onChange={(e) => void change({ tracking: { optOut: e.target.checked } })}
          />
          <span>
            {say.endLetterLineOpting}
            <span className="block text-[13px] text-ink-2">{say.mailProgramsShowAs}</span>
          </span>
        </label>
        {/* Enter in a field sends a form that has a button to send it by. */}
        <button type="submit" hidden />
      </form>
    </FormProvider>
  )
}

/** The entries of a line of addresses: typed fields stand whole, whatever is in them; what is no address stands as it is. */
function entriesIn(text: string): string[] {
  const entries: string[] = []
  for (const segment of parseTemplate(text))
    if (typeof segment === 'string') entries.push(...addressesIn(segment))
    else entries.push(serializeField(segment))
  return entries
}

/** What is wrong with entries of Cc, Bcc or Reply-To, in words. */
const wrongEntries = (entries: string[]): string[] =>
  entries.flatMap((entry) => {
    const fault = entry.startsWith('{{') && entry.endsWith('}}') ? null : addressFault(entry)
    return fault === null ? [] : [say.noAddress(entry, fault)]
  })

function Addresses({
  name,
  label,
  columns,
  placeholder,
  keep,
}: {
  name: string
  label: string
  columns: Column[]
  placeholder: string
  keep: () => void
}) {
  const { setValue, getValues } = useFormContext()
  return (
    <Field name={name} label={label}>
      {(control) => (
        <span className="flex gap-1">
          <input aria-label={label} className="input min-w-0 flex-1" placeholder={placeholder} {...control} />
          {columns.length > 0 && (
            <select
              aria-label={say.column2(label)}
              className="input w-28"
              value=""
              onChange={(e) => {
                const field = serializeField(plainField(e.target.value))
                setValue(name, [...entriesIn(getValues(name)), field].join('; '), { shouldValidate: true })
                keep()
              }}
            >
              <option value="">{say.column}</option>
              {columns.map((c) => (
                <option key={c.id}>{c.name}</option>
              ))}
            </select>
          )}
        </span>
      )}
    </Field>
  )
}
