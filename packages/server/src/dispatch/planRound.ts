import { allowanceAt, bareAddress, compileCopies, gapOf, plan, shown } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { allowanceOf, departuresOf, mailboxById } from '../mailboxes/store.ts'
import type { LoadedRound } from '../rounds/loadRound.ts'
import { unplanned } from './store.ts'

/** When each message of a round that is not posted would leave its mailbox, behind what waits there already. */
export async function planRound(db: Database, { round, columns, people, toProof }: LoadedRound, now: number) {
  const copiesOf = compileCopies(toProof.copies, columns)
  const { settings, pausedUntil } = await mailboxById(db, round.mailboxId)
  const history = await departuresOf(db, round.mailboxId, now)
  const ahead = await unplanned(db, round.mailboxId)
  const gap = gapOf(round.dispatch.perMinute)
  const mine = people.chosen.map((row) => {
    const { cc, bcc } = copiesOf.of(row, round.addressColumn ? bareAddress(shown(row.cells[round.addressColumn])) : '')
    return {
      id: -row.id,
      of: 'letter' as const,
      recipients: 1,
      copies: cc.length + bcc.length,
      notBefore: round.dispatch.startAt ?? now,
      gap,
    }
  })
  // In the order in which the dispatcher takes them: by earliest time, and what was posted before goes first.
  const all = [...ahead, ...mine].sort((a, b) => a.notBefore - b.notBefore)
  const times = plan(
    Math.max(now, pausedUntil ?? 0),
    all,
    { perDay: settings.perDay, perMinute: settings.perMinute },
    history,
  )
  const departures = all.flatMap((item, i) =>
    item.id < 0 && times[i] !== null
      ? [{ at: times[i], recipients: item.recipients + item.copies, rowId: -item.id, gone: false }]
      : [],
  )
  // What the mailbox may still write to when the last of them has left: with what went before, and what other rounds have waiting.
  const last = departures.at(-1)?.at
  const hostGap = gapOf(settings.perMinute)
  const leaving = all.flatMap((item, i) => {
    const at = times[i]
    return at === null
      ? []
      : [
          { at, recipients: item.recipients },
          { at: at + hostGap, recipients: item.copies },
        ]
  })
  const afterwards =
    last === undefined
      ? null
      : { at: last, left: allowanceAt(last + hostGap, settings.perDay, [...history, ...leaving]) }
  return {
    departures,
    afterwards,
    waitingElsewhere: ahead.reduce((sum, { recipients, copies }) => sum + recipients + copies, 0),
    impossible: mine.length - departures.length,
    allowance: await allowanceOf(db, round.mailboxId, settings.perDay, now),
    perDay: settings.perDay,
  }
}
