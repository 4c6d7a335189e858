import { type Enclosures, type RoundFileEntry, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import clsx from 'clsx'
import { AlertOctagon, Check, CircleDashed, Paperclip, X } from 'lucide-react'
import { useMemo, useRef, useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, queries, useChange, useEnclosures, useMailboxes } from '../api.ts'
import { useWork } from '../rounds/RoundContext.ts'
import { PersonCell, PersonGrid, PersonLine } from '../shared/PersonGrid.tsx'
import { Button, Empty, Mark, Say, times, Waiting } from '../shared/parts.tsx'
import { AddFiles } from './AddFiles.tsx'

type Role = RoundFileEntry['role']

/** Adds files one after another, saying how far it is; can be stopped between two files. */
function useAdding() {
  const { round } = useWork()
  const [busy, setBusy] = useState<{ done: number; of: number } | null>(null)
  const [faults, setFaults] = useState<string[]>([])
  const stop = useRef<AbortController>(undefined)
  const add = async (role: Role, files: File[]) => {
    if (files.length === 0) return
    stop.current = new AbortController()
    const { signal } = stop.current
    const wrong: string[] = []
    let done = 0
    for (const file of files) {
      setBusy({ done, of: files.length })
      try {
        if (file.size === 0) throw new Error(`“${file.name}” is empty, and was not added.`)
        await ask(routes.addFile, { params: { round: round.id }, query: { name: file.name, role }, file, signal })
        done++
      } catch (error) {
        if (signal.aborted) break
        wrong.push(faultWords(error))
      }
    }
    setBusy(null)
    setFaults(wrong)
    await queries.invalidateQueries({ queryKey: ['round', round.id] })
    toast(`${times(done, 'file')} added${signal.aborted ? ', then stopped' : ''}.`)
  }
  return { add, busy, faults, cancel: () => stop.current?.abort() }
}

/** Enclosures: the files that go to all, each person's own, and who lacks one. */
export default function EnclosuresStage() {
  const { round, change } = useWork()
  const editable = round.postedAt === null
  const enclosures = useEnclosures(round.id, round.list !== null)
  const { add, busy, faults, cancel } = useAdding()
  const common = round.files.filter((f) => f.role === 'common')
  const own = round.files.filter((f) => f.role === 'own')
  if (!round.list)
    return <Empty title="First the people">Files go with people’s letters. Bring in a list at People first.</Empty>
  const found = enclosures.data
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="shrink-0 space-y-3 border-rule border-b px-4 py-3">
        <section aria-label="Files for everybody" className="flex flex-wrap items-center gap-2">
          <h2 className="w-44 shrink-0 text-[17px]">For everybody</h2>
          {common.map((file) => (
            <FileTag key={file.id} file={file} editable={editable} />
          ))}
          {common.length === 0 && <span className="text-ink-2">No file goes to everybody.</span>}
          {editable && <AddFiles label="Add files for everybody" onFiles={(files) => void add('common', files)} />}
        </section>
        <section aria-label="Each person’s own files" className="flex flex-wrap items-center gap-2">
          <h2 className="w-44 shrink-0 text-[17px]">Each person’s own</h2>
          <label className="flex items-center gap-2">
            named in the column
            <select
              className="input"
              disabled={!editable}
              value={round.filesColumn ?? ''}
              onChange={(e) => void change({ filesColumn: e.target.value || null })}
            >
              <option value="">none: nobody has a file of their own</option>
              {round.list.columns.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          </label>
          {editable && round.filesColumn && (
            <AddFiles label="Add their files" onFiles={(files) => void add('own', files)} />
          )}
          <span className="text-ink-2">{own.length > 0 && `${times(own.length, 'file')} here`}</span>
        </section>
        {busy && (
          <p role="status" className="flex items-center gap-3">
            <progress value={busy.done} max={busy.of} className="h-2 w-40" /> Adding file {busy.done + 1} of {busy.of}…
            <Button onClick={cancel}>Stop</Button>
          </p>
        )}
        {faults.length > 0 && (
          <div role="alert">
            <Say tone="stop">
              {faults.slice(0, 5).map((f) => (
                <p key={f}>{f}</p>
              ))}
              {faults.length > 5 && <p>And {faults.length - 5} more.</p>}
            </Say>
          </div>
        )}
      </div>
      {enclosures.error ? (
        <Empty title="The files cannot be matched">{faultWords(enclosures.error)}</Empty>
      ) : !found ? (
        <Waiting />
      ) : (
        <PeopleAndFiles found={found} />
      )}
    </div>
  )
}

function FileTag({ file, editable }: { file: RoundFileEntry; editable: boolean }) {
  const { round } = useWork()
  const remove = useChange(routes.removeFile, () => queries.invalidateQueries({ queryKey: ['round', round.id] }))
  return (
    <span className="paper inline-flex items-center gap-1 py-0.5 pl-2 text-[14px]">
      <Paperclip aria-hidden size={14} className="text-ink-2" />
      <a
        className="text-post underline"
        target="_blank"
        rel="noreferrer"
        href={`/api/files/${file.hash}?name=${encodeURIComponent(file.name)}`}
      >
        {file.name}
      </a>
      <span className="pr-2 text-[13px] text-ink-2">{sizeWords(file.size)}</span>
      {editable && (
        <button
          type="button"
          aria-label={`Take ${file.name} out`}
          title="Take out"
          className="flex size-7 items-center justify-center hover:bg-stop-tint"
          onClick={() => remove.mutate({ params: { round: round.id, file: file.id } })}
        >
          <X aria-hidden size={14} />
        </button>
      )}
    </span>
  )
}

const views = { all: 'Everybody', lacking: 'Who lacks a file', nobodys: 'Files of nobody' } as const

function PeopleAndFiles({ found }: { found: Enclosures }) {
  const { round, person, choose } = useWork()
  const limit = useMailboxes().data?.find((m) => m.id === round.mailboxId)?.largestMessage ?? Number.POSITIVE_INFINITY
  const [view, setView] = useState<keyof typeof views>('all')
  const byId = useMemo(() => new Map(round.files.map((f) => [f.id, f])), [round.files])
  const isOwn = (id: number) => byId.get(id)?.role === 'own'
  const lacking = found.people.filter(
    (p) => p.missing.length > 0 || (round.filesColumn !== null && !p.files.some(isOwn)),
  )
  const shownPeople = view === 'lacking' ? lacking : found.people
  const nobodys = found.unclaimed.map((id) => byId.get(id)).filter((f) => f !== undefined)
  const counts = { all: found.people.length, lacking: lacking.length, nobodys: nobodys.length }
  return (
    <>
      <div className="flex flex-wrap items-center gap-1 border-rule border-b bg-sheet-2 px-4 py-1.5">
        {(Object.keys(views) as (keyof typeof views)[]).map((v) => (
          <button
            key={v}
            type="button"
            aria-pressed={view === v}
            onClick={() => setView(v)}
            className={clsx('rounded-paper px-2.5 py-1', view === v ? 'bg-post-tint font-bold' : 'hover:bg-sheet')}
          >
            {views[v]} <span className="text-ink-2">{counts[v].toLocaleString('en-GB')}</span>
          </button>
        ))}
      </div>
      {view === 'nobodys' ? (
        <div className="min-h-0 flex-1 space-y-2 overflow-auto p-4">
          {nobodys.length === 0 ? (
            <Empty title="Every file is somebody’s">Each own file that was added is named in a row.</Empty>
          ) : (
            <>
              <p className="text-ink-2">No row names these files. They go to nobody.</p>
              <div className="flex flex-wrap gap-2">
                {nobodys.map((file) => (
                  <FileTag key={file.id} file={file} editable={round.postedAt === null} />
                ))}
              </div>
            </>
          )}
        </div>
      ) : shownPeople.length === 0 ? (
        <Empty title={view === 'lacking' ? 'Nobody lacks a file' : 'Nobody in the round'}>
          {view === 'lacking'
            ? round.filesColumn
              ? 'Every file that a row names is here.'
              : 'No column names files, so nobody is expected to have one of their own.'
            : 'Choose people first.'}
        </Empty>
      ) : (
        <PersonGrid
          label="People and their files"
          lines={shownPeople}
          keyOf={(line) => line.rowId}
          isChosen={(line) => person?.id === line.rowId}
        >
          {(line) => {
            const own = line.files.filter(isOwn)
            return (
              <PersonLine>
                <PersonCell className="w-48 shrink-0" onClick={() => choose(line.rowId)}>
                  {line.person}
                </PersonCell>
                <PersonCell className="w-28 shrink-0">
                  {line.missing.length > 0 ? (
                    <Mark tone="stop" icon={AlertOctagon}>
                      not there
                    </Mark>
                  ) : own.length > 0 ? (
                    <Mark tone="good" icon={Check}>
                      has {times(own.length, 'file')}
                    </Mark>
                  ) : (
                    <Mark tone={round.filesColumn ? 'ask' : 'plain'} icon={CircleDashed}>
                      none named
                    </Mark>
                  )}
                </PersonCell>
                <PersonCell className="min-w-0 flex-1">
                  {own.map((id) => byId.get(id)?.name).join(', ')}
                  {line.missing.map(({ name, near }) => (
                    <span key={name} className="text-stop">
                      {own.length > 0 && ', '}
                      {name}
                      {near && <span className="text-ink-2"> (there is {near})</span>}
                    </span>
                  ))}
                </PersonCell>
                <PersonCell
                  className={clsx(
                    'w-24 shrink-0 text-right text-[13px]',
                    line.size > limit ? 'font-bold text-stop' : 'text-ink-2',
                  )}
                >
                  {sizeWords(line.size)}
                  {line.size > limit && ', too large'}
                </PersonCell>
              </PersonLine>
            )
          }}
        </PersonGrid>
      )}
    </>
  )
}
