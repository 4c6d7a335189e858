import type { SentAnswer } from '@hand-post/contract'
import { sizeWords } from '@hand-post/core'
import { Paperclip, PenLine, Undo2 } from 'lucide-react'
import { Link } from 'react-router'
import { moment } from '../shared/moment.ts'
import { Button, Say } from '../shared/parts.tsx'
import { withdrawAnswer, writeAgain } from './AnswerSheet.tsx'
import { sentAnswers as say } from './words.ts'

/** What was answered to an entry from here, each with what has become of it. */
export function SentAnswers({
  entry,
  answers,
  onWrite,
}: {
  entry: number
  answers: SentAnswer[]
  onWrite: () => void
}) {
  if (answers.length === 0) return null
  return (
    <section aria-label={say.title} className="space-y-2 border-rule border-y py-2">
      <h3 className="text-[13px] text-ink-2">{say.title}</h3>
      {answers.map((answer) => (
        <div key={answer.id} className="space-y-1 border-rule border-l-2 pl-3">
          <p className="text-[13px] text-ink-2">{say.written(moment(answer.at))}</p>
          <p className="whitespace-pre-wrap break-words">{answer.words}</p>
          {answer.files.map((file) => (
            <p key={file.name} className="flex items-center gap-1.5 text-[13px]">
              <Paperclip aria-hidden size={14} /> <span className="break-all">{file.name}</span>
              <span className="text-ink-2">{sizeWords(file.size)}</span>
            </p>
          ))}
          <Fate answer={answer} />
          {(answer.state === 'waiting' || answer.state === 'retrying') && (
            <Button onClick={() => void withdrawAnswer(entry, answer)}>
              <Undo2 aria-hidden size={16} /> {say.withdraw}
            </Button>
          )}
          {(answer.state === 'refused' || answer.state === 'setAside' || answer.state === 'withdrawn') && (
            <Button
              onClick={() => {
                writeAgain(entry, answer)
                onWrite()
              }}
            >
              <PenLine aria-hidden size={16} /> {say.again}
            </Button>
          )}
        </div>
      ))}
    </section>
  )
}

/** What has become of an answer, in words. */
function Fate({ answer: { state, plannedAt, sentAt, reason, asksWriter } }: { answer: SentAnswer }) {
  switch (state) {
    case 'waiting':
      return <Say>{say.leaves(plannedAt)}</Say>
    case 'sending':
      return <Say>{say.leaving}</Say>
    case 'sent':
      return <Say tone="good">{say.sent(sentAt)}</Say>
    case 'retrying':
      return <Say tone="ask">{say.retrying(plannedAt, reason ?? '')}</Say>
    case 'withdrawn':
      return <Say>{say.withdrawn}</Say>
    case 'inDoubt':
      return asksWriter ? (
        <Say tone="stop">
          {say.doubt}{' '}
          <Link className="underline" to="/out-tray">
            {say.outTray}
          </Link>
          .
        </Say>
      ) : (
        <Say tone="ask">{say.looking}</Say>
      )
    default:
      return <Say tone="stop">{say.notGone(reason ?? '')}</Say>
  }
}
