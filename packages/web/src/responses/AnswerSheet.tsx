import { routes, type SavedAnswer, type SentAnswer, type TrayLine } from '@hand-post/contract'
import { longestAnswer, sizeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { FilePen, Mail, Paperclip, Send } from 'lucide-react'
import { useRef, useState } from 'react'
import { toast } from 'sonner'
import type { z } from 'zod'
import { ask, faultWords, stale, tellFault } from '../api.ts'
import { AddFiles } from '../enclosures/AddFiles.tsx'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { answerSheet as say } from './words.ts'

/** A file that is to go with an answer. */
type Brought = z.output<typeof routes.answerFile.answer>

/** An answer as it is being written. Its name is its own: asked for twice, it goes once. */
interface Writing {
  words: string
  files: Brought[]
  askedAs: string
}
const nothing = (): Writing => ({ words: '', files: [], askedAs: aName() })
/** A name that nobody else makes. Not by `randomUUID`, which a browser has only over HTTPS and on its own machine. */
const aName = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (octet) => octet.toString(16).padStart(2, '0')).join('')

/** What was written to whom, while the page is open: a sheet that is closed by mistake loses nothing. */
const written = new Map<number, Writing>()

/** Has an answer that did not go written once more, where its words stand already. */
export function writeAgain(entry: number, { words, files }: Pick<SentAnswer, 'words' | 'files'>): void {
  if (!written.get(entry)?.words.trim())
    written.set(entry, { ...nothing(), words, files: files.map((file) => ({ ...file, warning: null })) })
}

/** Octets of an address that mail programs take (common practice, no source): beyond it they open with nothing in them. */
const longestMailto = 1800

/** Where an answer is written in the mail program (RFC 6068), with its words where they are few. Whoever wrote names an address by it, and nothing more. */
export function inMailProgram({ to, subject }: { to: string; subject: string }, words: string): string {
  const address = `mailto:${encodeURIComponent(to).replace('%40', '@')}?subject=${encodeURIComponent(subject)}`
  const whole = `${address}&body=${encodeURIComponent(words.replace(/\n/g, '\r\n'))}`
  return words.trim() !== '' && whole.length <= longestMailto ? whole : address
}

/** A short answer to an entry of the in-tray: sent from the mailbox, put as a draft into it, or begun in the mail program. */
export function AnswerSheet({ line, onClose }: { line: TrayLine; onClose: () => void }) {
  const begun = useQuery(query.beginAnswer(line.id))
  const [writing, setWriting] = useState(() => written.get(line.id) ?? nothing())
  const { words, files, askedAs } = writing
  const [quote, setQuote] = useState(true)
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const [taken, setTaken] = useState<SavedAnswer | null>(null)
  const field = useRef<HTMLTextAreaElement>(null)
  const change = (parts: Partial<Writing>) =>
    setWriting((before) => {
      const next = { ...before, ...parts }
      written.set(line.id, next)
      return next
    })
  const put = (next: string) => change({ words: next })
  /** Puts a saved answer where the caret is. */
  const take = (saved: SavedAnswer) => {
    const [from, to] = field.current
      ? [field.current.selectionStart, field.current.selectionEnd]
      : [words.length, words.length]
    put(words.slice(0, from) + saved.filled + words.slice(to))
    setTaken(saved)
    field.current?.focus()
  }
  const doing = async (work: () => Promise<void>) => {
    setFault(null)
    setBusy(true)
    try {
      await work()
    } catch (error) {
      setFault(faultWords(error))
    } finally {
      setBusy(false)
    }
  }
  const body = { words, quote, files: files.map(({ hash, name }) => ({ hash, name })) }
  const bring = (some: File[]) =>
    doing(async () => {
      let all = files
      for (const file of some) {
        const brought = await ask(routes.answerFile, {
          params: { response: line.id },
          query: { name: file.name.slice(0, 300) },
          file,
        })
        all = [...all.filter((one) => one.name !== brought.name), brought]
        change({ files: all })
      }
    })
  const draft = () =>
    doing(async () => {
      const { folder } = await ask(routes.draftAnswer, { params: { response: line.id }, body })
      written.delete(line.id)
      toast(say.lies(folder))
      onClose()
    })
  const send = () =>
    doing(async () => {
      const sent = await ask(routes.sendAnswer, { params: { response: line.id }, body: { ...body, askedAs } })
      written.delete(line.id)
      tellSent(line, sent, sent.words === words.trim())
      onClose()
      await stale(keys.inTray(), keys.rounds())
    })
  const data = begun.data
  const stops = files.some((file) => file.warning?.stops)
  const isReady = !busy && words.trim() !== '' && !stops
  const may = useMay()
  const maySend = may.post && isReady && data?.refused === null
  return (
    <Sheet
      title={say.title(line.person)}
      onClose={onClose}
      footer={
        data && (
          <>
            {may.post && (
              <Button kind="primary" disabled={!maySend} onClick={() => void send()}>
                <Send aria-hidden size={16} /> {say.send}
              </Button>
            )}
            <Button kind={may.post ? 'plain' : 'primary'} disabled={!isReady} onClick={() => void draft()}>
              <FilePen aria-hidden size={16} /> {say.draft}
            </Button>
            <a
              href={inMailProgram(data, words)}
              className="inline-flex min-h-8 items-center gap-1.5 rounded-paper border border-rule px-3 py-1 hover:bg-sheet-2"
            >
              <Mail aria-hidden size={16} /> {say.inProgram}
            </a>
          </>
        )
      }
    >
      {begun.error ? (
        <Empty title={say.cannot}>{faultWords(begun.error)}</Empty>
      ) : !data ? (
        <Waiting />
      ) : (
        <div className="min-h-0 flex-1 space-y-3 overflow-auto px-5 py-3 text-[14px]">
          <dl className="grid grid-cols-[auto_1fr] gap-x-3 text-[13px]">
            {[
              [say.from, data.from],
              [say.to, data.to],
              [say.subject, data.subject],
            ].map(([name, value]) => (
              <div key={name} className="contents">
                <dt className="text-ink-2">{name}</dt>
                <dd className="min-w-0 break-words">{value}</dd>
              </div>
            ))}
          </dl>
          {data.refused !== null && <Say tone="ask">{data.refused}</Say>}
          <label className="block font-bold">
            {say.answer}
            <textarea
              ref={field}
              className="input mt-1 block min-h-48 w-full font-normal"
              // biome-ignore lint/a11y/noAutofocus: the sheet was opened to write in it
              autoFocus
              maxLength={longestAnswer}
              value={words}
              onChange={(e) => put(e.target.value)}
              onKeyDown={(e) => {
                if (e.key === 'Enter' && (e.ctrlKey || e.metaKey) && maySend) void send()
              }}
            />
          </label>
          {may.post ? <p className="!mt-1 text-[13px] text-ink-2">{say.sendBy}</p> : <OthersPost />}
          <Saved saved={data.saved} words={words} onTake={take} doing={doing} busy={busy} />
          {taken && taken.blank.length + taken.unknown.length > 0 && (
            <Say tone="ask">{say.gaps(taken.blank, taken.unknown)}</Say>
          )}
          <Enclosed
            files={files}
            onBring={(some) => void bring(some)}
            onTakeOut={(file) => change({ files: files.filter((one) => one !== file) })}
          />
          {data.signature.trim() !== '' && (
            <p className="whitespace-pre-wrap border-rule border-l-2 pl-3 text-[13px] text-ink-2">{data.signature}</p>
          )}
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={quote} onChange={(e) => setQuote(e.target.checked)} />
            {say.quote}
          </label>
          {quote && (
            <details open className="text-[13px] text-ink-2">
              <summary className="cursor-pointer">{say.quoted}</summary>
              <p className="mt-1 whitespace-pre-wrap break-words">{data.quoted}</p>
            </details>
          )}
          {fault !== null && <Say tone="stop">{fault}</Say>}
        </div>
      )}
    </Sheet>
  )
}

/** Says when an answer leaves, for as long as it can be withdrawn by a click. */
function tellSent(line: TrayLine, sent: SentAnswer, asWritten: boolean): void {
  if (!asWritten) {
    toast(say.asFirstWritten(line.person), { duration: 12_000 })
    return
  }
  const soon = sent.plannedAt !== null && sent.plannedAt - sent.at <= 15_000
  toast(say.leaves(line.person, sent.plannedAt, soon), {
    duration: 10_000,
    action: {
      label: say.withdraw,
      onClick: () => {
        void withdrawAnswer(line.id, sent)
      },
    },
  })
}

/** Withdraws an answer that has not left; its words stand in the sheet again. */
export async function withdrawAnswer(entry: number, sent: SentAnswer): Promise<void> {
  try {
    await ask(routes.withdrawLetter, { params: { message: sent.id } })
    writeAgain(entry, sent)
    toast(say.withdrawn)
  } catch (error) {
    tellFault(error)
  }
  await stale(keys.inTray(), keys.rounds(), keys.outTray())
}

/** The files that go with an answer, each with what is to be said of it. */
function Enclosed({
  files,
  onBring,
  onTakeOut,
}: {
  files: Brought[]
  onBring: (some: File[]) => void
  onTakeOut: (file: Brought) => void
}) {
  return (
    <div className="space-y-1">
      {files.length > 0 && (
        <ul aria-label={say.files} className="space-y-1">
          {files.map((file) => (
            <li key={file.name}>
              <span className="flex items-center gap-2">
                <Paperclip aria-hidden size={14} />
                <span className="min-w-0 break-all">{file.name}</span>
                <span className="text-[13px] text-ink-2">{sizeWords(file.size)}</span>
                <Button kind="quiet" aria-label={say.takeOutOf(file.name)} onClick={() => onTakeOut(file)}>
                  {say.takeOut}
                </Button>
              </span>
              {file.warning && <Say tone={file.warning.stops ? 'stop' : 'ask'}>{file.warning.words}</Say>}
            </li>
          ))}
        </ul>
      )}
      <AddFiles label={say.addFiles} onFiles={onBring} />
    </div>
  )
}

/** Answers that were saved: one is put in by a click, saved under a name, or forgotten. */
function Saved({
  saved,
  words,
  onTake,
  doing,
  busy,
}: {
  saved: SavedAnswer[]
  words: string
  onTake: (saved: SavedAnswer) => void
  doing: (work: () => Promise<void>) => Promise<void>
  busy: boolean
}) {
  const [name, setName] = useState('')
  const [forgotten, setForgotten] = useState<SavedAnswer | null>(null)
  const fresh = () => stale([...keys.inTray(), 'answer'])
  const save = () =>
    doing(async () => {
      await ask(routes.saveAnswer, { body: { name, text: words } })
      toast(say.savedAs(name))
      setName('')
      await fresh()
    })
  const forget = (one: SavedAnswer) =>
    doing(async () => {
      await ask(routes.forgetAnswer, { params: { answer: one.id } })
      setForgotten(one)
      await fresh()
    })
  const bringBack = ({ name, text }: SavedAnswer) =>
    doing(async () => {
      await ask(routes.saveAnswer, { body: { name, text } })
      setForgotten(null)
      await fresh()
    })
  return (
    <details className="border-rule border-y py-2">
      <summary className="cursor-pointer">{say.saved(saved.length)}</summary>
      {saved.length > 0 && (
        <ul className="mt-2 space-y-1">
          {saved.map((one) => (
            <li key={one.id} className="flex items-center gap-2">
              <Button onClick={() => onTake(one)} title={one.filled}>
                {one.name}
              </Button>
              <span className="min-w-0 flex-1 truncate text-[13px] text-ink-2">{one.filled}</span>
              <Button kind="quiet" aria-label={say.forgetOf(one.name)} disabled={busy} onClick={() => void forget(one)}>
                {say.forget}
              </Button>
            </li>
          ))}
        </ul>
      )}
      {forgotten && (
        <p role="status" className="mt-1 flex items-center gap-2 text-[13px]">
          {say.forgotten(forgotten.name)}
          <Button kind="quiet" disabled={busy} onClick={() => void bringBack(forgotten)}>
            {say.undo}
          </Button>
        </p>
      )}
      <div className="mt-2 flex items-end gap-2">
        <label className="flex-1 text-[13px]">
          {say.saveAs}
          <input
            className="input mt-0.5 block w-full"
            maxLength={80}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <Button disabled={busy || name.trim() === '' || words.trim() === ''} onClick={() => void save()}>
          {say.save}
        </Button>
      </div>
      <p className="mt-1 text-[13px] text-ink-2">{say.fields}</p>
    </details>
  )
}
