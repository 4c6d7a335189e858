import { type DeskEvent, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { queries } from '../api.ts'
import { draw, type FakeDesk, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aMailbox, aRound, someRows, withRound, withRows } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { listen, whileChanging } from './live.ts'
import { keys, query, useProgress } from './queries.ts'
import { rowsQuery } from './rows.ts'

/** The stream of the desk's news, as a test lets it come, break and come back. */
class Stream {
  static last: Stream
  static readonly CLOSED = 2
  readyState = 1
  onmessage: ((event: { data: string }) => void) | null = null
  onerror: (() => void) | null = null
  onopen: (() => void) | null = null
  closed = false
  constructor(readonly address: string) {
    Stream.last = this
  }
  close() {
    this.closed = true
  }
  tell(event: DeskEvent) {
    this.onmessage?.({ data: JSON.stringify(event) })
  }
}

const real = globalThis.EventSource
let stop: () => void
beforeEach(() => {
  globalThis.EventSource = Stream as unknown as typeof EventSource
})
afterEach(() => {
  stop()
  globalThis.EventSource = real
})

function Seen() {
  const round = useQuery(query.round(5)).data
  const mailbox = useQuery(query.mailboxes()).data?.[0]
  const rows = useQuery(rowsQuery(3)).data
  const progress = useProgress(5)
  return (
    <p>
      {round?.title}, {mailbox?.name}, {rows?.rows.length} rows,{' '}
      {progress ? `${progress.done} of ${progress.of}` : 'idle'}
    </p>
  )
}

/** A desk whose state a test changes, and what the page shows of it. */
async function drawSeen() {
  const desk = openDesk()
  const kept = withRound(desk)
  const state = { mailbox: 'Office', version: 1, rows: someRows, asked: 0 }
  withRows(desk, () => state)
    .on(routes.mailboxes, () => [aMailbox({ name: state.mailbox })])
    .on(routes.rows, () => {
      state.asked++
      return { version: state.version, rows: state.rows }
    })
  stop = listen(() => {})
  const { screen } = await draw(<Seen />)
  const shows = (words: string) => expect.element(screen.getByText(words)).toBeVisible()
  await shows('Season permits, Office, 2 rows, idle')
  const rename = (title: string) => {
    kept.round = { ...kept.round, title, version: kept.round.version + 1 }
  }
  return { desk, state, rename, shows }
}

test('what the desk says has changed is fetched anew, and nothing else', async () => {
  const { state, rename, shows } = await drawSeen()
  // What was read before it came to listening may have changed meanwhile: it says since when it reads.
  const { pathname, searchParams } = new URL(Stream.last.address, location.origin)
  expect(pathname).toBe(routes.events.path)
  expect(Number(searchParams.get('since'))).toBeGreaterThan(0)
  rename('Winter lift-out')
  state.mailbox = 'Berths'
  Stream.last.tell({ topic: 'round', id: 5 })
  await shows('Winter lift-out, Office, 2 rows, idle')
  Stream.last.tell({ topic: 'mailboxes', id: 7 })
  await shows('Winter lift-out, Berths, 2 rows, idle')
  expect(state.asked).toBe(1)
})

test('what came of a round is news to the rounds whose list has a column of it', async () => {
  const desk = openDesk()
  const list = aList()
  const recipe = { do: 'cameOf', round: 4, what: 'outcome' } as const
  const columns = [...list.columns, { id: 'c9', name: 'Last time', kind: 'text' as const, recipe }]
  const kept = withRound(desk, aRound({ list: { ...list, columns } }))
  desk.on(routes.mailboxes, () => [aMailbox()])
  stop = listen(() => {})
  const { screen } = await draw(<Seen />)
  await expect.element(screen.getByText(/Season permits/)).toBeVisible()
  kept.round = { ...kept.round, title: 'Winter lift-out', version: kept.round.version + 1 }
  Stream.last.tell({ topic: 'responses', id: 6 })
  await new Promise((done) => setTimeout(done, 200))
  await expect.element(screen.getByText(/Season permits/)).toBeVisible()
  Stream.last.tell({ topic: 'responses', id: 4 })
  await expect.element(screen.getByText(/Winter lift-out/)).toBeVisible()
})

test('how far long work is is shown as it is told', async () => {
  const { shows } = await drawSeen()
  Stream.last.tell({ topic: 'progress', id: 5, progress: { done: 3, of: 9, words: 'Posting' } })
  await shows('Season permits, Office, 2 rows, 3 of 9')
  // Of another round it is nothing to this one.
  Stream.last.tell({ topic: 'progress', id: 6, progress: { done: 1, of: 2, words: 'Posting' } })
  Stream.last.tell({ topic: 'progress', id: 5, progress: { done: 9, of: 9, words: 'Posting' } })
  await shows('Season permits, Office, 2 rows, 9 of 9')
})

test('when the stream was lost and is found again, everything is fetched anew: anything may have changed', async () => {
  const { state, rename, shows } = await drawSeen()
  rename('Changed meanwhile')
  state.mailbox = 'Changed too'
  state.rows = someRows.slice(1)
  state.version = 2
  Stream.last.readyState = 0
  Stream.last.onerror?.()
  // Lost, there is nothing to be had yet.
  await new Promise((resolve) => setTimeout(resolve, 50))
  await shows('Season permits, Office, 2 rows, idle')
  Stream.last.onopen?.()
  await shows('Changed meanwhile, Changed too, 1 rows, idle')
  // Opened without having been lost, nothing is asked.
  const asked = state.asked
  Stream.last.onopen?.()
  await new Promise((resolve) => setTimeout(resolve, 50))
  expect(state.asked).toBe(asked)
})

test('a stream that is closed for good asks at once, so that the end of the session is seen', async () => {
  const { rename, shows } = await drawSeen()
  rename('Seen by asking')
  Stream.last.readyState = Stream.CLOSED
  Stream.last.onerror?.()
  await shows('Seen by asking, Office, 2 rows, idle')
})

test('rows are fetched anew for a newer version only, and not for what was changed from here', async () => {
  const { state } = await drawSeen()
  Stream.last.tell({ topic: 'lists', id: 3, version: 1 })
  await new Promise((resolve) => setTimeout(resolve, 50))
  expect(state.asked).toBe(1)
  // Told of our own change before its answer is here.
  await whileChanging(3, async () => {
    Stream.last.tell({ topic: 'lists', id: 3, version: 2 })
    return { list: { version: 2 } }
  })
  await new Promise((resolve) => setTimeout(resolve, 50))
  expect(state.asked).toBe(1)
  // Somebody else's came behind it.
  await whileChanging(3, async () => {
    Stream.last.tell({ topic: 'lists', id: 3, version: 4 })
    return { list: { version: 3 } }
  })
  await until(() => expect(state.asked).toBe(2))
  Stream.last.tell({ topic: 'lists', id: 3, version: 9 })
  await until(() => expect(state.asked).toBe(3))
})

test('a change that failed has the rows fetched anew', async () => {
  const { state } = await drawSeen()
  await expect(whileChanging(3, () => Promise.reject(new Error('no')))).rejects.toThrow('no')
  await until(() => expect(state.asked).toBe(2))
})

test('rows that change while they are fetched are fetched again from the beginning', async () => {
  const desk: FakeDesk = openDesk()
  stop = listen(() => {})
  const many = Array.from({ length: 700 }, (_, i) => ({ id: i + 1, position: String(i), cells: { c1: `v${i}` } }))
  let calls = 0
  // Changed between the first page and the order.
  withRows(desk, () => (calls++ === 0 ? { version: 1, rows: many } : { version: 2, rows: many.slice(0, 650) }))
  const rows = await queries.fetchQuery(rowsQuery(3))
  expect(rows).toMatchObject({ version: 2, whole: true })
  expect(rows.rows).toEqual(many.slice(0, 650))
  expect(queries.getQueryData(keys.rows(3))).toEqual(rows)
})
