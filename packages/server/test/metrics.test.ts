import { routes } from '@hand-post/contract'
import fc from 'fast-check'
import parse from 'parse-prometheus-text-format'
import { afterEach, expect, test } from 'vitest'
import { Metrics, openMetrics } from '../src/app/metrics.ts'
import { readSettings } from '../src/index.ts'
import { askWho } from './browser.ts'
import { closeWorld, csv, hour, letter, minute, openWorld, world } from './lived.ts'

afterEach(closeWorld)

const token = 'lee-shore-and-low-water'
const asked = (authorization?: string) =>
  fetch(`${world.handPost.address}/api/metrics`, { headers: authorization === undefined ? {} : { authorization } })
/** The numbers, read by a parser that is not ours: by name, then by labels. */
async function numbers(): Promise<Record<string, Record<string, number>>> {
  // Counted anew: what was counted holds for a few seconds.
  await askWho(world, { HAND_POST_METRICS: token, HAND_POST_PASSWORD: undefined })
  const answer = await asked(`Bearer ${token}`)
  expect([answer.status, answer.headers.get('content-type')]).toEqual([
    200,
    'application/openmetrics-text; version=1.0.0; charset=utf-8',
  ])
  const text = await answer.text()
  expect(text.endsWith('\n# EOF\n')).toBe(true)
  return Object.fromEntries(
    parse(text).map(({ name, metrics }) => [
      name,
      Object.fromEntries(
        metrics.map(({ value, labels }) => [Object.values(labels ?? {}).join(' ') || 'all', Number(value)]),
      ),
    ]),
  )
}

test('without a token that is set nothing is given; with one only to who bears it, whoever is signed in', async () => {
  await openWorld({ manners: {} })
  expect((await asked()).status).toBe(404)
  await askWho(world, { HAND_POST_METRICS: token })
  for (const wrong of [undefined, '', token, `Bearer ${token}x`, `Bearer ${token.slice(1)}`, 'Bearer '])
    expect((await asked(wrong)).status, wrong).toBe(401)
  expect((await asked(`Bearer ${token}`)).status).toBe(200)
  expect(() => readSettings({ HAND_POST_METRICS: 'short' })).toThrow(/at least 16/)
})

test('letters by state, how late the plan is, and the oldest answer, as a reader of the format has them', async () => {
  await openWorld({
    manners: { 'person0@village.example': { repliesAfter: 5 }, 'person1@village.example': {} },
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  const start = world.clock.now()
  const round = await world.round(csv(3), letter, { dispatch: { startAt: start + hour, perMinute: 1 } })
  const params = { round: round.id }
  const keys = (await world.call(routes.proof, { params })).findings.map(({ key }) => key)
  if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages: 3 } })
  let seen = await numbers()
  expect(seen.hand_post_letters).toMatchObject({ waiting: 3, sent: 0, inDoubt: 0 })
  expect([seen.hand_post_plan_lag_seconds.all, seen.hand_post_answers_open.all]).toEqual([0, 0])
  expect(seen.hand_post_letters_unplanned.all).toBe(0)
  expect([seen.hand_post_ready.all, seen.hand_post_faults.all]).toEqual([1, 0])
  expect(Object.keys(seen.hand_post_jobs)).toContain('quick running')
  expect(Object.keys(seen.hand_post_database_connections)).toEqual(['busy', 'resting', 'waiting'])
  // What is held is late for nobody.
  await world.call(routes.hold, { params })
  world.clock.move(start + 2 * hour - world.clock.now())
  seen = await numbers()
  expect([seen.hand_post_plan_lag_seconds.all, seen.hand_post_letters_unplanned.all]).toEqual([0, 0])
  // Carried on, but not planned: nobody has given them times again. (A program that is started plans what it finds.)
  const { db, compute, readiness } = world.handPost.parts
  await db.query('UPDATE rounds SET held = false')
  const now = () => world.clock.now()
  const anew = new Metrics({ db, now, readiness, load: () => compute.load(), lease: minute, token })
  expect(await anew.text()).toContain('\nhand_post_letters_unplanned 3\n')
  await db.query('UPDATE rounds SET held = true')
  await world.call(routes.carryOn, { params })
  await world.pass(30 * minute, 15)
  seen = await numbers()
  expect(seen.hand_post_letters).toMatchObject({ waiting: 0, sent: 3 })
  expect(seen.hand_post_answers_open.all).toBe(1)
  const age = seen.hand_post_oldest_answer_seconds.all
  expect(age).toBeGreaterThan(60)
  expect(age).toBeLessThan(45 * 60)
})

test('any text as a label comes out of the reader as it went in', () => {
  const label = fc.string().filter((text) => !/[\r\0]/.test(text))
  fc.assert(
    fc.property(label, fc.integer(), (text, value) => {
      const [family] = parse(openMetrics([{ name: 'one', help: 'h', samples: [{ labels: { l: text }, value }] }]))
      expect(family.metrics).toEqual([{ value: String(value), labels: { l: text } }])
    }),
  )
})
