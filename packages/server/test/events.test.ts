import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { Events } from '../src/events.ts'
import { closeWorld, openWorld, world } from './lived.ts'

beforeEach(() => void vi.useFakeTimers({ toFake: ['performance'] }))
afterEach(() => void vi.useRealTimers())

test('what changed in the last moments is told to who asks, the newest of each kind once', () => {
  const events = new Events()
  events.publish({ topic: 'round', id: 1 })
  vi.advanceTimersByTime(5000)
  events.publish({ topic: 'lists', id: 2, version: 3 })
  events.publish({ topic: 'lists', id: 2, version: 4 })
  vi.advanceTimersByTime(1000)
  expect(events.lately(2000)).toEqual([{ topic: 'lists', id: 2, version: 4 }])
  expect(events.lately(10_000)).toHaveLength(2)
  expect(events.lately(0)).toEqual([])
  events.publish({ topic: 'round', id: 1 })
  expect(events.lately(500)).toEqual([{ topic: 'round', id: 1 }])
})

test('nothing is remembered for longer than a minute, nor without bound, nor what is told as it happens', () => {
  const events = new Events()
  events.publish({ topic: 'round', id: 1 })
  events.publish({ topic: 'notices', id: 1 })
  events.publish({ topic: 'progress', id: 1, progress: { done: 1, of: 2, words: 'x' } })
  expect(events.lately(1e9)).toEqual([{ topic: 'round', id: 1 }])
  vi.advanceTimersByTime(60_001)
  expect(events.lately(1e9)).toEqual([])
  for (let id = 1; id <= 20_000; id++) events.publish({ topic: 'round', id })
  expect(events.lately(1e9)).toHaveLength(5000)
  expect(events.lately(1e9).at(-1)).toEqual({ topic: 'round', id: 20_000 })
})

test('a page that comes to listening is told what changed since it began to read', async () => {
  vi.useRealTimers()
  await openWorld({ manners: {} })
  try {
    const { address, parts } = world.handPost
    parts.publish({ topic: 'round', id: 77 })
    const told = async (query: string) => {
      const stop = new AbortController()
      const answer = await fetch(`${address}/api/events${query}`, { signal: stop.signal })
      const reader = answer.body!.getReader()
      let text = ''
      const end = setTimeout(() => stop.abort(), 1500)
      try {
        while (!text.includes('data:')) text += Buffer.from((await reader.read()).value ?? []).toString()
      } catch {
        // Nothing came.
      }
      clearTimeout(end)
      stop.abort()
      return text
    }
    expect(await told('?since=30000')).toContain('{"topic":"round","id":77}')
    expect(await told('')).not.toContain('77')
  } finally {
    await closeWorld()
  }
})
