import { routes } from '@hand-post/contract'
import type { Browser } from '@playwright/test'
import { source } from 'axe-core'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { tinyPdf } from '../packages/server/test/tinyPdf.ts'
import { minute, office, World } from '../packages/server/test/world.ts'
import { cursorTo, openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

// What an office asks for and gets back: an answer of two, and a signed form. From the letter to the board, in the browser of both sides.

const publicUrl = 'https://letters.brindlequay.example'
const names = ['Ada', 'Bram', 'Cy']
const addressOf = (name: string) => `${name.toLowerCase()}@village.example`
let world: World
let browser: Browser
beforeAll(async () => {
  world = await World.open(
    {
      publicUrl,
      manners: Object.fromEntries(names.map((name) => [addressOf(name), {}])),
      limits: { perDay: 10_000, perMinute: 10_000 },
    },
    webFolder,
  )
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})

test('choices are written in the letter, answered on their page without scripts, and counted as they come; a form that came back is looked at', async () => {
  const csv = ['Name,Email', ...names.map((name) => `${name},${addressOf(name)}`)].join('\n')
  const round = await world.round(
    csv,
    { subject: 'Harbour day, {{Name}}', html: '<p>Dear {{Name}}, will you come?</p>' },
    { title: 'Harbour day', dispatch: { perMinute: 60, brake: null } },
  )
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  await cursorTo(page.getByRole('textbox', { name: 'Letter', exact: true }))
  await page.keyboard.press('Control+End')
  await page.keyboard.press('Enter')
  await page.keyboard.press('Alt+Shift+A')
  await page.getByLabel('Choice 1', { exact: true }).fill('I shall come')
  await page.getByLabel('Choice 2', { exact: true }).fill('I shall come')
  await see(page.getByText('stands there twice')).toBeVisible()
  await toStage(page, 'Proof')
  await see(page.getByText('The choice “I shall come” stands there twice.')).toBeVisible()
  await toStage(page, 'Letter')
  await page.getByLabel('Choice 2', { exact: true }).fill('I cannot')
  const message = page.getByRole('region', { name: 'Message' }).frameLocator('iframe')
  await see(message.getByRole('link', { name: 'I cannot' })).toBeVisible()
  await see(page.getByText('Everything is saved')).toBeVisible()
  await toStage(page, 'Proof')
  await see(page.getByText('stands there twice')).toBeHidden()

  const params = { round: round.id }
  const { findings } = await world.call(routes.proof, { params, query: { wait: 'yes' } })
  expect(findings.filter((f) => f.grade !== 'note')).toEqual([])
  await world.call(routes.post, { params, body: { messages: names.length } })
  await world.pass(minute, 4)
  await page.goto(`/rounds/${round.id}/responses`)
  await see(page.getByRole('button', { name: '3 chose nothing' })).toBeVisible()

  // Ada's side: her mail program shows the letter; the page that its button opens runs no scripts.
  const mail = await simpleParser((await world.inboxOf(addressOf('Ada'))).at(-1)!)
  const [link] = /https:\/\/letters\.brindlequay\.example(\/c\/[\w.-]+)/.exec(String(mail.html))!.slice(1)
  const hers = await browser.newContext({ javaScriptEnabled: false, viewport: { width: 390, height: 780 } })
  const theirs = await hers.newPage()
  await theirs.goto(world.publicAt + link)
  await see(theirs.getByRole('heading', { name: 'Your answer' })).toBeVisible()
  await see(theirs.getByLabel('I shall come')).toBeChecked()
  // Its style is let through, and is its own.
  expect(await theirs.getByRole('button').evaluate((one) => getComputedStyle(one).backgroundColor)).toBe(
    'rgb(11, 90, 94)',
  )
  expect(await theirs.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390)
  await theirs.getByLabel('I cannot').check()
  await theirs.getByLabel('A word with it, if you like').fill('I am away that week.')
  await theirs.getByRole('button', { name: 'Send this answer' }).click()
  await see(theirs.getByText('Your answer “I cannot” has come in.')).toBeVisible()
  // Changed once more: the page says what it takes the place of.
  await theirs.getByRole('link', { name: 'answer once more' }).click()
  await see(theirs.getByText('is “I cannot”. A new one takes its place.')).toBeVisible()
  await hers.close()
  // WCAG 2.2 at levels A and AA, by axe-core's rules; axe is a script of its own, which the page's policy would not let in.
  const looked = await browser.newContext({ bypassCSP: true })
  const plain = await looked.newPage()
  await plain.goto(world.publicAt + link)
  const violations = await plain.evaluate<string[]>(
    `${source}; axe.run(document, { resultTypes: ['violations'] }).then(({ violations }) => violations.filter((v) => v.impact === 'serious' || v.impact === 'critical').map((v) => v.id))`,
  )
  expect(violations).toEqual([])
  await looked.close()

  // The board that is open shows it without being asked.
  await see(page.getByRole('button', { name: '1 I cannot' })).toBeVisible()
  await see(page.getByRole('button', { name: '2 chose nothing' })).toBeVisible()
  await page.getByRole('button', { name: '1 I cannot' }).click()
  await see(
    page.getByRole('grid', { name: 'Outcomes' }).getByRole('gridcell', { name: 'I am away that week.' }),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Choices', exact: true }).click()
  await see(page.getByRole('img', { name: /^How many people chose what/ })).toBeVisible()

  // Bram sends a form.
  const his = await simpleParser((await world.inboxOf(addressOf('Bram'))).at(-1)!)
  await world.arrive({
    from: addressOf('Bram'),
    to: office,
    subject: 'Re: Harbour day, Bram',
    text: 'Here is the form.',
    inReplyTo: his.messageId,
    attachments: [{ filename: 'form.pdf', content: tinyPdf('A signed form') }],
  })
  await see(page.getByRole('button', { name: '1 sent a file back' })).toBeVisible()
  await page.goto('/in-tray')
  await page.getByRole('option', { name: /Bram/ }).click()
  await page.getByRole('button', { name: 'Look at form.pdf' }).click()
  await see(page.getByRole('img', { name: 'Page 1 of 1 of form.pdf' })).toBeVisible()
  await page.keyboard.press('Escape')
  await page.goto(`/rounds/${round.id}/responses`)
  await page.getByRole('button', { name: 'Files that came back…' }).click()
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: 'Keep 1 file as a zip' }).click()
  expect((await download).suggestedFilename()).toBe('Harbour day, returned files.zip')
  expect(faults).toEqual([])
})
