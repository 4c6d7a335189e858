import { useQuery } from '@tanstack/react-query'
import { useWork } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { query } from '../shared/queries.ts'
import { nextDeparture as say, timetableChart } from './words.ts'

/** A wait shorter than this is only the pace, and not worth a word. */
const worthSaying = 3 * 60_000

/** Says when a posted round goes on, and why not sooner; '' when it is not waiting for anything but its pace. */
export function useNextDeparture(): string {
  const { round } = useWork()
  const table = useQuery({ ...query.timetable(round.id), enabled: round.postedAt !== null }).data
  const mailbox = useQuery(query.mailboxes()).data?.find((m) => m.id === round.mailboxId)
  const next = table?.departures.find((d) => !d.gone)
  if (!table || !mailbox || !next || next.at - Date.now() < worthSaying) return ''
  const at = moment(next.at, mailbox.timeZone)
  const what = next.by && timetableChart.holds[next.by]
  return what ? say.goesAfter(at, what) : say.goes(at)
}
