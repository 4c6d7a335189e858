import { type Happened, mailboxSettingsSchema, routes } from '@hand-post/contract'
import { afterEach, expect, test } from 'vitest'
import { askWho, type Browser, ben, join, setUp } from './browser.ts'
import { closeWorld, csv, hour, letter, minute, openWorld, world } from './lived.ts'

afterEach(closeWorld)

/** A draft to three people, in an office with Ada, its keeper, Ben and Cy, who may post, and Wen, who may not. */
async function office(manners: Record<string, { refused?: boolean }> = {}) {
  await openWorld({
    manners: {
      ...Object.fromEntries([0, 1, 2].map((i) => [`person${i}@village.example`, {}])),
      ...manners,
    },
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  const round = await world.round(csv(3), letter, { dispatch: { startAt: world.clock.now() + hour, perMinute: 60 } })
  await askWho(world)
  const ada = await setUp(world)
  const other = (name: string, mayPost: boolean) =>
    join(ada, { ...ben, name, address: `${name.split(' ')[0].toLowerCase()}@brindlequay.example` }, { mayPost })
  const [poster, second, wen] = [
    await other('Ben Tide', true),
    await other('Cy Moor', true),
    await other('Wen Ash', false),
  ]
  const params = { round: round.id }
  const keys = (await ada.done(routes.proof, { params })).findings.map(({ key }) => key)
  if (keys.length > 0) await ada.done(routes.accept, { params, body: { keys, reason: 'made up' } })
  return { params, list: round.list!.id, ada, poster, second, wen }
}
const want = (who: Browser, params: { round: number }) =>
  who.done(routes.wantSecondEyes, { params, body: { wanted: true } })
/** Reads the whole reading set. */
async function read(who: Browser, params: { round: number }): Promise<number> {
  const { set } = await who.done(routes.readingSet, { params })
  for (const { rowId } of set) await who.done(routes.markRead, { params: { ...params, row: rowId } })
  return set.length
}
const post = (who: Browser, params: { round: number }) => who.ask(routes.post, { params, body: { messages: 3 } })
const change = (who: Browser, params: { round: number }, words: string) =>
  who.done(routes.changeRound, {
    params,
    body: { letterHtml: { subject: words, html: `<p>Dear {{Name}}, ${words}</p>` } },
  })
const said = (lines: Happened[]) => lines.map(({ by, words }) => `${by ?? '-'}: ${words}`)

test('whoever changed it last does not post it; another does, who has read the reading set; the record names both', async () => {
  const { params, ada, poster, wen } = await office()
  await change(poster, params, 'The channel is closed')
  await want(wen, params)
  expect((await post(poster, params)).detail).toMatch(/second pair of eyes .* You changed it last/)
  expect((await post(wen, params)).status).toBe(403)
  expect((await post(ada, params)).detail).toMatch(/Of the reading set \d+ letters? of \d+ (is|are) not read by you/)
  const set = await read(ada, params)
  expect(await ada.done(routes.secondEyes, { params })).toMatchObject({
    by: 'round',
    lastChanged: { name: 'Ben Tide' },
    own: false,
    unread: 0,
    of: set,
    changedSince: [],
  })
  expect((await post(ada, params)).status).toBe(200)
  expect(said(await ada.done(routes.roundHappened, { params }))).toContain(
    'Ada Penrose: Posted: 3 letters. Changed last by Ben Tide; read and posted by another.',
  )
  world.clock.move(2 * hour)
  await world.pass(10 * minute, 5)
  const made = await ada.done(routes.makePostingRecord, { params })
  const seal = await (await ada.go(`${ada.desk}/api/records/${made.id}/seal`)).text()
  expect(seal).toContain('Changed last by Ben Tide')
  expect(seal).toContain('"by":"Ada Penrose"')
})

test('what is changed after it was read is told by name, and read anew; a change by the reader makes it another’s to post', async () => {
  const { params, list, ada, poster, second } = await office()
  await change(poster, params, 'The channel is closed')
  await want(poster, params)
  await read(second, params)
  // Each reads for themselves.
  expect((await ada.done(routes.secondEyes, { params })).unread).toBeGreaterThan(0)
  await poster.done(routes.editList, {
    params: { list },
    body: { wishes: [{ do: 'cells', cells: [[1, 'c1', 'Somebody Else']] }] },
  })
  const eyes = await second.done(routes.secondEyes, { params })
  expect(eyes.changedSince).toEqual(['Somebody Else'])
  expect((await post(second, params)).detail).toMatch(/changed since you read (it|them): Somebody Else/)
  await read(second, params)
  // The reader mends something: now it is theirs, and another must read it.
  await change(second, params, 'The channel is closed, until Friday')
  await read(second, params)
  expect((await post(second, params)).detail).toMatch(/You changed it last/)
  await read(poster, params)
  expect((await post(poster, params)).status).toBe(200)
})

test.each([
  ['an accepted finding, a reading and a copy to oneself are no changes', false],
  ['a note to somebody, a file and who is set aside are', true],
])('%s', async (_, changes) => {
  const { params, ada, poster } = await office()
  await change(poster, params, 'The channel is closed')
  if (changes) {
    for (const act of [
      () => ada.done(routes.writeNote, { params: { ...params, row: 1 }, body: { words: 'By hand' } }),
      () => ada.done(routes.addFile, { params, query: { name: 'x.txt', role: 'common' }, file: Buffer.from('x') }),
      () => ada.done(routes.setAside, { params: { ...params, row: 2 }, body: {} }),
    ]) {
      await change(poster, params, `The channel is closed ${Math.random()}`)
      await act()
      expect((await poster.done(routes.secondEyes, { params })).lastChanged?.name).toBe('Ada Penrose')
    }
  } else {
    await read(ada, params)
    await ada.done(routes.accept, { params, body: { keys: ['x'], reason: 'made up' } })
    await ada.done(routes.sendCopies, { params, body: { rowIds: [1], to: null } as never }).catch(() => {})
    expect((await ada.done(routes.secondEyes, { params })).lastChanged?.name).toBe('Ben Tide')
  }
})

test('a mailbox that wants it has it for all its rounds; only keepers say that it is not wanted any more', async () => {
  const { params, ada, poster, second } = await office()
  const [mailbox] = await ada.done(routes.mailboxes)
  const settings = { ...mailboxSettingsSchema.parse(mailbox), secondEyes: true }
  await ada.done(routes.changeMailbox, { params: { mailbox: mailbox.id }, body: settings })
  await change(poster, params, 'The channel is closed')
  expect((await post(poster, params)).detail).toMatch(/wanted for this mailbox/)
  await want(second, params)
  const off = { params, body: { wanted: false } }
  expect((await second.ask(routes.wantSecondEyes, off)).detail).toMatch(/Only keepers/)
  await ada.done(routes.wantSecondEyes, off)
  expect((await second.done(routes.secondEyes, { params })).by).toBe('mailbox')
  await read(second, params)
  expect((await post(second, params)).status).toBe(200)
})

test('an amendment, and those who came late, want it too', async () => {
  const { params, list, ada, poster, second } = await office()
  await change(poster, params, 'The channel is closed')
  await want(poster, params)
  await read(second, params)
  expect((await post(second, params)).status).toBe(200)
  await second.done(routes.beginAmending, { params })
  await change(second, params, 'The channel is closed, until Friday')
  const { print, letters } = await ada.done(routes.amendment, { params })
  const amend = (who: Browser) => who.ask(routes.postAmendment, { params, body: { letters, print } })
  expect((await amend(second)).detail).toMatch(/You changed it last/)
  expect((await amend(poster)).detail).toMatch(/not read by you|changed since/)
  await read(poster, params)
  expect((await amend(poster)).status).toBe(200)
  await poster.done(routes.editList, {
    params: { list },
    body: { wishes: [{ do: 'addRows', rows: [{ c1: 'Late Comer', c2: 'person0@village.example' }] }] } as never,
  })
  const late = { params, body: { messages: 1 } }
  expect((await poster.ask(routes.topUp, late)).detail).toMatch(/You changed it last/)
})

test('a letter to a new address is sent by another than whoever put the address right', async () => {
  const { params, list, ada, poster, wen } = await office({
    'person1@village.example': { refused: true },
    'person2b@village.example': {},
  })
  await change(wen, params, 'The channel is closed')
  await want(wen, params)
  await read(poster, params)
  expect((await post(poster, params)).status).toBe(200)
  world.clock.move(2 * hour)
  await world.pass(10 * minute, 5)
  const anew = (who: Browser) => who.ask(routes.sendToNew, { params: { ...params, row: 2 } })
  const correct = (who: Browser, address: string) =>
    who.done(routes.editList, { params: { list }, body: { wishes: [{ do: 'cells', cells: [[2, 'c2', address]] }] } })
  await correct(poster, 'person2b@village.example')
  expect((await anew(poster)).detail).toMatch(
    /wanted for this round\. You changed the round or its list last, so somebody else who may post .* Nothing was sent\./,
  )
  expect((await anew(wen)).status).toBe(403)
  expect((await anew(ada)).status).toBe(200)
  await world.pass(10 * minute, 2)
  expect(await world.inboxOf('person2b@village.example')).toHaveLength(1)
  expect(said(await ada.done(routes.roundHappened, { params })).join()).toMatch(/Ada Penrose: .*person2b@village/)
})

test('where nobody signs in it cannot be wanted, and keeps nobody from posting', async () => {
  await openWorld({ manners: { 'person0@village.example': {} } })
  const round = await world.round(csv(1), letter)
  const params = { round: round.id }
  await expect(world.call(routes.wantSecondEyes, { params, body: { wanted: true } })).rejects.toThrow(/set up accounts/)
  expect((await world.call(routes.secondEyes, { params })).by).toBeNull()
  const keys = (await world.call(routes.proof, { params })).findings.map(({ key }) => key)
  if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'made up' } })
  await world.call(routes.post, { params, body: { messages: 1 } })
})
