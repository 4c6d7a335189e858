import { type Enclosures, type Made, routes } from '@hand-post/contract'
import { plainField, serializeField } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { FileCog } from 'lucide-react'
import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale } from '../api.ts'
import { isOpen, useWork } from '../rounds/RoundContext.tsx'
import { DropArea } from '../shared/DropArea.tsx'
import { Button, Say } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { FileName } from './FileName.tsx'
import { madeFiles as say } from './words.ts'

/** A file that is made for each person: of what, under which name, and how far it is. */
export function MadeFiles({ found }: { found: Enclosures | undefined }) {
  const { round, change, written } = useWork()
  const editable = isOpen(round)
  const [open, setOpen] = useState(false)
  const [busy, setBusy] = useState(false)
  const [fault, setFault] = useState<string | null>(null)
  const shelf = useQuery(query.shelf('')).data ?? []
  const progress = useProgress(round.id)
  const stop = useRef<AbortController>(undefined)
  const { made } = round
  if (!made && !open)
    return (
      editable && (
        <Button kind="quiet" className="text-[14px]" onClick={() => setOpen(true)}>
          {say.makeFileEachPerson}
        </Button>
      )
    )
  const put = (next: Made | null) => {
    setFault(null)
    return change({ made: next })
  }
  const columns = round.list!.columns
  const names = columns.filter((c) => round.nameColumns.includes(c.id))
  const named =
    made?.name ??
    [
      round.title,
      ...(names.length > 0 ? names : columns.slice(0, 1)).map((c) => serializeField(plainField(c.name))),
    ].join(' ')
  const model = async (files: File[]) => {
    if (!files[0]) return
    setFault(null)
    try {
      const read = await ask(routes.addModel, {
        params: { round: round.id },
        query: { name: files[0].name },
        file: files[0],
      })
      if (read.unknown.length > 0) setFault(say.hasFieldsNoColumns(read.name, read.unknown.join(', ')))
      await change({ made: { of: 'model', name: named, model: { hash: read.hash, name: read.name } } })
    } catch (error) {
      setFault(faultWords(error))
    }
  }
  const make = async () => {
    stop.current = new AbortController()
    setBusy(true)
    setFault(null)
    try {
      await written()
      const done = await ask(routes.makeFiles, { params: { round: round.id }, signal: stop.current.signal })
      toast(say.made(done.made))
    } catch (error) {
      if (!stop.current.signal.aborted) setFault(faultWords(error))
    }
    setBusy(false)
    await stale(keys.round(round.id))
  }
  const toMake = found?.toMake ?? 0
  return (
    <section aria-label={say.madeEachPerson} className="flex w-full flex-wrap items-center gap-2 text-[14px]">
      <h2 className="mr-2 shrink-0 text-[17px]">{say.madeEach}</h2>
      <select
        className="input"
        aria-label={say.whatMadeEachPerson}
        disabled={!editable}
        value={made ? (made.of === 'shelf' ? `shelf:${made.letterId}` : made.of) : ''}
        onChange={(e) => {
          const of = e.target.value
          if (of === '') void put(null).then(() => setOpen(false))
          else if (of === 'letter') void put({ of, name: named })
          else if (of.startsWith('shelf:')) void put({ of: 'shelf', name: named, letterId: Number(of.slice(6)) })
        }}
      >
        <option value="">{say.nothing}</option>
        <option value="letter">{say.letterAsPdf}</option>
        {shelf.map((one) => (
          <option key={one.id} value={`shelf:${one.id}`}>
            {say.asPdf(one.name)}
          </option>
        ))}
        {made?.of === 'model' && (
          <option value="model">
            {made.model?.name} {say.filled}
          </option>
        )}
      </select>
      {editable && (
        <DropArea
          label={say.documentAsModelChoose}
          accept=".docx"
          onFiles={(files) => void model(files)}
          className="inline-block rounded-paper outline-dashed outline-1 outline-offset-2"
          looks={['outline-rule', 'bg-post-tint outline-post']}
        >
          {(choose) => <Button onClick={choose}>{say.docxModel}</Button>}
        </DropArea>
      )}
      {made && (
        <FileName
          label={say.nameEachFile}
          value={made.name}
          mayBeBlank={false}
          save={(name) => void put({ ...made, name: name! })}
        />
      )}
      {made && editable && (
        <Button kind={toMake > 0 ? 'primary' : 'plain'} disabled={busy || toMake === 0} onClick={() => void make()}>
          <FileCog aria-hidden size={16} /> {toMake > 0 ? say.make(toMake) : say.allMade}
        </Button>
      )}
      {busy && (
        <span role="status" className="flex items-center gap-2">
          {progress && progress.words === 'Making files'
            ? `${progress.done.toLocaleString('en-GB')} of ${progress.of.toLocaleString('en-GB')}…`
            : say.oneMoment}
          <Button onClick={() => stop.current?.abort()}>{say.stop}</Button>
        </span>
      )}
      {round.madeFiles.length > 0 && !busy && (
        <a className="text-post underline" href={`/api/rounds/${round.id}/made-files`} download>
          {say.keepAllAsZip}
        </a>
      )}
      {fault && (
        <div role="alert" className="w-full">
          <Say tone="stop">{fault}</Say>
        </div>
      )}
    </section>
  )
}
