import { routes, type Shareable, type Sharing as SharingFacts } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { Lock, Users } from 'lucide-react'
import { useState } from 'react'
import { faultWords, stale, useChange } from '../api.ts'
import { useMe } from './me.ts'
import { Ask, Button, Say, Waiting } from './parts.tsx'
import { query } from './queries.ts'
import { sharing as say } from './words.ts'

/** Says whom something is shared with, and opens what changes that; nothing where nobody signs in. */
export function Sharing({ kind, thing, name }: { kind: Shareable; thing: number; name: string }) {
  const me = useMe()
  const [open, setOpen] = useState(false)
  const signsIn = me?.account != null
  const facts = useQuery({ ...query.sharing(kind, thing), enabled: signsIn }).data
  if (!signsIn || !facts) return null
  const Icon = facts.shared === 'everybody' ? Users : Lock
  return (
    <>
      <Button title={say.whose(name)} onClick={() => setOpen(true)}>
        <Icon aria-hidden size={16} /> {say.state(facts.shared, facts.with.length, facts.owner?.id === me.account?.id)}
      </Button>
      {open && <Choose kind={kind} thing={thing} name={name} facts={facts} onClose={() => setOpen(false)} />}
    </>
  )
}

function Choose({
  kind,
  thing,
  name,
  facts,
  onClose,
}: {
  kind: Shareable
  thing: number
  name: string
  facts: SharingFacts
  onClose: () => void
}) {
  const me = useMe()
  const colleagues = useQuery(query.colleagues())
  const [shared, setShared] = useState(facts.shared)
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set(facts.with))
  const owner = facts.owner?.id ?? me?.account?.id
  const others = colleagues.data?.filter(({ id }) => id !== owner) ?? []
  const change = useChange(routes.share, async () => {
    onClose()
    await stale()
  })
  const store = () =>
    change.mutate({
      params: { kind, thing },
      body: { with: shared === 'everybody' ? 'everybody' : shared === 'nobody' ? [] : [...chosen] },
    })
  const toggle = (id: number) => {
    const next = new Set(chosen)
    if (!next.delete(id)) next.add(id)
    setChosen(next)
  }
  const ways = ['everybody', 'chosen', 'nobody'] as const
  return (
    <Ask
      open
      onClose={onClose}
      title={say.title(name)}
      act={
        facts.mayChange && (
          <Button
            kind="primary"
            disabled={change.isPending || (shared === 'chosen' && chosen.size === 0)}
            onClick={store}
          >
            {say.store}
          </Button>
        )
      }
      keep={facts.mayChange ? undefined : say.close}
    >
      {colleagues.error ? (
        <Say tone="stop">{faultWords(colleagues.error)}</Say>
      ) : !colleagues.data ? (
        <Waiting />
      ) : (
        <fieldset disabled={!facts.mayChange} className="space-y-1.5">
          <legend className="sr-only">{say.title(name)}</legend>
          {ways.map((one) => (
            <div key={one}>
              <label className="flex items-baseline gap-2">
                <input
                  type="radio"
                  name="shared"
                  className="size-4 translate-y-0.5 accent-post"
                  checked={shared === one}
                  onChange={() => setShared(one)}
                />
                {say.ways[one](facts.owner === null || facts.owner.id === me?.account?.id ? null : facts.owner.name)}
              </label>
              {one === 'chosen' && shared === 'chosen' && (
                <div className="mt-1 space-y-1 pl-6">
                  {others.length === 0 && <p className="text-[14px] text-ink-2">{say.nobodyElse}</p>}
                  {others.map(({ id, name }) => (
                    <label key={id} className="flex items-baseline gap-2">
                      <input
                        type="checkbox"
                        className="size-4 translate-y-0.5 accent-post"
                        checked={chosen.has(id)}
                        onChange={() => toggle(id)}
                      />
                      {name}
                    </label>
                  ))}
                </div>
              )}
            </div>
          ))}
        </fieldset>
      )}
      <p className="text-[14px] text-ink-2">{say.means[kind]}</p>
      {!facts.mayChange && <Say tone="note">{say.notYours(kind, facts.owner?.name ?? null)}</Say>}
    </Ask>
  )
}
