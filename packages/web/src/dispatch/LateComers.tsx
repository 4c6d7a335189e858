import { routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale, useChange } from '../api.ts'
import { AddFiles } from '../enclosures/AddFiles.tsx'
import { usePerson, useWork } from '../rounds/RoundContext.tsx'
import { Ask, Button, Say, StateMark, times } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'

/** People who were added to the list of a posted round: only they can still be posted to. */
export function LateComers() {
  const { round } = useWork()
  const { choose } = usePerson()
  const [open, setOpen] = useState(false)
  const late = useQuery(query.people(round.id)).data?.lateComers ?? []
  const n = late.length
  const proof = useQuery({ ...query.lateProof(round.id), enabled: open && n > 0 })
  const fresh = () => stale(keys.round(round.id))
  const accept = useChange(routes.accept, fresh)
  const setAside = useChange(routes.setAside, fresh)
  const make = useChange(routes.makeFiles, fresh)
  const topUp = useChange(routes.topUp, () => {
    setOpen(false)
    toast(`${times(n, 'letter was', 'letters were')} posted to the late-comers.`)
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
  const all = Object.values(round.states).reduce((a, b) => a + b, 0)
  if (n === 0)
    return (
      <p className="border-rule border-b bg-sheet-2 px-4 py-1.5 text-[13px] text-ink-2">
        Posted to {times(all, 'person', 'people')}: their letters are frozen, whatever changes here. Whoever is added to
        the list now can be topped up.
      </p>
    )
  const findings = proof.data?.findings.filter((f) => f.grade !== 'note') ?? []
  return (
    <div className="flex flex-wrap items-center gap-2 border-rule border-b bg-ask-tint px-4 py-1.5">
      <span className="flex-1">
        {times(n, 'person', 'people')} came late to the list and {n === 1 ? 'has' : 'have'} no letter of this round yet.
      </span>
      <Button onClick={() => choose(late[0])}>Show the first</Button>
      <Button kind="primary" onClick={() => setOpen(true)}>
        Top up {n.toLocaleString('en-GB')}…
      </Button>
      <Ask
        open={open}
        onClose={() => setOpen(false)}
        title={`Post this round to ${times(n, 'late-comer')}?`}
        act={
          <Button
            kind="final"
            disabled={!proof.data?.mayPost || topUp.isPending}
            onClick={() => topUp.mutate({ params: { round: round.id }, body: { messages: n } })}
          >
            Post {times(n, 'letter')}
          </Button>
        }
      >
        <p>
          Only they get it: the {times(all, 'person', 'people')} who {all === 1 ? 'has' : 'have'} a letter of this round
          already get nothing more. They get the letter as it was posted, with what stands in their rows now.
        </p>
        {proof.isPending && <p role="status">Proofing…</p>}
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
                      body: { keys: [f.key], reason: 'accepted when topping up' },
                    })
                  }
                >
                  It is right so
                </Button>
              ) : (
                <span className="text-good">accepted</span>
              ))}
            {f.rowId !== null && (
              <Button
                onClick={() =>
                  setAside.mutate({
                    params: { round: round.id, row: f.rowId! },
                    body: { reason: 'set aside when topping up' },
                  })
                }
              >
                Set aside
              </Button>
            )}
          </div>
        ))}
        {proof.data && !proof.data.mayPost && (
          <div className="flex items-center gap-3">
            <p className="flex-1">
              Settle what stops first: change the cells in the list and come back, or add the files that are missing
              here.
            </p>
            {findings.some((f) => f.check === 'madeFile') && (
              <Button disabled={make.isPending} onClick={() => make.mutate({ params: { round: round.id } })}>
                {make.isPending ? 'Making them…' : 'Make their files'}
              </Button>
            )}
            <AddFiles label="Add their files" onFiles={(files) => void addFiles(files)} />
          </div>
        )}
        {fault && <Say tone="stop">{fault}</Say>}
      </Ask>
    </div>
  )
}
