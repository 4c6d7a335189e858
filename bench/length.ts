import { routes } from '@hand-post/contract'
import { print, sized, small } from './measure.ts'
import { openSending } from './posted.ts'

// How fast letters leave with 100,000 waiting, beside how fast they leave with 1,000: the speed must not fall with the length of a round.
const short = sized(1000)
const long = sized(100_000)
const counted = small ? 20 : 3000
const { db, ask, post, untilSent, close } = await openSending(short)

const speedOf = async (round: number, from: number, to: number) => {
  await untilSent(round, from)
  return ((to - from) / (await untilSent(round, to))) * 1000
}
let best = 0
for (let i = 0; i < (small ? 1 : 3); i++) best = Math.max(best, await speedOf(await post(), 0, short))

// A long round: one that was posted for later, with its letters multiplied, which then leaves.
const round = await post({ startAt: Date.now() + 7 * 24 * 3600 * 1000 })
await db.query(
  `WITH copied AS (
     INSERT INTO messages (round_id, mailbox_id, state, row_id, position, key, message_id, person, address, address_key, recipients, subject, again, turn)
     SELECT m.round_id, m.mailbox_id, 'waiting', 1000000 + x.i * $2 + m.row_id, m.position + x.i * $2, m.key || '-' || x.i, '<' || m.key || '-' || x.i || '@bench.example>',
       m.person, x.i || m.address, x.i || m.address_key, m.recipients, m.subject, 0, m.turn + x.i * $2
     FROM messages m CROSS JOIN generate_series(1, $3) AS x (i) WHERE m.round_id = $1 RETURNING id, key
   ) INSERT INTO message_contents SELECT copied.id, c.contents FROM copied JOIN messages m ON m.key = split_part(copied.key, '-x', 1) OR m.key = regexp_replace(copied.key, '-[0-9]+$', '')
     JOIN message_contents c ON c.message_id = m.id`,
  [round, short, Math.round(long / short) - 1],
)
await ask(routes.changePace, { params: { round }, body: { startAt: null } })
const slow = await speedOf(round, Math.round(counted / 3), Math.round(counted / 3) + counted)
print({
  name: `Sending with ${long} letters waiting, against ${short} waiting`,
  ours: slow,
  baseline: best,
  unit: 'messages a second',
  asked: 'at least 0.9',
  kept: slow / best >= 0.9,
})
await close()
