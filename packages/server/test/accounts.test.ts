import { join as joinPath } from 'node:path'
import { routes } from '@hand-post/contract'
import fc from 'fast-check'
import { Secret, TOTP } from 'otpauth'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test, vi } from 'vitest'
import { inviteCommand } from '../src/app/inviteCommand.ts'
import { startHandPost } from '../src/index.ts'
import { ada, askWho, Browser, ben, deskPassword, join, setUp } from './browser.ts'
import { hour, settingsFor, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open()
  await askWho(world)
})
afterAll(() => world.close())
const inDb = <T = Record<string, unknown>>(sql: string, values: unknown[] = []) =>
  world.handPost.parts.db.query<T>(sql, values)
let keeper: Browser
let asSet = true
/** Starts it with other settings, for one test. */
const set = (more: Parameters<typeof askWho>[1] = {}) => {
  asSet = false
  return askWho(world, more)
}
/** After a test that tries wrong passwords it begins anew. */
const countsAttempts = () => {
  asSet = false
}
/** Takes all accounts away. */
async function empty() {
  await inDb('DELETE FROM accounts')
  await inDb('DELETE FROM sessions')
  await world.handPost.parts.signIn.changed()
}
/** An office whose only keeper is Ada, as if it were new. */
beforeEach(async () => {
  await empty()
  keeper = await setUp(world)
})
afterEach(async () => {
  vi.useRealTimers()
  // With other settings, or with attempts that were counted, it begins anew.
  if (!asSet) await askWho(world)
  asSet = true
})
const desk = () => world.handPost.address
const someone = () => new Browser(desk())
/** Moves the clock by which sessions and codes go. */
const atTime = (ms: number) => vi.useFakeTimers({ toFake: ['Date'], now: ms })
const codeAt = (secret: string, ms = Date.now()) =>
  new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: ms })

describe('from the desk’s password to accounts', () => {
  test('whoever sets them up is a keeper who may post; the desk’s password lets nobody in any more, nor those who had come by it', async () => {
    await empty()
    const [first, other] = [someone(), someone()]
    for (const browser of [first, other])
      expect((await browser.signIn('', deskPassword)).answer).toEqual({ wants: null })
    expect((await other.done(routes.me)).account).toBeNull()
    expect((await first.ask(routes.setUpAccounts, { body: { ...ada, password: 'adapenrose11' } })).detail).toMatch(
      /easily/,
    )
    expect((await first.ask(routes.setUpAccounts, { body: { ...ada, password: 'short' } })).status).toBe(422)
    await first.done(routes.setUpAccounts, { body: ada })
    expect(await first.done(routes.me)).toMatchObject({
      account: { name: ada.name, address: ada.address },
      roles: ['writer', 'poster', 'keeper'],
      hasPassword: true,
    })
    expect((await other.ask(routes.rounds)).status).toBe(401)
    expect((await someone().signIn('', deskPassword)).status).toBe(401)
    expect((await first.ask(routes.setUpAccounts, { body: ben })).detail).toMatch(/accounts already/)
    expect((await someone().ask(routes.health)).answer).toMatchObject({ asksPassword: true, accounts: true })
  })
  test('two who set them up at the same moment: one does', async () => {
    await empty()
    const both = [someone(), someone()]
    for (const browser of both) await browser.signIn('', deskPassword)
    const came = await Promise.all([ada, ben].map((body, i) => both[i].ask(routes.setUpAccounts, { body })))
    expect(came.map(({ status }) => status).sort()).toEqual([200, expect.toBeOneOf([401, 409])])
    expect(await inDb('SELECT id FROM accounts')).toHaveLength(1)
  })
  test('a desk that only this machine reaches asks nobody, and makes no accounts', async () => {
    await empty()
    await set({ HAND_POST_PASSWORD: undefined })
    const browser = someone()
    expect(await browser.done(routes.me)).toEqual({
      account: null,
      roles: ['writer', 'poster', 'keeper'],
      hasPassword: false,
      recoveryLeft: 0,
    })
    expect(await browser.done(routes.sessions)).toEqual([])
    expect(await browser.done(routes.colleagues)).toEqual([])
    expect((await browser.ask(routes.setUpAccounts, { body: ada })).detail).toMatch(/Nobody but this machine/)
    expect((await browser.ask(routes.invite, { body: { ...ben, mayPost: true, keeps: true } })).status).toBe(409)
    expect(await inDb('SELECT id FROM accounts')).toEqual([])
  })
  test('others let in by a proxy or the network, without a password and without accounts: the start is refused', async () => {
    const other = await World.open()
    try {
      await other.handPost.close()
      const settings = {
        ...settingsFor(other.folder, other.practice, other.databaseUrl),
        HAND_POST_PROXY: '127.0.0.1',
        HAND_POST_DESK_URL: 'https://post.brindlequay.example',
      }
      await expect(startHandPost({ settings })).rejects.toThrow(/signing in is needed: set HAND_POST_PASSWORD/)
    } finally {
      await other.restart()
      await other.close()
    }
  })
  test('with accounts no password of the desk is needed at the start', async () => {
    await set({
      HAND_POST_PASSWORD: undefined,
      HAND_POST_PROXY: '127.0.0.1',
      HAND_POST_DESK_URL: 'https://post.brindlequay.example',
    })
    const answer = await fetch(`${desk()}/api/rounds`)
    expect(answer.status).toBe(401)
  })
})

describe('signing in', () => {
  beforeEach(countsAttempts)
  test('unknown names, wrong passwords, invited and ended accounts are answered alike, to the letter', async () => {
    const { account } = await keeper.done(routes.invite, { body: { ...ben, mayPost: false, keeps: false } })
    const gone = await join(keeper, { ...ben, address: 'gone@brindlequay.example' })
    await keeper.done(routes.endAccount, { params: { account: gone.id } })
    const answers = []
    for (const [address, password] of [
      ['nobody@brindlequay.example', ada.password],
      [ada.address, 'not the password'],
      [account.address, ben.password],
      ['gone@brindlequay.example', ben.password],
      ['', deskPassword],
    ]) {
      const { status, answer } = await someone().signIn(address, password)
      answers.push(JSON.stringify([status, answer]))
    }
    expect(new Set(answers).size).toBe(1)
    expect(answers[0]).toContain('do not belong together')
  })
  test('addresses are one whatever their capitals, and two accounts never have one', async () => {
    expect((await someone().signIn(ada.address.toUpperCase(), ada.password)).status).toBe(200)
    const again = { name: 'Ada Two', address: ada.address.toUpperCase(), mayPost: false, keeps: false }
    expect((await keeper.ask(routes.invite, { body: again })).detail).toMatch(/has an account already/)
    const other = await join(keeper, ben)
    const params = { account: other.id }
    expect((await keeper.ask(routes.changeAccount, { params, body: { address: ada.address } })).detail).toMatch(
      /is the address of Ada Penrose/,
    )
  })
  test('guessing at one account from many places is slow; a browser that it signed in with before is not slowed', async () => {
    const known = someone()
    expect((await known.signIn(ada.address, ada.password)).status).toBe(200)
    const from = (i: number) => ({ 'x-forwarded-for': `203.0.113.${i}`, 'content-type': 'application/json' })
    await set({ HAND_POST_PROXY: '127.0.0.1', HAND_POST_DESK_URL: 'http://127.0.0.1' })
    const attempts = Array.from({ length: 30 }, (_, i) =>
      fetch(`${desk()}/api/sign-in`, {
        method: 'POST',
        headers: from(i),
        body: JSON.stringify({ address: ada.address, password: `guess ${i}` }),
      }),
    )
    const own = new Browser(desk())
    for (const [name, value] of known.cookies) own.cookies.set(name, value)
    expect((await own.signIn(ada.address, ada.password)).status).toBe(200)
    const statuses = (await Promise.all(attempts)).map(({ status }) => status)
    expect(statuses.filter((status) => status === 429).length).toBeGreaterThan(10)
    expect(statuses).not.toContain(200)
  })
  test('a forged cookie of a known browser, or another account’s, is a stranger’s', async () => {
    const other = await join(keeper, ben)
    const known = other.cookies.get('known')!
    const browser = someone()
    browser.cookies.set('known', known)
    expect((await browser.signIn(ada.address, ada.password)).status).toBe(200)
    // It got a name of its own: what was Ben's was not taken for Ada's.
    expect(browser.cookies.get('known')).not.toBe(known)
    expect(browser.cookies.get('known')!.slice(0, 22)).not.toBe(known.slice(0, 22))
  })
})

describe('invitations', () => {
  test('say whom they are for, and work once, for whoever is first of several', async () => {
    const { token, account, until } = await keeper.done(routes.invite, {
      body: { ...ben, mayPost: true, keeps: false },
    })
    expect(account).toMatchObject({
      name: ben.name,
      state: 'invited',
      mayPost: true,
      keeps: false,
      invitedUntil: until,
    })
    expect(await someone().done(routes.lookAtInvitation, { body: { token } })).toEqual({
      name: ben.name,
      address: ben.address,
      until,
    })
    const takers = Array.from({ length: 5 }, someone)
    const came = await Promise.all(
      takers.map((browser, i) =>
        browser.ask(routes.takeInvitation, { body: { token, password: `${ben.password} ${i}` } }),
      ),
    )
    expect(came.map(({ status }) => status).sort()).toEqual([200, 410, 410, 410, 410])
    const first = came.findIndex(({ status }) => status === 200)
    expect((await takers[first].done(routes.me)).account?.name).toBe(ben.name)
    expect((await someone().signIn(ben.address, `${ben.password} ${first}`)).status).toBe(200)
    expect((await someone().ask(routes.lookAtInvitation, { body: { token } })).detail).toMatch(/works once/)
  })
  test('end after seven days; a newer one ends the one before; neither stands in the database as it is', async () => {
    const body = { ...ben, mayPost: false, keeps: false }
    const { token, account } = await keeper.done(routes.invite, { body })
    const again = await keeper.done(routes.inviteAgain, { params: { account: account.id } })
    expect((await someone().ask(routes.lookAtInvitation, { body: { token } })).status).toBe(410)
    expect(JSON.stringify(await inDb('SELECT * FROM invitations'))).not.toContain(again.token)
    world.clock.move(7 * 24 * hour - 1000)
    expect((await someone().ask(routes.lookAtInvitation, { body: { token: again.token } })).status).toBe(200)
    world.clock.move(2000)
    expect((await someone().ask(routes.lookAtInvitation, { body: { token: again.token } })).status).toBe(410)
    expect(
      (await someone().ask(routes.takeInvitation, { body: { token: again.token, password: ben.password } })).status,
    ).toBe(410)
    expect((await keeper.done(routes.accounts)).find(({ id }) => id === account.id)?.invitedUntil).toBeNull()
  })
  test('for somebody who is there already all stays until it is taken; then password and code are new, and sessions end', async () => {
    const other = await join(keeper, ben)
    const { secret } = await other.done(routes.beginCode, { body: { password: ben.password } })
    await other.done(routes.confirmCode, { body: { secret, code: codeAt(secret), password: ben.password } })
    const { token } = await keeper.done(routes.inviteAgain, { params: { account: other.id } })
    expect((await other.ask(routes.me)).status).toBe(200)
    const next = someone()
    await next.done(routes.takeInvitation, { body: { token, password: 'ten dry ropes' } })
    expect((await other.ask(routes.me)).status).toBe(401)
    expect((await someone().signIn(ben.address, ben.password)).status).toBe(401)
    expect((await someone().signIn(ben.address, 'ten dry ropes')).answer).toEqual({ wants: null })
  })
  test('a weak password, or none, leaves the invitation as it is', async () => {
    const { token } = await keeper.done(routes.invite, { body: { ...ben, mayPost: false, keeps: false } })
    for (const password of ['short', 'ben@brindlequay.example', 'x'.repeat(1001)])
      expect((await someone().ask(routes.takeInvitation, { body: { token, password } })).status).toBe(422)
    await someone().done(routes.takeInvitation, { body: { token, password: ben.password } })
  })
})

describe('one-time codes at signing in', () => {
  beforeEach(countsAttempts)
  async function withCode() {
    const other = await join(keeper, ben)
    expect((await other.ask(routes.beginCode, { body: { password: 'not it' } })).status).toBe(403)
    const { secret, uri } = await other.done(routes.beginCode, { body: { password: ben.password } })
    expect(uri).toContain(secret)
    const wrong = { secret, code: '000000', password: ben.password }
    if (codeAt(secret) !== '000000')
      expect((await other.ask(routes.confirmCode, { body: wrong })).detail).toMatch(/not the code of this moment/)
    expect((await other.done(routes.me)).account?.code).toBe(false)
    const { recovery } = await other.done(routes.confirmCode, { body: { ...wrong, code: codeAt(secret) } })
    return { other, secret, recovery }
  }
  test('are asked for after the password, and each is taken once', async () => {
    const { secret } = await withCode()
    const browser = someone()
    expect((await browser.signIn(ben.address, ben.password)).answer).toEqual({ wants: 'code' })
    expect((await browser.ask(routes.me)).status).toBe(401)
    // The one by which it was begun was taken then.
    expect((await browser.signIn(ben.address, ben.password, codeAt(secret))).detail).toMatch(/used already/)
    atTime(Date.now() + 31_000)
    const code = codeAt(secret)
    expect((await browser.signIn(ben.address, 'not it', code)).status).toBe(401)
    expect((await browser.signIn(ben.address, ben.password, ` ${code.slice(0, 3)} ${code.slice(3)}`)).answer).toEqual({
      wants: null,
    })
    expect((await someone().signIn(ben.address, ben.password, code)).status).toBe(401)
    // An earlier one is not taken after a later one, though its time has not passed.
    expect((await someone().signIn(ben.address, ben.password, codeAt(secret, Date.now() - 30_000))).status).toBe(401)
  })
  test('of many who give one code at the same moment one gets in', async () => {
    const { secret } = await withCode()
    atTime(Date.now() + 61_000)
    const came = await Promise.all(
      Array.from({ length: 4 }, () => someone().signIn(ben.address, ben.password, codeAt(secret))),
    )
    expect(came.filter(({ status }) => status === 200)).toHaveLength(1)
  })
  test('a recovery code stands for one, once; none stands in the database, nor does the secret', async () => {
    const { recovery, secret, other } = await withCode()
    expect(recovery).toHaveLength(10)
    const [row] = await inDb<{ code_secret: string; recovery: string[] }>(
      'SELECT code_secret, recovery FROM accounts WHERE id = $1',
      [other.id],
    )
    for (const plain of [...recovery, secret]) expect(JSON.stringify(row)).not.toContain(plain)
    expect((await someone().signIn(ben.address, ben.password, recovery[3].toUpperCase())).answer).toEqual({
      wants: null,
    })
    expect((await someone().signIn(ben.address, ben.password, recovery[3])).status).toBe(401)
    expect((await other.done(routes.me)).recoveryLeft).toBe(9)
  })
  test('having it asked for ends all other sessions; it ends by the password only', async () => {
    const other = await join(keeper, ben)
    const elsewhere = someone()
    await elsewhere.signIn(ben.address, ben.password)
    const { secret } = await other.done(routes.beginCode, { body: { password: ben.password } })
    await other.done(routes.confirmCode, { body: { secret, code: codeAt(secret), password: ben.password } })
    expect((await elsewhere.ask(routes.me)).status).toBe(401)
    expect((await other.ask(routes.me)).status).toBe(200)
    expect((await other.ask(routes.endCode, { body: { password: 'not it' } })).status).toBe(403)
    await other.done(routes.endCode, { body: { password: ben.password } })
    expect((await someone().signIn(ben.address, ben.password)).answer).toEqual({ wants: null })
  })
  test('a secret of one’s own choosing is not taken', async () => {
    for (const secret of ['', 'A'.repeat(31), 'a'.repeat(32), 'GEZDGNBVGY3TQOJQ', '../'.repeat(10)])
      expect(
        (await keeper.ask(routes.confirmCode, { body: { secret, code: '123456', password: ada.password } })).status,
      ).toBe(422)
  })
})

describe('sessions', () => {
  test('are listed with what they are in, ended one by one, and what listens in them ends at once', async () => {
    const phone = new Browser(desk(), 'Mozilla/5.0 (Linux; Android 15; Mobile; rv:140.0) Gecko/140.0 Firefox/140.0')
    await phone.signIn(ada.address, ada.password)
    const lines = await keeper.done(routes.sessions)
    expect(lines.map(({ own, device, from }) => [own, device, from])).toEqual([
      [true, 'computer', '127.0.0.1'],
      [false, 'phone', '127.0.0.1'],
    ])
    const stream = await phone.go(`${desk()}/api/events`)
    const reader = stream.body!.getReader()
    const ended = (async () => {
      for (;;) if ((await reader.read()).done) return true
    })()
    await keeper.done(routes.endSession, { params: { session: lines[1].id } })
    expect(await ended).toBe(true)
    expect((await phone.ask(routes.me)).status).toBe(401)
    // Nobody ends another's.
    const other = await join(keeper, ben)
    const [own] = await keeper.done(routes.sessions)
    expect((await other.ask(routes.endSession, { params: { session: own.id } })).status).toBe(404)
  })
  test('end with a change of the password, but for the one it was changed in, which gets another cookie', async () => {
    const elsewhere = someone()
    await elsewhere.signIn(ada.address, ada.password)
    const cookie = keeper.cookies.get('desk')
    expect(
      (await keeper.ask(routes.changePassword, { body: { before: 'not it', next: 'three green lamps' } })).status,
    ).toBe(403)
    await keeper.done(routes.changePassword, { body: { before: ada.password, next: 'three green lamps' } })
    expect(keeper.cookies.get('desk')).not.toBe(cookie)
    expect((await keeper.ask(routes.me)).status).toBe(200)
    expect((await elsewhere.ask(routes.me)).status).toBe(401)
    expect((await someone().signIn(ada.address, ada.password)).status).toBe(401)
    expect((await someone().signIn(ada.address, 'three green lamps')).status).toBe(200)
  })
  test('outlast a start of the program; those who are put back from a copy do not', async () => {
    await set()
    const back = new Browser(desk())
    back.cookies.set('desk', keeper.cookies.get('desk')!)
    expect((await back.ask(routes.me)).status).toBe(200)
  })
  test('no more than fifty of one account; the one unused longest gives way', async () => {
    const first = someone()
    await first.signIn(ada.address, ada.password)
    const [{ id }] = await inDb<{ id: number }>('SELECT max(id)::int AS id FROM sessions')
    await inDb('UPDATE sessions SET used = used - 60000 WHERE id = $1', [id])
    await inDb(
      `INSERT INTO sessions (print, account, begun, used, browser, came_from) SELECT 'p' || g, account, begun, used + 120000, '', '' FROM sessions, generate_series(1, 48) g WHERE id = $1`,
      [id],
    )
    await someone().signIn(ada.address, ada.password)
    expect((await first.ask(routes.me)).status).toBe(401)
    expect(await inDb('SELECT id FROM sessions')).toHaveLength(50)
  })
})

describe('ending an account', () => {
  test('signs out everywhere at once; its name stays, and its address can be had by another', async () => {
    const other = await join(keeper, ben)
    await keeper.done(routes.endAccount, { params: { account: other.id } })
    expect((await other.ask(routes.rounds)).status).toBe(401)
    const lines = await keeper.done(routes.accounts)
    expect(lines.at(-1)).toMatchObject({ name: ben.name, state: 'ended', code: false })
    const again = await join(keeper, { ...ben, name: 'Ben the Second' })
    expect(again.id).not.toBe(other.id)
    expect(
      (await keeper.ask(routes.changeAccount, { params: { account: other.id }, body: { keeps: true } })).status,
    ).toBe(404)
    expect((await keeper.ask(routes.inviteAgain, { params: { account: other.id } })).status).toBe(404)
  })
})

// Any sequence of what keepers do to accounts, some of it at the same moment, against a model that knows who may still look after the office.
test('whatever is done, somebody is left who can sign in and keeps the office; and whoever has ended is out', {
  timeout: 120_000,
}, async () => {
  interface Person {
    id: number
    browser: Browser | null
    token: string | null
    keeps: boolean
    ended: boolean
    password: string
  }
  const pick = fc.nat({ max: 30 })
  const step = fc.oneof(
    fc.record({ do: fc.constant('invite' as const), keeps: fc.boolean() }),
    fc.record({ do: fc.constant('take' as const), who: pick }),
    fc.record({ do: fc.constant('keep' as const), who: pick, by: pick, keeps: fc.boolean() }),
    fc.record({ do: fc.constant('end' as const), who: pick, by: pick }),
    fc.record({ do: fc.constant('bothGiveUp' as const), who: pick, by: pick }),
  )
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 4, maxLength: 14 }), async (steps) => {
      await empty()
      const first = await setUp(world)
      const { account } = await first.done(routes.me)
      const people: Person[] = [
        { id: account!.id, browser: first, token: null, keeps: true, ended: false, password: ada.password },
      ]
      const active = (p: Person) => !p.ended && p.browser !== null
      const keepers = () => people.filter((p) => active(p) && p.keeps)
      const end = (by: Person, who: Person) => by.browser!.ask(routes.endAccount, { params: { account: who.id } })
      for (const [n, s] of steps.entries()) {
        const there = people.filter((p) => !p.ended)
        if (s.do === 'invite') {
          const [by] = keepers()
          const body = { name: `P ${n}`, address: `p${n}@brindlequay.example`, mayPost: false, keeps: s.keeps }
          const { account: made, token } = await by.browser!.done(routes.invite, { body })
          people.push({ id: made.id, browser: null, token, keeps: s.keeps, ended: false, password: '' })
        } else if (s.do === 'take') {
          const who = there[s.who % there.length]
          if (who.token === null) continue
          const browser = someone()
          who.password = `eight brown sails ${n}`
          await browser.done(routes.takeInvitation, { body: { token: who.token, password: who.password } })
          Object.assign(who, { browser, token: null })
        } else {
          const all = keepers()
          const by = all[s.by % all.length]
          const who = there[s.who % there.length]
          const last = who.keeps && all.every((k) => k === who)
          if (s.do === 'keep') {
            const { status } = await by.browser!.ask(routes.changeAccount, {
              params: { account: who.id },
              body: { keeps: s.keeps },
            })
            expect(status).toBe(last && !s.keeps ? 409 : 200)
            if (status === 200) who.keeps = s.keeps
          } else if (s.do === 'end') {
            const { status } = await end(by, who)
            expect(status).toBe(last ? 409 : 200)
            if (status === 200) who.ended = true
          } else if (all.length > 1) {
            // Two keepers end each other, or themselves, at the same moment.
            const other = all.find((k) => k !== by)!
            const came = await Promise.all([end(by, other), end(other, by)])
            other.ended = came[0].status === 200
            by.ended = came[1].status === 200
          }
        }
        expect(keepers().length).toBeGreaterThan(0)
      }
      for (const p of people) {
        if (p.browser === null) continue
        expect((await p.browser.ask(routes.accounts)).status).toBe(p.ended ? 401 : p.keeps ? 200 : 403)
      }
    }),
    { numRuns: 6 },
  )
})

describe('at the machine itself', () => {
  const env = () => ({
    HAND_POST_DATA: joinPath(world.folder, 'data'),
    DATABASE_URL: world.databaseUrl,
    HAND_POST_DESK_URL: 'http://localhost:4710',
  })
  test('a keeper’s link is made where nobody can sign in any more; the account it is for becomes a keeper’s', async () => {
    const other = await join(keeper, ben)
    await world.handPost.close()
    const said = await inviteCommand(ben.address, '', env(), world.clock.now())
    expect(said).toMatch(/^Ben Tide can choose a password by this link, once, until .*\nhttp:\/\/localhost:4710\/join#/)
    const made = await inviteCommand('cy@brindlequay.example', 'Cy Moor', env(), world.clock.now())
    await expect(inviteCommand('nobody', '', env())).rejects.toThrow(/Say whom: .*Type an address/)
    await askWho(world)
    const browser = someone()
    await browser.done(routes.takeInvitation, { body: { token: said.split('#')[1], password: 'ten dry ropes' } })
    expect((await browser.done(routes.me)).roles).toContain('keeper')
    expect(other.id).toBe((await browser.done(routes.me)).account?.id)
    const next = someone()
    await next.done(routes.takeInvitation, { body: { token: made.split('#')[1], password: 'ten dry ropes' } })
    expect((await next.done(routes.me)).account?.name).toBe('Cy Moor')
  })
  test('without accounts, and while Hand Post runs on the folder, it says so and changes nothing', async () => {
    if (world.databaseUrl === undefined)
      await expect(inviteCommand(ben.address, '', env())).rejects.toThrow(/runs|in use/i)
    await empty()
    await world.handPost.close()
    await expect(inviteCommand(ben.address, '', env())).rejects.toThrow(/no accounts here yet/)
    await askWho(world)
    expect(await inDb('SELECT id FROM accounts')).toEqual([])
  })
})

test('a window that comes to listening just as its session ends is not left listening', async () => {
  const browser = someone()
  await browser.signIn(ada.address, ada.password)
  const { db } = world.handPost.parts
  const asked = db.query
  let letGo!: () => void
  let reached!: () => void
  const held = new Promise<void>((done) => {
    letGo = done
  })
  const atDoor = new Promise<void>((done) => {
    reached = done
  })
  const spied = vi.spyOn(db, 'query').mockImplementation(async (sql, values) => {
    const rows = await asked(sql, values)
    // The session was found; before that is heard of, it ends.
    if (/FROM sessions s LEFT JOIN accounts/.test(sql) && /s\.begun, s\.used/.test(sql)) {
      reached()
      await held
    }
    return rows as never
  })
  const heard = fetch(`${desk()}/api/events`, {
    headers: { cookie: browser.cookie },
    signal: AbortSignal.timeout(5000),
  }).then(async (answer) => [answer.status, await answer.text()])
  await atDoor
  spied.mockRestore()
  await browser.ask(routes.signOut)
  letGo()
  const [status] = await heard
  expect(status).toBe(401)
})
