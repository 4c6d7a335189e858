import { type Enclosures, type RoundFileEntry, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Lightbulb, Paperclip, ScanText } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale, tellFault, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { Button, Empty, Say, times, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { AddFiles } from './AddFiles.tsx'
import { FileLink, RemoveFile } from './FileLink.tsx'
import { FileName } from './FileName.tsx'
import { MadeFiles } from './MadeFiles.tsx'
import { PeopleAndFiles } from './PeopleAndFiles.tsx'
import { useAdding } from './useAdding.ts'

/** Enclosures: the files that go to all, each person's own, how they find each other, and who lacks one. */
export default function EnclosuresStage() {
  const { round, change } = useWork()
  const editable = round.postedAt === null
  const enclosures = useQuery({ ...query.enclosures(round.id), enabled: round.list !== null })
  const adding = useAdding()
  const [showNames, setShowNames] = useState(false)
  const { busy, faults, packed } = adding
  const common = round.files.filter((f) => f.role === 'common')
  const own = round.files.filter((f) => f.role === 'own')
  if (!round.list)
    return <Empty title="First the people">Files go with people’s letters. Bring in a list at People first.</Empty>
  const found = enclosures.data
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="shrink-0 space-y-2 border-rule border-b px-4 py-2.5">
        <section aria-label="Files for everybody" className="flex flex-wrap items-center gap-2">
          <h2 className="mr-2 shrink-0 text-[17px]">For everybody</h2>
          {common.map((file) => (
            <FileTag key={file.id} file={file} editable={editable} />
          ))}
          {common.length === 0 && <span className="text-ink-2">No file goes to everybody.</span>}
          {editable && (
            <AddFiles label="Add files for everybody" onFiles={(files) => void adding.add('common', files)} />
          )}
        </section>
        <section aria-label="Each person’s own files" className="flex flex-wrap items-center gap-2">
          <h2 className="mr-2 shrink-0 text-[17px]">Each person’s own</h2>
          <span className="text-ink-2">{own.length > 0 ? `${times(own.length, 'file')} here` : 'None yet.'}</span>
          {editable && (
            <>
              <AddFiles label="Add their files" onFiles={(files) => void adding.add('own', files)} />
              <AddFiles label="Add a folder" folder onFiles={(files) => void adding.add('own', files)} />
            </>
          )}
        </section>
        <section
          aria-label="How they find their people"
          className="flex flex-wrap items-center gap-x-2 gap-y-1 text-[14px]"
        >
          <label className="flex items-center gap-2">
            Named in the column
            <select
              className="input w-32"
              disabled={!editable}
              value={round.filesColumn ?? ''}
              onChange={(e) => void change({ filesColumn: e.target.value || null })}
            >
              <option value="">none</option>
              {round.list.columns.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          </label>
          <FileName
            label="or by the pattern"
            value={round.filePattern}
            placeholder="permit-{{Permit no}}.pdf"
            save={(filePattern) => void change({ filePattern })}
          />
          {showNames || round.sentAs !== null ? (
            <FileName
              label="In the message called"
              value={round.sentAs}
              placeholder="as they are"
              save={(sentAs) => void change({ sentAs })}
            />
          ) : (
            editable && (
              <Button kind="quiet" className="text-[14px]" onClick={() => setShowNames(true)}>
                Other names in the message…
              </Button>
            )
          )}
          <MadeFiles found={found} />
        </section>
        {busy && (
          <p role="status" className="flex items-center gap-3">
            <progress value={busy.done} max={busy.of} className="h-2 w-40" /> Adding file {busy.done + 1} of {busy.of}…
            <Button onClick={adding.cancel}>Stop</Button>
          </p>
        )}
        {packed && (
          <Say tone="ask">
            <div className="flex flex-wrap items-center gap-2">
              <span className="flex-1">“{packed.name}” is packed. What is meant?</span>
              <Button kind="primary" onClick={() => void adding.addPacked('own', packed)}>
                The files in it
              </Button>
              <Button onClick={() => void adding.addAsItIs('own', packed)}>The zip as it is</Button>
              <Button kind="quiet" onClick={adding.leavePacked}>
                Neither
              </Button>
            </div>
          </Say>
        )}
        {faults.length > 0 && (
          <div role="alert">
            <Say tone="stop">
              {faults.slice(0, 5).map((f) => (
                <p key={f}>{f}</p>
              ))}
              {faults.length > 5 && <p>And {faults.length - 5} more.</p>}
              <Button kind="quiet" onClick={adding.forgetFaults}>
                Seen
              </Button>
            </Say>
          </div>
        )}
        {found && <Examining found={found} />}
        {found && editable && <Proposals found={found} />}
      </div>
      {enclosures.error ? (
        <Empty title="The files cannot be matched">{faultWords(enclosures.error)}</Empty>
      ) : !found ? (
        <Waiting />
      ) : (
        <PeopleAndFiles found={found} adding={adding} />
      )}
    </div>
  )
}

/** How far the files are examined. */
function Examining({ found }: { found: Enclosures }) {
  const { round } = useWork()
  const progress = useProgress(round.id)
  if (found.unread === 0) return null
  return (
    <p role="status" className="flex items-center gap-2 text-[14px] text-ink-2">
      <ScanText aria-hidden size={16} />
      {progress && progress.words === 'Examining files'
        ? `Examining the files: ${progress.done.toLocaleString('en-GB')} of ${progress.of.toLocaleString('en-GB')}…`
        : `${times(found.unread, 'file')} to be examined: what they are, and of whom they speak…`}
    </p>
  )
}

/** Hand Post's own proposals for files that go to nobody. Nothing of them is taken by itself. */
function Proposals({ found }: { found: Enclosures }) {
  const { round, change } = useWork()
  const { pattern, proposed } = found
  const fresh = () => stale(keys.round(round.id))
  const params = { round: round.id }
  const matches = proposed.map(({ fileId, rowId }) => ({ fileId, rowId }))
  const give = useChange(routes.matchFiles, async () => {
    toast(`${times(matches.length, 'file')} given.`, {
      action: {
        label: 'Undo',
        onClick: () => void ask(routes.unmatchFiles, { params, body: { matches } }).then(fresh, tellFault),
      },
    })
    await fresh()
  })
  if (!pattern && proposed.length === 0) return null
  return (
    <Say tone="note">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Lightbulb aria-hidden size={16} />
        {pattern && (
          <span className="flex flex-wrap items-center gap-2">
            {times(pattern.files, 'name')} of the files follow <code className="font-mono">{pattern.pattern}</code>
            <Button onClick={() => void change({ filePattern: pattern.pattern })}>Take this pattern</Button>
          </span>
        )}
        {proposed.length > 0 && (
          <span className="flex flex-wrap items-center gap-2">
            {times(proposed.length, 'file')} that {proposed.length === 1 ? 'goes' : 'go'} to nobody yet{' '}
            {proposed.length === 1 ? 'names' : 'name'} one person only (see “Files”).
            <Button disabled={give.isPending} onClick={() => give.mutate({ params, body: { matches } })}>
              Give {proposed.length === 1 ? 'it to them' : `all ${proposed.length} to them`}
            </Button>
          </span>
        )}
      </div>
    </Say>
  )
}

function FileTag({ file, editable }: { file: RoundFileEntry; editable: boolean }) {
  return (
    <span className="paper inline-flex items-center gap-1 py-0.5 pl-2 text-[14px]">
      <Paperclip aria-hidden size={14} className="text-ink-2" />
      <FileLink file={file} />
      <span className="pr-2 text-[13px] text-ink-2">{sizeWords(file.size)}</span>
      {editable && <RemoveFile file={file} />}
    </span>
  )
}
