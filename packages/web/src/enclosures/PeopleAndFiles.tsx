import { type Enclosures, type RoundFileEntry, routes } from '@hand-post/contract'
import { type FileFault, sizeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { AlertOctagon, Check, CircleDashed, CircleHelp, Users } from 'lucide-react'
import { useMemo, useState } from 'react'
import { stale, useChange } from '../api.ts'
import { isOpen, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { type PersonColumn, PersonTable } from '../shared/PersonTable.tsx'
import { Button, Empty, Mark } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { FileCalled, FileLink, RemoveFile } from './FileLink.tsx'
import { expectsFiles, lacksFile } from './lacks.ts'
import type { Adding } from './useAdding.ts'
import { useTakeOut } from './useTakeOut.ts'
import { peopleAndFiles as say } from './words.ts'

const views = {
  all: say.people,
  lacking: say.whoLacksFile,
  files: say.files,
  nobodys: say.nobodyS2,
  shared: say.severalPeopleS,
  amiss: say.problems,
} as const
type View = keyof typeof views

/** What is wrong with a file, in a few words; the proof says more. */
const faultWords: Record<FileFault, string> = {
  empty: 'empty',
  executable: say.runsWhenOpened,
  macros: say.carriesMacros,
  locked: 'locked',
  broken: say.cannotRead,
  wrongEnding: say.notWhatEndingSays,
  swells: say.unpacksFarTooMuch,
}

/** Both sides: each person's files, and each file's people. */
export function PeopleAndFiles({ found, adding }: { found: Enclosures; adding: Adding }) {
  const { round } = useWork()
  const [view, setView] = useState<View>('all')
  const takeOut = useTakeOut()
  const byId = useMemo(() => new Map(round.files.map((f) => [f.id, f])), [round.files])
  const expects = expectsFiles(round)
  const lacks = useMemo(() => lacksFile(round), [round])
  const lacking = found.people.filter(lacks)
  const people = view === 'lacking' ? lacking : found.people
  const owners = useMemo(() => {
    const all = new Map<number, Enclosures['people']>()
    for (const person of found.people)
      for (const { id, by } of person.files)
        if (by !== 'common') {
          const same = all.get(id)
          if (same) same.push(person)
          else all.set(id, [person])
        }
    return all
  }, [found.people])
  const own = round.files.filter((f) => f.role === 'own')
  const unclaimed = new Set(found.unclaimed)
  const amiss = new Set(found.faults.map((f) => f.fileId))
  const files: Record<Exclude<View, 'all' | 'lacking'>, RoundFileEntry[]> = {
    files: own,
    nobodys: own.filter((f) => unclaimed.has(f.id)),
    shared: own.filter((f) => (owners.get(f.id)?.length ?? 0) > 1),
    amiss: round.files.filter((f) => amiss.has(f.id)),
  }
  const counts: Record<View, number> = {
    all: found.people.length,
    lacking: lacking.length,
    files: files.files.length,
    nobodys: files.nobodys.length,
    shared: files.shared.length,
    amiss: files.amiss.length,
  }
  return (
    <>
      <div className="flex flex-wrap items-center gap-1 border-rule border-b bg-sheet-2 px-3 py-1.5 text-[13px]">
        {(Object.keys(views) as View[]).map((v) => (
          <button
            key={v}
            type="button"
            aria-pressed={view === v}
            onClick={() => setView(v)}
            className={clsx(
              'rounded-paper px-1.5 py-1',
              view === v ? 'bg-post-tint font-bold' : 'hover:bg-sheet',
              v === 'files' && 'ml-1',
            )}
          >
            {views[v]} <span className="text-ink-2">{counts[v].toLocaleString('en-GB')}</span>
          </button>
        ))}
      </div>
      {view === 'all' || view === 'lacking' ? (
        people.length === 0 ? (
          <Empty title={view === 'lacking' ? say.nobodyLacksFile : say.nobodyRound}>
            {view === 'all' ? say.choosePeopleFirst : expects ? say.everybodyHasFilesThey : say.noColumnOrPattern}
          </Empty>
        ) : (
          <People lines={people} byId={byId} expects={expects} adding={adding} />
        )
      ) : files[view].length === 0 ? (
        <Empty title={emptyWords[view][0]}>{emptyWords[view][1]}</Empty>
      ) : (
        <>
          {view === 'nobodys' && isOpen(round) && (
            <div className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-1.5 text-[14px]">
              <span className="flex-1">{say.nobody(files.nobodys.length)}</span>
              <Button onClick={() => void takeOut(files.nobodys)}>
                {files.nobodys.length === 1 ? say.takeOut : say.takeAllOut(files.nobodys.length)}
              </Button>
            </div>
          )}
          <FilesOf files={files[view]} found={found} owners={owners} />
        </>
      )}
    </>
  )
}

const emptyWords = {
  files: [say.noFilesTheirOwn, say.dropFilesWholeFolder],
  nobodys: [say.everyFileSomebodyS, say.eachOwnFileAdded],
  shared: [say.noFileGoesSeveral, say.eachOwnFileGoes],
  amiss: [say.noFileHasProblem, say.noneEmptyLockedDamaged],
} as const

type Line = Enclosures['people'][number]
/** People and their files. Files dropped on a person are given to them. */
function People({
  lines,
  byId,
  expects,
  adding,
}: {
  lines: Line[]
  byId: Map<number, RoundFileEntry>
  expects: boolean
  adding: Adding
}) {
  const { round } = useWork()
  const { person, choose } = usePerson()
  const limit =
    useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)?.largestMessage ?? Number.POSITIVE_INFINITY
  const fresh = () => stale(keys.round(round.id))
  const give = useChange(routes.matchFiles, fresh)
  const takeBack = useChange(routes.unmatchFiles, fresh)
  const editable = isOpen(round)
  const params = { round: round.id }
  const ownOf = (line: Line) => line.files.filter(({ id }) => byId.get(id)?.role === 'own')
  const columns: PersonColumn<Line>[] = [
    {
      id: 'person',
      head: say.person,
      width: 160,
      by: (line) => line.person,
      onClick: (line) => choose(line.rowId),
      cell: (line) => line.person,
    },
    {
      id: 'state',
      head: say.ownFiles,
      width: 112,
      by: (line) => ownOf(line).length - 1000 * (line.missing.length + line.doubtful.length),
      cell: (line) => {
        const own = ownOf(line)
        return line.missing.length > 0 ? (
          <Mark tone="stop" icon={AlertOctagon}>
            {say.notThere}
          </Mark>
        ) : line.doubtful.length > 0 ? (
          <Mark tone="stop" icon={CircleHelp}>
            {say.whichOne}
          </Mark>
        ) : own.length > 0 ? (
          <Mark tone="good" icon={Check}>
            {say.has(own.length)}
          </Mark>
        ) : (
          <Mark tone={expects ? 'ask' : 'plain'} icon={CircleDashed}>
            {say.none}
          </Mark>
        )
      },
    },
    {
      id: 'files',
      head: say.which,
      width: 160,
      grows: true,
      cell: (line) => {
        const own = ownOf(line)
        return (
          <>
            {own.map(({ id, by, sentAs }, i) => (
              <span key={id}>
                {i > 0 && ', '}
                {byId.has(id) && <FileCalled file={byId.get(id)!} />}
                {sentAs !== byId.get(id)?.name && <span className="text-ink-2">{say.as(sentAs)}</span>}
                {by === 'hand' && editable && (
                  <Button
                    kind="quiet"
                    className="min-h-6 py-0 text-[13px]"
                    title={say.givenHand}
                    onClick={() => takeBack.mutate({ params, body: { matches: [{ rowId: line.rowId, fileId: id }] } })}
                  >
                    {say.takeBack}
                  </Button>
                )}
              </span>
            ))}
            {line.missing.map(({ name, near }) => (
              <span key={name} className="text-stop">
                {own.length > 0 && ', '}
                {name}
                {near && (
                  <span className="text-ink-2" title={near.why}>
                    {say.there(near.name)}
                    {editable && (
                      <Button
                        kind="quiet"
                        className="min-h-6 py-0 text-[13px]"
                        title={near.why}
                        onClick={() =>
                          give.mutate({ params, body: { matches: [{ rowId: line.rowId, fileId: near.id }] } })
                        }
                      >
                        {say.give}
                      </Button>
                    )}
                  </span>
                )}
              </span>
            ))}
            {line.doubtful.map((name) => (
              <span key={name} className="text-stop">
                {say.severalCalled(name)}
              </span>
            ))}
          </>
        )
      },
    },
    {
      id: 'size',
      head: say.size,
      width: 128,
      by: (line) => line.size,
      right: true,
      className: (line) => clsx('text-[13px]', line.size > limit ? 'font-bold text-stop' : 'text-ink-2'),
      cell: (line) => (
        <>
          <span title={line.exact ? say.octetsExactlyAsLeaves(line.size) : say.estimatedFromAbove}>
            {sizeWords(line.size)}
          </span>
          {line.size > limit && say.tooLarge}
        </>
      ),
    },
  ]
  return (
    <PersonTable
      label={say.peopleTheirFiles}
      columns={columns}
      lines={lines}
      keyOf={(line) => line.rowId}
      isChosen={(line) => person?.id === line.rowId}
      wrap={(line, cells) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: dropping is a second way; the button at Files is the first
        <div
          onDragOver={(e) => editable && e.preventDefault()}
          onDrop={(e) => {
            if (!editable) return
            e.preventDefault()
            void adding.add('own', [...e.dataTransfer.files], line.rowId)
          }}
        >
          {cells}
        </div>
      )}
    />
  )
}

/** Files and their people. A file can be given to the person in hand. */
function FilesOf({
  files,
  found,
  owners,
}: {
  files: RoundFileEntry[]
  found: Enclosures
  owners: ReadonlyMap<number, Line[]>
}) {
  const { round, everybody } = useWork()
  const { person, choose } = usePerson()
  const fresh = () => stale(keys.round(round.id))
  const give = useChange(routes.matchFiles, fresh)
  const editable = isOpen(round)
  const faults = new Map(found.faults.map((f) => [f.fileId, f]))
  const proposed = new Map(found.proposed.map((p) => [p.fileId, p]))
  const inHand = person && everybody.includes(person.id) ? found.people.find((p) => p.rowId === person.id) : undefined
  const giveTo = (rowId: number, fileId: number) =>
    give.mutate({ params: { round: round.id }, body: { matches: [{ rowId, fileId }] } })
  const columns: PersonColumn<RoundFileEntry>[] = [
    {
      id: 'name',
      head: say.file,
      width: 152,
      by: (file) => file.name,
      title: (file) => (file.folder ? `${file.folder}/${file.name}` : null),
      cell: (file) => <FileLink file={file} />,
    },
    {
      id: 'state',
      head: say.whose,
      width: 120,
      by: (file) => (file.role === 'common' ? null : (owners.get(file.id)?.length ?? 0)),
      cell: (file) => {
        const of = owners.get(file.id) ?? []
        const fault = faults.get(file.id)
        return fault ? (
          <Mark tone={fault.fault === 'locked' || fault.fault === 'macros' ? 'ask' : 'stop'} icon={AlertOctagon}>
            {faultWords[fault.fault as FileFault]}
          </Mark>
        ) : file.role === 'common' ? (
          <Mark tone="plain" icon={Users}>
            {say.everybodyS}
          </Mark>
        ) : of.length > 1 ? (
          <Mark tone="ask" icon={Users}>
            {say.peopleS(of.length)}
          </Mark>
        ) : of.length === 1 ? (
          <Mark tone="good" icon={Check}>
            {say.onePersonS}
          </Mark>
        ) : (
          <Mark tone="ask" icon={CircleDashed}>
            {say.nobodyS}
          </Mark>
        )
      },
    },
    {
      id: 'people',
      head: say.whoThey,
      width: 160,
      grows: true,
      cell: (file) => {
        const of = owners.get(file.id) ?? []
        const near = proposed.get(file.id)
        return (
          <>
            {of.slice(0, 3).map((p, i) => (
              <span key={p.rowId}>
                {i > 0 && ', '}
                <Button kind="quiet" className="min-h-6 px-0 py-0" onClick={() => choose(p.rowId)}>
                  {p.person}
                </Button>
              </span>
            ))}
            {of.length > 3 && say.more(of.length)}
            {of.length === 0 && near && editable && (
              <Button
                kind="quiet"
                className="min-h-6 py-0"
                title={near.why}
                onClick={() => giveTo(near.rowId, file.id)}
              >
                {say.give2(near.person)}
              </Button>
            )}
            {of.length === 0 && !near && inHand && editable && file.role === 'own' && (
              <Button kind="quiet" className="min-h-6 py-0" onClick={() => giveTo(inHand.rowId, file.id)}>
                {say.give2(inHand.person)}
              </Button>
            )}
          </>
        )
      },
    },
    {
      id: 'size',
      head: say.size,
      width: 80,
      by: (file) => file.size,
      right: true,
      className: 'text-[13px] text-ink-2',
      cell: (file) => sizeWords(file.size),
    },
    ...(editable
      ? [{ id: 'remove', head: '', width: 28, cell: (file: RoundFileEntry) => <RemoveFile file={file} /> }]
      : []),
  ]
  return (
    <PersonTable
      label={say.filesTheirPeople}
      columns={columns}
      lines={files}
      keyOf={(file) => file.id}
      isChosen={(file) => owners.get(file.id)?.some((p) => p.rowId === person?.id) ?? false}
      heightOf={(file) => (proposed.has(file.id) ? 54 : 34)}
      below={(file) => {
        const near = proposed.get(file.id)
        return near && <p className="truncate pl-[18.5rem] text-[13px] text-ink-2">{say.as2(near.why)}</p>
      }}
    />
  )
}
