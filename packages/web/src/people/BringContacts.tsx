import { type ContactGroup, type ContactsPlanned, type Reading, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { ArrowRight, UserPlus } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ask, faultWords, stale } from '../api.ts'
import { Button, Labelled, Say, Waiting } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { FileOrPaste } from './FileOrPaste.tsx'
import { likeliestSheet } from './likeliestSheet.ts'
import { TakeFoot } from './TakeFoot.tsx'
import type { TableWork } from './useTable.ts'
import { bringContacts as say } from './words.ts'

/** Brings people into the address book: new ones are added, known ones filled in, and nobody goes. */
export function BringContacts({
  table,
  group,
  onDone,
}: {
  table: TableWork
  /** The group that is open. */
  group: ContactGroup | undefined
  onDone: () => void
}) {
  const [reading, setReading] = useState<Reading | null>(null)
  if (reading)
    return <Plan reading={reading} table={table} group={group} onBack={() => setReading(null)} onDone={onDone} />
  return (
    <div className="mx-auto w-full max-w-xl overflow-auto p-8">
      <h2 className="text-xl">{group ? say.bringContacts(group.name) : say.bringContacts2}</h2>
      <p className="mt-1 text-ink-2">{say.theyAddedAddressBook}</p>
      <FileOrPaste onRead={setReading} />
      <Button kind="quiet" className="mt-3" onClick={onDone}>
        {say.notNow}
      </Button>
    </div>
  )
}

function Plan({
  reading,
  table,
  group,
  onBack,
  onDone,
}: {
  reading: Reading
  table: TableWork
  group: ContactGroup | undefined
  onBack: () => void
  onDone: () => void
}) {
  const [sheet, setSheet] = useState(() => likeliestSheet(reading))
  const [asGroups, setAsGroups] = useState(false)
  const [intoGroup, setIntoGroup] = useState(true)
  const [differing, setDiffering] = useState<'keep' | 'replace'>('keep')
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const given = { reading: reading.id, sheet, asGroups }
  const found = useQuery(query.contactsPlan(table.list.version, given))
  const plan = found.data
  const bringIn = async () => {
    setBusy(true)
    setFault(null)
    try {
      const edited = await ask(routes.bringInContacts, {
        body: { ...given, version: plan!.version, group: group && intoGroup ? group.id : null, differing },
      })
      await stale(keys.rows(table.list.id))
      void stale(keys.book())
      toast(saidOf(plan!), edited ? { action: { label: say.undo, onClick: () => void table.undo() } } : {})
      onDone()
    } catch (error) {
      setFault(faultWords(error))
      setBusy(false)
    }
  }
  return (
    <div className="flex h-full min-h-0 flex-col">
      <header className="flex flex-wrap items-end gap-4 border-rule border-b px-5 py-3">
        <h2 className="flex-1 text-xl">{say.fromIntoAddressBook(reading.fileName)}</h2>
        {reading.sheets.length > 1 && (
          <Labelled label={say.sheet}>
            <select className="input max-w-80" value={sheet} onChange={(e) => setSheet(Number(e.target.value))}>
              {reading.sheets.map((s, i) => (
                <option key={s.name} value={i}>
                  {s.name}, {say.nRows(s.rows)}
                </option>
              ))}
            </select>
          </Labelled>
        )}
      </header>
      <div className="min-h-0 flex-1 space-y-3 overflow-auto p-5">
        {found.error ? (
          <Say tone="stop">
            {faultWords(found.error)}
            {asGroups && (
              <Button className="ml-2" onClick={() => setAsGroups(false)}>
                {say.makeNoGroups}
              </Button>
            )}
          </Say>
        ) : !plan ? (
          <Waiting>{say.comparingAddressBook}</Waiting>
        ) : (
          <>
            <p role="status">
              <b>{saidOf(plan)}</b>
            </p>
            {plan.newColumns.length > 0 && (
              <p>
                {say.addressBookGets(plan.newColumns.length, plan.newColumns.map((name) => `“${name}”`).join(', '))}
              </p>
            )}
            {group && (
              <label className="flex items-center gap-2">
                <input type="checkbox" checked={intoGroup} onChange={(e) => setIntoGroup(e.target.checked)} />
                {say.putAllThemInto(group.name)}
              </label>
            )}
            {plan.groups.length > 0 && (
              <label className="flex items-start gap-2">
                <input
                  type="checkbox"
                  className="mt-1.5"
                  checked={asGroups}
                  onChange={(e) => setAsGroups(e.target.checked)}
                />
                <span>
                  {say.makeGroupsTheirCategories}
                  <span className="block text-[13px] text-ink-2">
                    {plan.groups
                      .slice(0, 8)
                      .map(({ name, people }) => `${name} (${people.toLocaleString('en-GB')})`)
                      .join(', ')}
                    {plan.groupCount > 8 && say.moreGroups(plan.groupCount - 8)}
                  </span>
                </span>
              </label>
            )}
            {plan.differing > 0 && <Differing plan={plan} differing={differing} setDiffering={setDiffering} />}
            {plan.said.map((words) => (
              <Say key={words} tone="note">
                {words}
              </Say>
            ))}
            <section aria-label={say.whoBrought} className="paper">
              <ul className="text-[14px]">
                {plan.people
                  .filter((p) => p.isNew)
                  .map((p, i) => (
                    <li key={i} className="flex items-center gap-2 border-rule border-b px-3 py-1 last:border-0">
                      <UserPlus aria-hidden size={14} className="text-good" />
                      {p.person} <span className="text-ink-2">{say.newIt}</span>
                    </li>
                  ))}
                {plan.added === 0 && <li className="px-3 py-1 text-ink-2">{say.nobodyNew}</li>}
                {plan.added > plan.people.filter((p) => p.isNew).length && (
                  <li className="px-3 py-1 text-ink-2">
                    {say.and(plan.added, plan.people.filter((p) => p.isNew).length)}
                  </li>
                )}
              </ul>
            </section>
          </>
        )}
      </div>
      <TakeFoot
        act={
          <Button
            kind="primary"
            disabled={!plan || busy || found.isPlaceholderData || plan.added + plan.known === 0}
            onClick={() => void bringIn()}
          >
            {busy ? say.bringing : plan ? say.bring(plan.added, plan.known) : say.bring2}
          </Button>
        }
        another={say.chooseAnotherFile}
        busy={busy}
        fault={fault}
        onBack={onBack}
        onDone={onDone}
      />
    </div>
  )
}

/** What bringing them in does, in a sentence. */
function saidOf({ added, known, filled, repeated }: ContactsPlanned): string {
  const parts = [
    added > 0 && say.nNewContacts(added),
    known > 0 && say.alreadyAddressBookWhom(known, filled),
    repeated > 0 && say.samePersonAgain(repeated),
  ].filter(Boolean)
  return parts.length > 0 ? `${parts.join('; ')}.` : say.thereNobody
}

function Differing({
  plan,
  differing,
  setDiffering,
}: {
  plan: ContactsPlanned
  differing: 'keep' | 'replace'
  setDiffering: (way: 'keep' | 'replace') => void
}) {
  const lines = plan.people.filter((p) => p.differs.length > 0)
  return (
    <Say tone="ask">
      <p className="flex flex-wrap items-center gap-1">
        {say.fileSaysSomethingElse(plan.differing)}
        {(['keep', 'replace'] as const).map((way) => (
          <Button
            key={way}
            aria-pressed={differing === way}
            kind={differing === way ? 'primary' : 'plain'}
            onClick={() => setDiffering(way)}
          >
            {way === 'keep' ? say.addressBook : say.file}
          </Button>
        ))}
      </p>
      <ul className="mt-1 max-h-40 overflow-auto text-[13px]">
        {lines.map((p, i) => (
          <li key={i}>
            {p.person}:{' '}
            {p.differs.map((d) => (
              <span key={d.column} className="mr-3 inline-flex items-center gap-1">
                {d.column} {d.here} <ArrowRight role="img" aria-label={say.file2} size={12} /> {d.there}
              </span>
            ))}
          </li>
        ))}
        {plan.differing > lines.length && <li>{say.and2(plan.differing, lines.length)}</li>}
      </ul>
    </Say>
  )
}
