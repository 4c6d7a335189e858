import { useQuery } from '@tanstack/react-query'
import { BellRing } from 'lucide-react'
import { Link } from 'react-router'
import { toast } from 'sonner'
import { faultWords } from '../api.ts'
import { PileMark } from '../responses/pileMarks.tsx'
import { Reminders } from '../responses/Reminders.tsx'
import { RoundLines } from '../rounds/RoundLines.tsx'
import { StartRound } from '../rounds/StartRound.tsx'
import { moment, shortMoment } from '../shared/moment.ts'
import { Button, Empty, Mark, Paper, Say, Waiting } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { noteTourOffered, openTour, useTourOffered } from '../shared/tour.ts'
import { UnderWay } from '../shared/UnderWay.tsx'
import { desk as say, tour } from './words.ts'

/** The desk: what is going out, what came back, what waits for me. */
export function Desk() {
  const desk = useQuery(query.desk())
  if (desk.error) return <Empty title={say.deskCannotShown}>{faultWords(desk.error)}</Empty>
  if (!desk.data) return <Waiting />
  const { goingOut, cameBack, waits, finished, now } = desk.data
  const nothing = goingOut.length + finished.length + waits.drafts.length === 0
  return (
    <div className="mx-auto max-w-6xl space-y-4 p-5">
      <header className="flex flex-wrap items-end justify-between gap-3">
        <div>
          <h1 className="text-2xl">{say.desk}</h1>
          <p className="text-ink-2">{moment(now)}</p>
        </div>
        <StartRound />
      </header>
      <TourOffer />
      {waits.faults.map((fault) => (
        <Say key={`${fault.what} ${fault.words}`} tone={fault.stops ? 'stop' : 'ask'}>
          {fault.words}
        </Say>
      ))}
      {waits.pausedMailboxes.map((m) => (
        <Say key={m.id} tone="ask">
          <b>{m.name}</b> {m.until ? say.waitsUntil(m.until) : say.stopped}: {m.reason}{' '}
          <Link className="underline" to="/mailboxes">
            {say.lookMailbox}
          </Link>
        </Say>
      ))}
      {waits.inDoubt > 0 && (
        <Say tone="ask">
          {say.doubtNotKnownWhether(waits.inDoubt)}{' '}
          <Link className="underline" to="/out-tray">
            {say.settleOutTray}
          </Link>
        </Say>
      )}
      <UnderWay />
      <Reminders reminders={waits.reminders} />
      {nothing ? (
        <Paper>
          <Empty title={say.nothingDeskYet} action={<StartRound />} shows={say.shows}>
            {say.roundOneLetterGoing}
          </Empty>
        </Paper>
      ) : (
        <div className="grid gap-4 *:min-w-0 lg:grid-cols-2">
          <Paper title={say.whatGoingOut} className="lg:col-span-2">
            {goingOut.length > 0 ? (
              <RoundLines lines={goingOut} />
            ) : (
              <p className="p-4 text-ink-2">{say.nothingWayJustNow}</p>
            )}
          </Paper>
          <Paper
            title={say.whatCameBack}
            actions={
              <Link className="text-post underline" to="/in-tray">
                {waits.inTray > 0 ? say.trayOpen(waits.inTray) : say.tray}
              </Link>
            }
          >
            {cameBack.length === 0 ? (
              <p className="p-4 text-ink-2">{say.noAnswerWaitsRead}</p>
            ) : (
              <ul>
                {cameBack.map((entry) => (
                  <li key={entry.id} className="border-rule border-b last:border-0">
                    <Link to={`/in-tray?entry=${entry.id}`} className="block px-4 py-2 hover:bg-sheet-2">
                      <span className="flex items-center gap-2">
                        <PileMark pile={entry.pile} />
                        {entry.state === 'back' && (
                          <Mark tone="ask" icon={BellRing}>
                            {say.broughtBack}
                          </Mark>
                        )}
                        <b>{entry.person}</b>
                        <span className="ml-auto whitespace-nowrap text-[13px] text-ink-2">
                          {shortMoment(entry.at, now)}
                        </span>
                      </span>
                      <span className="mt-0.5 line-clamp-1 text-ink-2">{entry.words.split('\n')[0]}</span>
                    </Link>
                  </li>
                ))}
              </ul>
            )}
          </Paper>
          <Paper title={say.whatWaitsMe}>
            {waits.toPrint.length + waits.drafts.length > 0 ? (
              <RoundLines lines={[...waits.toPrint, ...waits.drafts]} narrow />
            ) : (
              <p className="p-4 text-ink-2">{say.noRoundUnfinished}</p>
            )}
          </Paper>
          {finished.length > 0 && (
            <Paper title={say.finished} className="lg:col-span-2">
              <RoundLines lines={finished} />
            </Paper>
          )}
        </div>
      )}
    </div>
  )
}

/** Offers the tour, once on each machine. */
function TourOffer() {
  if (useTourOffered()) return null
  return (
    <section aria-label={tour.title} className="paper flex flex-wrap items-center gap-3 px-4 py-2.5">
      <p className="min-w-64 flex-1">{tour.offer}</p>
      <Button kind="primary" onClick={() => openTour('beginning')}>
        {tour.show}
      </Button>
      <Button
        onClick={() => {
          noteTourOffered()
          toast(tour.laterMore)
        }}
      >
        {tour.later}
      </Button>
    </section>
  )
}
