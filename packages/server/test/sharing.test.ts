import { type CallInput, mailboxSettingsSchema, type Route, routes } from '@hand-post/contract'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { z } from 'zod'
import { askWho, type Browser, ben, join, setUp } from './browser.ts'
import { closeWorld, hour, minute, openWorld, world } from './lived.ts'

/** A word that stands in everything that is Ada's alone, and nowhere else. */
const marker = 'Zephyrine'
const people = [0, 1].map((i) => `person${i}@village.example`)
const table = `Name,Email\r\n${marker} One,${people[0]}\r\n${marker} Two,${people[1]}`
const letter = { subject: `${marker} to {{Name}}`, html: `<p>Dear {{Name}}, ${marker}</p>` }

let ada: Browser
let cy: Browser & { id: number }
let wen: Browser & { id: number }
/** What is Ada's: the numbers by which calls name it. */
let ids: Record<string, number>
let draft: number

beforeAll(async () => {
  await openWorld({
    manners: { [people[0]]: { repliesAfter: 10 }, [people[1]]: {} },
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  // What there is, was made before there were accounts, and is everybody's.
  const posted = await world.round(table, letter)
  const other = await world.round(table, { ...letter, subject: `${marker}, once more` })
  draft = other.id
  const { id: shelf } = await world.call(routes.putOnShelf, {
    body: { name: `${marker} letter`, tags: [marker], letter: posted.letter },
  })
  await world.call(routes.changeOnShelf, { params: { letter: shelf }, body: { letter: other.letter } })
  for (const id of [posted.id, draft])
    await world.call(routes.changeRound, { params: { round: id }, body: { title: `${marker} round ${id}` } })
  const [practice] = await world.call(routes.mailboxes)
  const own = await world.call(routes.addMailbox, {
    body: { ...mailboxSettingsSchema.parse(practice), name: `${marker} mailbox`, password: 'practice' },
  })
  const params = { round: posted.id }
  await world.call(routes.changeRound, { params, body: { mailboxId: own.id } })
  const keys = (await world.call(routes.proof, { params })).findings.map(({ key }) => key)
  if (keys.length > 0) await world.call(routes.accept, { params, body: { keys, reason: marker } })
  await world.call(routes.post, { params, body: { messages: 2 } })
  world.clock.move(hour)
  await world.pass(4 * hour, 20)
  await world.call(routes.addReminder, { params, body: { rows: null, at: world.clock.now() + minute } as never })
  const record = await world.call(routes.makePostingRecord, { params })
  await askWho(world)
  ada = await setUp(world)
  cy = await join(ada, { ...ben, name: 'Cy Moor', address: 'cy@brindlequay.example' }, { mayPost: true })
  wen = await join(ada, { ...ben, name: 'Wen Ash', address: 'wen@brindlequay.example' }, { mayPost: true })
  const { db } = world.handPost.parts
  const [{ message, response, version, reminder }] = await db.query<Record<string, number>>(
    `SELECT (SELECT min(id) FROM messages WHERE round_id = $1) AS message, (SELECT min(q.id) FROM responses q JOIN messages m ON m.id = q.message_id WHERE m.round_id = $1) AS response,
       (SELECT min(id) FROM letter_versions WHERE shelf_id = $2) AS version, (SELECT min(id) FROM reminders) AS reminder`,
    [posted.id, shelf],
  )
  await db.query('UPDATE lists SET name = $1 WHERE NOT book', [`${marker} list`])
  await db.query(`UPDATE responses SET details = details || jsonb_build_object('words', $1::text)`, [marker])
  ids = {
    round: posted.id,
    list: posted.list!.id,
    letter: shelf,
    mailbox: own.id,
    message,
    response,
    version,
    reminder,
    record: record.id,
    row: 1,
  }
  await shareAll([])
})
afterAll(closeWorld)

/** Shares everything that is Ada's with these accounts, or with everybody. */
async function shareAll(others: number[] | 'everybody') {
  for (const [kind, thing] of [
    ['round', ids.round],
    ['round', draft],
    ['list', ids.list],
    ['letter', ids.letter],
    ['mailbox', ids.mailbox],
  ] as const)
    await ada.done(routes.share, { params: { kind, thing }, body: { with: others } })
  const [{ id }] = await world.handPost.parts.db.query<{ id: number }>(
    'SELECT list_id AS id FROM rounds WHERE id = $1',
    [draft],
  )
  await ada.done(routes.share, { params: { kind: 'list', thing: id }, body: { with: others } })
}

/** What somebody is given by a call that names what is Ada's wherever it can. */
async function given(who: Browser, route: Route): Promise<{ status: number; text: string }> {
  const path = route.path.replace(/:(\w+)/g, (_, name) =>
    String(
      { kind: 'round', column: 'c1', window: 'adaswindow1', work: '7c9e6679-7425-40de-944b-e07fc1f90ae7' }[
        name as string
      ] ??
        ids[name] ??
        ids.round,
    ),
  )
  const query = new URLSearchParams()
  if (route === (routes.person as Route)) query.set('address', people[0])
  if (route === (routes.inTray as Route)) query.set('show', 'open')
  if (/from|days/.test(Object.keys((route.query as z.ZodObject).shape ?? {}).join())) query.set('days', '30')
  const answer = await who.go(`${who.desk}${path}?${query}`, {
    method: route.method,
    headers: route.method === 'GET' ? {} : { 'content-type': 'application/json' },
    body: route.method === 'GET' ? undefined : '{}',
  })
  return { status: answer.status, text: await answer.text() }
}
const all = Object.entries(routes) as [string, Route][]
/** Calls that never end by themselves, end the session, or are not about what is shared. */
const apart = new Set<Route>([routes.events, routes.outcomeStream, routes.signOut] as unknown as Route[])

describe('what is Ada’s alone', () => {
  test('her own calls give it: what is looked for below is there', async () => {
    const seen: string[] = []
    for (const [name, route] of all)
      if (route.method === 'GET' && !apart.has(route) && (await given(ada, route)).text.includes(marker))
        seen.push(name)
    for (const name of [
      'rounds',
      'round',
      'lists',
      'list',
      'rows',
      'shelf',
      'mailboxes',
      'inTray',
      'trayEntry',
      'person',
      'messages',
      'boardLines',
      'heardFrom',
      'shelfVersions',
      'version',
      'rawMessage',
      'postingRecordSeal',
      'desk',
      'notices',
    ])
      expect(seen.includes(name) || name === 'notices', name).toBe(true)
    expect(seen.length).toBeGreaterThan(25)
  })

  test('no call gives anybody else a word of it, or does anything with it', { timeout: 120_000 }, async () => {
    const { db } = world.handPost.parts
    const state = async () =>
      JSON.stringify(
        await Promise.all(
          [
            'rounds',
            'lists',
            'list_rows',
            'shelf',
            'mailboxes',
            'messages',
            'responses',
            'tray',
            'reminders',
            'sharing',
            'letter_versions',
          ].map((name) =>
            db.query(`SELECT md5(string_agg(t::text, ' ' ORDER BY t::text)) AS sum, '${name}' AS name FROM ${name} t`),
          ),
        ),
      )
    const before = await state()
    for (const [name, route] of all) {
      if (apart.has(route) || route.wants === 'keeper' || route.wants === 'anybody') continue
      const { status, text } = await given(cy, route)
      expect(text, `${name} ${status}`).not.toContain(marker)
      // What is named by its path is as if it were not there, before anything else is looked at.
      if (/:(round|list|letter|mailbox|message|response|record|version|reminder)\b/.test(route.path))
        expect([name, status]).toEqual([name, 404])
    }
    expect(await state()).toBe(before)
  })

  test('nor is it used by naming it in a body', async () => {
    const mine = await cy.done(routes.startRound, { body: { title: 'Cy’s own' } })
    const made = await cy.done(routes.startList, {
      body: { name: 'Own list', columns: [{ name: 'Email', kind: 'address' }] } as never,
    })
    const params = { round: mine.id }
    const tries: [Route, CallInput<Route>][] = [
      [routes.startRound, { body: { title: 'x', listId: ids.list } }],
      [routes.startRound, { body: { title: 'x', mailboxId: ids.mailbox } }],
      [routes.changeRound, { params, body: { listId: ids.list } }],
      [routes.changeRound, { params, body: { mailboxId: ids.mailbox } }],
      [routes.changeRound, { params, body: { made: { of: 'shelf', name: 'x', letterId: ids.letter } } }],
      [routes.listFromRound, { body: { round: ids.round, name: 'x', outcomes: ['replied'] } }],
      [routes.markTray, { body: { marks: [{ response: ids.response, done: true }] } }],
      [
        routes.tryRecipe,
        { params: { list: made.id }, body: { recipe: { do: 'cameOf', round: ids.round, what: 'outcome' } } },
      ],
      [
        routes.editList,
        {
          params: { list: made.id },
          body: {
            wishes: [
              {
                do: 'addColumn',
                column: {
                  name: 'Of hers',
                  kind: 'text',
                  recipe: { do: 'lookedUp', column: 'c1', list: ids.list, key: 'c1', value: 'c2' },
                },
              },
            ],
          },
        },
      ],
      [routes.share, { params: { kind: 'round', thing: ids.round }, body: { with: 'everybody' } }],
      [routes.changeTurns, { params: { mailbox: 1 }, body: { rounds: [ids.round], evenly: true } }],
    ] as never
    for (const [route, input] of tries) {
      const { status, detail } = await cy.ask(route, input)
      expect([route.path, JSON.stringify(input.body), status, detail]).toEqual([
        route.path,
        JSON.stringify(input.body),
        404,
        expect.stringMatching(/There is no such/),
      ])
    }
  })

  // Whatever names something by a number in query or body must say so, or be known here not to.
  test('every call that names something besides its path says what', () => {
    const harmless = new Set([
      'unmatchFiles',
      'matchFiles',
      'testMailbox',
      'beginSignIn',
      'giveWords',
      'happened',
      'messages',
      'letterFile',
      'share',
      'sendOnceMore',
      'proofPeople',
      'sendCopies',
    ])
    for (const [name, route] of all) {
      const found = new Set<string>()
      const walk = (node: unknown): void => {
        if (node === null || typeof node !== 'object') return
        const { properties } = node as { properties?: Record<string, { type?: string }> }
        for (const [key, one] of Object.entries(properties ?? {}))
          if (one.type === 'integer' && /^(round|list|mailbox|letter|message|response|account|\w+Id|id)$/.test(key))
            found.add(key)
        Object.values(node).forEach(walk)
      }
      for (const part of [route.query, route.body]) walk(z.toJSONSchema(part, { io: 'input', unrepresentable: 'any' }))
      if (found.size > 0 && !harmless.has(name))
        expect([name, [...found], typeof route.names]).toEqual([name, [...found], 'function'])
    }
  })
})

test('who is chosen sees it, and nobody else; the list comes with its round; what is made of it is theirs likewise', async () => {
  await shareAll([cy.id])
  expect(
    (await cy.done(routes.rounds)).map(({ title }) => title).filter((title) => title.includes(marker)),
  ).toHaveLength(2)
  expect((await wen.done(routes.rounds)).filter(({ title }) => title.includes(marker))).toEqual([])
  expect((await cy.done(routes.rows, { params: { list: ids.list } })).rows).toHaveLength(2)
  const copy = await cy.done(routes.copyList, { params: { list: ids.list }, body: { name: 'Copied' } })
  expect((await wen.ask(routes.list, { params: { list: copy.id } })).status).toBe(404)
  expect((await ada.ask(routes.list, { params: { list: copy.id } })).status).toBe(200)
  const next = await cy.done(routes.beginNextTime, {
    params: { round: ids.round },
    body: { title: 'Next time', days: [] },
  })
  expect((await wen.ask(routes.round, { params: { round: next.round } })).status).toBe(404)
  expect(await cy.done(routes.sharing, { params: { kind: 'round', thing: ids.round } })).toMatchObject({
    shared: 'chosen',
    owner: { name: 'Ada Penrose' },
    with: [cy.id],
    mayChange: false,
  })
  const mine = { params: { kind: 'round' as const, thing: ids.round }, body: { with: 'everybody' as const } }
  expect((await cy.ask(routes.share, mine)).detail).toMatch(/belongs to Ada Penrose, who alone/)
  // A list that only she sees is seen by whoever sees a round of it.
  await ada.done(routes.share, { params: { kind: 'list', thing: ids.list }, body: { with: [] } })
  expect((await cy.ask(routes.list, { params: { list: ids.list } })).status).toBe(200)
  expect((await wen.ask(routes.list, { params: { list: ids.list } })).status).toBe(404)
})

test('from a mailbox that is not shared with one nothing leaves by one’s hand, though one sees the round', async () => {
  await shareAll([cy.id])
  await ada.done(routes.share, { params: { kind: 'mailbox', thing: ids.mailbox }, body: { with: [] } })
  expect((await cy.ask(routes.round, { params: { round: ids.round } })).status).toBe(200)
  expect((await cy.done(routes.mailboxes)).map(({ id }) => id)).toContain(ids.mailbox)
  // A round of one's own begins with a mailbox that one may send from, though the other is the first of those that one sees.
  const { db } = world.handPost.parts
  const [{ id: first }] = await db.query<{ id: number }>('SELECT id FROM mailboxes WHERE practice')
  expect((await cy.done(routes.startRound, { body: { title: 'Another' } })).mailboxId).toBe(first)
  for (const [route, body] of [
    [routes.carryOn, {}],
    [routes.topUp, { messages: 1 }],
    [routes.sendOnceMore, { people: [{ row: 1, had: 1 }] }],
  ] as const)
    expect(
      (await cy.ask(route as typeof routes.carryOn, { params: { round: ids.round }, body: body as never })).detail,
    ).toMatch(/mailbox of this round is not shared with you|does not fit/)
  const answer = { params: { response: ids.response } }
  expect((await cy.ask(routes.draftAnswer, { ...answer, body: { text: 'x' } as never })).status).toBeGreaterThanOrEqual(
    403,
  )
})

test('a keeper looks after every mailbox, and says whom it is shared with; the practice mailbox and the address book are everybody’s', async () => {
  await ada.done(routes.share, { params: { kind: 'mailbox', thing: ids.mailbox }, body: { with: [] } })
  await ada.done(routes.changeAccount, { params: { account: wen.id }, body: { keeps: true } })
  expect((await wen.done(routes.mailboxes)).map(({ id }) => id)).toContain(ids.mailbox)
  const [practice] = (await wen.done(routes.mailboxes)).filter((m) => m.id !== ids.mailbox)
  expect(
    (await wen.ask(routes.share, { params: { kind: 'mailbox', thing: practice.id }, body: { with: [] } })).detail,
  ).toMatch(/is everybody’s/)
  const { list } = await wen.done(routes.book)
  expect(
    (await wen.ask(routes.share, { params: { kind: 'list', thing: list.id }, body: { with: [] } })).detail,
  ).toMatch(/same address book/)
  await ada.done(routes.changeAccount, { params: { account: wen.id }, body: { keeps: false } })
  expect(
    (await cy.ask(routes.share, { params: { kind: 'mailbox', thing: practice.id }, body: { with: [] } })).status,
  ).toBe(409)
})

test('what only somebody saw is whoever’s who ends their account; it is noted whom things are shared with', async () => {
  await shareAll('everybody')
  const own = await wen.done(routes.startRound, { body: { title: 'Wen’s own' } })
  await wen.done(routes.share, { params: { kind: 'round', thing: own.id }, body: { with: [] } })
  expect((await ada.ask(routes.round, { params: { round: own.id } })).status).toBe(404)
  await ada.done(routes.endAccount, { params: { account: wen.id } })
  expect((await ada.ask(routes.round, { params: { round: own.id } })).status).toBe(200)
  expect((await cy.ask(routes.round, { params: { round: own.id } })).status).toBe(404)
  const said = (await ada.done(routes.happened)).map(({ words }) => words)
  expect(said).toContain('The round “Wen’s own” is shared with nobody from now on.')
  expect(said.some((words) => words.endsWith('is shared with Cy Moor from now on.'))).toBe(true)
})
