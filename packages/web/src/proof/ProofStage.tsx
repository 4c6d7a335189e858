import { type FindingEntry, type Proof, routes } from '@hand-post/contract'
import { changeFields, type Letter, shown, swapMark, swapNameInCell } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import clsx from 'clsx'
import { CheckCheck, Inbox } from 'lucide-react'
import { Popover } from 'radix-ui'
import { type FormEvent, useMemo, useState } from 'react'
import { FormProvider } from 'react-hook-form'
import { toast } from 'sonner'
import { faultWords, stale, useChange } from '../api.ts'
import { useTakeOut } from '../enclosures/useTakeOut.ts'
import { wayWords } from '../rounds/PeopleStage.tsx'
import { isOpen, useLetter, usePerson, useRow, useWork } from '../rounds/RoundContext.tsx'
import { useBlanks } from '../rounds/useBlanks.ts'
import { NoneFound, useFind, useKeptScroll } from '../shared/find.tsx'
import { Field, FormFault, useFormChange, useSchemaForm } from '../shared/form.tsx'
import { Button, Empty, StateMark, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { AllMessages } from './AllMessages.tsx'
import { ReadingSet } from './ReadingSet.tsx'
import { proofStage as say } from './words.ts'

type Grade = FindingEntry['grade']
const gradeWords: Record<Grade, string> = { stop: say.mustSettled, ask: say.wantsYourWord, note: say.know }
/** How many findings of a kind are shown before asking for the rest. */
const shownAtFirst = 25

/** Proof: everything that was found in the messages of the whole round, each with what can be done. */
export default function ProofStage() {
  const { round, goTo } = useWork()
  const posted = !isOpen(round)
  const proof = useQuery({ ...query.proof(round.id), enabled: round.list !== null && !posted })
  const progress = useProgress(round.id)
  const first = useFirstFindings(proof.data === undefined && !proof.error && round.list !== null && !posted)
  if (posted)
    return (
      <Empty
        title={say.roundProofedBeforePosted}
        action={
          <>
            <Button onClick={() => goTo('dispatch')}>{say.seeDispatch}</Button>
            <AllMessages />
          </>
        }
      >
        {say.messagesFrozenWhatEach}
      </Empty>
    )
  if (!round.list)
    return (
      <Empty title={say.nothingProofYet} action={<Button onClick={() => goTo('people')}>{say.bringList}</Button>}>
        {say.asSoonAsThere}
      </Empty>
    )
  if (proof.error) return <Empty title={say.proofBrokeOff}>{faultWords(proof.error)}</Empty>
  if (!proof.data && first)
    return (
      <Findings
        proof={first}
        sofar={progress ? `${progress.done.toLocaleString('en-GB')} of ${progress.of.toLocaleString('en-GB')}` : ''}
      />
    )
  if (!proof.data)
    return (
      <Waiting>
        {progress
          ? `${progress.words}: ${progress.done.toLocaleString('en-GB')} of ${progress.of.toLocaleString('en-GB')}…`
          : say.makingCheckingEveryMessage}
      </Waiting>
    )
  return <Findings proof={proof.data} />
}

/** The way to the rehearsal, taken when what was typed is kept. */
function Rehearse() {
  const { written, goTo } = useWork()
  return (
    <Button kind="quiet" className="text-[14px]" onClick={() => void written().then(() => goTo('rehearsal'))}>
      <Inbox aria-hidden size={15} /> {say.rehearse}
    </Button>
  )
}

/** From how many people on a proof takes long enough to show what is found of the first of them meanwhile. */
const many = 1000

/** What is found of the first people, while the whole proof is still made. */
function useFirstFindings(wanted: boolean): Proof | null {
  const { round, chosen } = useWork()
  const found = useQuery({
    ...query.firstFindings(round.id, chosen.slice(0, 100)),
    enabled: wanted && chosen.length >= many,
  }).data
  if (!found || !wanted) return null
  return { people: 100, unread: 0, findings: found.findings, stops: 0, asks: 0, mayPost: false }
}

function Findings({ proof, sofar }: { proof: Proof; sofar?: string }) {
  const { goTo, round } = useWork()
  const { field, find, fits } = useFind('findings', `findings ${round.id}`)
  const scroll = useKeptScroll(`findings ${round.id}`)
  const [only, setOnly] = useState<Grade | null>(null)
  const groups = useMemo(() => {
    const byCheck = new Map<string, FindingEntry[]>()
    for (const f of proof.findings) {
      const same = byCheck.get(f.check)
      if (same) same.push(f)
      else byCheck.set(f.check, [f])
    }
    return [...byCheck.values()]
  }, [proof.findings])
  const count = (grade: Grade) => proof.findings.filter((f) => f.grade === grade).length
  const seen = groups
    .filter(([first]) => only === null || first.grade === only)
    .map((group) => group.filter((f) => fits(f.person, f.title, f.message, f.accepted)))
    .filter((group) => group.length > 0)
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-center gap-2 border-rule border-b px-4 py-2">
        <p role="status" className="min-w-72 flex-1">
          <b>{sofar === undefined ? say.madeChecked(proof.people) : say.first100MessagesChecked}</b>{' '}
          {sofar !== undefined
            ? say.othersTheirWay(sofar)
            : proof.mayPost
              ? say.nothingLeftSettle
              : proof.stops + proof.asks === 0
                ? say.nothingLeftSettleBut(proof.unread)
                : `${proof.stops > 0 ? say.mustSettled2(proof.stops) : ''}${proof.stops > 0 && proof.asks > 0 ? ', ' : ''}${proof.asks > 0 ? say.yourWord(proof.asks) : ''}.`}
        </p>
        {proof.people > 0 && (
          <span className="flex gap-1 self-start">
            {round.postedAt === null && <Rehearse />}
            <AllMessages />
          </span>
        )}
        <div className="flex w-full flex-wrap items-center gap-2">
          {(['stop', 'ask', 'note'] as const).map(
            (grade) =>
              count(grade) > 0 && (
                <button
                  key={grade}
                  type="button"
                  aria-pressed={only === grade}
                  title={gradeWords[grade]}
                  onClick={() => setOnly(only === grade ? null : grade)}
                  className={clsx(
                    'rounded-paper p-0.5',
                    only === grade ? 'ring-2 ring-post' : 'hover:ring-1 hover:ring-rule',
                  )}
                >
                  <StateMark state={grade}>
                    {grade} {count(grade)}
                  </StateMark>
                </button>
              ),
          )}
          {proof.findings.length > manyFindings && field}
        </div>
      </header>
      {proof.people > 0 && sofar === undefined && <ReadingSet />}
      <div ref={scroll} className="min-h-0 flex-1 overflow-auto">
        {proof.mayPost && (
          <Empty
            title={say.nothingSettle}
            action={
              <Button kind="primary" onClick={() => goTo('dispatch')}>
                {say.goDispatch}
              </Button>
            }
          >
            <CheckCheck aria-hidden className="mx-auto mb-2 text-good" />
            {say.everyMessageRoundMade}
          </Empty>
        )}
        {seen.map((group) => (
          <Group key={group[0].check} findings={group} searched={find !== ''} />
        ))}
        {seen.length === 0 && find !== '' && <NoneFound find={find} />}
      </div>
    </div>
  )
}

/** From how many findings on they are searched. */
const manyFindings = 5

function Group({ findings, searched }: { findings: FindingEntry[]; searched: boolean }) {
  const [all, setAll] = useState(false)
  const [{ title, grade }] = findings
  const open = findings.filter((f) => f.accepted === null)
  return (
    <section aria-label={title} className="border-rule border-b">
      <header className="sticky top-0 z-10 flex flex-wrap items-center gap-2 bg-sheet-2 px-4 py-1.5">
        <StateMark state={grade} />
        <h2 className="text-[16px]">{title}</h2>
        <span className="text-[13px] text-ink-2">{say.nFindings(findings.length)}</span>
        {grade === 'ask' && open.length > 1 && (
          <Accept findings={open.map((f) => f.key)} label={say.acceptAll(open.length, searched)} />
        )}
      </header>
      <ul>
        {findings.slice(0, all ? undefined : shownAtFirst).map((f) => (
          <Finding key={f.key} finding={f} />
        ))}
      </ul>
      {!all && findings.length > shownAtFirst && (
        <Button kind="quiet" className="mx-4 my-1" onClick={() => setAll(true)}>
          {say.showOther(findings.length, shownAtFirst)}
        </Button>
      )}
    </section>
  )
}

function Finding({ finding }: { finding: FindingEntry }) {
  const { person, choose } = usePerson()
  const here = finding.rowId !== null && finding.rowId === person?.id
  return (
    <li className={clsx('border-rule border-t px-4 py-2', here && 'bg-post-tint')}>
      <p>
        {finding.person !== null && (
          <button
            type="button"
            className="mr-1.5 font-bold text-post underline decoration-1 underline-offset-2"
            title={say.showPersonSMessage}
            onClick={() => choose(finding.rowId!)}
          >
            {finding.person}
          </button>
        )}
        {finding.message}
      </p>
      {finding.accepted !== null ? (
        <p className="mt-1 text-[13px] text-ink-2">
          {say.accepted(finding.accepted)} <Unaccept finding={finding} />
        </p>
      ) : (
        <div className="mt-1 flex flex-wrap items-center gap-1.5">
          {finding.mends.map((mend, i) => (
            <MendButton key={i} mend={mend} />
          ))}
          {finding.grade === 'ask' && <Accept findings={[finding.key]} label={say.accept} />}
        </div>
      )}
    </li>
  )
}

const accepting = routes.accept.body.pick({ reason: true })

function Accept({ findings, label }: { findings: string[]; label: string }) {
  const { round } = useWork()
  const [open, setOpen] = useState(false)
  const form = useSchemaForm(accepting, { reason: '' })
  const accept = useFormChange(form, routes.accept, () => {
    setOpen(false)
    return stale(keys.round(round.id))
  })
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger asChild>
        <Button className="text-[14px]">{label}…</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content align="start" className="paper z-50 w-80 p-4 shadow-lg">
          <FormProvider {...form}>
            <form
              noValidate
              className="space-y-3"
              onSubmit={form.handleSubmit(({ reason }) =>
                accept.mutate({ params: { round: round.id }, body: { keys: findings, reason } }),
              )}
            >
              <Field name="reason" label={say.whyRightAs} hint={say.reasonKeptRound}>
                {(control) => <input className="input w-full" placeholder={say.theyShareMailbox} {...control} />}
              </Field>
              <FormFault />
              <Button kind="primary" type="submit" disabled={accept.isPending}>
                {say.accept}
              </Button>
            </form>
          </FormProvider>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

function Unaccept({ finding }: { finding: FindingEntry }) {
  const { round } = useWork()
  const back = useChange(routes.unaccept, () => stale(keys.round(round.id)))
  return (
    <Button kind="quiet" onClick={() => back.mutate({ params: { round: round.id }, body: { keys: [finding.key] } })}>
      {say.takeBack}
    </Button>
  )
}

const stageWords = {
  people: say.goPeople,
  letter: say.goLetter,
  enclosures: say.goEnclosures,
  dispatch: say.goDispatch2,
}

/** What can be done on the spot, each undone as easily. */
function MendButton({ mend }: { mend: FindingEntry['mends'][number] }) {
  const { round, change, editCell, undoCell, goTo } = useWork()
  const { letter } = useLetter()
  const fresh = () => stale(keys.round(round.id))
  const takeBack = useChange(routes.takeBack, fresh)
  const setAside = useChange(routes.setAside, fresh)
  const match = useChange(routes.matchFiles, fresh)
  const unmatch = useChange(routes.unmatchFiles, fresh)
  const takeOut = useTakeOut()
  const make = useChange(routes.makeFiles, fresh)
  const name = (columnId: string) => round.list?.columns.find((c) => c.id === columnId)?.name ?? ''
  const row = useRow(mend.do === 'editCell' || mend.do === 'renameInCell' ? mend.rowId : null)
  const undo = (words: string, act: () => void) => toast(words, { action: { label: say.undo, onClick: act } })
  const button = (words: string, act: () => void) => (
    <Button className="text-[14px]" onClick={act}>
      {words}
    </Button>
  )
  const putLetter = (words: string, next: typeof letter) => {
    const before = letter
    void change({ letter: next }).then(() => undo(words, () => void change({ letter: before })))
  }
  switch (mend.do) {
    case 'editCell': {
      if (row === null) return null
      const text = shown(row.cells[mend.columnId])
      return (
        <TypeIn
          key={text}
          label={name(mend.columnId)}
          start={text}
          mayBeBlank
          act={(text) => void editCell(mend.rowId, mend.columnId, text).then(() => undo(say.cellChanged, undoCell))}
        />
      )
    }
    case 'setAside':
      return button(say.setAside, () => {
        const params = { round: round.id, row: mend.rowId }
        // The finding goes away with this, and what waits for its button would not be called any more.
        void setAside
          .mutateAsync({ params, body: { reason: say.foundProof } })
          .then(() => undo(say.setAsidePersonGets, () => takeBack.mutate({ params })))
          .catch(() => {})
      })
    case 'standIn':
      return <StandIns column={mend.column} put={putLetter} />
    case 'swapField':
      return button(say.swapEverywhere(mend.to), () =>
        putLetter(
          say.swapped(mend.from, mend.to),
          changeFields(letter, (f) => (f.column === mend.from ? { ...f, column: mend.to } : f)),
        ),
      )
    case 'swapMark':
      return button(say.putFieldPlace(mend.to), () =>
        putLetter(say.swapped2(mend.mark, mend.to), swapMark(letter, mend.mark, mend.to)),
      )
    case 'renameInCell':
      return (
        row &&
        button(
          say.take(mend.to),
          () =>
            void editCell(
              mend.rowId,
              mend.columnId,
              swapNameInCell(shown(row.cells[mend.columnId]), mend.from, mend.to),
            ).then(() => undo(say.nameRowChanged, undoCell)),
        )
      )
    case 'sameAddress':
      return button(
        wayWords[mend.way],
        () =>
          void change({ sameAddress: mend.way }).then(() =>
            undo(say.holdsAllThem, () => void change({ sameAddress: null })),
          ),
      )
    case 'match':
    case 'unmatch': {
      const { rowId, fileId, name: file } = mend
      const input = { params: { round: round.id }, body: { matches: [{ rowId, fileId }] } }
      const [act, back] = mend.do === 'match' ? [match, unmatch] : [unmatch, match]
      return button(
        mend.do === 'match' ? say.give(file) : say.takeFileBack(file),
        () =>
          void act
            .mutateAsync(input)
            .then(() => undo(mend.do === 'match' ? say.given(file) : say.takenBack(file), () => back.mutate(input)))
            .catch(() => {}),
      )
    }
    case 'removeFile': {
      const file = round.files.find((f) => f.id === mend.fileId)
      return button(say.takeOut, () => void (file && takeOut([file])))
    }
    case 'makeFiles':
      return button(say.makeFilesNow, () => {
        void make
          .mutateAsync({ params: { round: round.id } })
          .then(({ made }) => toast(say.made(made)))
          .catch(() => {})
      })
    case 'noOwnFiles': {
      const before = round.filesColumn
      return button(
        say.noFilesLetter,
        () =>
          void change({ filesColumn: null }).then(() =>
            undo(say.nobodyGetsFileTheir, () => void change({ filesColumn: before })),
          ),
      )
    }
    default:
      return button(stageWords[mend.stage], () => goTo(mend.stage, mend.find))
  }
}

/** What is written for all whose cell is blank: nothing, or a stand-in. What is likelier stands first. */
function StandIns({ column, put }: { column: string; put: (words: string, next: Letter) => void }) {
  const { letter } = useLetter()
  const blanks = useBlanks(column)
  // A place that has words of its own for a blank keeps them.
  const withStandIn = (standIn: string) =>
    changeFields(letter, (f) => (f.column === column && f.standIn === null ? { ...f, standIn } : f))
  const nothing = (
    <Button
      key="nothing"
      className="text-[14px]"
      onClick={() => put(say.nothingWrittenWhereBlank(column), withStandIn(''))}
    >
      {say.writeNothingAllThem}
    </Button>
  )
  const words = (
    <TypeIn
      key="words"
      label={say.orTheseWordsAll}
      start=""
      act={(text) => put(say.writtenWhereBlank(text, column), withStandIn(text))}
    />
  )
  return blanks?.many ? [nothing, words] : [words, nothing]
}

/** Mends by typing: a cell, or a stand-in. */
function TypeIn({
  label,
  start,
  mayBeBlank = false,
  act,
}: {
  label: string
  start: string
  mayBeBlank?: boolean
  act: (text: string) => void
}) {
  const [text, setText] = useState(start)
  const ready = text !== start && (mayBeBlank || text.trim() !== '')
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (ready) act(text.trim())
  }
  return (
    <form onSubmit={submit} className="flex items-center">
      <label className="flex items-center gap-1.5 text-[13px] text-ink-2">
        {label}
        <input className="input w-44 rounded-r-none text-ink" value={text} onChange={(e) => setText(e.target.value)} />
      </label>
      <Button type="submit" className="-ml-px rounded-l-none text-[14px]" disabled={!ready}>
        {say.change}
      </Button>
    </form>
  )
}
