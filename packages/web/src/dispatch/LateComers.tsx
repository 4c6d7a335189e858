import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale, useChange } from '../api.ts'
import { AddFiles } from '../enclosures/AddFiles.tsx'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { useMay } from '../shared/me.ts'
import { OthersPost } from '../shared/OthersPost.tsx'
import { Ask, Button, Say, StateMark } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { lateComers as say } from './words.ts'

/** People who were added to the list of a posted round: only they can still be posted to. */
export function LateComers() {
  const { round } = useWork()
  const { choose } = usePerson()
  const may = useMay()
  const [open, setOpen] = useState(false)
  const people = useQuery(query.people(round.id)).data
  const late = people?.lateComers ?? []
  const n = late.length
  const byPaper = new Set(people?.onPaper)
  const paper = late.filter((id) => byPaper.has(id)).length
  const proof = useQuery({ ...query.lateProof(round.id), enabled: open && n > 0 })
  const fresh = () => stale(keys.round(round.id))
  const accept = useChange(routes.accept, fresh)
  const setAside = useChange(routes.setAside, fresh)
  const make = useChange(routes.makeFiles, fresh)
  const topUp = useChange(routes.topUp, () => {
    setOpen(false)
    toast(say.postedLateComers(n))
    return fresh()
  })
  const [fault, setFault] = useState<string | null>(null)
  const addFiles = async (files: File[]) => {
    setFault(null)
    try {
      for (const file of files)
        await ask(routes.addFile, { params: { round: round.id }, query: { name: file.name, role: 'own' }, file })
    } catch (error) {
      setFault(faultWords(error))
    }
    await fresh()
  }
  const { toPrint, printed, withdrawn } = round.paperLetters
  const all = Object.values(round.states).reduce((a, b) => a + b, toPrint + printed + withdrawn)
  if (n === 0)
    return (
      <p className="border-rule border-b bg-sheet-2 px-4 py-1.5 text-[13px] text-ink-2">
        {say.postedTheirLettersFrozen(all)}
      </p>
    )
  const findings = proof.data?.findings.filter((f) => f.grade !== 'note') ?? []
  return (
    <div className="flex flex-wrap items-center gap-2 border-rule border-b bg-ask-tint px-4 py-1.5">
      <span className="flex-1">{say.cameLateListNo(n)}</span>
      <Button onClick={() => choose(late[0])}>{say.showFirst}</Button>
      {may.post ? (
        <Button kind="primary" onClick={() => setOpen(true)}>
          {say.topUp(n)}
        </Button>
      ) : (
        <OthersPost />
      )}
      <Ask
        open={open}
        onClose={() => setOpen(false)}
        title={say.postRound(n)}
        act={
          <Button
            kind="final"
            disabled={!proof.data?.mayPost || topUp.isPending}
            onClick={() => topUp.mutate({ params: { round: round.id }, body: { messages: n - paper, paper } })}
          >
            {say.post(n)}
          </Button>
        }
      >
        <p>
          {say.onlyTheyGetWho(all)} {paper > 0 && say.ofThemOnPaper(paper)}
        </p>
        {proof.isPending && <p role="status">{say.proofing}</p>}
        {proof.error && <Say tone="stop">{faultWords(proof.error)}</Say>}
        {findings.map((f) => (
          <div key={f.key} className="flex items-start gap-2">
            <StateMark state={f.grade} />
            <span className="flex-1">
              {f.person && <b>{f.person}: </b>}
              {f.message}
            </span>
            {f.grade === 'ask' &&
              (f.accepted === null ? (
                <Button
                  onClick={() =>
                    accept.mutate({
                      params: { round: round.id },
                      body: { keys: [f.key], reason: say.acceptedWhy },
                    })
                  }
                >
                  {say.rightSo}
                </Button>
              ) : (
                <span className="text-good">{say.accepted}</span>
              ))}
            {f.rowId !== null && (
              <Button
                onClick={() =>
                  setAside.mutate({
                    params: { round: round.id, row: f.rowId! },
                    body: { reason: say.setAsideWhy },
                  })
                }
              >
                {say.setAside}
              </Button>
            )}
          </div>
        ))}
        {proof.data && !proof.data.mayPost && (
          <div className="flex items-center gap-3">
            <p className="flex-1">{say.settleWhatStopsFirst}</p>
            {findings.some((f) => f.check === 'madeFile') && (
              <Button disabled={make.isPending} onClick={() => make.mutate({ params: { round: round.id } })}>
                {make.isPending ? say.makingThem : say.makeTheirFiles}
              </Button>
            )}
            <AddFiles label={say.addTheirFiles} onFiles={(files) => void addFiles(files)} />
          </div>
        )}
        {fault && <Say tone="stop">{fault}</Say>}
      </Ask>
    </div>
  )
}
