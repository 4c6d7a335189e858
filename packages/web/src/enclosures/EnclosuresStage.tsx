import { type Enclosures, type RoundFileEntry, routes } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { Lightbulb, Paperclip, ScanText } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale, tellFault, useChange } from '../api.ts'
import { isOpen, useWork } from '../rounds/RoundContext.tsx'
import { Button, Empty, Say, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { AddFiles } from './AddFiles.tsx'
import { FileLink, RemoveFile } from './FileLink.tsx'
import { FileName } from './FileName.tsx'
import { MadeFiles } from './MadeFiles.tsx'
import { PeopleAndFiles } from './PeopleAndFiles.tsx'
import { useAdding } from './useAdding.ts'
import { enclosuresStage as say } from './words.ts'

/** Enclosures: the files that go to all, each person's own, how they find each other, and who lacks one. */
export default function EnclosuresStage() {
  const { round, change } = useWork()
  const editable = isOpen(round)
  const enclosures = useQuery({ ...query.enclosures(round.id), enabled: round.list !== null })
  const adding = useAdding()
  const [showNames, setShowNames] = useState(false)
  const { busy, faults, packed } = adding
  const common = round.files.filter((f) => f.role === 'common')
  const own = round.files.filter((f) => f.role === 'own')
  if (!round.list) return <Empty title={say.firstPeople}>{say.filesGoPeopleS}</Empty>
  const found = enclosures.data
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="shrink-0 space-y-2 border-rule border-b px-4 py-2.5">
        <section aria-label={say.filesEverybody} className="flex flex-wrap items-center gap-2">
          <h2 className="mr-2 shrink-0 text-[17px]">{say.everybody}</h2>
          {common.map((file) => (
            <FileTag key={file.id} file={file} editable={editable} />
          ))}
          {common.length === 0 && <span className="text-ink-2">{say.noFileGoesEverybody}</span>}
          {editable && <AddFiles label={say.addFilesEverybody} onFiles={(files) => void adding.add('common', files)} />}
        </section>
        <section aria-label={say.eachPersonSOwn2} className="flex flex-wrap items-center gap-2">
          <h2 className="mr-2 shrink-0 text-[17px]">{say.eachPersonSOwn}</h2>
          <span className="text-ink-2">{own.length > 0 ? say.here(own.length) : say.noneYet}</span>
          {editable && (
            <>
              <AddFiles label={say.addTheirFiles} onFiles={(files) => void adding.add('own', files)} />
              <AddFiles label={say.addFolder} folder onFiles={(files) => void adding.add('own', files)} />
            </>
          )}
        </section>
        <section aria-label={say.howTheyFindTheir} className="flex flex-wrap items-center gap-x-2 gap-y-1 text-[14px]">
          <label className="flex items-center gap-2">
            {say.namedColumn}
            <select
              className="input w-32"
              disabled={!editable}
              value={round.filesColumn ?? ''}
              onChange={(e) => void change({ filesColumn: e.target.value || null })}
            >
              <option value="">{say.none}</option>
              {round.list.columns.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          </label>
          <FileName
            label={say.orPattern}
            value={round.filePattern}
            placeholder={say.permitPermitNoPdf}
            save={(filePattern) => void change({ filePattern })}
          />
          {showNames || round.sentAs !== null ? (
            <FileName
              label={say.messageCalled}
              value={round.sentAs}
              placeholder={say.asThey}
              save={(sentAs) => void change({ sentAs })}
            />
          ) : (
            editable && (
              <Button kind="quiet" className="text-[14px]" onClick={() => setShowNames(true)}>
                {say.otherNamesMessage}
              </Button>
            )
          )}
          <MadeFiles found={found} />
        </section>
        {busy && (
          <p role="status" className="flex items-center gap-3">
            <progress value={busy.done} max={busy.of} className="h-2 w-40" /> {say.addingFile(busy.done, busy.of)}
            <Button onClick={adding.cancel}>{say.stop}</Button>
          </p>
        )}
        {packed && (
          <Say tone="ask">
            <div className="flex flex-wrap items-center gap-2">
              <span className="flex-1">{say.packedWhatMeant(packed.name)}</span>
              <Button kind="primary" onClick={() => void adding.addPacked('own', packed)}>
                {say.files}
              </Button>
              <Button onClick={() => void adding.addAsItIs('own', packed)}>{say.zipAs}</Button>
              <Button kind="quiet" onClick={adding.leavePacked}>
                {say.neither}
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
              {faults.length > 5 && <p>{say.more(faults.length)}</p>}
              <Button kind="quiet" onClick={adding.forgetFaults}>
                {say.seen}
              </Button>
            </Say>
          </div>
        )}
        {found && <Examining found={found} />}
        {found && editable && <Proposals found={found} />}
      </div>
      {enclosures.error ? (
        <Empty title={say.filesCannotMatched}>{faultWords(enclosures.error)}</Empty>
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
        ? say.examiningFiles(progress.done, progress.of)
        : say.examinedWhatTheyWhom(found.unread)}
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
    toast(say.given(matches.length), {
      action: {
        label: say.undo,
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
            {say.filesFollow(pattern.files)} <code className="font-mono">{pattern.pattern}</code>
            <Button onClick={() => void change({ filePattern: pattern.pattern })}>{say.takePattern}</Button>
          </span>
        )}
        {proposed.length > 0 && (
          <span className="flex flex-wrap items-center gap-2">
            {say.nobodyYetOnePerson(proposed.length)}
            <Button disabled={give.isPending} onClick={() => give.mutate({ params, body: { matches } })}>
              {say.giveAllThem(proposed.length)}
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
