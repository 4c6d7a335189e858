import { type ChaserLine, type Round, routes } from '@hand-post/contract'
import { type ChasedKind, type Chaser, usualChaser } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { toast } from 'sonner'
import { ask, faultWords, queries, stale } from '../api.ts'
import { Button, FaultLine } from '../shared/parts.tsx'
import { keys, query } from '../shared/queries.ts'
import { Sheet } from '../shared/Sheet.tsx'
import { Choice, Tick } from './ticks.tsx'
import { chaserSheet as say } from './words.ts'

/** How long after the letter a chaser leaves, where it is to be begun. */
const usualDays = 5

/** When a chaser leaves, to whom, and how: of one that is begun, or changed. */
export function ChaserSheet({
  parent,
  line,
  posted,
  written,
  onClose,
}: {
  /** The round that it follows, and whether that is posted. */
  parent: number
  posted: boolean
  /** Waits until what was changed before is written: a chaser begins with what its round has. */
  written: () => Promise<void>
  /** Null begins one. */
  line: Pick<ChaserLine, 'id' | 'chaser'> | null
  onClose: () => void
}) {
  const navigate = useNavigate()
  const known = useQuery(query.rounds()).data?.find((one) => one.id === parent)
  const others = useQuery(query.round(parent)).data?.chasers ?? []
  const taken = others.flatMap(({ id, chaser }) =>
    id !== line?.id && chaser.after?.of === 'workingDays' ? chaser.after.n : 0,
  )
  const [chaser, setChaser] = useState<Chaser>(
    () => line?.chaser ?? { ...usualChaser, after: { n: Math.max(0, ...taken) + usualDays, of: 'workingDays' } },
  )
  const [days, setDays] = useState(String(chaser.after?.n ?? usualDays))
  const [fault, setFault] = useState<string | null>(null)
  const [busy, setBusy] = useState(false)
  const put = (changes: Partial<Chaser>) => setChaser((all) => ({ ...all, ...changes }))
  const turn = (kind: ChasedKind, on: boolean) =>
    put({ who: on ? [...chaser.who, kind] : chaser.who.filter((one) => one !== kind) })
  const turnWord = (word: string, on: boolean) => {
    const words = on ? [...chaser.words, word] : chaser.words.filter((one) => one !== word)
    const others = chaser.who.filter((one) => one !== 'word')
    put({ words, who: words.length > 0 ? [...others, 'word'] : others })
  }
  const keep = async () => {
    const n = Number(days)
    if (chaser.after !== null && !(Number.isInteger(n) && n >= 1 && n <= 366)) return setFault(say.daysFault(days))
    if (chaser.who.length === 0) return setFault(say.whoFault)
    const { rows: _, since: __, ...body } = { ...chaser, after: chaser.after && { ...chaser.after, n } }
    setBusy(true)
    try {
      await written()
      const done: Round =
        line === null
          ? await ask(routes.addChaser, { params: { round: parent }, body: { chaser: body } })
          : await ask(routes.changeChaser, { params: { round: line.id }, body })
      queries.setQueryData(keys.round(done.id), done)
      await stale()
      onClose()
      if (line !== null) return
      toast(say.added)
      void navigate(`/rounds/${done.id}/letter`)
    } catch (error) {
      setFault(faultWords(error))
    } finally {
      setBusy(false)
    }
  }
  const words = known?.outcomeWords ?? []
  return (
    <Sheet
      title={line === null ? say.begin : say.changeIt}
      onClose={onClose}
      footer={
        <Button kind="primary" disabled={busy} onClick={() => void keep()}>
          {line === null ? say.addIt : say.keep}
        </Button>
      }
    >
      <div className="min-h-0 flex-1 space-y-4 overflow-auto px-5 py-4">
        <fieldset className="space-y-1">
          <legend className="font-bold text-[13px]">{say.when}</legend>
          {posted && (
            <Choice
              name="when"
              label={say.atOnce}
              checked={chaser.after === null}
              onChoose={() => put({ after: null })}
            />
          )}
          <Choice
            name="when"
            label={say.afterLetter}
            checked={chaser.after !== null}
            onChoose={() => put({ after: chaser.after ?? { n: usualDays, of: 'workingDays' } })}
          />
          <div className="flex items-baseline gap-1.5 pl-6">
            <input
              aria-label={say.howMany}
              inputMode="numeric"
              className="input w-16"
              value={days}
              onChange={(e) => setDays(e.target.value.trim())}
              onFocus={() => chaser.after === null && put({ after: { n: usualDays, of: 'workingDays' } })}
            />
            <select
              aria-label={say.ofWhat}
              className="input w-52"
              value={chaser.after?.of ?? 'workingDays'}
              onChange={(e) => put({ after: { n: usualDays, of: e.target.value as 'workingDays' | 'days' } })}
            >
              <option value="workingDays">{say.workingDays}</option>
              <option value="days">{say.allDays}</option>
            </select>
            {say.later}
          </div>
          <p className="pl-6 text-[13px] text-ink-2">{say.sameTime}</p>
        </fieldset>
        <fieldset className="space-y-1">
          <legend className="font-bold text-[13px]">{say.toWhom}</legend>
          {chaser.rows !== null && <p>{say.chosen(chaser.rows.length)}</p>}
          {chaser.rows !== null && (
            <Tick
              label={say.whoChosen}
              hint={say.whoChosenHint}
              checked={chaser.who.includes('chosen')}
              onChange={(on) => turn('chosen', on)}
            />
          )}
          <Tick
            label={say.silent}
            hint={say.silentHint}
            checked={chaser.who.includes('silent')}
            onChange={(on) => turn('silent', on)}
          />
          <Tick
            label={say.softBounce}
            hint={say.softBounceHint}
            checked={chaser.who.includes('softBounce')}
            onChange={(on) => turn('softBounce', on)}
          />
          {((known?.choices.length ?? 0) > 0 || chaser.who.includes('noChoice')) && (
            <Tick
              label={say.noChoice}
              hint={say.evenIfTheyWrote}
              checked={chaser.who.includes('noChoice')}
              onChange={(on) => turn('noChoice', on)}
            />
          )}
          <Tick
            label={say.noFile}
            hint={say.evenIfTheyWrote}
            checked={chaser.who.includes('noFile')}
            onChange={(on) => turn('noFile', on)}
          />
          {[...new Set([...words, ...chaser.words])].map((word) => (
            <Tick
              key={word}
              label={say.word(word)}
              checked={chaser.words.includes(word)}
              onChange={(on) => turnWord(word, on)}
            />
          ))}
          <p className="text-[13px] text-ink-2">{say.never}</p>
        </fieldset>
        <fieldset className="space-y-1">
          <legend className="font-bold text-[13px]">{say.how}</legend>
          <Tick
            label={say.thread}
            hint={say.threadHint}
            checked={chaser.thread}
            onChange={(thread) => put({ thread })}
          />
          <Tick label={say.quote} checked={chaser.quote} onChange={(quote) => put({ quote })} />
        </fieldset>
        <fieldset className="space-y-1">
          <legend className="font-bold text-[13px]">{say.madeOf}</legend>
          <Choice
            name="rows"
            label={say.asNow}
            hint={say.asNowHint}
            checked={!chaser.asPosted}
            onChoose={() => put({ asPosted: false })}
          />
          <Choice name="rows" label={say.asPosted} checked={chaser.asPosted} onChoose={() => put({ asPosted: true })} />
        </fieldset>
        {fault !== null && <FaultLine fault={{ id: 'chaser-fault', words: fault }} />}
      </div>
    </Sheet>
  )
}
