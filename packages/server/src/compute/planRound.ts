import { compileCopies, gapOf, plan, shown } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { unplanned } from '../dispatch/store.ts'
import { allowanceOf, departuresOf, mailboxById } from '../mailboxes/store.ts'
import type { LoadedRound } from './loadRound.ts'

/** When each message of a round that is not posted would leave its mailbox, behind what waits there already. */
export async function planRound(db: Database, { round, columns, people, toProof }: LoadedRound, now: number) {
  const copies = compileCopies(toProof.copies, columns)
  const { settings, pausedUntil } = await mailboxById(db, round.mailboxId)
  const history = await departuresOf(db, round.mailboxId, now)
  const ahead = await unplanned(db, round.mailboxId)
  const gap = gapOf(round.dispatch.perMinute)
  const mine = people.chosen.map((row) => {
    const { cc, bcc } = copies.of(row, round.addressColumn ? shown(row.cells[round.addressColumn]).trim() : '')
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
  return {
    departures,
    impossible: mine.length - departures.length,
    allowance: await allowanceOf(db, round.mailboxId, settings.perDay, now),
    perDay: settings.perDay,
  }
}
