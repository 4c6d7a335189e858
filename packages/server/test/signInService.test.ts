import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { routes } from '@hand-post/contract'
import { afterAll, afterEach, beforeAll, expect, test } from 'vitest'
import { ada, askWho, Browser, ben, join, setUp } from './browser.ts'
import { startOfficeService } from './officeService.ts'
import { freePort } from './postgres.ts'
import { World } from './world.ts'

let world: World
let service: Awaited<ReturnType<typeof startOfficeService>>
let keeper: Browser
let port: number
const servers: Server[] = []
beforeAll(async () => {
  world = await World.open()
  port = await freePort()
  service = await startOfficeService(`http://127.0.0.1:${port}`)
  await askWho(world, at(service.issuer))
  keeper = await setUp(world)
})
afterEach(() => {
  for (const server of servers.splice(0)) server.close()
})
afterAll(async () => {
  service.close()
  await world.close()
})
const at = (issuer: string) => ({
  HAND_POST_PORT: port,
  HAND_POST_SIGN_IN_SERVICE: issuer,
  HAND_POST_SIGN_IN_SECRET: 'between us two',
  HAND_POST_SIGN_IN_NAME: 'Harbour sign-in',
})

/** Goes to the service, which sends the browser back; gives what stands in the address there. */
async function backFrom(browser: Browser): Promise<string> {
  // The service's own cookies are kept by a browser of its own, as they would be by its name.
  const there = new Browser(service.issuer)
  const { url } = await browser.done(routes.beginService)
  let answer = await there.go(url)
  for (let hops = 0; hops < 8; hops++) {
    const to = new URL(answer.headers.get('location')!, answer.url)
    if (!to.href.startsWith(service.issuer)) {
      expect(to.href).toContain(`http://127.0.0.1:${port}/signed-in?`)
      return to.search.slice(1)
    }
    answer = await there.go(to.href)
  }
  throw new Error('it goes round in circles')
}
async function signIn(browser = new Browser(world.handPost.address)) {
  const query = await backFrom(browser)
  return { browser, query, ...(await browser.ask(routes.finishService, { body: { query } })) }
}

test('whoever was invited signs in there without a password, is known by who they are there from then on, and may what a keeper said', async () => {
  expect((await new Browser(world.handPost.address).done(routes.health)).service).toBe('Harbour sign-in')
  await keeper.done(routes.invite, { body: { ...ben, mayPost: true, keeps: false } })
  service.now = { sub: 'u-17', email: ben.address.toUpperCase(), email_verified: true }
  const { browser, status } = await signIn()
  expect(status).toBe(200)
  expect(await browser.done(routes.me)).toMatchObject({
    account: { name: ben.name, address: ben.address },
    roles: ['writer', 'poster'],
    hasPassword: false,
  })
  expect((await keeper.done(routes.accounts)).find((one) => one.name === ben.name)?.state).toBe('active')
  // The address there may change; who they are does not.
  service.now = { sub: 'u-17', email: 'someone.else@brindlequay.example', email_verified: true }
  expect((await (await signIn()).browser.done(routes.me)).account?.name).toBe(ben.name)
  // Somebody else with that address is not let in to the account.
  service.now = { sub: 'u-18', email: ben.address, email_verified: true }
  expect((await signIn()).detail).toMatch(/belongs to somebody else/)
})

test.each([
  ['who was not invited', { sub: 'u-30', email: 'stranger@brindlequay.example', email_verified: true }, /no account/],
  ['whose address nobody vouches for', { sub: 'u-31', email: ada.address, email_verified: false }, /does not vouch/],
  ['whose address is not told', { sub: 'u-32' }, /does not say which address/],
])('somebody %s is not let in', async (_, who, words) => {
  service.now = who
  const { status, detail, browser } = await signIn()
  expect([status, detail]).toEqual([401, expect.stringMatching(words)])
  expect((await browser.ask(routes.me)).status).toBe(401)
})

test('an account that has ended is out, also by the service', async () => {
  const other = await join(keeper, { ...ben, name: 'Cy Moor', address: 'cy@brindlequay.example' })
  service.now = { sub: 'u-40', email: 'cy@brindlequay.example', email_verified: true }
  expect((await signIn()).status).toBe(200)
  await keeper.done(routes.endAccount, { params: { account: other.id } })
  expect((await signIn()).detail).toMatch(/no account/)
})

test('an answer works once, in the browser that began, and as it was given', async () => {
  service.now = { sub: 'u-50', email: ada.address, email_verified: true }
  const { browser, query } = await signIn()
  expect((await browser.ask(routes.finishService, { body: { query } })).detail).toMatch(/not begun in this browser/)
  const own = new Browser(world.handPost.address)
  const fresh = await backFrom(own)
  const thief = new Browser(world.handPost.address)
  expect((await thief.ask(routes.finishService, { body: { query: fresh } })).detail).toMatch(
    /not begun in this browser/,
  )
  thief.cookies.set('flow', 'A'.repeat(300))
  expect((await thief.ask(routes.finishService, { body: { query: fresh } })).detail).toMatch(
    /not begun in this browser/,
  )
  // Begun by somebody else, and slipped into this browser: its state is another.
  await thief.done(routes.beginService)
  expect((await thief.ask(routes.finishService, { body: { query: fresh } })).status).toBe(401)
  const forged = fresh.replace(/code=[^&]+/, 'code=forged')
  expect((await own.ask(routes.finishService, { body: { query: forged } })).status).toBe(401)
  expect((await own.ask(routes.me)).status).toBe(401)
})

test('what is refused there is said', async () => {
  service.refuses = true
  try {
    expect((await signIn()).detail).toMatch(/It was not allowed/)
  } finally {
    service.refuses = false
  }
})

test('a service that is away, or answers rubbish, is said, and the password still works', async () => {
  const rubbish = createServer((_, res) => res.end('{"issuer":"https://elsewhere.example"}'))
  servers.push(rubbish)
  await new Promise<void>((ready) => rubbish.listen(0, '127.0.0.1', ready))
  const places = [`http://127.0.0.1:${(rubbish.address() as AddressInfo).port}`, `http://127.0.0.1:${await freePort()}`]
  for (const issuer of places) {
    await askWho(world, at(issuer))
    const browser = new Browser(world.handPost.address)
    expect((await browser.ask(routes.beginService)).detail).toMatch(
      /sign-in service .* (does not answer as one does|cannot be reached).*Sign in by your password/,
    )
    expect((await browser.signIn(ada.address, ada.password)).status).toBe(200)
  }
  await askWho(world)
  expect((await new Browser(world.handPost.address).ask(routes.beginService)).status).toBe(404)
})
