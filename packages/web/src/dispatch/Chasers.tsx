import type { ChaserLine, Round } from '@hand-post/contract'
import { chasedWords, chaserAfterWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { MailPlus, Settings2 } from 'lucide-react'
import { useState } from 'react'
import { Link } from 'react-router'
import { useWork } from '../rounds/RoundContext.tsx'
import { moment } from '../shared/moment.ts'
import { Button, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { ChaserSheet } from './ChaserSheet.tsx'
import { chasers as say } from './words.ts'

/** How a chaser stands, in words. */
function standing(
  { postedAt, held, amendingSince, states, unfit, wantsWord, from }: ChaserLine,
  roundPosted: boolean,
): string {
  if (postedAt === null) return roundPosted ? say.notPosted : say.postedTogether
  const waiting = states.waiting + states.retrying
  const to = waiting - unfit - wantsWord
  return [
    states.sent > 0 && say.sent(states.sent),
    states.sending > 0 && say.sending(states.sending),
    to > 0 &&
      (amendingSince !== null
        ? say.amended(to)
        : held
          ? say.held(to)
          : from === null || states.sent > 0
            ? say.toGo(to)
            : say.toGoFrom(to, moment(from))),
    wantsWord > 0 && say.wantsWord(wantsWord),
    unfit > 0 && say.unfit(unfit),
    states.setAside > 0 && say.notNeeded(states.setAside),
    states.refused > 0 && say.refused(states.refused),
    states.inDoubt > 0 && say.inDoubt(states.inDoubt),
    states.withdrawn > 0 && say.withdrawn(states.withdrawn),
  ]
    .filter(Boolean)
    .join('; ')
}

/** The chasers of a round: further letters to those who have not answered, each with how it stands. */
export function Chasers({ round }: { round: Round }) {
  const { written } = useWork()
  const [adding, setAdding] = useState(false)
  const [changing, setChanging] = useState<ChaserLine | null>(null)
  const posted = round.postedAt !== null
  if (round.chases !== null) return null
  return (
    <section aria-label={say.chasers} className="shrink-0 border-rule border-b px-5 py-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h2 className="text-[17px]">{say.chasers}</h2>
        <p className="min-w-60 flex-1 text-[14px] text-ink-2">{round.chasers.length === 0 ? say.none : say.some}</p>
        <Button onClick={() => setAdding(true)}>
          <MailPlus aria-hidden size={16} /> {round.chasers.length === 0 ? say.add : say.addAnother}
        </Button>
      </div>
      {round.chasers.length > 0 && (
        <ul className="mt-1 space-y-0.5">
          {round.chasers.map((one) => (
            <li key={one.id} className="text-[14px]">
              <div className="flex flex-wrap items-center gap-x-3">
                <span className="min-w-72 flex-1">
                  <Link
                    className="font-bold text-post underline"
                    to={`/rounds/${one.id}/${one.postedAt === null ? 'letter' : 'dispatch'}`}
                  >
                    {say.goes(chaserAfterWords(one.chaser), chasedWords(one.chaser), one.chaser.rows?.length ?? null)}
                  </Link>
                  : {standing(one, posted)}.{one.postedAt === null && <ToSettle id={one.id} />}
                </span>
                {one.postedAt === null && (
                  <Button kind="quiet" onClick={() => setChanging(one)}>
                    <Settings2 aria-hidden size={16} /> {say.change}
                  </Button>
                )}
              </div>
              {one.heldWhy !== null && <Say tone="stop">{one.heldWhy}</Say>}
            </li>
          ))}
        </ul>
      )}
      {adding && (
        <ChaserSheet parent={round.id} line={null} posted={posted} written={written} onClose={() => setAdding(false)} />
      )}
      {changing && (
        <ChaserSheet
          parent={round.id}
          line={changing}
          posted={posted}
          written={written}
          onClose={() => setChanging(null)}
        />
      )}
    </section>
  )
}

/** What the proof of a chaser has to settle before it can be posted, with the way there. */
function ToSettle({ id }: { id: number }) {
  const proof = useQuery(query.proof(id)).data
  if (!proof || proof.mayPost) return null
  return (
    <>
      {' '}
      <Link className="font-bold text-stop underline" to={`/rounds/${id}/proof`}>
        {say.toSettle(proof.stops + proof.asks)}
      </Link>
    </>
  )
}

/** Over every stage of a chaser: what it is, and the way to the round that it follows. */
export default function ChaserBar() {
  const { round, written } = useWork()
  const [changing, setChanging] = useState(false)
  const { chases, chaser } = round
  if (chases === null || chaser === null) return null
  return (
    <section aria-label={say.chaser} className="mx-3 mb-2 rounded-paper border border-note bg-note-tint px-3 py-1">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <p className="min-w-60 flex-1 text-[14px]">
          {say.chaserOf}{' '}
          <Link className="font-bold text-post underline" to={`/rounds/${chases.id}/dispatch`}>
            {chases.title}
          </Link>
          : {say.goes(chaserAfterWords(chaser), chasedWords(chaser), chaser.rows?.length ?? null)}.
        </p>
        {round.postedAt === null && (
          <Button onClick={() => setChanging(true)}>
            <Settings2 aria-hidden size={16} /> {say.change}
          </Button>
        )}
      </div>
      {changing && (
        <ChaserSheet
          parent={chases.id}
          line={{ id: round.id, chaser }}
          posted={chases.postedAt !== null}
          written={written}
          onClose={() => setChanging(false)}
        />
      )}
    </section>
  )
}
