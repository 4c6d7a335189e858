import type { Pile } from '@hand-post/core'
import { pileWords } from '@hand-post/core'
import {
  CalendarClock,
  CheckCheck,
  CircleHelp,
  CornerUpLeft,
  ListChecks,
  type LucideIcon,
  MailSearch,
  MailX,
  Smile,
} from 'lucide-react'
import { Mark, type Tone } from '../shared/parts.tsx'

const marks: Record<Pile, [Tone, LucideIcon]> = {
  question: ['ask', CircleHelp],
  answer: ['good', CornerUpLeft],
  returned: ['stop', MailX],
  perhaps: ['ask', MailSearch],
  automatic: ['note', CalendarClock],
  thanks: ['plain', Smile],
  choice: ['good', ListChecks],
  receipt: ['plain', CheckCheck],
}

/** The mark of a pile: told by its word and its shape. */
export function PileMark({ pile }: { pile: Pile }) {
  const [tone, icon] = marks[pile]
  return (
    <Mark tone={tone} icon={icon}>
      {pileWords[pile]}
    </Mark>
  )
}
