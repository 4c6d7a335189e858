import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import type { Browser } from '@playwright/test'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { peopleCsv, World } from '../packages/server/test/world.ts'
import { cursorTo, openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

let world: World
let browser: Browser
beforeAll(async () => {
  world = await World.open({}, webFolder)
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})
const plain = (n: number) =>
  peopleCsv(n)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
// One pixel, as PNG.
const pixel = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
)

test('a mailbox is tried step by step, stored, changed and removed', async () => {
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto('/mailboxes')
  await page.getByRole('button', { name: 'Add a mailbox' }).click()
  const form = page.locator('form')
  await form.getByLabel('Address', { exact: true }).fill('second@brindlequay.example')
  await form.getByLabel('Password').fill('wrong')
  const hosts = [
    ['Sending host (SMTP)', world.practice.smtpPort],
    ['Reading host (IMAP)', world.practice.imapPort],
  ] as const
  for (const [name, port] of hosts) {
    const fields = form.getByRole('group', { name })
    await fields.getByLabel('Host', { exact: true }).fill('127.0.0.1')
    await fields.getByLabel('Port').fill(String(port))
    await fields.getByLabel('Encryption').selectOption('none')
  }
  await form.getByRole('button', { name: 'Test it' }).click()
  const steps = form.getByRole('list', { name: 'The test, step by step' })
  await see(steps).toContainText('The host refused the sign-in')
  await see(steps.getByText('fails')).toHaveCount(2)
  await form.getByRole('button', { name: 'Store' }).click()
  await see(page.getByRole('heading', { name: 'second@brindlequay.example' })).toBeVisible()
  await page.getByRole('button', { name: 'Change its settings' }).last().click()
  await form.getByLabel('What you call it').fill('Second office')
  await form.getByRole('button', { name: 'Store' }).click()
  await see(page.getByRole('heading', { name: 'Second office' })).toBeVisible()
  await page.getByRole('button', { name: 'Change its settings' }).last().click()
  await form.getByRole('button', { name: 'Remove this mailbox' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Remove it' }).click()
  await see(page.getByRole('heading', { name: 'Second office' })).toBeHidden()
})

test('a field is given a stand-in on its chip, follows its column, and is swapped when broken', async () => {
  const round = await world.round(`${plain(2)}\r\n,person9@village.example,`, {
    subject: 'S',
    html: '<p>Dear {{Name}}</p>',
  })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  const body = page.getByRole('textbox', { name: 'Letter', exact: true })
  await body.getByRole('button', { name: 'Name' }).click()
  await page.getByLabel('write these words').check()
  await page.getByLabel('The stand-in').fill('neighbour')
  await page.keyboard.press('Escape')
  await see(body.getByRole('button', { name: /Name or “neighbour”/ })).toBeVisible()
  const message = page.getByRole('region', { name: 'Message' })
  await page
    .getByRole('grid', { name: 'Rows of the list' })
    .getByRole('gridcell', { name: 'person9@village.example' })
    .click()
  await see(message.frameLocator('iframe').getByText('Dear neighbour')).toBeVisible()

  // The column is renamed: the chip follows.
  await toStage(page, 'People')
  await page.getByRole('columnheader', { name: /^Name/ }).getByRole('button').click()
  await page.getByLabel('Name', { exact: true }).fill('Holder')
  await page.getByLabel('Name', { exact: true }).press('Tab')
  await page.keyboard.press('Escape')
  await see(page.getByRole('columnheader', { name: /^Holder/ })).toBeVisible()
  await toStage(page, 'Letter')
  await see(body.getByRole('button', { name: /Holder or “neighbour”/ })).toBeVisible()

  // A name that no column has shows as broken, and the nearest is offered.
  await cursorTo(body)
  await page.keyboard.press('Control+End')
  await page.keyboard.type(' {{Bearth}}')
  await body.getByRole('button', { name: /no such column Bearth/ }).click()
  await page.getByRole('button', { name: 'Swap it for “Berth” everywhere' }).click()
  await see(body.getByRole('button', { name: 'Berth' })).toBeVisible()
  await see(page.getByText('Everything is saved')).toBeVisible()
  expect(JSON.stringify((await world.call(routes.round, { params: { round: round.id } })).letter)).not.toContain(
    'Bearth',
  )
})

test('links, pictures and copies; undo; who sees whom is said', async () => {
  const round = await world.round(plain(2), { subject: 'S', html: '<p>See </p>' })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  const body = page.getByRole('textbox', { name: 'Letter', exact: true })
  const frame = page.getByRole('region', { name: 'Message' }).frameLocator('iframe')
  await cursorTo(body)
  await page.keyboard.press('Control+End')
  await page.getByRole('button', { name: 'Link' }).click()
  await page.getByLabel('Where the link leads').fill('brindlequay.example/rules')
  await page.keyboard.press('Enter')
  await see(frame.getByRole('link', { name: 'brindlequay.example/rules' })).toHaveAttribute(
    'href',
    'https://brindlequay.example/rules',
  )
  await page.keyboard.press('Control+z')
  await see(frame.getByRole('link')).toHaveCount(0)

  const picture = join(world.folder, 'quay.png')
  await writeFile(picture, pixel)
  await page.getByLabel('Picture file').setInputFiles(picture)
  await see(body.locator('img')).toBeVisible()
  await body.locator('img').click()
  await page.getByLabel('In words, where pictures are off').fill('The quay')
  await see(frame.locator('img[alt="The quay"]')).toHaveCount(1)

  await page.getByRole('button', { name: /Sender, copies/ }).click()
  await page.getByLabel('Cc', { exact: true }).fill('no address')
  await page.keyboard.press('Tab')
  await see(page.getByRole('alert')).toContainText('“no” is not an address')
  await page.getByLabel('Cc', { exact: true }).fill('master@brindlequay.example')
  await page.keyboard.press('Tab')
  await see(
    page.getByText('and master@brindlequay.example as a copy. Each message counts as 2 recipients.'),
  ).toBeVisible()
})

test('a drafting mark becomes its field from the proof, and comes back on undoing', async () => {
  const round = await world.round(plain(2), { subject: 'S', html: '<p>Dear [name], once more [name]</p>' })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/proof`)
  const message = page.getByRole('region', { name: 'Message' }).frameLocator('iframe')
  await see(message.getByText('Dear [name]')).toBeVisible()
  await page.getByRole('button', { name: 'Put the field “Name” in its place' }).click()
  await see(message.getByText('Dear Person 0, once more Person 0')).toBeVisible()
  await see(page.getByText('Nothing is left to settle.')).toBeVisible()
  await page.getByRole('button', { name: 'Undo' }).click()
  await see(message.getByText('Dear [name], once more [name]')).toBeVisible()
})

test('setting aside in the proof can be undone, and an ask is accepted with a reason', async () => {
  const round = await world.round('Name,Email\nAda,ada@village.example\nBram,ADA@village.example\nCerys,cerys\n', {
    subject: 'S',
    html: '<p>Dear {{Name}}</p>',
  })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/proof`)
  const wrong = page.getByRole('region', { name: 'Address missing or wrong' })
  await wrong.getByRole('button', { name: 'Set aside' }).click()
  await see(wrong).toBeHidden()
  await page.getByRole('button', { name: 'Undo' }).click()
  await see(wrong).toBeVisible()
  await wrong.getByLabel('Email').fill('cerys@village.example')
  await wrong.getByRole('button', { name: 'Change it' }).click()
  await see(wrong).toBeHidden()
  await page.getByRole('button', { name: 'Accept…' }).click()
  await page.getByLabel('Why is it right as it is?').fill('they share a mailbox')
  await page.getByRole('button', { name: 'Accept', exact: true }).click()
  await see(page.getByText('Accepted: “they share a mailbox”')).toBeVisible()
  await see(page.getByText('Nothing is left to settle.')).toBeVisible()
})

test('the reading set is read to its end, and what changes wants reading again', async () => {
  const csv =
    'Name,Email,Boat\nAda,ada@village.example,Wren\nBartholomew,b@village.example,\nCerys,c@village.example,Tern\n'
  const round = await world.round(csv, { subject: 'S', html: '<p>Dear {{Name}}, {{Boat, or "your boat"}}</p>' })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/proof`)
  const reading = page.getByRole('region', { name: 'Reading set' })
  await see(reading).toContainText('Read these 2 and you have seen every variation of all 3. 0 read.')
  await see(reading).toContainText('Ada shows: the shortest “Name”, no file.')
  await reading.getByRole('button', { name: 'Read; next' }).click()
  await see(reading).toContainText('Bartholomew shows: the longest “Name”, the stand-in for “Boat”')
  await see(page.getByRole('region', { name: 'Message' }).frameLocator('iframe').getByText('your boat')).toBeVisible()
  await reading.getByRole('button', { name: 'Read: that was the last' }).click()
  await see(reading).toContainText('Both messages of the reading set are read')
  await world.edit(round.list!.id, { do: 'cells', cells: [[1, 'c1', 'Adi']] })
  await see(reading).toContainText('1 read.')
  expect(faults).toEqual([])
})
