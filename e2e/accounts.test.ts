import { routes } from '@hand-post/contract'
import type { Browser } from '@playwright/test'
import { Secret, TOTP } from 'otpauth'
import pino from 'pino'
import { afterAll, beforeAll, expect, onTestFinished, test } from 'vitest'
import { startHandPost } from '../packages/server/src/index.ts'
import { ada, ben, deskPassword, type Browser as Hand, join, setUp } from '../packages/server/test/browser.ts'
import { startOfficeService } from '../packages/server/test/officeService.ts'
import { freePort } from '../packages/server/test/postgres.ts'
import { peopleCsv, settingsFor, World } from '../packages/server/test/world.ts'
import { seriousFor, wcag } from './axe.ts'
import { openBrowser, openPage, see, webFolder } from './browser.ts'
import { layoutFaults } from './layout.ts'

let world: World
let browser: Browser
let keeper: Hand
let round: number
beforeAll(async () => {
  world = await World.open({ manners: {} }, webFolder)
  const plain = peopleCsv(3)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
  round = (await world.round(plain, { subject: 'For {{Name}}', html: '<p>Dear {{Name}}</p>' }, { title: 'Dredging' }))
    .id
  await world.handPost.close()
  world.handPost = await startHandPost({
    settings: { ...settingsFor(world.folder, world.practice), HAND_POST_PASSWORD: deskPassword },
    webFolder,
    clock: world.clock,
    log: pino({ level: 'silent' }),
  })
  keeper = await setUp(world)
  await join(keeper, ben)
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})

async function signedIn(who: { address: string; password: string }, theme: 'light' | 'dark' = 'light') {
  const opened = await openPage(browser, world.handPost.address, theme)
  await opened.page.goto('/')
  await opened.page.getByLabel('Your address').fill(who.address)
  await opened.page.getByLabel('Password').fill(who.password)
  await opened.page.getByRole('button', { name: 'Sign in', exact: true }).click()
  await see(opened.page.getByRole('navigation', { name: 'Main' })).toBeVisible()
  return opened
}

test.each([
  ['light', wcag],
  ['dark', ['color-contrast']],
] as const)('axe finds nothing serious where people sign in, and nothing shifts, %s', async (theme, rules) => {
  const { token } = await keeper.done(routes.invite, {
    body: { name: 'Cy Moor', address: `cy-${theme}@brindlequay.example`, mayPost: false, keeps: false },
  })
  const wrong: string[] = []
  const look = async (page: import('@playwright/test').Page, path: string, shows: string | RegExp) => {
    await page.goto(path)
    await see(page.getByText(shows).first(), path).toBeVisible()
    if (theme === 'light') wrong.push(...(await layoutFaults(page)).map((words) => `${path}: ${words}`))
    wrong.push(...(await seriousFor(page, rules)).map((words) => `${path}: ${words}`))
  }
  const { page: stranger } = await openPage(browser, world.handPost.address, theme)
  await look(stranger, '/', 'Sign in by your own account.')
  await look(stranger, `/join#${token}`, /for Cy Moor/)
  const { page } = await signedIn(ada, theme)
  for (const [path, shows] of [
    ['/account', 'Where you are signed in'],
    ['/colleagues', 'Ben Tide'],
    ['/happened', /An account for Ben Tide was made/],
    [`/rounds/${round}/dispatch`, 'Want a second pair of eyes'],
  ] as const)
    await look(page, path, shows)
  expect(wrong).toEqual([])
})

test('a one-time code is set up from the page, and asked for from then on; a recovery code stands for it', async () => {
  const { page } = await signedIn(ben)
  await page.getByRole('link', { name: 'Ben Tide: your account' }).click()
  await page.getByRole('button', { name: 'Ask for a code too' }).click()
  await page.getByLabel('Your password, to be sure that it is you').fill(ben.password)
  await page.getByRole('button', { name: 'Go on' }).click()
  await see(page.getByRole('img', { name: 'A picture for an authenticator app' })).toBeVisible()
  const key = (await page.locator('p', { hasText: /^Key/ }).textContent())!.replace(/^Key|\s/g, '')
  const totp = new TOTP({ secret: Secret.fromBase32(key) })
  await page.getByLabel('The code that it shows now').fill(totp.generate())
  await page.getByRole('button', { name: 'Ask for it from now on' }).click()
  const dialog = page.getByRole('dialog')
  const recovery = (await dialog.getByRole('listitem').first().textContent())!
  await dialog.getByRole('button', { name: 'I have kept them' }).click()
  await page.getByRole('button', { name: 'Sign out', exact: true }).click()
  await page.getByLabel('Your address').fill(ben.address)
  await page.getByLabel('Password').fill(ben.password)
  await page.getByRole('button', { name: 'Sign in', exact: true }).click()
  // The code of this moment was taken when it was set up.
  await page.getByLabel('One-time code').fill(recovery)
  await page.keyboard.press('Enter')
  await see(page.getByRole('navigation', { name: 'Main' })).toBeVisible()
})

test('what is kept for oneself goes from the other’s desk as it is done, and comes back', async () => {
  const other = await join(keeper, { ...ben, name: 'Wen Ash', address: 'wen@brindlequay.example' })
  const { page: hers } = await signedIn(ada)
  const { page: his } = await signedIn({ address: 'wen@brindlequay.example', password: ben.password })
  await his.goto('/rounds')
  await see(his.getByText('Dredging')).toBeVisible()
  await hers.goto(`/rounds/${round}/letter`)
  const share = async (from: string, choose: string) => {
    await hers.getByRole('button', { name: from }).click()
    await hers.getByRole('dialog').getByRole('radio', { name: choose }).check()
    await hers.getByRole('dialog').getByRole('button', { name: 'Store' }).click()
  }
  await share('Seen by everybody', 'You alone')
  await see(his.getByText('Dredging')).toBeHidden()
  await his.goto(`/rounds/${round}/letter`)
  await see(his.getByText(/There is no such round/)).toBeVisible()
  await share('Seen by you alone', 'Everybody who signs in here')
  await his.goto('/rounds')
  await see(his.getByText('Dredging')).toBeVisible()
  // Who may not post is told who may.
  await his.goto(`/rounds/${round}/dispatch`)
  await see(his.getByText(/not have them leave\. Ask Ada Penrose/)).toBeVisible()
  await keeper.done(routes.endAccount, { params: { account: other.id } })
  await see(his.getByText('Sign in to Hand Post')).toBeVisible()
})

test('at the office’s own sign-in service one signs in by a click, and comes back to the desk', async () => {
  const port = await freePort()
  const service = await startOfficeService(`http://127.0.0.1:${port}`)
  onTestFinished(() => service.close())
  await join(keeper, { ...ben, name: 'Cy Moor', address: 'cy@brindlequay.example' })
  await world.handPost.close()
  world.handPost = await startHandPost({
    settings: {
      ...settingsFor(world.folder, world.practice),
      HAND_POST_PORT: port,
      HAND_POST_SIGN_IN_SERVICE: service.issuer,
      HAND_POST_SIGN_IN_SECRET: 'between us two',
      HAND_POST_SIGN_IN_NAME: 'Harbour sign-in',
    },
    webFolder,
    clock: world.clock,
    log: pino({ level: 'silent' }),
  })
  service.now = { sub: 'u-1', email: 'cy@brindlequay.example', email_verified: true }
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto('/')
  await page.getByRole('button', { name: 'Sign in at Harbour sign-in' }).click()
  await see(page.getByRole('link', { name: 'Cy Moor: your account' })).toBeVisible()
  // Nothing of the service's answer stays in the address.
  expect(new URL(page.url()).search).toBe('')
  await page.getByRole('button', { name: 'Sign out', exact: true }).click()
  // The service would know the first one still.
  await page.context().clearCookies()
  service.now = { sub: 'u-2', email: 'stranger@brindlequay.example', email_verified: true }
  await page.getByRole('button', { name: 'Sign in at Harbour sign-in' }).click()
  await see(page.getByText(/has no account here\. Ask a keeper/)).toBeVisible()
  await page.getByRole('button', { name: 'Sign in again' }).click()
  await see(page.getByText('Sign in by your own account.')).toBeVisible()
})
