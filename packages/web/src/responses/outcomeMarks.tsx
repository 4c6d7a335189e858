import { type Outcome, outcomeWords } from '@hand-post/core'
import {
  Bot,
  Check,
  CircleHelp,
  Clock3,
  Clock4,
  CornerUpLeft,
  Eye,
  type LucideIcon,
  MailMinus,
  MailX,
  MousePointerClick,
  Undo2,
} from 'lucide-react'
import { Mark, type Tone } from '../shared/parts.tsx'

const marks: Record<Outcome, [Tone, LucideIcon]> = {
  waiting: ['plain', Clock3],
  inDoubt: ['ask', CircleHelp],
  withdrawn: ['plain', Undo2],
  refused: ['stop', MailX],
  bounced: ['stop', MailX],
  replied: ['good', CornerUpLeft],
  optedOut: ['note', MailMinus],
  automatic: ['note', Bot],
  clicked: ['good', MousePointerClick],
  opened: ['good', Eye],
  receipt: ['good', Check],
  delayed: ['ask', Clock4],
  delivered: ['plain', Check],
  sent: ['plain', Check],
}

/** The mark of an outcome, with its words. */
export function OutcomeMark({ outcome }: { outcome: Outcome }) {
  const [tone, icon] = marks[outcome]
  return (
    <Mark tone={tone} icon={icon}>
      {outcomeWords[outcome]}
    </Mark>
  )
}
