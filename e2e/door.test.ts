import { mailboxSettingsSchema, routes } from '@hand-post/contract'
import type { Browser } from '@playwright/test'
import pino from 'pino'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { startHandPost } from '../packages/server/src/index.ts'
import { office, settingsFor, World } from '../packages/server/test/world.ts'
import { openBrowser, openPage, see, webFolder } from './browser.ts'

const password = 'low-water-0430'
let world: World
let browser: Browser
beforeAll(async () => {
  world = await World.open()
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})
/** Starts the desk anew, with a password or without. */
async function restart(more: object = {}): Promise<string> {
  await world.handPost.close()
  const settings = { ...settingsFor(world.folder, world.practice), ...more }
  world.handPost = await startHandPost({ settings, webFolder, clock: world.clock, log: pino({ level: 'silent' }) })
  return world.handPost.address
}

test('the desk asks for its password, lets in who knows it, and shuts when it is told to', async () => {
  const address = await restart({ HAND_POST_PASSWORD: password })
  const { page } = await openPage(browser, address)
  await page.goto('/rounds')
  await see(page.getByText('Sign in to Hand Post')).toBeVisible()
  const field = page.getByLabel('Password')
  await field.fill('not the password')
  await field.press('Enter')
  await see(page.getByRole('alert')).toHaveText('That is not the password. Try again.')
  await field.fill(password)
  await field.press('Enter')
  await see(page.getByRole('heading', { name: 'Rounds', exact: true })).toBeVisible()
  // Changes made elsewhere are heard in the session.
  const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ')
  await fetch(`${address}/api/rounds`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', cookie },
    body: '{"title":"Heard from elsewhere"}',
  })
  await see(page.getByText('Heard from elsewhere')).toBeVisible()
  // A second window of the same session is shut with it.
  const second = await page.context().newPage()
  await second.goto(`${address}/rounds`)
  await see(second.getByText('Heard from elsewhere')).toBeVisible()
  await page.getByRole('button', { name: 'Sign out' }).click()
  await see(page.getByText('Sign in to Hand Post')).toBeVisible()
  await see(second.getByText('Sign in to Hand Post')).toBeVisible()
  expect(await page.content()).not.toContain('Heard from elsewhere')
})

test('while strangers guess, the page waits by itself and lets in who knows the password', async () => {
  const address = await restart({ HAND_POST_PASSWORD: password })
  const { page } = await openPage(browser, address)
  await page.goto('/')
  await see(page.getByText('Sign in to Hand Post')).toBeVisible()
  let stop = false
  const strangers = (async () => {
    for (let i = 0; !stop; i++) {
      const guess = fetch(`${address}/api/sign-in`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ password: `guess ${i}` }),
      }).catch(() => {})
      void guess
      await new Promise((done) => setTimeout(done, 200))
    }
  })()
  await new Promise((done) => setTimeout(done, 4000))
  await page.getByLabel('Password').fill(password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await see(page.getByRole('navigation', { name: 'Main' })).toBeVisible()
  stop = true
  await strangers
})

test('a mailbox whose port is changed wants its password again; mail that cannot be read is shown until it is seen', async () => {
  const address = await restart()
  const { page } = await openPage(browser, address)
  // The hosts of the practice mailbox itself stay as they are.
  const [own] = await world.call(routes.mailboxes)
  const body = { ...mailboxSettingsSchema.parse(own), name: 'Second', imap: null, password: 'practice' }
  await world.call(routes.addMailbox, { body })
  await page.goto('/mailboxes')
  await page.getByRole('button', { name: 'Change its settings' }).last().click()
  const field = page.locator('form').getByLabel('Password')
  await see(page.getByText('Left empty, the stored one stays.')).toBeVisible()
  const port = page.getByRole('group', { name: 'Sending host (SMTP)' }).getByLabel('Port')
  const before = await port.inputValue()
  await port.fill('2525')
  await see(
    page.getByText(
      /Type it again: the stored one goes only where it was given for, and the port of the sending host is/,
    ),
  ).toBeVisible()
  await page.locator('form').getByRole('button', { name: 'Test it' }).click()
  await see(field).toHaveAttribute('aria-invalid', 'true')
  await see(page.locator('form').getByRole('alert')).toContainText('Type it again')
  await port.fill(before)
  await see(page.getByText('Left empty, the stored one stays.')).toBeVisible()
  await page.getByRole('button', { name: 'Not now' }).click()

  const deep = Array.from(
    { length: 60 },
    (_, i) => `--b${i}\r\nContent-Type: multipart/mixed; boundary=b${i + 1}\r\n\r\n`,
  ).join('')
  await world.practice.store.add(
    office,
    'INBOX',
    Buffer.from(
      `From: Ada Penrose <ada@village.example>\r\nSubject: My permit\r\nContent-Type: multipart/report; boundary=b0\r\n\r\n${deep}`,
    ),
    new Date(world.clock.now()),
  )
  await world.handPost.parts.inbox.readAll()
  await see(page.getByText('One message in the inbox could not be read, and may have been an answer.')).toBeVisible()
  await see(page.getByText(/from Ada Penrose <ada@village\.example>, “My permit”/)).toBeVisible()
  await page.getByRole('button', { name: 'I have seen it' }).click()
  await see(page.getByText('One message in the inbox could not be read')).toHaveCount(0)
  expect((await world.call(routes.mailboxes))[0].unreadMail.count).toBe(0)
})

test('a desk that is being filled says so, is not ready, and goes on by itself when it is', async () => {
  const address = await restart({ HAND_POST_BEING_FILLED: 'yes' })
  const port = Number(new URL(address).port)
  expect((await world.call(routes.health)).ready).toBe(false)
  const { page } = await openPage(browser, address)
  await page.goto('/')
  await see(page.getByText('The example is being made')).toBeVisible()
  await see(page.getByText('Nothing on the desk yet')).toHaveCount(0)
  // The program that fills it ends, and the desk is started for good.
  await restart({ HAND_POST_PORT: port })
  expect((await world.call(routes.health)).ready).toBe(true)
  await see(page.getByRole('heading', { name: 'Desk', exact: true })).toBeVisible()
})
