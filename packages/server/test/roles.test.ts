import { accountRoles, type Route, routes } from '@hand-post/contract'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { ada, askWho, type Browser, join, setUp } from './browser.ts'
import { World } from './world.ts'

let world: World
let keeper: Browser
beforeAll(async () => {
  world = await World.open()
  await askWho(world)
  keeper = await setUp(world)
})
afterAll(() => world.close())

/** Who may have letters leave, and who may look after the office: by name, so that a route that moves is seen here. */
const wanted: Record<string, string[]> = {
  anybody: [
    'health',
    'metrics',
    'ready',
    'signIn',
    'signOut',
    'beginService',
    'finishService',
    'lookAtInvitation',
    'takeInvitation',
  ],
  poster: [
    'post',
    'postAmendment',
    'topUp',
    'sendToNew',
    'sendOnceMore',
    'settleDoubt',
    'settleCopy',
    'settleDoubts',
    'carryOn',
    'carryOnMailbox',
    'sendAnswer',
    'changePace',
    'changeTurns',
    'moveLetter',
  ],
  keeper: [
    'accounts',
    'setUpAccounts',
    'invite',
    'inviteAgain',
    'changeAccount',
    'endAccount',
    'happened',
    'addMailbox',
    'changeMailbox',
    'removeMailbox',
    'testMailbox',
    'mailFolders',
    'beginSignIn',
    'signInState',
    'signInAgain',
    'mailHosts',
    'answerSaidLimit',
    'backups',
    'makeBackup',
    'backup',
  ],
}

test('every route says whom it is for: those that have letters leave, those of keepers, and the few that ask nobody', () => {
  const by = (who: string) =>
    Object.entries(routes as Record<string, Route>)
      .filter(([, route]) => route.wants === who)
      .map(([name]) => name)
      .sort()
  for (const [who, names] of Object.entries(wanted)) expect(by(who), who).toEqual([...names].sort())
  expect(by('writer').length + Object.values(wanted).flat().length).toBe(Object.keys(routes).length)
})

// Every subset of the rights, against every route there is.
test.each([
  { mayPost: false, keeps: false },
  { mayPost: true, keeps: false },
  { mayPost: false, keeps: true },
  { mayPost: true, keeps: true },
])('all routes with %j', { timeout: 120_000 }, async (rights) => {
  const name = `Wen ${JSON.stringify(rights).replace(/\W+/g, ' ')}`
  const address = `wen${Number(rights.mayPost)}${Number(rights.keeps)}@brindlequay.example`
  const own = await join(keeper, { name, address, password: 'eleven blue oars' }, rights)
  const has = ['writer', ...(rights.mayPost ? ['poster'] : []), ...(rights.keeps ? ['keeper'] : [])]
  expect(new Set(has)).toEqual(new Set((await own.done(routes.me)).roles))
  for (const [called, route] of Object.entries(routes) as [string, Route][]) {
    // These end the session that the rest is asked in, or never end themselves.
    if ([routes.signOut, routes.events, routes.outcomeStream].includes(route as never)) continue
    const path = route.path.replace(/:\w+/g, '2000000000')
    const cookie = own.cookie
    const answer = await fetch(own.desk + path, {
      method: route.method,
      headers: { cookie, ...(route.method === 'GET' ? {} : { 'content-type': 'application/json' }) },
      body: route.method === 'GET' ? undefined : '{"tooMuch":1}',
    })
    const text = await answer.text()
    if (route.wants === 'anybody' || has.includes(route.wants)) {
      expect([401, 403].includes(answer.status) && !isOpen(route), `${called} ${answer.status} ${text}`).toBe(false)
    } else {
      expect([called, answer.status]).toEqual([called, 403])
      expect(JSON.parse(text)).toMatchObject({
        title: 'Not allowed',
        detail: expect.stringMatching(/Nothing was done/),
      })
    }
  }
  for (const role of accountRoles)
    expect((await own.done(routes.me)).roles.includes(role), role).toBe(has.includes(role))
})
/** Routes that say 401 of what they are given. */
const isOpen = (route: Route) => route.wants === 'anybody'

test('a right that is taken away, or given, counts from the next call on', async () => {
  const own = await join(keeper, { ...ada, name: 'Cy Moor', address: 'cy@brindlequay.example' })
  expect((await own.ask(routes.accounts)).status).toBe(403)
  await keeper.done(routes.changeAccount, { params: { account: own.id }, body: { keeps: true } })
  expect((await own.ask(routes.accounts)).status).toBe(200)
  await keeper.done(routes.changeAccount, { params: { account: own.id }, body: { keeps: false } })
  expect((await own.ask(routes.accounts)).status).toBe(403)
})
