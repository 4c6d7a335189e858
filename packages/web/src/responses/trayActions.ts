import { type BringBack, routes, type TrayLine, type TrayMark } from '@hand-post/contract'
import { type Pile, pileNames } from '@hand-post/core'
import { toast } from 'sonner'
import { ask, queries, stale, tellFault } from '../api.ts'
import { moment } from '../shared/moment.ts'
import { keys } from '../shared/queries.ts'
import { trayActions as say, trayList } from './words.ts'

/** What takes back the last things that were done in the in-tray, the newest last. They are there while the page is open. */
const undos: (() => Promise<unknown>)[] = []
const maxUndos = 50

/** Has the entries, the counts and the boards fetched anew. */
const fresh = () => stale(keys.inTray(), keys.rounds(), keys.anyRound())

/** Takes back the last thing that was done. */
export async function undoInTray(): Promise<void> {
  const undo = undos.pop()
  if (!undo) return void toast(say.nothingToUndo)
  try {
    await undo()
    toast(say.undone)
  } catch (error) {
    tellFault(error)
  }
  await fresh()
}

/** Says what was done, and keeps what takes it back. */
function wasDone(undo: () => Promise<unknown>, words: string): void {
  undos.push(undo)
  if (undos.length > maxUndos) undos.shift()
  toast(words, { action: { label: say.undo, onClick: () => void undoInTray() } })
}

/** Does something that can be taken back, and says so. */
async function doing(work: () => Promise<() => Promise<unknown>>, words: string): Promise<boolean> {
  try {
    wasDone(await work(), words)
    return true
  } catch (error) {
    tellFault(error)
    return false
  } finally {
    void fresh()
  }
}

const mark = (marks: TrayMark[], words: string) =>
  doing(async () => {
    const { before } = await ask(routes.markTray, { body: { marks } })
    return () => ask(routes.markTray, { body: { marks: before } })
  }, words)

/** Changes entries in the lists that are shown, or takes them out, before the desk has answered: the next key is about what is shown then. */
async function change(ids: ReadonlySet<number>, become: (line: TrayLine) => TrayLine | null): Promise<void> {
  const of = { queryKey: [...keys.inTray(), 'lines'] }
  // What is being fetched just now does not know of it, and would bring it back for a moment.
  await queries.cancelQueries(of)
  queries.setQueriesData<{ lines: TrayLine[] }>(of, (shown) =>
    shown
      ? { ...shown, lines: shown.lines.flatMap((line) => (ids.has(line.id) ? (become(line) ?? []) : line)) }
      : shown,
  )
}
const takeOut = (ids: ReadonlySet<number>) => void change(ids, () => null)

/** What can be done with entries of the in-tray. Each says what was done, and can be taken back. */
export const trayActions = {
  done(lines: TrayLine[], done: boolean) {
    takeOut(new Set(lines.map((line) => line.id)))
    // What is open again is not put by either.
    const marks = lines.map(({ id }) => ({ response: id, done, ...(done ? {} : { back: null }) }))
    return mark(marks, done ? say.done(lines.length) : say.open(lines.length))
  },
  bringBack(lines: TrayLine[], back: BringBack) {
    takeOut(new Set(lines.map((line) => line.id)))
    const until = trayList.until(back.at === null ? '' : moment(back.at), back.when)
    // What is done would never come back.
    const marks = lines.map(({ id }) => ({ response: id, done: false, back }))
    return mark(marks, say.putBy(lines.length, until))
  },
  toPile(lines: TrayLine[], pile: Pile) {
    void change(new Set(lines.map((line) => line.id)), (line) => ({ ...line, pile }))
    const marks = lines.map(({ id }) => ({ response: id, pile }))
    return mark(marks, say.pile(lines.length, pileNames[pile]))
  },
  give(roundId: number, rows: number[], word: string | null) {
    const params = { round: roundId }
    const given = [...new Set(rows)].map((row) => ({ row, word }))
    return doing(
      async () => {
        const { before } = await ask(routes.giveWords, { params, body: { given } })
        return () => ask(routes.giveWords, { params, body: { given: before } })
      },
      say.word(given.length, word),
    )
  },
  /** Says that a round has other outcome words than before, and who lost theirs. */
  wordsChanged(roundId: number, before: string[], lost: { row: number; word: string }[]) {
    const params = { round: roundId }
    wasDone(async () => {
      await ask(routes.setOutcomeWords, { params, body: { words: before } })
      if (lost.length > 0) await ask(routes.giveWords, { params, body: { given: lost } })
    }, say.wordsChanged(lost.length))
  },
  whose({ id, of, person }: TrayLine, now: 'person' | 'no') {
    const params = { response: id }
    const before = of === 'other' ? 'other' : 'perhaps'
    void change(new Set([id]), (line) =>
      now === 'no' ? null : { ...line, of: now, pile: of === 'perhaps' ? line.sorted : line.pile },
    )
    return doing(
      async () => {
        await ask(routes.whose, { params, body: { of: now } })
        return () => ask(routes.whose, { params, body: { of: before } })
      },
      now === 'no' ? say.refused : say.taken(person),
    )
  },
  endReminder(id: number) {
    const params = { reminder: id }
    return doing(async () => {
      await ask(routes.endReminder, { params, body: { done: true } })
      return () => ask(routes.endReminder, { params, body: { done: false } })
    }, say.reminderDone)
  },
}
export type TrayActions = typeof trayActions
