import { type Round, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { CircleAlert, CircleHelp } from 'lucide-react'
import { lazy, Suspense, useCallback, useEffect, useMemo, useState, useSyncExternalStore } from 'react'
import { Group, Panel, Separator } from 'react-resizable-panels'
import { useNavigate, useParams } from 'react-router'
import { faultWords, queries, useChange } from '../api.ts'
import { PracticeMark } from '../mailboxes/PracticeMark.tsx'
import { MessagePane } from '../rounds/MessagePane.tsx'
import { isOpen, OpenRound, useLetter, usePerson, useWork } from '../rounds/RoundContext.tsx'
import { useBeingHere } from '../rounds/useCompany.ts'
import { Boundary } from '../shared/Boundary.tsx'
import { usePaletteActions } from '../shared/paletteActions.ts'
import { Ask, Button, Empty, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sharing } from '../shared/Sharing.tsx'
import { openTour } from '../shared/tour.ts'
import { UnderWayOfOthers } from '../shared/UnderWay.tsx'
import { useKept } from '../shared/useKept.ts'
import { RoutingSlip, stages } from './RoutingSlip.tsx'
import { roundScreen as say, tour } from './words.ts'

const stageScreens = {
  people: lazy(() => import('./PeopleOfRound.tsx')),
  letter: lazy(() => import('../letter/LetterStage.tsx')),
  enclosures: lazy(() => import('../enclosures/EnclosuresStage.tsx')),
  proof: lazy(() => import('../proof/ProofStage.tsx')),
  dispatch: lazy(() => import('../dispatch/DispatchStage.tsx')),
  responses: lazy(() => import('../responses/ResponsesStage.tsx')),
}
const AmendBar = lazy(() => import('../dispatch/AmendBar.tsx'))
const ChaserBar = lazy(() => import('../dispatch/Chasers.tsx'))
const RowsTable = lazy(() => import('../rounds/RowsTable.tsx'))
type Stage = keyof typeof stageScreens

/** A round as a workspace: the routing slip, and the pair. */
export default function RoundScreen() {
  const params = useParams()
  const round = useQuery(query.round(Number(params.round)))
  if (round.error) return <Empty title={say.roundCannotShown}>{faultWords(round.error)}</Empty>
  if (!round.data) return <Waiting />
  return <Workspace key={round.data.id} round={round.data} given={params.stage} />
}

function stageOf(given: string | undefined, round: Round): Stage {
  if (given && given in stageScreens) return given as Stage
  if (round.postedAt === null) return 'people'
  const { states, paperLetters } = round
  return states.waiting + states.retrying + states.sending + paperLetters.toPrint > 0 ? 'dispatch' : 'responses'
}

/** A divided space whose division is remembered on this machine. */
const remembered = (name: string) => ({
  defaultLayout: JSON.parse(localStorage.getItem(name) ?? 'null') ?? undefined,
  onLayoutChanged: (layout: Record<string, number>) => localStorage.setItem(name, JSON.stringify(layout)),
})

/** Whether the window is as narrow as a telephone. */
function useNarrow(): boolean {
  const [narrow] = useState(() => matchMedia('(max-width: 767px)'))
  return useSyncExternalStore(
    (hear) => {
      narrow.addEventListener('change', hear)
      return () => narrow.removeEventListener('change', hear)
    },
    () => narrow.matches,
  )
}

function Workspace({ round, given }: { round: Round; given: string | undefined }) {
  const navigate = useNavigate()
  // Where a round opens is found out once: whatever becomes of it, nobody is taken away from where they are.
  const [opened] = useState(() => stageOf(given, round))
  const stage = given === undefined ? opened : stageOf(given, round)
  const goTo = useCallback(
    (next: string, find?: string) => void navigate(`/rounds/${round.id}/${next}`, { state: { find } }),
    [navigate, round.id],
  )
  return (
    <OpenRound round={round} goTo={goTo}>
      <Stages stage={stage} />
    </OpenRound>
  )
}

function Stages({ stage }: { stage: Stage }) {
  const navigate = useNavigate()
  const { round } = useWork()
  const { person, step } = usePerson()
  const narrow = useNarrow()
  const StageScreen = stageScreens[stage]
  useBeingHere(round.id, stage)

  useEffect(() => {
    const key = (event: KeyboardEvent) => {
      if (!event.altKey || event.ctrlKey || event.metaKey) return
      if (event.key === 'ArrowDown') step(event.shiftKey ? Number.POSITIVE_INFINITY : 1)
      else if (event.key === 'ArrowUp') step(event.shiftKey ? Number.NEGATIVE_INFINITY : -1)
      else if (stages[Number(event.key) - 1]) void navigate(`/rounds/${round.id}/${stages[Number(event.key) - 1].id}`)
      else return
      event.preventDefault()
    }
    addEventListener('keydown', key)
    return () => removeEventListener('keydown', key)
  }, [step, navigate, round.id])
  usePaletteActions(
    useMemo(
      () => [
        ...stages.map((s, i) => ({
          name: say.round(s.name),
          shortcut: `Alt ${i + 1}`,
          act: () => void navigate(`/rounds/${round.id}/${s.id}`),
        })),
        { name: say.nextPerson, shortcut: 'Alt ↓', act: () => step(1) },
        { name: say.previousPerson, shortcut: 'Alt ↑', act: () => step(-1) },
        { name: say.firstPerson, shortcut: 'Alt Shift ↑', act: () => step(Number.NEGATIVE_INFINITY) },
        { name: say.lastPerson, shortcut: 'Alt Shift ↓', act: () => step(Number.POSITIVE_INFINITY) },
      ],
      [navigate, round.id, step],
    ),
  )

  // Where the stage itself does not show the people, their rows stand below it: from the start, while they are still on
  // their way too, so that nothing typed meanwhile loses its cursor.
  const withRows = (stage === 'letter' || stage === 'proof') && round.list !== null
  const matter = (
    <section aria-label={stages.find((s) => s.id === stage)!.name} className="paper h-full overflow-auto">
      <Boundary of={stage} what={say.stage}>
        <Suspense fallback={<Waiting />}>
          <StageScreen />
        </Suspense>
      </Boundary>
    </section>
  )
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Title stage={stage} />
      <UnderWayOfOthers round={round.id} />
      {round.chases !== null && (
        <Suspense>
          <ChaserBar />
        </Suspense>
      )}
      {round.amendingSince !== null && (
        <Suspense>
          <AmendBar />
        </Suspense>
      )}
      <div className="flex min-h-0 flex-1 max-md:flex-col">
        <RoutingSlip stage={stage} />
        {narrow ? (
          <div className="min-h-0 flex-1 px-2 pb-2">{matter}</div>
        ) : (
          <Group orientation="horizontal" {...remembered('pair')} className="min-h-0 min-w-0 flex-1 pr-3 pb-3">
            <Panel id="matter" defaultSize="62%" minSize="35%" className="min-w-0">
              {withRows ? (
                <Group orientation="vertical" {...remembered('rows')}>
                  <Panel id="stage" minSize="40%">
                    {matter}
                  </Panel>
                  <Separator aria-label={say.divideRowsFromRest} className="group flex h-3 items-center">
                    <div className="h-px w-full bg-rule group-hover:h-1 group-hover:bg-post" />
                  </Separator>
                  {/* The head, three rows, and the line below them. */}
                  <Panel id="rows" defaultSize="168px" minSize="12%" collapsible>
                    <section aria-label={say.rows} className="paper flex h-full flex-col overflow-hidden">
                      <Boundary what={say.rows2}>
                        <Suspense fallback={<Waiting />}>
                          <RowsTable />
                        </Suspense>
                      </Boundary>
                    </section>
                  </Panel>
                </Group>
              ) : (
                matter
              )}
            </Panel>
            <Separator aria-label={say.dividePair} className="group w-3 outline-offset-[-2px]">
              <div className="mx-auto h-full w-px bg-rule group-hover:w-1 group-hover:bg-post" />
            </Separator>
            <Panel id="message" defaultSize="38%" minSize="24%" className="min-w-0">
              <Boundary of={person?.id} what={say.message}>
                <MessagePane reading={stage === 'proof'} />
              </Boundary>
            </Panel>
          </Group>
        )}
      </div>
    </div>
  )
}

const savingWords = {
  saved: say.everythingSaved,
  saving: say.saving,
  failed: (
    <span className="inline-flex items-center gap-1 font-bold text-stop">
      <CircleAlert aria-hidden size={14} /> {say.letterNotSaved}
    </span>
  ),
} as const

function Title({ stage }: { stage: Stage }) {
  const { round, change } = useWork()
  const { saving } = useLetter()
  const navigate = useNavigate()
  const [asking, setAsking] = useState(false)
  const title = useKept(round.title, (title) => void change({ title }))
  const remove = useChange(routes.deleteRound, () => {
    queries.removeQueries({ queryKey: keys.round(round.id) })
    void navigate('/rounds')
  })
  return (
    <header className="flex items-center gap-3 px-4 pt-2 pb-1.5">
      <h1 className="min-w-0 flex-1">
        <input
          aria-label={say.titleRound}
          maxLength={200}
          {...title.line}
          className="w-full rounded-paper bg-transparent px-1 font-semibold font-title text-xl hover:bg-sheet"
        />
      </h1>
      <PracticeMark mailboxId={round.mailboxId} />
      {/* As wide as the longest of them, so that the title keeps its width. */}
      <span role="status" className="min-w-44 text-right text-[13px] text-ink-2 max-md:hidden">
        {isOpen(round) ? savingWords[saving] : say.postedLettersFrozen}
      </span>
      <Sharing kind="round" thing={round.id} name={round.title} />
      {round.postedAt === null && (
        <Button kind="quiet" onClick={() => setAsking(true)}>
          {say.deleteIt}
        </Button>
      )}
      <Button onClick={() => openTour(stage)}>
        <CircleHelp aria-hidden size={16} /> {tour.helpWith(stages.find((s) => s.id === stage)!.name)}
      </Button>
      <Ask
        open={asking}
        onClose={() => setAsking(false)}
        title={say.deleteIt2(round.title)}
        act={
          <Button kind="primary" onClick={() => remove.mutate({ params: { round: round.id } })}>
            {say.deleteRound}
          </Button>
        }
      >
        <p>{say.letterChoicePeopleGo}</p>
      </Ask>
    </header>
  )
}
