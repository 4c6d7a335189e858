import { type List, routes } from '@hand-post/contract'
import { type Outcome, outcomes, outcomeWords } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { ask, faultWords } from '../api.ts'
import { shortMoment } from '../shared/moment.ts'
import { Button, Say } from '../shared/parts.tsx'
import { query } from '../shared/queries.ts'
import { SearchList } from '../shared/SearchList.tsx'
import { makeFrom as say } from './words.ts'

/** Runs something that makes a list, and says what went wrong. */
function useMaking(onDone: (list: List) => void) {
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const make = async (how: () => Promise<List>) => {
    setBusy(true)
    setFault(null)
    try {
      onDone(await how())
    } catch (error) {
      setFault(faultWords(error))
    }
    setBusy(false)
  }
  const said = fault && (
    <div role="alert" className="mt-1">
      <Say tone="stop">{fault}</Say>
    </div>
  )
  return { make, busy, said }
}

/** A list of contact groups, some of them taken out again. */
export function FromGroups({ onDone }: { onDone: (list: List) => void }) {
  const groups = useQuery(query.book()).data?.groups ?? []
  const [plan, setPlan] = useState<Record<number, 'in' | 'out'>>({})
  const { make, busy, said } = useMaking(onDone)
  if (groups.length === 0) return null
  const chosen = groups.filter((g) => plan[g.id])
  const inside = chosen.filter((g) => plan[g.id] === 'in')
  const outside = chosen.filter((g) => plan[g.id] === 'out')
  return (
    <section aria-label={say.contactGroups}>
      <h3 className="text-[15px]">{say.groupsAddressBook}</h3>
      {groups.map((g) => (
        <label key={g.id} className="flex items-center gap-2 py-0.5">
          <select
            className="input min-h-7 py-0"
            value={plan[g.id] ?? ''}
            onChange={(e) => setPlan({ ...plan, [g.id]: e.target.value as 'in' | 'out' })}
          >
            <option value="">{say.notUsed}</option>
            <option value="in">{say.with}</option>
            <option value="out">{say.without}</option>
          </select>
          {g.name}, {say.nContacts(g.members.length)}
        </label>
      ))}
      <Button
        disabled={inside.length === 0 || busy}
        onClick={() =>
          void make(() =>
            ask(routes.listFromGroups, {
              body: {
                name: [
                  inside.map((g) => g.name).join(' and '),
                  outside.length > 0 && `without ${outside.map((g) => g.name).join(' and ')}`,
                ]
                  .filter(Boolean)
                  .join(' ')
                  .slice(0, 200),
                groups: chosen.map((g) => ({ group: g.id, minus: plan[g.id] === 'out' })),
              },
            }),
          )
        }
      >
        {say.makeList}
      </Button>
      {said}
    </section>
  )
}

/** A list of the people of an earlier round who have certain outcomes. */
export function FromRound({ onDone }: { onDone: (list: List) => void }) {
  const posted = (useQuery(query.rounds()).data ?? []).filter((r) => r.postedAt !== null && r.rowCount > 0)
  const [round, setRound] = useState<number>()
  const [wanted, setWanted] = useState<Outcome[]>([])
  const [words, setWords] = useState<string[]>([])
  const [choices, setChoices] = useState<string[]>([])
  const { make, busy, said } = useMaking(onDone)
  if (posted.length === 0) return null
  const chosen = posted.find((r) => r.id === round)
  return (
    <section aria-label={say.earlierRound}>
      <h3 className="text-[15px]">{say.peopleEarlierRound}</h3>
      <SearchList
        label={say.rounds}
        items={posted.map((r) => ({ id: r.id, name: r.title, more: shortMoment(r.postedAt!) }))}
        chosen={round ?? null}
        onChoose={(id) => {
          setRound(id)
          setWords([])
          setChoices([])
        }}
      />
      {chosen && (
        <>
          <p className="mt-1 text-[13px] text-ink-2">{say.thoseOneTheseOutcomes}</p>
          <div className="flex flex-wrap gap-x-3">
            {outcomes.map((outcome) => (
              <label key={outcome} className="flex items-center gap-1">
                <input
                  type="checkbox"
                  checked={wanted.includes(outcome)}
                  onChange={(e) =>
                    setWanted(e.target.checked ? [...wanted, outcome] : wanted.filter((o) => o !== outcome))
                  }
                />
                {outcomeWords[outcome]}
              </label>
            ))}
            {chosen.outcomeWords.map((word) => (
              <Tick key={word} words={say.yourWord(word)} one={word} chosen={words} choose={setWords} />
            ))}
            {[...new Set(chosen.choices)].filter(Boolean).map((choice) => (
              <Tick key={choice} words={say.chose(choice)} one={choice} chosen={choices} choose={setChoices} />
            ))}
          </div>
          <Button
            disabled={wanted.length + words.length + choices.length === 0 || busy}
            onClick={() =>
              void make(() =>
                ask(routes.listFromRound, {
                  body: {
                    name: `${chosen.title}: ${[...wanted.map((o) => outcomeWords[o]), ...words, ...choices].join(', ')}`.slice(
                      0,
                      200,
                    ),
                    round: chosen.id,
                    outcomes: wanted,
                    words,
                    choices,
                  },
                }),
              )
            }
          >
            {say.makeList}
          </Button>
          {said}
        </>
      )}
    </section>
  )
}

/** One of several things that may be ticked. */
function Tick({
  words,
  one,
  chosen,
  choose,
}: {
  words: string
  one: string
  chosen: string[]
  choose: (chosen: string[]) => void
}) {
  return (
    <label className="flex items-center gap-1">
      <input
        type="checkbox"
        checked={chosen.includes(one)}
        onChange={(e) => choose(e.target.checked ? [...chosen, one] : chosen.filter((other) => other !== one))}
      />
      {words}
    </label>
  )
}

/** An empty list, or a sample table to fill in. */
export function FromNothing({ onDone }: { onDone: (list: List) => void }) {
  const { make, busy, said } = useMaking(onDone)
  return (
    <section aria-label={say.emptyList}>
      <h3 className="text-[15px]">{say.emptyList}</h3>
      <p>
        <Button
          kind="quiet"
          disabled={busy}
          onClick={() =>
            void make(() =>
              ask(routes.startList, {
                body: {
                  name: say.newList,
                  columns: [
                    { name: say.firstName, kind: 'text' },
                    { name: say.lastName, kind: 'text' },
                    { name: say.email, kind: 'address' },
                  ],
                },
              }),
            )
          }
        >
          {say.typePeople}
        </Button>
      </p>
      <p className="text-ink-2">
        {say.orFillSampleTable}{' '}
        {(['xlsx', 'ods', 'csv'] as const).map((as) => (
          <a key={as} className="mr-2 text-post underline" href={`/api/sample-table?as=${as}`} download>
            .{as}
          </a>
        ))}
      </p>
      {said}
    </section>
  )
}
