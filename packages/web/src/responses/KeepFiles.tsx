import { addressOf, type CallInput, type Round, routes } from '@hand-post/contract'
import { times } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Download, FolderDown } from 'lucide-react'
import { useDeferredValue, useMemo, useState } from 'react'
import { faultWords, Told } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { type PersonColumn, PersonTable } from '../shared/PersonTable.tsx'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { aboutFile } from './ReturnedFiles.tsx'
import { keepFiles as say } from './words.ts'

type Listed = NonNullable<ReturnType<typeof useListed>['data']>['files'][number]
const useListed = (roundId: number, pattern: string) => useQuery(query.returnedFiles(roundId, pattern))

/** What lets one choose a folder, where the browser has it (File System Access, W3C community draft). */
type PickFolder = (options: { mode: 'readwrite' }) => Promise<FileSystemDirectoryHandle>
const pickFolder = (): PickFolder | null =>
  (window as unknown as { showDirectoryPicker?: PickFolder }).showDirectoryPicker?.bind(window) ?? null

/** All files that came back in a round: who sent which, what each is called, kept together as a zip or written to a folder. */
export function KeepFiles({ onClose }: { onClose: () => void }) {
  const { round } = useWork()
  const [pattern, setPattern] = useState(() => byName(round))
  const wanted = useDeferredValue(pattern)
  const listed = useListed(round.id, wanted)
  const columns = useMemo<PersonColumn<Listed>[]>(
    () => [
      { id: 'person', head: say.person, width: 150, by: (f) => f.person, cell: (f) => f.person },
      { id: 'name', head: say.cameAs, width: 190, by: (f) => f.name, title: (f) => f.name, cell: (f) => f.name },
      {
        id: 'keptAs',
        head: say.keptAs,
        width: 190,
        grows: true,
        by: (f) => f.keptAs,
        title: (f) => f.keptAs ?? notKept(f),
        className: (f) => (f.keptAs === null ? 'text-[13px] text-ask' : ''),
        cell: (f) => f.keptAs ?? notKept(f),
      },
    ],
    [],
  )
  const data = listed.data
  const kept = (data?.files ?? []).filter((f) => f.keptAs !== null)
  const [writing, setWriting] = useState<{ done: number; of: number } | null>(null)
  const [said, setSaid] = useState<{ tone: 'good' | 'stop'; words: string } | null>(null)
  const write = async () => {
    setSaid(null)
    let folder: FileSystemDirectoryHandle
    try {
      folder = await pickFolder()!({ mode: 'readwrite' })
    } catch {
      // No folder was chosen.
      return
    }
    let done = 0
    try {
      const before = new Set<string>()
      for await (const name of (folder as unknown as { keys(): AsyncIterable<string> }).keys())
        before.add(name.toLowerCase())
      const taken = kept.filter((f) => before.has(f.keptAs!.toLowerCase()))
      if (taken.length > 0) return setSaid({ tone: 'stop', words: say.taken(taken.map((f) => f.keptAs!)) })
      for (const file of kept) {
        setWriting({ done, of: kept.length })
        const answer = await fetch(addressOf(routes.returnedFile, { params: { file: file.id } }))
        if (!answer.ok || !answer.body) throw new Told(say.notGiven(file.name))
        await answer.body.pipeTo(await (await folder.getFileHandle(file.keptAs!, { create: true })).createWritable())
        done++
      }
      setSaid({ tone: 'good', words: say.written(done, folder.name) })
    } catch (error) {
      setSaid({ tone: 'stop', words: say.brokeOff(done, kept.length, faultWords(error)) })
    } finally {
      setWriting(null)
    }
  }
  const input: CallInput<typeof routes.returnedZip> = { params: { round: round.id }, query: { pattern: wanted } }
  // Of very many the first are shown; a folder would have those alone.
  const all = data !== undefined && data.files.length === data.count
  return (
    <Sheet
      title={say.title}
      wide
      onClose={onClose}
      footer={
        kept.length > 0 && (
          <>
            <a
              className="inline-flex min-h-8 items-center gap-1.5 rounded-paper bg-post px-3 py-1 font-bold text-on-post"
              href={addressOf(routes.returnedZip, input)}
              download
            >
              <Download aria-hidden size={16} /> {say.zip(data!.count === data!.files.length ? kept.length : null)}
            </a>
            {pickFolder() !== null && all && (
              <Button disabled={writing !== null} onClick={() => void write()}>
                <FolderDown aria-hidden size={16} /> {writing ? say.writing(writing.done, writing.of) : say.folder}
              </Button>
            )}
          </>
        )
      }
    >
      {listed.error ? (
        <Empty title={say.cannotShown}>{faultWords(listed.error)}</Empty>
      ) : !data ? (
        <Waiting />
      ) : data.count === 0 ? (
        <Empty title={data.toFetch > 0 ? say.fetching(data.toFetch) : say.none}>{say.noneMore}</Empty>
      ) : (
        <>
          <div className="space-y-2 border-rule border-b px-5 py-3 text-[14px]">
            <label className="block">
              {say.pattern}
              <input
                className="input mt-1 block w-full"
                value={pattern}
                placeholder={say.asTheyCame}
                onChange={(e) => setPattern(e.target.value)}
                list="kept-fields"
              />
            </label>
            <datalist id="kept-fields">
              {(round.list?.columns ?? []).map((c) => (
                <option key={c.id} value={`${pattern.replace(/\{\{[^}]*$/, '')}{{${c.name}}}`} />
              ))}
            </datalist>
            {data.unknown.length > 0 && <Say tone="stop">{say.unknown(data.unknown)}</Say>}
            {data.toFetch > 0 && <Say>{say.fetching(data.toFetch)}</Say>}
            {!all && <Say>{say.firstOf(data.files.length, data.count)}</Say>}
            {said && <Say tone={said.tone}>{said.words}</Say>}
            <p role="status" className="text-[13px] text-ink-2">
              {times(new Set(data.files.map((f) => f.rowId)).size, 'person', 'people')}: {times(data.count, 'file')}
            </p>
          </div>
          <PersonTable
            label={say.title}
            columns={columns}
            lines={data.files}
            keyOf={(f) => f.id}
            isChosen={() => false}
          />
        </>
      )}
    </Sheet>
  )
}

/** What files are called until somebody wants it otherwise: as their people. */
const byName = ({ nameColumns, list }: Round): string =>
  nameColumns
    .flatMap((id) => list?.columns.find((column) => column.id === id)?.name ?? [])
    .map((name) => `{{${name}}}`)
    .join(' ')

/** Why a file is not kept with the others. */
const notKept = (file: Listed): string => say.leftOut(aboutFile(file))
