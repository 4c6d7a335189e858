import { routes } from '@hand-post/contract'
import { BellPlus } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale } from '../api.ts'
import { DateEntry } from '../shared/dates.tsx'
import { moment } from '../shared/moment.ts'
import { Button, FaultLine } from '../shared/parts.tsx'
import { keys } from '../shared/queries.ts'
import { typedMoment } from './BringBack.tsx'
import { Card } from './Card.tsx'
import { remindMe as say } from './words.ts'

/** Reminds the writer, at a time, of those of a round who have not answered by then. */
export function RemindMe({
  roundId,
  people,
  zone,
}: {
  roundId: number
  /** Some people of the round: how many, and their rows; null is everybody in it. */
  people: { n: number; rows: () => Promise<number[]> } | null
  zone: string
}) {
  const [open, setOpen] = useState(false)
  const [typed, setTyped] = useState('')
  const [fault, setFault] = useState<string | null>(null)
  const remind = async () => {
    const meant = typedMoment(typed, zone, Date.now())
    if ('fault' in meant) return setFault(meant.fault)
    try {
      const rows = people && (await people.rows())
      await ask(routes.addReminder, { params: { round: roundId }, body: { rows, at: meant.at } })
      toast(say.done(moment(meant.at)))
      setOpen(false)
      setTyped('')
      setFault(null)
      await stale(keys.inTray(), keys.rounds())
    } catch (error) {
      setFault(faultWords(error))
    }
  }
  return (
    <Card
      label={say.remindMe}
      open={open}
      setOpen={setOpen}
      align="end"
      trigger={
        <Button>
          <BellPlus aria-hidden size={16} /> {say.remindMe}
        </Button>
      }
    >
      <p>{say.of(people?.n ?? null)}</p>
      <p className="text-[13px] text-ink-2">{say.with}</p>
      <DateEntry label={say.when} kind="dateTime" value={typed} onChange={setTyped} />
      {fault !== null && <FaultLine fault={{ id: 'remind-me-fault', words: fault }} />}
      <Button kind="primary" onClick={() => void remind()}>
        {say.remind}
      </Button>
    </Card>
  )
}
