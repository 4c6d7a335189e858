import { type ProblemError, routes } from '@hand-post/contract'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { hour, minute, recipientsIn, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open({
    manners: Object.fromEntries(Array.from({ length: 9 }, (_, i) => [`p${i}@village.example`, {}])),
  })
})
afterAll(() => world.close())

const letter = { subject: 'For {{Name}}', html: '<p>Dear {{Name}}</p>' }
const csv = (n: number, extra = '') =>
  [
    'Name,Email,Deputy,File',
    ...Array.from(
      { length: n },
      (_, i) => `P${i},p${i}@village.example,${i === 0 ? extra : ''},${i === 1 ? 'one.txt' : ''}`,
    ),
  ].join('\n')
async function draft(n: number, changes: object = {}, extra = '') {
  const { id, list } = await world.round(csv(n, extra), letter, {
    filesColumn: null,
    dispatch: { perMinute: 60 },
    ...changes,
  })
  const params = { round: id }
  const accept = async () => {
    const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
    const keys = findings.filter((f) => f.grade === 'ask' && f.accepted === null).map((f) => f.key)
    if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: 'made up' } })
  }
  await accept()
  return { params, list: list!.id, accept, word: () => world.call(routes.lastWord, { params }) }
}
const said = (work: Promise<unknown>) =>
  work.then(
    () => '',
    (e: ProblemError) => `${e.problem.status} ${e.problem.title}`,
  )

describe('the last word', () => {
  test('says who gets copies, also when it is nobody; copies count as outside', async () => {
    const none = await draft(3)
    expect(await none.word()).toMatchObject({
      copies: { letters: 0, count: 0, addresses: [] },
      outside: { count: 3, copies: 0 },
    })
    const some = await draft(
      3,
      { cc: ['Archive <archive@brindlequay.example>'], bcc: ['{{Deputy}}'] },
      'deputy@village.example',
    )
    const word = await some.word()
    expect(word.copies).toEqual({
      letters: 3,
      count: 2,
      addresses: [
        { address: 'archive@brindlequay.example', letters: 3, outside: false },
        { address: 'deputy@village.example', letters: 1, outside: true },
      ],
    })
    expect([word.outside.count, word.outside.copies, recipientsIn(word)]).toEqual([3, 1, 7])
  })

  test('counts the files that go, and says how many lie there for nobody', async () => {
    const { params, word } = await draft(3, { filesColumn: 'c4' })
    const add = (name: string, role: 'common' | 'own') =>
      world.call(routes.addFile, { params, query: { name, role }, file: new TextEncoder().encode(`Words of ${name}`) })
    await add('rules.txt', 'common')
    await add('one.txt', 'own')
    await add('nobodys.txt', 'own')
    expect((await word()).files).toEqual({ common: 1, own: 1, peopleWithOwn: 1, staying: 1 })
  })

  test('speaks of the allowance of the day on which the last leaves, with what other rounds have waiting', async () => {
    const [mailbox] = await world.call(routes.mailboxes)
    const startAt = world.clock.now() + 48 * hour
    const other = await draft(4, { dispatch: { startAt, perMinute: 60 } })
    await world.call(routes.post, { params: other.params, body: { messages: 4 } })
    const { word } = await draft(3, {
      cc: ['archive@brindlequay.example'],
      dispatch: { startAt: startAt + hour, perMinute: 60 },
    })
    const { afterwards, waitingElsewhere, allowance } = await word()
    expect(waitingElsewhere).toBe(4)
    expect(afterwards!.left).toBe(mailbox.perDay - 4 - 6)
    expect(afterwards!.at).toBeGreaterThanOrEqual(startAt + hour)
    expect(allowance).toBe(mailbox.allowance)
    await world.call(routes.withdraw, { params: other.params })
  })
})

describe('what is posted is what was seen', () => {
  const changes: [string, (of: Awaited<ReturnType<typeof draft>>) => Promise<unknown>][] = [
    ['a cell', ({ list }) => world.edit(list, { do: 'cells', cells: [[1, 'c1', 'Other']] })],
    [
      'the letter',
      ({ params }) =>
        world.call(routes.changeRound, { params, body: { letterHtml: { subject: 'S {{Name}}', html: '<p>x</p>' } } }),
    ],
    [
      'a note',
      ({ params }) => world.call(routes.writeNote, { params: { ...params, row: 1 }, body: { words: 'Hello' } }),
    ],
    [
      'a file',
      ({ params }) =>
        world.call(routes.addFile, {
          params,
          query: { name: 'x.txt', role: 'common' },
          file: new TextEncoder().encode('x'),
        }),
    ],
    [
      'who it comes from',
      async () => {
        const [{ id, practice: _, allowance: __, ...rest }] = await world.call(routes.mailboxes)
        await world.call(routes.changeMailbox, {
          params: { mailbox: id },
          body: { ...rest, senderName: `Office ${world.clock.now()} ${performance.now()}` } as never,
        })
      },
    ],
    [
      'somebody set aside, and another taken in',
      async ({ params, list }) => {
        await world.call(routes.setAside, { params: { ...params, row: 1 }, body: { reason: 'x' } })
        await world.edit(list, { do: 'addRows', rows: [{ c1: 'P8', c2: 'p8@village.example' }] })
      },
    ],
  ]
  test.each(changes)('%s changed since: nothing is posted', async (_, change) => {
    const made = await draft(2)
    const { print } = await made.word()
    await change(made)
    await made.accept()
    const post = () => world.call(routes.post, { params: made.params, body: { messages: 2, print } })
    expect(await said(post())).toBe('409 Changed meanwhile')
    expect(await world.call(routes.messages, { params: made.params })).toEqual([])
    const now = await made.word()
    await world.call(routes.post, { params: made.params, body: { messages: 2, print: now.print } })
    await world.call(routes.withdraw, { params: made.params })
  })

  test('another list that a column looks into, changed since: nothing is posted', async () => {
    const made = await draft(2)
    const other = await world.call(routes.startList, {
      body: {
        name: 'Wardens',
        columns: [
          { name: 'Who', kind: 'text' },
          { name: 'Warden', kind: 'text' },
        ],
      },
    })
    await world.edit(other.id, { do: 'addRows', rows: [{ c1: 'P0', c2: 'Tolland' }] })
    await world.edit(made.list, {
      do: 'addColumn',
      column: {
        name: 'Warden',
        kind: 'text',
        recipe: { do: 'lookedUp', column: 'c1', list: other.id, key: 'c1', value: 'c2' },
      },
    })
    await made.accept()
    const { print } = await made.word()
    expect((await made.word()).print).toBe(print)
    await world.edit(other.id, { do: 'cells', cells: [[1, 'c2', 'Marsh']] })
    await made.accept()
    const post = () => world.call(routes.post, { params: made.params, body: { messages: 2, print } })
    expect(await said(post())).toBe('409 Changed meanwhile')
  })

  test('also what is changed while it is being posted', async () => {
    const made = await draft(2)
    const { print } = await made.word()
    const { db } = world.handPost.parts
    // Between the proof and the writing of the messages somebody else's list comes in: as from another window, at the worst moment.
    const [posted] = await Promise.all([
      said(world.call(routes.post, { params: made.params, body: { messages: 2, print } })),
      (async () => {
        for (let i = 0; i < 40; i++) {
          await db.query('UPDATE lists SET version = version + 1 WHERE id = $1', [made.list])
          await new Promise((done) => setTimeout(done, 5))
        }
      })(),
    ])
    expect(posted).toBe('409 Changed meanwhile')
  })
})

describe('what the screen says', () => {
  test('a held round says that it is held; a pace below one a minute is a pace; none at all is refused in words', async () => {
    const { params } = await draft(3, { dispatch: { perMinute: 1 / 60 } })
    const { departures } = await world.call(routes.timetable, { params })
    expect(departures.map((d) => d.at - departures[0].at)).toEqual([0, hour, 2 * hour])
    const refused = await world
      .call(routes.changeRound, { params, body: { dispatch: { perMinute: 0 } } })
      .catch((e: ProblemError) => e.problem.detail)
    expect(refused).toMatch(/At 0 letters a minute nothing would ever leave/)
    await world.call(routes.post, { params, body: { messages: 3 } })
    await world.call(routes.hold, { params })
    await world.pass(minute, 2)
    const { sentence } = await world.call(routes.timetable, { params })
    expect(sentence).toMatch(/The round is held: (two|2|3) letters wait, and have no time until you carry on\./)
    await world.call(routes.withdraw, { params })
  })
})
