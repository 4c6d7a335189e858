import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { routes } from '@hand-post/contract'
import type { Browser } from '@playwright/test'
import { strToU8, zipSync } from 'fflate'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, onTestFinished, test } from 'vitest'
import { tinyPdf } from '../packages/server/test/tinyPdf.ts'
import { minute, office, peopleCsv, World } from '../packages/server/test/world.ts'
import { drop, openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

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
const permit = (i: number) => tinyPdf(`Permit of Person ${i}`, `person${i}@village.example`)

test('a zip of files finds its people, the guard stops what was exchanged, and each gets their own', async () => {
  const csv = peopleCsv(4)
    .replace(/,permit-\d+\.pdf/g, '')
    .replace(',Permit', '')
  const round = await world.round(csv, { subject: 'Permit for {{Name}}', html: '<p>Dear {{Name}}</p>' })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/enclosures`)
  await see(page.getByText('None yet.')).toBeVisible()

  // Persons 1 and 2 have each other's permit under their names; a program has slipped in.
  const zip = zipSync({
    'out/berth-B000.pdf': permit(0),
    'out/berth-B001.pdf': permit(2),
    'out/berth-B002.pdf': permit(1),
    'out/Person 3.pdf': permit(3),
    'out/viewer.exe': strToU8('MZ and more'),
  })
  await page
    .getByLabel('Add their files: choose')
    .setInputFiles({ name: 'permits.zip', mimeType: 'application/zip', buffer: Buffer.from(zip) })
  await page.getByRole('button', { name: 'The files in it' }).click()
  await see(page.getByText('5 files added out of “permits.zip”')).toBeVisible()
  await see(page.getByRole('button', { name: 'With problems 1' })).toBeVisible()
  await page.getByRole('button', { name: 'With problems 1' }).click()
  await see(page.getByText('runs when opened')).toBeVisible()
  await page.getByRole('button', { name: 'Take viewer.exe out' }).click()
  await see(page.getByText('No file has a problem')).toBeVisible()
  await page.getByRole('button', { name: 'Undo' }).click()
  await see(page.getByText('runs when opened')).toBeVisible()
  await page.getByRole('button', { name: 'Take viewer.exe out' }).click()
  await see(page.getByText('No file has a problem')).toBeVisible()

  await page.getByRole('button', { name: 'Take this pattern' }).click()
  await see(page.getByRole('button', { name: 'Nobody’s 1' })).toBeVisible()
  await page.getByRole('button', { name: 'Nobody’s 1' }).click()
  await page.getByRole('button', { name: 'Give it to Person 3' }).click()
  await see(page.getByText('Every file is somebody’s')).toBeVisible()

  await toStage(page, 'Proof')
  const wrong = page.getByRole('region', { name: 'Another person’s file' })
  await see(wrong.getByText('2 findings')).toBeVisible()
  await see(wrong).toContainText('mentions Person 2: “Person 2” (Name)')
  await see(page.getByRole('heading', { name: 'Nothing to settle' })).toBeHidden()

  // The right files in their places settle it.
  await toStage(page, 'Enclosures')
  for (const i of [1, 2])
    await world.call(routes.addFile, {
      params: { round: round.id },
      query: { name: `berth-B00${i}.pdf`, role: 'own', folder: 'out' },
      file: permit(i),
    })
  await toStage(page, 'Proof')
  await see(page.getByRole('heading', { name: 'Nothing to settle' })).toBeVisible()

  // The message is looked at in all ways, and a copy of the reading set goes to the writer only.
  const message = page.getByRole('region', { name: 'Message' })
  await message.getByRole('button', { name: /^Last person/ }).click()
  await see(message.frameLocator('iframe').getByText('Dear Person 3')).toBeVisible()
  await message.getByLabel('I have read this message').check()
  await see(message.getByText('1 of 4 read')).toBeVisible()
  await page.keyboard.press('Alt+Shift+ArrowUp')
  await see(message.frameLocator('iframe').getByText('Dear Person 0')).toBeVisible()
  await see(message.getByLabel('I have read this message')).not.toBeChecked()
  await message.getByRole('button', { name: 'Source' }).click()
  await see(message.getByRole('document', { name: 'Message as source' })).toContainText('Content-Type: multipart/mixed')
  await message.getByRole('button', { name: 'Letter', exact: true }).click()
  await message.getByRole('button', { name: 'Look' }).click()
  await page.getByLabel('In dark mode').check()
  await page.getByLabel('Width of the reader’s window').selectOption('375')
  expect(await message.locator('iframe').evaluate((frame) => frame.clientWidth)).toBe(375)
  await page.keyboard.press('Escape')
  await page.getByRole('button', { name: /Copies of/ }).click()
  await page.getByRole('button', { name: /^Send (\d+ copies|the copy)$/ }).click()
  await see(page.getByText(`on their way to ${office}`).or(page.getByText(`on its way to ${office}`))).toBeVisible()
  const copies = await world.inboxOf(office)
  expect((await simpleParser(copies[0])).text).toContain('Copy to yourself')

  await toStage(page, 'Dispatch')
  await page.getByLabel('Letters a minute').fill('60')
  await page.getByRole('button', { name: 'Post 4 letters' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByText('Outside brindlequay.example: 4 of 4 people.').click()
  await see(dialog).toContainText('Person 2, person2@village.example')
  await see(dialog).toContainText('that show every variation of the letter')
  // The answer comes late, after the desk has told every window that the round has changed.
  await page.route('**/api/rounds/*/post', async (route) => {
    const response = await route.fetch()
    await sleep(1500)
    await route.fulfill({ response })
  })
  await dialog.getByRole('button', { name: 'Post 4 letters' }).click()
  await see(page.getByText('Posted: its letters are frozen')).toBeVisible()
  await world.pass(minute, 10)
  for (let i = 0; i < 4; i++) {
    const [raw] = await world.inboxOf(`person${i}@village.example`)
    const [file] = (await simpleParser(raw)).attachments
    expect([file.filename, file.content.equals(permit(i))]).toEqual([
      i < 3 ? `berth-B00${i}.pdf` : 'Person 3.pdf',
      true,
    ])
  }
  expect(faults).toEqual([])
})

test('two files of one name, dropped in their folders, go by these; the letter is made as PDF for each', async () => {
  const csv =
    'Name,Email,File\nAda Lane,ada@quay.example,north/permit.pdf\nBram Hill,bram@quay.example,south/permit.pdf\n'
  const round = await world.round(csv, { subject: 'S', html: '<p>Dear {{Name}}</p>' }, { filesColumn: 'c3' })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/enclosures`)
  await see(page.getByText('None yet.')).toBeVisible()
  // Two real folders, dropped as a hand drops them.
  // Not where other tests put their files: Chromium opens no folder below /dev.
  const out = await mkdtemp('/tmp/hand-post-folders-')
  onTestFinished(() => rm(out, { recursive: true, force: true }))
  for (const [folder, person] of [
    ['north', 'Ada Lane'],
    ['south', 'Bram Hill'],
  ]) {
    await mkdir(join(out, folder))
    await writeFile(join(out, folder, 'permit.pdf'), tinyPdf(`For ${person}`))
  }
  await drop(page, page.getByRole('button', { name: 'Add their files', exact: true }), [
    join(out, 'north'),
    join(out, 'south'),
  ])
  await see(page.getByText('2 files added')).toBeVisible()
  await see(page.getByRole('button', { name: 'Who lacks a file 0' })).toBeVisible()
  await page.getByRole('button', { name: 'Make a file for each person…' }).click()
  await page.getByLabel('What is made for each person').selectOption('letter')
  await page.getByRole('button', { name: 'Make 2 files' }).click()
  await see(page.getByText('2 files were made.')).toBeVisible()
  await see(page.getByRole('button', { name: 'All are made' })).toBeVisible()
  await toStage(page, 'Proof')
  await see(page.getByRole('heading', { name: 'Nothing to settle' })).toBeVisible()
})

test('the whole round is rehearsed: each inbox is looked into, what could not leave is said, and nothing was sent', async () => {
  const csv = `${peopleCsv(3)}\r\nNobody’s Boat,,B900,`
  const round = await world.round(
    csv,
    { subject: 'Permit for {{Name}}', html: '<p>Dear {{Name}}, here is your permit.</p>' },
    { cc: ['harbourmaster@brindlequay.example'] },
  )
  for (let i = 0; i < 3; i++)
    await world.call(routes.addFile, {
      params: { round: round.id },
      query: { name: `permit-${i}.pdf`, role: 'own' },
      file: permit(i),
    })
  const { page, faults } = await openPage(browser, world.handPost.address)
  const before = (await world.inboxOf('person2@village.example')).length
  await page.goto(`/rounds/${round.id}/proof`)
  await page.getByRole('button', { name: 'Rehearse…' }).click()
  await page.getByRole('button', { name: 'Rehearse 4 letters' }).click()
  await see(page.getByText('3 of 4 letters arrived')).toBeVisible()
  await see(page.getByText('Nobody’s Boat: There is no address.')).toBeVisible()

  const inbox = page.getByRole('region', { name: 'Inbox', exact: true })
  await see(inbox.getByRole('heading', { name: 'What Person 0 sees' })).toBeVisible()
  await see(inbox.frameLocator('iframe').getByText('Dear Person 0, here is your permit.')).toBeVisible()
  await inbox.getByRole('button', { name: 'Next inbox' }).click()
  await see(inbox.frameLocator('iframe').getByText('Dear Person 1')).toBeVisible()
  const href = await inbox.getByRole('link', { name: /permit-1\.pdf/ }).getAttribute('href')
  const file = await page.request.get(href!)
  expect(file.headers()['content-type']).toBe('application/pdf')
  expect((await file.body()).equals(Buffer.from(permit(1)))).toBe(true)

  // Who gets the copies sees all of them, one by one.
  await page.getByRole('searchbox', { name: 'Find an inbox' }).fill('harbourm')
  await see(inbox.getByRole('heading', { name: 'What harbourmaster@brindlequay.example sees' })).toBeVisible()
  await inbox.getByRole('button', { name: /Permit for Person 2/ }).click()
  await see(inbox.frameLocator('iframe').getByText('Dear Person 2')).toBeVisible()
  await inbox.getByRole('button', { name: 'Source' }).click()
  await see(inbox.getByRole('document', { name: 'Message as source' })).toContainText('To: Person 2 <person2@')
  await see(inbox.getByRole('document', { name: 'Message as source' })).not.toContainText(/^Bcc:/m)
  expect(await world.inboxOf('harbourmaster@brindlequay.example')).toEqual([])
  expect(await world.inboxOf('person2@village.example')).toHaveLength(before)

  // The person without an address is set aside at the proof: the rehearsal says that it is of before.
  await page.getByRole('link', { name: 'Proof' }).click()
  await page.getByRole('region', { name: 'Address missing' }).getByRole('button', { name: 'Set aside' }).click()
  await page.getByRole('button', { name: 'Rehearse…' }).click()
  await see(page.getByText('The round has been changed since.')).toBeVisible()
  await page.getByRole('button', { name: 'Rehearse again' }).click()
  await see(page.getByText('All 3 letters arrived')).toBeVisible()
  await page.getByRole('button', { name: 'Clear it away' }).click()
  await see(page.getByText('Nothing is rehearsed yet')).toBeVisible()
  expect(faults).toEqual([])
})
