import { type MessageOrder, messageOrders, routes } from '@hand-post/contract'
import { type MessageState, messageStates } from '@hand-post/core'
import fc from 'fast-check'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { closeWorld, csv, hour, letter, open, world } from './lived.ts'

// The messages of a round are counted, sorted, searched and cut into parts by the database. Beside it stands the same done plainly.

const people = 120
const seed = 20_261_128
let params: { round: number }
let all: {
  id: number
  rowId: number
  person: string
  address: string
  state: MessageState
  at: number | null
  version: number
  words: string | null
  asks: boolean
  copies: MessageState[]
}[]

beforeAll(async () => {
  await open(people, '2026-10-24T19:00:00Z')
  const { id } = await world.round(csv(people), letter)
  params = { round: id }
  await world.call(routes.post, { params, body: { messages: people } })
  await world.call(routes.hold, { params })
  await world.handPost.parts.dispatcher.settled()
  const { db } = world.handPost.parts
  const rows = await db.query<{ id: number; rowId: number; person: string; address: string }>(
    'SELECT id, row_id AS "rowId", person, address FROM messages WHERE round_id = $1 ORDER BY position',
    [id],
  )
  const fates = fc.sample(
    fc.record({
      state: fc.constantFrom(...messageStates),
      // Some at the same moment: those keep the list's order.
      at: fc.option(fc.integer({ min: 1, max: 30 }).map((n) => n * hour)),
      version: fc.integer({ min: 1, max: 3 }),
      words: fc.option(fc.constantFrom('No such mailbox.', 'full', 'A line broke.', '')),
      looked: fc.boolean(),
      copies: fc.array(fc.constantFrom(...messageStates), { maxLength: 2 }),
    }),
    { numRuns: people, seed },
  )
  all = rows.map((row, i) => {
    const { looked, ...fate } = fates[i]
    return { ...row, ...fate, asks: looked && fate.state === 'inDoubt' }
  })
  for (const [i, { state, at, version, words, looked, copies }] of fates.entries()) {
    await db.query(
      `UPDATE messages SET state = $2, sent_at = CASE WHEN $2 = 'sent' THEN $3::bigint END, planned_at = CASE WHEN $2 <> 'sent' THEN $3::bigint END,
         version = $4, reason = $5, looked_at = CASE WHEN $6 THEN 1 END WHERE id = $1`,
      [rows[i].id, state, at, version, words, looked],
    )
    for (const copy of copies)
      await db.query(
        `INSERT INTO copies (message_id, address, address_key, role, state) VALUES ($1, 'c@b.example', 'c@b.example', 'cc', $2)`,
        [rows[i].id, copy],
      )
  }
}, 120_000)
afterAll(closeWorld)

const by: Record<MessageOrder, (m: (typeof all)[number]) => string | number | null> = {
  state: (m) => messageStates.indexOf(m.state),
  person: (m) => m.person.toLowerCase(),
  version: (m) => m.version,
  when: (m) => m.at,
  words: (m) => m.words?.toLowerCase() || null,
}
const wanted = fc.record({
  find: fc.constantFrom('', '', 'person 1', '2 VILLAGE', 'person9@', '100%', 'nobody', '_'),
  state: fc.constantFrom(undefined, ...messageStates),
  order: fc.option(fc.constantFrom(...messageOrders)),
  way: fc.constantFrom('up' as const, 'down' as const),
  from: fc.integer({ min: 0, max: people }),
  count: fc.integer({ min: 1, max: 40 }),
})
const counted = (states: MessageState[]) =>
  Object.fromEntries(messageStates.map((state) => [state, states.filter((one) => one === state).length]))

test('any part, in any order, of any state and search is what one gets by going through all of them', async () => {
  await fc.assert(
    fc.asyncProperty(wanted, async ({ find, state, order, way, from, count }) => {
      const words = find.toLowerCase().split(' ').filter(Boolean)
      const found = all.filter(
        (m) =>
          (state === undefined || m.state === state) &&
          words.every((word) => m.address.includes(word) || m.person.toLowerCase().includes(word)),
      )
      const turned = way === 'up' ? 1 : -1
      const sorted = found.toSorted((a, b) => {
        const [x, y] = order ? [by[order](a), by[order](b)] : [0, 0]
        if (x === null || y === null) return Number(x === null) - Number(y === null)
        return x === y ? 0 : turned * (x < y ? -1 : 1)
      })
      const said = await world.call(routes.messageLines, {
        params,
        query: { find, from, count, way, ...(state ? { state } : {}), ...(order ? { by: order } : {}) },
      })
      expect(said.lines.map((line) => line.id)).toEqual(sorted.slice(from, from + count).map((m) => m.id))
      expect(said.found).toBe(found.length)
      expect(said.states).toEqual(counted(all.map((m) => m.state)))
      expect(said.copies).toEqual(counted(all.filter((m) => m.state === 'sent').flatMap((m) => m.copies)))
      expect(said.asking).toBe(all.filter((m) => m.asks).length)
      for (const line of said.lines) {
        const m = all.find(({ id }) => id === line.id)!
        expect([line.state, line.asksWriter, line.copies.map((c) => c.state)]).toEqual([m.state, m.asks, m.copies])
      }
    }),
    { seed, numRuns: 150 },
  )
})

test('the messages of one row, and those that wait, are given alone', async () => {
  const [{ rowId, id }] = all.slice(7)
  expect((await world.call(routes.messages, { params, query: { row: rowId } })).map((m) => m.id)).toEqual([id])
  const waiting = await world.call(routes.messages, { params, query: { waiting: 'yes' } })
  expect(waiting.map((m) => m.id)).toEqual(
    all.filter((m) => m.state === 'waiting' || m.state === 'retrying').map((m) => m.id),
  )
  expect(await world.call(routes.messages, { params })).toHaveLength(people)
})
