import { type Amendment, type Round, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { PenLine } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { faultWords, queries, stale, useChange } from '../api.ts'
import { useWork } from '../rounds/RoundContext.tsx'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { Ask, Button, Say, Waiting } from '../shared/parts.tsx'
import { keys, query, useProgress } from '../shared/queries.ts'
import { amendBar as say } from './words.ts'

/** In what the letters differ from those that were posted, in words; only what does. */
function differences({ differ, letters }: Amendment): string[] {
  const kinds = ['subject', 'words', 'enclosures', 'sender', 'copies', 'address'] as const
  return kinds.filter((kind) => differ[kind] > 0).map((kind) => say.differ[kind](differ[kind], letters))
}

/** While what waits of a round is amended: that it is, on every stage, with the ways out of it. */
export default function AmendBar() {
  const { round, goTo, written } = useWork()
  const proof = useQuery(query.proof(round.id)).data
  const may = useMay()
  const [asking, setAsking] = useState<'post' | 'giveUp' | null>(null)
  const [notWritten, setNotWritten] = useState<string | null>(null)
  const waiting = round.states.waiting + round.states.retrying + round.paperLetters.toPrint
  const done = (words: string) => (next: Round) => {
    setAsking(null)
    queries.setQueryData(keys.round(round.id), next)
    toast(words)
    void stale()
    goTo('dispatch')
  }
  const giveUp = useChange(routes.giveUpAmendment, done(say.givenUp))
  // Asked only of what is written to the desk: what is posted is what stands there.
  const open = (what: 'post' | 'giveUp') =>
    void written().then(
      () => {
        setNotWritten(null)
        setAsking(what)
      },
      (error) => setNotWritten(faultWords(error)),
    )
  return (
    <section aria-label={say.label} className="mx-3 mb-2 rounded-paper border border-ask bg-ask-tint px-3 py-1.5">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <PenLine aria-hidden size={16} className="shrink-0 text-ask" />
        <p className="min-w-60 flex-1 text-[14px]">
          <b>{say.amending(waiting, round.states.sent)}</b> {say.nothingLeaves}
        </p>
        {waiting > 0 &&
          (proof && !proof.mayPost ? (
            <Button onClick={() => goTo('proof')}>{say.settleFirst(proof.stops + proof.asks)}</Button>
          ) : !may.post ? (
            <OthersPost />
          ) : (
            <Button kind="primary" disabled={!proof} onClick={() => open('post')}>
              {say.postChange}
            </Button>
          ))}
        <Button onClick={() => open('giveUp')}>{say.giveUp}</Button>
      </div>
      {notWritten !== null && <Say tone="stop">{say.notWritten(notWritten)}</Say>}
      {asking === 'post' && <PostChange round={round} onClose={() => setAsking(null)} onDone={done(say.posted)} />}
      <Ask
        open={asking === 'giveUp'}
        onClose={() => setAsking(null)}
        title={say.giveUpTitle}
        act={
          <Button
            kind="primary"
            disabled={giveUp.isPending}
            onClick={() => giveUp.mutate({ params: { round: round.id } })}
          >
            {say.giveUpIt}
          </Button>
        }
      >
        <p>{say.giveUpWords(waiting)}</p>
      </Ask>
    </section>
  )
}

/** The last word before the letters that wait are put in the place of those that were posted. */
function PostChange({ round, onClose, onDone }: { round: Round; onClose: () => void; onDone: (round: Round) => void }) {
  const progress = useProgress(round.id)
  const post = useChange(routes.postAmendment, onDone)
  const word = useQuery({ ...query.amendment(round.id), enabled: !post.isPending })
  const said = word.isFetching ? undefined : word.data
  const may = said !== undefined && said.cannot.length === 0 && said.letters + said.paper > said.same
  return (
    <Ask
      open
      onClose={onClose}
      title={say.postTitle(said && said.letters + said.paper)}
      act={
        <Button
          kind="final"
          disabled={post.isPending || !may}
          onClick={() =>
            said && post.mutate({ params: { round: round.id }, body: { letters: said.letters, print: said.print } })
          }
        >
          {post.isPending
            ? progress
              ? `${progress.words}: ${progress.done} of ${progress.of}`
              : say.posting
            : say.post(said && said.letters + said.paper)}
        </Button>
      }
    >
      {word.error ? (
        <Say tone="stop">{faultWords(word.error)}</Say>
      ) : !said ? (
        <Waiting>{progress ? `${progress.words}: ${progress.done} of ${progress.of}` : undefined}</Waiting>
      ) : (
        <>
          {said.cannot.length > 0 && (
            <Say tone="stop">
              <p>{say.cannot(said.cannot.length)}</p>
              <ul className="mt-1 max-h-40 list-disc overflow-auto pl-5">
                {said.cannot.map((one) => (
                  <li key={one.rowId}>
                    <b>{one.person}:</b> {one.why}
                  </li>
                ))}
              </ul>
            </Say>
          )}
          {said.letters > 0 && said.same === said.letters && <Say tone="ask">{say.nothingDiffers}</Say>}
          {said.differ.address > 0 && (
            <Say tone="ask">
              <p>{say.otherAddresses(said.differ.address)}</p>
              <ul className="mt-1 max-h-40 list-disc overflow-auto pl-5">
                {said.addresses.map((one) => (
                  <li key={one.rowId}>{say.otherAddress(one.person, one.was, one.is)}</li>
                ))}
                {said.differ.address > said.addresses.length && (
                  <li>{say.more(said.differ.address - said.addresses.length)}</li>
                )}
              </ul>
            </Say>
          )}
          <ul className="list-disc space-y-1 pl-5">
            {differences(said).map((words) => (
              <li key={words}>{words}</li>
            ))}
            {said.same > 0 && said.same < said.letters && <li>{say.same(said.same)}</li>}
            {said.paper > 0 && <li>{say.onPaper(said.paper)}</li>}
            <li>{say.sent(said.sent)}</li>
            {said.inDoubt > 0 && <li>{say.inDoubt(said.inDoubt)}</li>}
          </ul>
          <p>{say.goesOn(said.sentence)}</p>
        </>
      )}
    </Ask>
  )
}
