import { type Reminder, routes } from '@hand-post/contract'
import { BellRing, Check, MailPlus } from 'lucide-react'
import { useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { ask, tellFault } from '../api.ts'
import { moment } from '../shared/moment.ts'
import { Button } from '../shared/parts.tsx'
import { beginChaser } from './beginChaser.ts'
import { trayActions } from './trayActions.ts'
import { reminders as say } from './words.ts'

/** How many people are named in a line. */
const named = 6

/** What the writer wanted to be reminded of: the people who have not answered, by name. */
export function Reminders({ reminders }: { reminders: Reminder[] }) {
  const navigate = useNavigate()
  const [busy, setBusy] = useState<number | null>(null)
  /** Begins a chaser to those of a reminder who have not answered: whoever has by the time it leaves gets none. */
  const write = async (id: number) => {
    setBusy(id)
    try {
      const { round, rows } = await ask(routes.reminderRows, { params: { reminder: id } })
      await beginChaser(round, rows, { who: ['silent'] }, navigate)
    } catch (error) {
      tellFault(error)
    } finally {
      setBusy(null)
    }
  }
  if (reminders.length === 0) return null
  return (
    <ul aria-label={say.title} className="space-y-1">
      {reminders.map(({ id, roundId, round, due, dueAt, unanswered, about, people }) => (
        <li key={id} className="paper flex flex-wrap items-center gap-x-3 gap-y-1 px-3 py-2 text-[14px]">
          <BellRing aria-hidden size={16} className={due ? 'text-ask' : 'text-ink-2'} />
          <span className="min-w-60 flex-1">
            <b>{due ? say.due(round, unanswered, about) : say.coming(round, moment(dueAt))}</b>
            {due && people.length > 0 && (
              <span className="block text-ink-2">
                {say.people(
                  people.slice(0, named).map((p) => p.person),
                  unanswered - Math.min(people.length, named),
                )}
              </span>
            )}
          </span>
          {due && unanswered > 0 && (
            <Button disabled={busy === id} onClick={() => void write(id)}>
              <MailPlus aria-hidden size={16} /> {say.write(unanswered)}
            </Button>
          )}
          <Link className="text-post underline" to={`/rounds/${roundId}/responses`}>
            {say.board}
          </Link>
          <Button onClick={() => void trayActions.endReminder(id)}>
            <Check aria-hidden size={16} /> {say.done}
          </Button>
        </li>
      ))}
    </ul>
  )
}
