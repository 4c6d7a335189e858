import { penIsAnothers, routes } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import fc from 'fast-check'
import { afterEach, describe, expect, test } from 'vitest'
import { askWho, type Browser, ben, join, setUp } from './browser.ts'
import { closeWorld, csv, letter, minute, openWorld, world } from './lived.ts'

// Several people in one round: who is where, who writes, and whose change of a list is whose.

afterEach(closeWorld)

const windows = { ada: 'adaswindow1', ben: 'benswindow1' }

/** A draft to five people, with Ada, who keeps the office, and Ben. */
async function office() {
  await openWorld({})
  const round = await world.round(csv(5), letter)
  await askWho(world)
  const ada = await setUp(world)
  const other = await join(ada, ben)
  const params = { round: round.id }
  const { letterVersion } = await ada.done(routes.round, { params })
  const here = (who: Browser, window: string, stage: 'letter' | 'proof' = 'letter') =>
    who.done(routes.beHere, { params, body: { window, stage } })
  /** Writes the letter, as a window does; on the version that it had so many writes after the beginning. */
  const write = (who: Browser, window: string, subject: string, writtenOn?: number) =>
    who.ask(routes.changeRound, {
      params,
      body: {
        letter: { ...round.letter, subject },
        window,
        ...(writtenOn === undefined ? {} : { writtenOn: letterVersion + writtenOn }),
      },
    })
  const subject = async () => (await ada.done(routes.round, { params })).letter.subject
  const versions = async () =>
    (await ada.done(routes.letterVersions, { params })).map(({ subject, leftBy }) => [subject, leftBy])
  return { params, list: round.list!.id, base: letterVersion, ada, ben: other, here, write, subject, versions }
}

describe('who is there', () => {
  test('each sees who has the round open and where, until they go, or are not heard of for a while', async () => {
    const { params, ada, ben, here } = await office()
    expect((await here(ada, windows.ada)).here).toEqual([
      { window: windows.ada, account: { id: expect.any(Number), name: 'Ada Penrose' }, stage: 'letter' },
    ])
    await here(ben, windows.ben)
    const stages = async () =>
      (await ada.done(routes.company, { params })).here.map(({ account, stage }) => `${account.name}: ${stage}`)
    expect(await stages()).toEqual(['Ada Penrose: letter', 'Ben Tide: letter'])
    await here(ben, windows.ben, 'proof')
    expect(await stages()).toEqual(['Ada Penrose: letter', 'Ben Tide: proof'])
    // Nobody speaks for another's window.
    await here(ada, windows.ben, 'letter')
    await ada.done(routes.leaveRound, { params: { ...params, window: windows.ben } })
    expect(await stages()).toEqual(['Ada Penrose: letter', 'Ben Tide: proof'])
    await ben.done(routes.leaveRound, { params: { ...params, window: windows.ben } })
    expect(await stages()).toEqual(['Ada Penrose: letter'])
    await here(ben, windows.ben)
    world.clock.move(40_000)
    await here(ada, windows.ada)
    world.clock.move(10_000)
    expect(await stages()).toEqual(['Ada Penrose: letter'])
    expect(
      (await ben.ask(routes.beHere, { params: { round: 99 }, body: { window: windows.ben, stage: 'letter' } })).status,
    ).toBe(404)
  })

  test('where nobody signs in nothing is noted, and whoever writes, writes', async () => {
    await openWorld({})
    const round = await world.round(csv(2), letter)
    const params = { round: round.id }
    const body = { window: windows.ada, stage: 'letter' as const }
    expect(await world.call(routes.beHere, { params, body })).toEqual({ here: [], pen: null })
    for (const window of Object.values(windows))
      await world.call(routes.changeRound, { params, body: { letter: { ...round.letter, subject: window }, window } })
    expect(await world.call(routes.company, { params })).toEqual({ here: [], pen: null })
    // But what was written without having seen the last of it is not taken over, and is kept.
    await expect(
      world.call(routes.changeRound, {
        params,
        body: { letter: { ...round.letter, subject: 'older' }, window: windows.ada, writtenOn: 1 },
      }),
    ).rejects.toThrow(/was changed in another window since. What you wrote was not taken over; it is kept/)
    const versions = await world.call(routes.letterVersions, { params })
    expect(versions.filter(({ leftBy }) => leftBy !== null)).toEqual([
      expect.objectContaining({ subject: 'older', leftBy: '' }),
    ])
  })
})

describe('the pen', () => {
  test('one writes at a time: what another writes meanwhile is refused with who has the pen, and kept', async () => {
    const { params, ada, ben, here, write, subject, versions } = await office()
    await here(ada, windows.ada)
    await here(ben, windows.ben)
    expect((await write(ada, windows.ada, 'from Ada', 0)).status).toBe(200)
    expect((await ben.done(routes.company, { params })).pen).toEqual({
      window: windows.ada,
      account: { id: expect.any(Number), name: 'Ada Penrose' },
      heldFor: minute,
      asked: null,
    })
    const no = await write(ben, windows.ben, 'from Ben', 1)
    expect(no.status).toBe(409)
    expect(no.answer).toMatchObject({ title: penIsAnothers })
    expect(no.detail).toMatch(
      /^Ada Penrose is writing the letter of “.+”\. What you wrote was not taken over; it is kept/,
    )
    expect(await subject()).toBe('from Ada')
    expect(await versions()).toContainEqual(['from Ben', 'Ben Tide'])
    // Everything else of the round is anybody's.
    expect((await ben.ask(routes.changeRound, { params, body: { title: 'Another title' } })).status).toBe(200)
    // A minute after her last word the pen is free.
    world.clock.move(40_000)
    await here(ada, windows.ada)
    expect((await write(ben, windows.ben, 'from Ben', 1)).status).toBe(409)
    world.clock.move(20_000)
    await here(ada, windows.ada)
    expect((await write(ben, windows.ben, 'from Ben', 1)).status).toBe(200)
    // And what Ada then writes on what she had seen is refused, for Ben has written since.
    await ben.done(routes.leaveRound, { params: { ...params, window: windows.ben } })
    const late = await write(ada, windows.ada, 'from Ada, late', 1)
    expect(late.detail).toMatch(/^Ben Tide has written in the letter of/)
    expect(await subject()).toBe('from Ben')
    expect(await versions()).toContainEqual(['from Ada, late', 'Ada Penrose'])
    expect((await write(ada, windows.ada, 'from Ada again', 2)).status).toBe(200)
  })

  test('a write whose answer was lost is no conflict with itself; a second window of one’s own takes the pen', async () => {
    const { ada, here, write, subject } = await office()
    await here(ada, windows.ada)
    await here(ada, 'adaswindow2')
    expect((await write(ada, windows.ada, 'one', 0)).status).toBe(200)
    expect((await write(ada, windows.ada, 'two', 0)).status).toBe(200)
    expect((await write(ada, 'adaswindow2', 'three', 2)).status).toBe(200)
    expect((await write(ada, windows.ada, 'four', 2)).status).toBe(409)
    expect(await subject()).toBe('three')
  })

  test('it is asked for, kept, given, and taken at once where nobody has it', async () => {
    const { params, ada, ben, here, write } = await office()
    const ask = (who: Browser, window: string) => who.done(routes.askForPen, { params, body: { window } })
    const answer = (who: Browser, window: string, give: boolean) =>
      who.ask(routes.answerAsking, { params, body: { window, give } })
    await here(ada, windows.ada)
    await here(ben, windows.ben)
    await write(ada, windows.ada, 'from Ada')
    expect((await answer(ada, windows.ada, true)).detail).toMatch(/^Nobody asks you for the pen/)
    expect((await ask(ben, windows.ben)).pen).toMatchObject({
      window: windows.ada,
      asked: { window: windows.ben, account: { name: 'Ben Tide' } },
    })
    // While she writes on he is still asking; nobody gives what they have not got.
    await write(ada, windows.ada, 'more from Ada')
    expect((await answer(ben, windows.ben, true)).status).toBe(409)
    expect((await answer(ada, windows.ada, false)).answer.pen).toMatchObject({ window: windows.ada, asked: null })
    await ask(ben, windows.ben)
    expect((await answer(ada, windows.ada, true)).answer.pen).toMatchObject({ window: windows.ben, asked: null })
    expect((await write(ada, windows.ada, 'after giving it')).status).toBe(409)
    expect((await write(ben, windows.ben, 'from Ben')).status).toBe(200)
    // With the pen, too, nobody writes over what they have not seen.
    await ask(ada, windows.ada)
    await answer(ben, windows.ben, true)
    expect((await write(ada, windows.ada, 'without having seen his', 2)).detail).toMatch(/kept among the letter/)
    await ask(ben, windows.ben)
    await answer(ada, windows.ada, true)
    // Whoever goes leaves the pen behind, and whoever asks and goes asks no more.
    await ask(ada, windows.ada)
    await ada.done(routes.leaveRound, { params: { ...params, window: windows.ada } })
    expect((await answer(ben, windows.ben, true)).status).toBe(409)
    await ben.done(routes.leaveRound, { params: { ...params, window: windows.ben } })
    await here(ada, windows.ada)
    expect((await ask(ada, windows.ada)).pen).toMatchObject({ window: windows.ada, heldFor: minute })
  })

  test('others hear at once when it changes hands, and not at every word', async () => {
    const { params, ada, here, write } = await office()
    const heard: string[] = []
    const end = world.handPost.parts.subscribe(({ topic, id }) => void (id === params.round && heard.push(topic)))
    await here(ada, windows.ada)
    for (const words of ['a', 'ab', 'abc']) await write(ada, windows.ada, words)
    await here(ada, windows.ada)
    expect(heard.filter((topic) => topic === 'company')).toHaveLength(2)
    expect(heard.filter((topic) => topic === 'round')).toHaveLength(3)
    // She has been silent for a minute, though there: the others thought it free.
    for (const _ of [1, 2]) {
      world.clock.move(minute / 2)
      await here(ada, windows.ada)
    }
    await write(ada, windows.ada, 'abcd')
    expect(heard.filter((topic) => topic === 'company')).toHaveLength(3)
    end()
  })

  test('whatever several windows do, each word stands in the letter or among its versions, and one has the pen', async () => {
    const { params, base, ada, ben, here, write, subject, versions } = await office()
    const all = [
      { who: ada, name: 'Ada Penrose', window: windows.ada },
      { who: ada, name: 'Ada Penrose', window: 'adaswindow2' },
      { who: ben, name: 'Ben Tide', window: windows.ben },
    ]
    let words = 0
    let stands = await subject()
    const step = fc.oneof(
      { weight: 4, arbitrary: fc.record({ do: fc.constant('write' as const), by: fc.nat(2), fresh: fc.boolean() }) },
      fc.record({
        fresh: fc.constant(true),
        do: fc.constantFrom('come' as const, 'go' as const, 'ask' as const, 'give' as const),
        by: fc.nat(2),
      }),
      fc.record({ do: fc.constant('wait' as const), by: fc.constantFrom(5_000, 30_000, 61_000) }),
    )
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 12 }), async (steps) => {
        for (const one of steps) {
          if (one.do === 'wait') {
            world.clock.move(one.by)
            continue
          }
          const { who, name, window } = all[one.by]
          const { pen } = await who.done(routes.company, { params })
          if (one.do === 'come') await here(who, window)
          else if (one.do === 'go') await who.done(routes.leaveRound, { params: { ...params, window } })
          else if (one.do === 'ask') await who.done(routes.askForPen, { params, body: { window } })
          else if (one.do === 'give') {
            const given = await who.ask(routes.answerAsking, { params, body: { window, give: true } })
            expect(given.status).toBe(pen?.account.name === name && pen.asked ? 200 : 409)
          } else {
            const { letterVersion } = await who.done(routes.round, { params })
            const mine = `words ${++words}`
            const { status } = await write(who, window, mine, letterVersion - base - (one.fresh ? 0 : 1))
            // Nobody writes over whoever has the pen, and with it one always writes on what stands there.
            if (pen !== null && pen.account.name !== name) expect(status).toBe(409)
            else if (one.fresh) expect(status).toBe(200)
            if (status === 200) stands = mine
            else expect(await versions()).toContainEqual([mine, name])
          }
          expect(await subject()).toBe(stands)
        }
      }),
      { numRuns: 12 },
    )
    expect(words).toBeGreaterThan(10)
  })
})

describe('a list', () => {
  const cellsOf = async (who: Browser, list: number) => {
    const { rows } = await who.done(routes.rows, { params: { list }, query: { from: 0, count: 10 } })
    return rows
  }

  test('each undoes what is their own, and what the other has made of it since stays, and is told by name', async () => {
    const { list, ada, ben } = await office()
    const params = { list }
    const [first, second] = await cellsOf(ada, list)
    const [name] = (await ada.done(routes.lists)).find(({ id }) => id === list)!.columns.map(({ id }) => id)
    const edit = (who: Browser, cells: [number, string, string][], seen?: number) =>
      who.done(routes.editList, { params, body: { words: 'Change', wishes: [{ do: 'cells', cells }], seen } })
    await edit(ada, [
      [first.id, name, 'Ada one'],
      [second.id, name, 'Ada two'],
    ])
    const bens = await edit(ben, [[second.id, name, 'Ben two']])
    // What each is offered to undo is their own.
    expect(bens.list.undo).toBe('Change')
    const { said } = await ada.done(routes.undoEdit, { params })
    expect(said).toEqual(['Ben Tide changed “Name” of Ben two since. That stands as it is.'])
    expect((await cellsOf(ada, list)).slice(0, 2).map((r) => shown(r.cells[name]))).toEqual(['Person 0', 'Ben two'])
    expect((await ada.ask(routes.undoEdit, { params })).detail).toBe('There is nothing to undo.')
    expect((await ben.done(routes.undoEdit, { params })).said).toEqual([])
    expect((await cellsOf(ada, list)).slice(0, 2).map((r) => shown(r.cells[name]))).toEqual(['Person 0', 'Ada two'])
    // Each does their own again.
    expect((await ben.done(routes.redoEdit, { params })).said).toEqual([])
    expect((await ada.done(routes.redoEdit, { params })).said).toEqual([
      'Ben Tide changed “Name” of Ben two since. That stands as it is.',
    ])
    expect((await cellsOf(ada, list)).slice(0, 2).map((r) => shown(r.cells[name]))).toEqual(['Ada one', 'Ben two'])
  })

  test('whoever writes over what the other has just written is told what, and by whom; a row that is gone, by whom too', async () => {
    const { list, ada, ben } = await office()
    const params = { list }
    const [first, second] = await cellsOf(ada, list)
    const { columns, version } = (await ada.done(routes.lists)).find(({ id }) => id === list)!
    const edit = (who: Browser, wishes: Parameters<typeof who.ask<typeof routes.editList>>[1] & object) =>
      who.ask(routes.editList, wishes)
    const cells = (who: Browser, text: string, seen: number, row = first.id) =>
      edit(who, {
        params,
        body: { words: 'Change', wishes: [{ do: 'cells', cells: [[row, columns[0].id, text]] }], seen },
      })
    expect((await cells(ben, 'Ben’s', version)).answer.said).toEqual([])
    const { answer } = await cells(ada, 'Ada’s', version)
    expect(answer.said).toEqual([
      'Ben Tide had just written in this cell. “Name” of Ben’s: “Ben’s”, and now “Ada’s” by you. To have it back as it was, undo.',
    ])
    // Having seen it, there is nothing to tell; nor of the same words; nor of one's own.
    expect((await cells(ben, 'Ben again', answer.list.version)).answer.said).toEqual([])
    expect((await cells(ada, 'Ben again', answer.list.version)).answer.said).toEqual([])
    expect((await cells(ben, 'And again', answer.list.version + 2)).answer.said).toEqual([])
    const before = (await ada.done(routes.lists)).find(({ id }) => id === list)!.version
    await ben.done(routes.editList, { params, body: { wishes: [{ do: 'deleteRows', rows: [second.id] }] } })
    expect((await cells(ada, 'too late', before, second.id)).detail).toBe(
      'One of the rows is gone. Nothing was changed. Ben Tide changed the list meanwhile.',
    )
  })

  test('many changes of several at the same moment all stand', async () => {
    const { list, ada, ben } = await office()
    const rows = await cellsOf(ada, list)
    const { columns } = (await ada.done(routes.lists)).find(({ id }) => id === list)!
    const [a, b] = columns.map(({ id }) => id)
    await Promise.all(
      rows.flatMap((row) =>
        (
          [
            [ada, a, `Ada ${row.id}`],
            [ben, b, `ben${row.id}@village.example`],
          ] as const
        ).map(([who, column, text]) =>
          who.done(routes.editList, {
            params: { list },
            body: { wishes: [{ do: 'cells', cells: [[row.id, column, text]] }] },
          }),
        ),
      ),
    )
    expect(
      (await cellsOf(ada, list)).map(
        ({ id, cells }) => [shown(cells[a]), shown(cells[b])].join() === `Ada ${id},ben${id}@village.example`,
      ),
    ).toEqual(rows.map(() => true))
  })
})
