import { optOutPlace, sizeWords, withChoices } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { Eye, Paperclip, Printer } from 'lucide-react'
import { Popover } from 'radix-ui'
import { Fragment, type ReactNode, useState } from 'react'
import { faultWords, Told } from '../api.ts'
import { Button, Labelled, Ways } from '../shared/parts.tsx'
import { type Looks, MessageFrame } from './MessageFrame.tsx'
import { messageSheet as say } from './words.ts'

/** A message as it is shown. */
export interface Shown {
  from: string
  replyTo: string[]
  to: string
  /** Of a letter on paper: the postal address, line by line; null for a message. */
  paper: string[] | null
  cc: string[]
  bcc: string[]
  subject: string
  html: string
  text: string
  files: { name: string; size: number; href: string }[]
  /** Names of files that it should have and has not. */
  missing: string[]
  /** Octets as encoded. */
  size: number
  /** Whether the size is an estimate. */
  estimated: boolean
}

type View = 'letter' | 'plain' | 'source'
const viewWords: Record<View, string> = { letter: say.letter, plain: say.plainText, source: say.source }

/** A text in which every message gets an address of its own when it is made, for opting out or for a choice: the words for it until then. */
const withOwnAddresses = (text: string) =>
  withChoices({ html: '', text: text.replaceAll(optOutPlace, say.ownAddress) }, () => say.ownAddress).text

/** A message with its headers, in whichever way it is looked at. */
export function MessageSheet({
  message,
  looks,
  setLooks,
  source,
  written,
  hasFields = true,
  children,
}: {
  message: Shown
  looks: Looks
  setLooks: (looks: Looks) => void
  /** Where the raw message is had. */
  source: string
  /** Fulfilled when what was typed is kept, so that the source is of what is seen. */
  written?: () => Promise<unknown>
  /** Whether values of fields can be told from the other words. */
  hasFields?: boolean
  /** What stands at the end of its foot. */
  children?: ReactNode
}) {
  const [wanted, setView] = useState<View>('letter')
  // Sent as plain text only, it has no other looks.
  const isPlain = message.html === ''
  // A letter on paper has one look only.
  const view = message.paper !== null ? 'letter' : isPlain && wanted === 'letter' ? 'plain' : wanted
  return (
    <>
      <dl className="grid grid-cols-[auto_1fr] gap-x-3 border-rule border-b px-4 py-2 text-[14px]">
        <dt className="text-ink-2">{say.from}</dt>
        <dd className="truncate">{message.from}</dd>
        {message.paper !== null && (
          <>
            <dt className="flex items-start gap-1.5 text-ink-2">
              <Printer aria-hidden size={14} className="mt-1" /> {say.byPaperPost}
            </dt>
            <dd>
              {message.paper.length === 0 ? (
                <span className="text-stop">{say.noPostalAddress}</span>
              ) : (
                message.paper.map((line, i) => (
                  <span key={i} className="block break-words">
                    {line}
                  </span>
                ))
              )}
            </dd>
          </>
        )}
        {message.paper === null && message.replyTo.length > 0 && (
          <>
            <dt className="text-ink-2">{say.answers}</dt>
            <dd className="break-words">{message.replyTo.join(', ')}</dd>
          </>
        )}
        {message.paper === null && (
          <>
            <dt className="text-ink-2">{say.to}</dt>
            <dd className="break-words">{message.to}</dd>
          </>
        )}
        {(['cc', 'bcc'] as const).map(
          (copies) =>
            message.paper === null &&
            message[copies].length > 0 && (
              <Fragment key={copies}>
                <dt className="text-ink-2">{copies === 'cc' ? 'Cc' : say.bcc}</dt>
                <dd className="break-words">
                  {message[copies].join(', ')}
                  {copies === 'bcc' && <span className="text-ink-2">{say.seenNobody}</span>}
                </dd>
              </Fragment>
            ),
        )}
        <dt className="text-ink-2">{say.subject}</dt>
        <dd className="break-words font-bold">
          {message.subject || <span className="font-normal text-ink-2">{say.noneYet}</span>}
        </dd>
        {(message.files.length > 0 || message.missing.length > 0) && (
          <>
            <dt className="text-ink-2">{say.files}</dt>
            <dd className="flex flex-wrap gap-x-3">
              {message.files.map((f, i) => (
                <a
                  key={i}
                  className="inline-flex items-center gap-1 text-post underline"
                  href={f.href}
                  target="_blank"
                  rel="noreferrer"
                >
                  <Paperclip aria-hidden size={13} />
                  {f.name} <span className="text-ink-2 no-underline">({sizeWords(f.size)})</span>
                </a>
              ))}
              {message.missing.map((name) => (
                <span key={name} className="text-stop">
                  {say.notThere(name)}
                </span>
              ))}
            </dd>
          </>
        )}
        {message.paper === null && (
          <>
            <dt className="text-ink-2">{say.size}</dt>
            <dd>
              <span title={message.estimated ? say.asEncodedEstimatedFrom : say.asEncoded}>
                {sizeWords(message.size)}
              </span>
              <a className="ml-3 text-post underline" title={say.keepMessageAsFile} href={source} download>
                {say.keepAsEml}
              </a>
            </dd>
          </>
        )}
      </dl>
      {view === 'letter' ? (
        <MessageFrame html={message.html} looks={looks} />
      ) : (
        <pre
          tabIndex={0}
          role="document"
          aria-label={view === 'plain' ? say.messageAsPlainText : say.messageAsSource}
          className={clsx(
            'min-h-0 flex-1 overflow-auto p-4 font-mono text-[13px]',
            view === 'plain' && 'whitespace-pre-wrap',
          )}
        >
          {view === 'plain' ? (
            withOwnAddresses(message.text)
          ) : (
            <Source address={source} made={message} written={written} />
          )}
        </pre>
      )}
      <footer className="flex flex-wrap items-center gap-1 border-rule border-t px-2 py-1 text-[13px]">
        {message.paper === null && (
          <Ways<View>
            legend={say.showMessageAs}
            ways={viewWords}
            without={isPlain ? ['letter'] : undefined}
            way={view}
            onChoose={setView}
          />
        )}
        {view === 'letter' && <LooksMenu looks={looks} setLooks={setLooks} hasFields={hasFields} />}
        <span className="ml-auto" />
        {children}
      </footer>
    </>
  )
}

/** The message as it would go over the line, its headers first; of long files only the beginning. */
function Source({ address, made, written }: { address: string; made: Shown; written?: () => Promise<unknown> }) {
  const source = useQuery({
    // Made anew for every change of the message.
    queryKey: ['source', address, made.subject, made.html, made.text, made.files],
    queryFn: async ({ signal }) => {
      await written?.()
      const answer = await fetch(address, { signal })
      if (!answer.ok) throw new Told((await answer.json()).detail ?? say.noSource)
      const reader = answer.body!.getReader()
      const decoder = new TextDecoder()
      let text = ''
      while (text.length < maxSource) {
        const { done, value } = await reader.read()
        if (done) return text
        text += decoder.decode(value, { stream: true })
      }
      void reader.cancel()
      return say.restFilesKeepAs(text.slice(0, maxSource))
    },
  })
  return <>{source.error ? faultWords(source.error) : (source.data ?? say.oneMoment)}</>
}
/** How many characters of a source are shown. */
const maxSource = 200_000

/** How the message is looked at: narrow or wide, light or dark, with pictures or without, fields tinted or not. */
function LooksMenu({
  looks,
  setLooks,
  hasFields,
}: {
  looks: Looks
  setLooks: (looks: Looks) => void
  hasFields: boolean
}) {
  const tick = (label: string, on: boolean, next: Looks) => (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={on} onChange={() => setLooks(next)} /> {label}
    </label>
  )
  const changed = looks.width !== null || looks.dark || !looks.pictures || (hasFields && !looks.tint)
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button kind="quiet" className="text-[13px]" title={changed ? say.lookedOtherwiseThanPlainly : undefined}>
          <Eye aria-hidden size={15} /> {say.look(changed)}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" className="paper z-50 w-64 space-y-2 p-4 shadow-lg">
          <Labelled label={say.widthReaderSWindow}>
            <select
              className="input w-full"
              value={looks.width ?? ''}
              onChange={(e) => setLooks({ ...looks, width: (Number(e.target.value) || null) as Looks['width'] })}
            >
              <option value="">{say.asWideAsHere}</option>
              <option value={375}>{say.n375Telephone}</option>
              <option value={600}>{say.n600MailProgram}</option>
            </select>
          </Labelled>
          {tick(say.dark, looks.dark, { ...looks, dark: !looks.dark })}
          {tick(say.picturesOff, !looks.pictures, { ...looks, pictures: !looks.pictures })}
          {hasFields && tick(say.fieldsTinted, looks.tint, { ...looks, tint: !looks.tint })}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
