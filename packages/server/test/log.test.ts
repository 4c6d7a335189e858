import { routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { minute, World } from './world.ts'

let world: World
const lines: Record<string, unknown>[] = []
beforeAll(async () => {
  const log = pino({ level: 'debug' }, { write: (line: string) => void lines.push(JSON.parse(line)) })
  world = await World.open({ manners: { 'ada@village.example': {} }, log })
})
afterAll(() => world.close())

test('what happened to a letter stands in the log in one line, by numbers and without an address', async () => {
  const { id } = await world.round('Name,Email\nAda,ada@village.example\nNobody,nobody@nowhere.example', {
    subject: 'S',
    html: '<p>Dear {{Name}}</p>',
  })
  await world.call(routes.post, { params: { round: id }, body: { messages: 2 } })
  await world.pass(minute, 3)
  const letters = await world.call(routes.messages, { params: { round: id } })
  for (const letter of letters)
    expect(lines.filter((line) => line.letter === letter.id && line.round === id).length).toBeGreaterThan(0)
  expect(lines.filter((line) => line.msg === 'taken by the host')).toHaveLength(2)
  expect(JSON.stringify(lines)).not.toMatch(/village\.example|nowhere\.example/)
})

test('each request has a name, which its answer bears and its line in the log', async () => {
  const answer = await fetch(`${world.handPost.address}/api/rounds`)
  const name = answer.headers.get('x-request-id')
  expect(name).toMatch(/^[0-9a-f]{12}$/)
  await answer.arrayBuffer()
  await expect
    .poll(() => lines.find((line) => line.request === name))
    .toMatchObject({
      method: 'GET',
      path: '/api/rounds',
      status: 200,
    })
  expect((await fetch(`${world.handPost.address}/api/health`)).headers.get('x-request-id')).not.toBe(name)
})
