import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join as joined } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { call, routes, type Work } from '@hand-post/contract'
import { workKinds } from '@hand-post/core'
import pino from 'pino'
import { afterEach, describe, expect, test } from 'vitest'
import { startHandPost } from '../src/index.ts'
import { Refusal } from '../src/problem.ts'
import type { About } from '../src/threads/workStore.ts'
import type { WorkOptions } from '../src/threads/works.ts'
import { actAs } from '../src/who.ts'
import { askWho, type Browser, ben, join, setUp } from './browser.ts'
import { closeWorld, csv, letter, openWorld, world } from './lived.ts'
import { PostgresServer, serverDatabase, withoutServer } from './postgres.ts'
import { settingsFor } from './world.ts'

// What takes long is seen, and stopped, from every desk.

afterEach(closeWorld)

/** Begins work that goes on until it is told to stop, as a thread's job does: it then refuses. What is stubborn goes on. */
function begin(
  about: About & { stays?: string },
  { gone = null, stubborn = false }: { gone?: AbortSignal | null; stubborn?: boolean } = {},
) {
  let options!: WorkOptions
  const done = world.handPost.parts.works.long(about, gone, (given) => {
    options = given
    return new Promise<string>((resolve, reject) => {
      if (!stubborn)
        given.signal.addEventListener('abort', () => reject(new Refusal(499, 'It was cancelled.', 'Cancelled')))
      ends.push(() => resolve('done'))
    })
  })
  done.catch(() => {})
  return { done, options }
}
const ends: (() => void)[] = []
afterEach(() => {
  for (const end of ends.splice(0)) end()
})

/** Waits until what is asked for is so. */
async function until<T>(ask: () => Promise<T>, fits: (found: T) => boolean): Promise<T> {
  for (let i = 0; ; i++) {
    const found = await ask()
    if (fits(found) || i > 300) return found
    await sleep(50)
  }
}
const shown = (ask: () => Promise<Work[]>, n = 1) => until(ask, ({ length }) => length === n)

async function office() {
  await openWorld({})
  const round = await world.round(csv(2), letter)
  await askWho(world)
  const ada = await setUp(world)
  const poster = await join(ada, ben, { mayPost: true })
  const writer = await join(ada, { name: 'Cy Moor', address: 'cy@brindlequay.example', password: 'six warm stones' })
  const works = (who: Browser) => () => who.done(routes.works)
  const { account } = await ada.done(routes.me)
  return { round, list: round.list!, ada, poster, writer, works, adaIs: account! }
}

describe('with several at the desk', () => {
  test('what is short shows nowhere; what is long shows to all what it is, whose, and how far it is', async () => {
    const { round, poster, ada, works, adaIs } = await office()
    const topics: string[] = []
    world.handPost.parts.subscribe(({ topic }) => topics.push(topic))
    expect(await world.handPost.parts.works.long({ what: 'proof' }, null, async () => 7)).toBe(7)
    await sleep(1800)
    expect(topics).not.toContain('works')
    const { done, options } = actAs(adaIs, () => begin({ what: 'makingFiles', round: round.id }))
    options.onProgress({ done: 1, of: 9, words: 'Making files' })
    // How far it is is said a moment after it is shown.
    const [work] = await until(works(poster), ([one]) => one?.progress != null)
    expect(work).toEqual({
      id: expect.any(String),
      what: 'makingFiles',
      round: { id: round.id, name: round.title },
      list: null,
      by: { id: adaIs.id, name: 'Ada Penrose' },
      running: expect.any(Number),
      progress: { done: 1, of: 9, words: 'Making files' },
      stoppedBy: null,
      tooLate: false,
    })
    expect(work.running).toBeGreaterThanOrEqual(1500)
    options.onProgress({ done: 4, of: 9, words: 'Making files' })
    await until(works(ada), ([{ progress }]) => progress?.done === 4)
    expect(topics).toContain('works')
    // Its windows are told at once how far it is, as ever.
    expect(topics.filter((topic) => topic === 'progress')).toHaveLength(2)
    ends.splice(0)[0]()
    expect(await done).toBe('done')
    expect(await shown(works(poster), 0)).toEqual([])
  })

  test('a colleague stops it: whoever began it is told by whom, and it stands among what happened', async () => {
    const { round, ada, poster, works, adaIs } = await office()
    const { done } = actAs(adaIs, () => begin({ what: 'proof', round: round.id }))
    const [{ id }] = await shown(works(poster))
    await poster.done(routes.stopWork, { params: { work: id } })
    await expect(done).rejects.toMatchObject({ status: 499, message: 'Ben Tide has stopped this. It was cancelled.' })
    expect(await shown(works(poster), 0)).toEqual([])
    const gone = await poster.ask(routes.stopWork, { params: { work: id } })
    expect([gone.status, gone.detail]).toEqual([404, expect.stringMatching(/not under way any more/)])
    const [first] = await ada.done(routes.happened)
    expect(first).toMatchObject({
      by: 'Ben Tide',
      words: 'What was under way was told to stop: Proof, begun by Ada Penrose.',
    })
  })

  test('each kind is stopped by whoever may begin it, and by nobody else', async () => {
    const { poster, writer, ada, works } = await office()
    const may: Record<string, string[]> = {}
    for (const what of workKinds) begin({ what }, { stubborn: true })
    const all = await shown(works(ada), workKinds.length)
    for (const { id, what } of all) {
      const tried = [
        ['writer', writer],
        ['poster', poster],
        ['keeper', ada],
      ] as const
      for (const [name, who] of tried) {
        const { status, detail } = await who.ask(routes.stopWork, { params: { work: id } })
        if (status === 200) may[what] = [...(may[what] ?? []), name]
        else expect([status, detail]).toEqual([403, expect.stringMatching(/It goes on/)])
      }
    }
    for (const what of workKinds)
      expect([what, may[what]]).toEqual([
        what,
        // Ada keeps the office, and may post as well.
        what === 'posting' || what === 'amending'
          ? ['poster', 'keeper']
          : what === 'backup'
            ? ['keeper']
            : ['writer', 'poster', 'keeper'],
      ])
  })

  test('of what is hidden from somebody they see no work, and stop none', async () => {
    const { round, list, ada, poster, works } = await office()
    for (const [kind, thing] of [
      ['round', round.id],
      ['list', list.id],
    ] as const)
      await ada.done(routes.share, { params: { kind, thing }, body: { with: [] } })
    begin({ what: 'proof', round: round.id })
    begin({ what: 'writingList', list: list.id })
    begin({ what: 'bringingIn' })
    const all = await shown(works(ada), 3)
    expect((await works(poster)()).map(({ what }) => what)).toEqual(['bringingIn'])
    for (const { id, what } of all)
      expect([what, (await poster.ask(routes.stopWork, { params: { work: id } })).status]).toEqual([
        what,
        what === 'bringingIn' ? 200 : 404,
      ])
  })
})

describe('whatever happens to it', () => {
  const works = () => world.call(routes.works)

  test('where nobody signs in, it is stopped from another window; its own window stops it as ever', async () => {
    await openWorld({})
    const { done } = begin({ what: 'backup' })
    const [{ id, by }] = await shown(works)
    expect(by).toBeNull()
    await world.call(routes.stopWork, { params: { work: id } })
    await expect(done).rejects.toThrow('This was stopped from another window. It was cancelled.')
    const left = new AbortController()
    const other = begin({ what: 'backup' }, { gone: left.signal })
    left.abort()
    // Whoever leaves is told nothing of others.
    await expect(other.done).rejects.toThrow(/^It was cancelled.$/)
  })

  test('what was done when it was told to stop is said to be done, for a moment, and not to have stopped', async () => {
    await openWorld({})
    const topics: string[] = []
    const { done } = begin({ what: 'posting' }, { stubborn: true })
    const [{ id }] = await shown(works)
    await world.call(routes.stopWork, { params: { work: id } })
    await until(works, ([one]) => one.stoppedBy !== null)
    world.handPost.parts.subscribe(({ topic }) => topics.push(topic))
    ends.splice(0)[0]()
    expect(await done).toBe('done')
    expect(await until(works, ([one]) => one.tooLate)).toMatchObject([{ id, stoppedBy: '', tooLate: true }])
    expect(topics).toContain('works')
    // It is not told to stop once more.
    await expect(world.call(routes.stopWork, { params: { work: id } })).rejects.toThrow(/not under way any more/)
    await world.handPost.parts.db.query(`UPDATE works SET seen = seen - interval '15 seconds'`)
    expect(await works()).toEqual([])
  })

  test('told to stop in the last moment, before anybody has looked, it is said to be done as well', async () => {
    await openWorld({})
    const { done } = begin({ what: 'proof' })
    const [{ id }] = await shown(works)
    const { db } = world.handPost.parts
    // In one statement with its end: whoever does the work cannot hear of it any more.
    const told = db.query(`UPDATE works SET stopped_by = 'Ben Tide' WHERE id = $1`, [id])
    ends.splice(0)[0]()
    await told
    expect(await done).toBe('done')
    expect(await until(works, ([one]) => one?.tooLate)).toMatchObject([{ stoppedBy: 'Ben Tide', tooLate: true }])
  })

  test('what stays of it when it is stopped half way is said in the place of the thread’s words', async () => {
    await openWorld({})
    const { done } = begin({ what: 'unpacking', stays: 'What was unpacked by then stays.' })
    const [{ id }] = await shown(works)
    await world.call(routes.stopWork, { params: { work: id } })
    await expect(done).rejects.toThrow(/^This was stopped from another window. What was unpacked by then stays.$/)
  })

  test('what asks the signal itself is told the same; another refusal at that moment is not called a stop', async () => {
    await openWorld({})
    for (const [refuses, said] of [
      [
        (signal: AbortSignal) => signal.throwIfAborted(),
        /^This was stopped from another window. It was cancelled. Nothing was/,
      ],
      [
        () => {
          throw new Refusal(409, 'The proof has something to settle.', 'Not settled')
        },
        /^The proof has something to settle.$/,
      ],
    ] as const) {
      const about = { what: 'archive' as const, stays: refuses.length === 0 ? 'Half of it stays.' : undefined }
      const done = world.handPost.parts.works.long(about, null, async ({ signal }) => {
        await new Promise((stopped) => signal.addEventListener('abort', stopped))
        refuses(signal)
      })
      done.catch(() => {})
      const [{ id }] = await shown(works)
      await world.call(routes.stopWork, { params: { work: id } })
      await expect(done).rejects.toThrow(said)
      await shown(works, 0)
    }
  })

  test('a fault of its own stays its own, though it was told to stop', async () => {
    await openWorld({})
    const done = world.handPost.parts.works.long({ what: 'proof' }, null, async ({ signal }) => {
      await new Promise((stopped) => signal.addEventListener('abort', stopped))
      throw new Error('broken')
    })
    done.catch(() => {})
    const [{ id }] = await shown(works)
    await world.call(routes.stopWork, { params: { work: id } })
    await expect(done).rejects.toThrow(/^broken$/)
  })

  test('what went with its process is not shown for long, and is forgotten', async () => {
    await openWorld({})
    const { db } = world.handPost.parts
    await db.query(
      `INSERT INTO works (id, what, seen) VALUES ('gone', 'proof', clock_timestamp() - interval '20 seconds'), ('here', 'posting', clock_timestamp())`,
    )
    expect((await works()).map(({ id }) => id)).toEqual(['here'])
    begin({ what: 'proof' })
    await shown(works, 2)
    expect(await db.query(`SELECT id FROM works WHERE id = 'gone'`)).toEqual([])
  })

  test('that it cannot be shown keeps nobody from it', async () => {
    await openWorld({})
    await world.handPost.parts.db.query('DROP TABLE works')
    const { done } = begin({ what: 'proof' })
    await sleep(2200)
    ends.splice(0)[0]()
    expect(await done).toBe('done')
  })

  test('posting stops while messages are made, and nothing is posted; then it posts them all', async () => {
    await openWorld({ allThreads: true, limits: { perDay: 100_000, perMinute: 100_000 } })
    const people = 6000
    const round = await world.round(csv(people), letter)
    const [mailbox] = await world.call(routes.mailboxes)
    const { compute, publicAddress } = world.handPost.parts
    const given = { roundId: round.id, expected: people, onPaper: 0, now: world.clock.now(), publicAddress }
    const keys = (await world.call(routes.proof, { params: { round: round.id } })).findings.map(({ key }) => key)
    if (keys.length > 0)
      await world.call(routes.accept, { params: { round: round.id }, body: { keys, reason: 'for the test' } })
    const stop = new AbortController()
    const stopped = refusalOf(
      compute.run('post', given, { signal: stop.signal, gently: true, onProgress: () => stop.abort() }),
    )
    expect(await stopped).toBe('It was cancelled. Nothing was stored or changed.')
    const state = () => world.call(routes.round, { params: { round: round.id } })
    expect(await state()).toMatchObject({ postedAt: null, states: { waiting: 0 } })
    expect(await compute.run('post', given)).toEqual({ chasersNot: null })
    expect(await state()).toMatchObject({
      postedAt: expect.any(Number),
      mailboxId: mailbox.id,
      states: { waiting: people },
    })
    // Their times are worked out in a thread of its own: neither the server nor what must not wait is held up by it.
    const planned = world.handPost.parts.dispatcher.replan(mailbox.id)
    let seen = 0
    void planned.then(() => {
      seen = -1
    })
    while (seen === 0) {
      seen = compute.load().find(({ lane }) => lane === 'planning')?.running ?? 0
      await sleep(1)
    }
    expect(seen).toBe(1)
    await planned
    const [{ n }] = await world.handPost.parts.db.query<{ n: number }>(
      'SELECT count(planned_at)::int AS n FROM messages WHERE round_id = $1',
      [round.id],
    )
    expect(n).toBe(people)
  })
})

const refusalOf = (doing: Promise<unknown>) =>
  doing.then(
    () => 'was done',
    ({ message }: Error) => message,
  )

describe.skipIf(withoutServer !== null)('with two processes', () => {
  test('what one does is seen and stopped at the other', async () => {
    const server = await PostgresServer.start()
    const folder = await mkdtemp(joined(tmpdir(), 'hand-post-'))
    try {
      const databaseUrl = await serverDatabase(server.url())
      await openWorld({ databaseUrl })
      const second = await startHandPost({
        settings: {
          ...settingsFor(folder, world.practice, databaseUrl),
          HAND_POST_SHARED: joined(world.folder, 'data'),
        },
        lanes: world.lanes,
        log: pino({ level: 'silent' }),
      })
      try {
        const heard: string[] = []
        second.parts.subscribe(({ topic }) => heard.push(topic))
        const { done } = begin({ what: 'archive' })
        const [{ id }] = await shown(() => call(second.address, routes.works))
        await until(
          async () => heard,
          (topics) => topics.includes('works'),
        )
        expect(heard).toContain('works')
        await call(second.address, routes.stopWork, { params: { work: id } })
        await expect(done).rejects.toThrow('This was stopped from another window.')
      } finally {
        await second.close()
      }
    } finally {
      await closeWorld()
      await server.close()
      await rm(folder, { recursive: true, force: true })
    }
  })
})
