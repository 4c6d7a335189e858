import { type Happened, mailboxSettingsSchema, routes } from '@hand-post/contract'
import { deedWords, settingsThatDiffer } from '@hand-post/core'
import fc from 'fast-check'
import { afterEach, expect, test } from 'vitest'
import { noteDeed } from '../src/accounts/deeds.ts'
import { actAs, whoActs } from '../src/who.ts'
import { ada, askWho, Browser, ben, join, setUp } from './browser.ts'
import { closeWorld, csv, hour, letter, minute, openWorld, world } from './lived.ts'

afterEach(closeWorld)

const said = (lines: Happened[]) => lines.map(({ by, words }) => `${by ?? '-'}: ${words}`)

/** A round to three people that is a draft, in an office with Ada, its keeper, and Ben, who may post. */
async function office() {
  await openWorld({
    manners: Object.fromEntries([0, 1, 2].map((i) => [`person${i}@village.example`, {}])),
    limits: { perDay: 10_000, perMinute: 10_000 },
  })
  const round = await world.round(csv(3), letter, {
    dispatch: { startAt: world.clock.now() + hour, perMinute: 60 },
  })
  await askWho(world)
  const keeper = await setUp(world)
  const poster = await join(keeper, ben, { mayPost: true })
  return { round, params: { round: round.id }, keeper, poster }
}

test('whoever acts is known in whatever follows, also beside others, and to nobody else', async () => {
  await openWorld({ manners: {} })
  const wait = () => new Promise((done) => setTimeout(done, Math.random() * 5))
  const names = await Promise.all(
    ['Ada', 'Ben', 'Cy'].map((name, id) =>
      actAs({ id, name }, async () => {
        for (let i = 0; i < 20; i++) {
          await wait()
          if (whoActs()?.name !== name) return `${name} was ${whoActs()?.name}`
        }
        return whoActs()!.name
      }),
    ),
  )
  expect(names).toEqual(['Ada', 'Ben', 'Cy'])
  expect(whoActs()).toBeNull()
})

test('what is noted stays: it is not changed, taken away or cleared, whoever tries', async () => {
  await openWorld({ manners: {} })
  const { db } = world.handPost.parts
  await noteDeed(db, 1, 'listDeleted', { list: 'Berth holders' })
  for (const sql of ['UPDATE deeds SET by_name = NULL', 'DELETE FROM deeds', 'TRUNCATE deeds'])
    await expect(db.query(sql), sql).rejects.toThrow(/not changed or taken away/)
})

test('who posted, held, amended and carried on stands in the round, and in its record', async () => {
  const { params, keeper, poster } = await office()
  const { print } = await poster.done(routes.lastWord, { params })
  await poster.done(routes.post, { params, body: { messages: 3, print } })
  await keeper.done(routes.hold, { params })
  await keeper.done(routes.beginAmending, { params })
  await keeper.done(routes.giveUpAmendment, { params })
  await poster.done(routes.carryOn, { params })
  await poster.done(routes.changePace, { params, body: { perMinute: 30, startAt: null } as never })
  expect(said(await poster.done(routes.roundHappened, { params }))).toEqual([
    'Ben Tide: The pace of what waits was changed.',
    'Ben Tide: Carried on by the writer.',
    'Ada Penrose: The amendment was given up: nothing was changed.',
    'Ada Penrose: Opened to be amended; what waits is held.',
    'Ada Penrose: Held by the writer.',
    'Ben Tide: Posted: 3 letters.',
  ])
  world.clock.move(2 * hour)
  await world.pass(10 * minute, 5)
  const made = await keeper.done(routes.makePostingRecord, { params })
  const seal = JSON.parse(await (await keeper.go(`${keeper.desk}/api/records/${made.id}/seal`)).text()) as {
    entries: { entry: { kind: string; what?: string; by?: string } }[]
  }
  const events = seal.entries.map(({ entry }) => entry).filter(({ kind }) => kind === 'event')
  expect(events.map(({ what, by }) => [what, by])).toEqual([
    ['posted', ben.name],
    ['held', ada.name],
    ['amending', ada.name],
    ['gaveUp', ada.name],
    ['carriedOn', ben.name],
  ])
})

test('what keepers do, and who signed in by what, is noted without a secret; keepers alone read it all', async () => {
  const { keeper, poster, params } = await office()
  const [mailbox] = await keeper.done(routes.mailboxes)
  const settings = { ...mailboxSettingsSchema.parse(mailbox), password: 'a secret of the harbour', perDay: 321 }
  await keeper.done(routes.changeMailbox, { params: { mailbox: mailbox.id }, body: settings })
  const another = await keeper.done(routes.addMailbox, { body: { ...settings, name: 'Tolls' } })
  await keeper.done(routes.removeMailbox, { params: { mailbox: another.id } })
  await keeper.done(routes.changeAccount, { params: { account: poster.id }, body: { keeps: true, name: 'Ben Ebb' } })
  await keeper.done(routes.inviteAgain, { params: { account: poster.id } })
  await poster.done(routes.changePassword, { body: { before: ben.password, next: 'three green lamps' } })
  const asks = (await poster.done(routes.proof, { params })).findings.map(({ key }) => key)
  if (asks.length > 0) await poster.done(routes.accept, { params, body: { keys: asks, reason: 'the harbour knows' } })
  expect((await new Browser(keeper.desk).signIn(ada.address, ada.password)).status).toBe(200)
  const lines = await keeper.done(routes.happened)
  expect(said(lines).reverse()).toEqual([
    'Ada Penrose: Accounts were set up; the desk’s password ended.',
    'Ada Penrose: An account for Ben Tide was made: may prepare letters and post.',
    'Ben Tide: Took the invitation and chose a password.',
    'Ada Penrose: The mailbox “Practice mailbox” was changed: recipients a day and the password.',
    'Ada Penrose: The mailbox “Tolls” was added.',
    'Ada Penrose: The mailbox “Tolls” was removed.',
    'Ada Penrose: The account of Ben Ebb was changed: called Ben Tide before; may prepare letters, post and keep; before: prepare letters and post.',
    'Ada Penrose: A new link was made for Ben Ebb.',
    'Ben Ebb: The password was changed.',
    ...(asks.length > 0 ? [expect.stringContaining('Reason: the harbour knows')] : []),
    'Ada Penrose: Signed in.',
  ])
  for (const secret of ['a secret of the harbour', ben.password, 'three green lamps', ada.password])
    expect(JSON.stringify(lines)).not.toContain(secret)
  const rows = await world.handPost.parts.db.query('SELECT * FROM deeds')
  expect(JSON.stringify(rows)).not.toContain('a secret')
  // Of one account alone; and not for others.
  const own = await keeper.done(routes.happened, { query: { account: poster.id } })
  expect(new Set(own.map(({ by }) => by))).toEqual(new Set(['Ben Tide', 'Ben Ebb']))
  await keeper.done(routes.changeAccount, { params: { account: poster.id }, body: { keeps: false } })
  expect((await poster.ask(routes.happened)).status).toBe(403)
})

test('looking at what came back is noted once a day for each who looks; by hand only, and never where nobody signs in', async () => {
  const { params, keeper, poster } = await office()
  await poster.done(routes.post, { params, body: { messages: 3 } })
  world.clock.move(2 * hour)
  await world.pass(10 * minute, 5)
  for (let i = 0; i < 3; i++) {
    await keeper.done(routes.boardSeen, { params })
    await poster.done(routes.heardFrom, { params: { ...params, row: 1 } })
  }
  const looks = async () =>
    said(await keeper.done(routes.roundHappened, { params })).filter((words) => /Looked/.test(words))
  expect((await looks()).sort()).toEqual([
    'Ada Penrose: Looked at what came back.',
    'Ben Tide: Looked at what came back.',
  ])
  world.clock.move(25 * hour)
  await keeper.done(routes.boardSeen, { params })
  expect(await looks()).toHaveLength(3)
})

test('what Hand Post does by itself bears nobody’s name, though somebody’s click brought it about', async () => {
  const { params, poster } = await office()
  await poster.done(routes.post, { params, body: { messages: 3 } })
  const { db } = world.handPost.parts
  const { noteEvent } = await import('../src/rounds/events.ts')
  await actAs({ id: poster.id, name: ben.name }, () =>
    noteEvent(db, params.round, world.clock.now(), 'heldItself', { why: 'Too much came back.' }),
  )
  expect(said(await poster.done(routes.roundHappened, { params }))[0]).toBe('-: Held by Hand Post: Too much came back.')
})

test('pages of what happened follow one another without a gap or a double', async () => {
  const { keeper } = await office()
  const { db } = world.handPost.parts
  for (let i = 0; i < 230; i++) await noteDeed(db, 5, 'listDeleted', { list: `L${i}` })
  const all: string[] = []
  for (let from = 0; ; from += 100) {
    const page = await keeper.done(routes.happened, { query: { from } })
    all.push(...page.map(({ words }) => words))
    if (page.length < 100) break
  }
  const lists = all.filter((words) => /deleted/.test(words))
  expect(lists).toEqual(Array.from({ length: 230 }, (_, i) => `The list “L${229 - i}” was deleted.`))
})

test('the settings that differ are named, and nothing of what they are', () => {
  fc.assert(
    fc.property(fc.dictionary(fc.string(), fc.jsonValue()), fc.dictionary(fc.string(), fc.jsonValue()), (was, is) => {
      const names = settingsThatDiffer(was, is)
      for (const name of names) expect(Object.keys(is)).toContain(name)
      const turned = Object.fromEntries(Object.entries(is).reverse())
      expect(settingsThatDiffer(turned, is)).toEqual([])
      expect(settingsThatDiffer({ one: turned }, { one: is })).toEqual([])
      for (const name of Object.keys(is)) if (!(name in was) && is[name] !== null) expect(names).toContain(name)
    }),
  )
  expect(
    deedWords({ what: 'mailboxChanged', details: { mailbox: 'M', settings: ['smtp', 'perDay', 'unheardOf'] } }),
  ).toBe('The mailbox “M” was changed: the sending host, recipients a day and unheardOf.')
})
