import { type MailboxSettings, mailboxSettingsSchema, routes } from '@hand-post/contract'
import type { Browser, Page } from '@playwright/test'
import { simpleParser } from 'mailparser'
import { getDocument } from 'pdfjs-dist/legacy/build/pdf.mjs'
import { Temporal } from 'temporal-polyfill'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { practiceClient } from '../packages/practice/src/index.ts'
import { minute, office, World } from '../packages/server/test/world.ts'
import { openBrowser, openPage, see, webFolder } from './browser.ts'

// Whole jobs of the dispatch, done in the interface as somebody would who has never seen it.

let world: World
let browser: Browser
beforeAll(async () => {
  const manners: Record<string, { repliesAfter?: number }> = Object.fromEntries(
    Array.from({ length: 300 }, (_, i) => [`person${i}@village.example`, {}]),
  )
  manners['person1@village.example'] = { repliesAfter: 2 }
  world = await World.open({ signInPort: 0, manners, limits: { perDay: 1000, perMinute: 1000 } }, webFolder)
  browser = await openBrowser()
}, 120_000)
afterAll(async () => {
  await browser?.close()
  await world?.close()
})

const csv = (n: number) =>
  ['Name,Email', ...Array.from({ length: n }, (_, i) => `Person ${i},person${i}@village.example`)].join('\r\n')
const textsOf = async (address: string) =>
  Promise.all((await world.inboxOf(address)).map(async (raw) => (await simpleParser(raw)).text ?? ''))
const pass = async (minutes: number) => {
  for (let i = 0; i < minutes; i++) await world.pass(minute)
}

test('a letter is amended when a third has gone: each has one, the first as posted, the others the mended one', async () => {
  const round = await world.round(
    csv(6),
    { subject: 'Berths in spring', html: '<p>Dear {{Name}}</p><p>The jetty opens on the 3rd of March.</p>' },
    { dispatch: { perMinute: 1 } },
  )
  const params = { round: round.id }
  await world.call(routes.post, { params, body: { messages: 6 } })
  await world.handPost.parts.dispatcher.settled()
  await pass(1)
  expect((await world.call(routes.round, { params })).states).toMatchObject({ sent: 2, waiting: 4 })

  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/dispatch`)
  await page.getByRole('button', { name: 'Amend what waits…' }).click()
  await see(page.getByText('The 2 that have gone stay as they are')).toBeVisible()
  await page.getByRole('button', { name: 'Hold, and amend' }).click()
  await see(page.getByText('You are amending this for the 4 people who wait')).toBeVisible()
  await pass(5)
  const words = page.getByText('The jetty opens on the 3rd of March.').first()
  await words.click()
  await page.keyboard.press('End')
  for (let i = 0; i < '3rd of March.'.length; i++) await page.keyboard.press('Backspace')
  await page.keyboard.type('10th of March.')
  // What they will get stands beside it: of the first who waits.
  const message = page.getByRole('region', { name: 'Message' })
  await see(message.getByText('1 of 4')).toBeVisible()
  await see(message.frameLocator('iframe').getByText('10th of March')).toBeVisible()
  await page.getByRole('button', { name: 'Post the change…' }).click()
  const dialog = page.getByRole('dialog')
  await see(dialog.getByText('Other words: 4 letters.')).toBeVisible()
  await see(dialog.getByText('2 people have had it as posted')).toBeVisible()
  await dialog.getByRole('button', { name: 'Post the change to 4 people' }).click()
  await see(page.getByText('2. Amended')).toBeVisible()
  await see(page.getByText(/^4 letters, [01] sent$/)).toBeVisible()
  await pass(6)
  await see(page.getByText('6 of 6 letters sent')).toBeVisible()
  for (let i = 0; i < 6; i++) {
    const [text, ...more] = await textsOf(`person${i}@village.example`)
    expect(more).toEqual([])
    expect(text).toContain(i < 2 ? '3rd of March' : '10th of March')
  }
  expect(faults).toEqual([])
  await page.close()
})

/** Signs in at the page of the service that a button has opened. */
async function allow(page: Page, button: string): Promise<void> {
  const opened = page.context().waitForEvent('page')
  await page.getByRole('button', { name: button }).click()
  const other = await opened
  await other.getByLabel('Password').fill('practice')
  await other.getByRole('button', { name: 'Allow', exact: true }).click()
  await see(other.getByText('You can close this page and go on in Hand Post.')).toBeVisible()
  await other.close()
}

test('signed in by a service, from “Add a mailbox” to a sent letter and a read answer; consent withdrawn, and given again', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto('/mailboxes')
  await page.getByRole('button', { name: 'Add a mailbox' }).click()
  await page.getByLabel('Address', { exact: true }).fill(office)
  await page.getByLabel('What you call it').fill('By consent')
  await page.getByRole('button', { name: 'By a sign-in service (OAuth 2.0)' }).click()
  await page.getByLabel('Address of the sign-in service').fill(world.practice.authorization!.issuer)
  await page.getByLabel('Client id').fill(practiceClient)
  for (const [name, port] of [
    ['Sending host (SMTP)', world.practice.smtpPort],
    ['Reading host (IMAP)', world.practice.imapPort],
  ] as const) {
    const host = page.getByRole('group', { name })
    await host.getByLabel('Host').fill('127.0.0.1')
    await host.getByLabel('Port').fill(String(port))
    await host.getByLabel('Encryption').selectOption('none')
  }
  await page.getByLabel('Messages a minute').fill('60')
  await allow(page, 'Sign in…')
  await see(page.getByText(/^Signed in at 127/)).toBeVisible()
  await page.getByRole('button', { name: 'Test' }).click()
  await see(page.getByText('Sent mail lies in “Sent”.')).toBeVisible()
  await page.getByRole('button', { name: 'Store' }).click()
  await see(page.getByText('The mailbox is stored.')).toBeVisible()
  const { id } = (await world.call(routes.mailboxes)).find((one) => one.name === 'By consent')!
  await world.handPost.parts.inbox.readAll()

  const round = await world.round(
    csv(3),
    { subject: 'The harbour in winter', html: '<p>Good day {{Name}}</p>' },
    { mailboxId: id, dispatch: { perMinute: 1 } },
  )
  const params = { round: round.id }
  await world.call(routes.post, { params, body: { messages: 3 } })
  await world.handPost.parts.dispatcher.settled()
  await pass(1)
  await page.goto(`/rounds/${round.id}/dispatch`)
  await see(page.getByText('2 of 3 letters sent')).toBeVisible()
  await pass(30)
  await page.goto('/in-tray')
  await see(page.getByText('Person 1').first()).toBeVisible()
  await page.close()

  // A letter more waits; the consent is withdrawn meanwhile.
  const second = await world.round(csv(2), { subject: 'Once more', html: '<p>{{Name}}</p>' }, { mailboxId: id })
  world.practice.authorization!.withdraw(office)
  await world.restart(webFolder)
  await world.call(routes.post, { params: { round: second.id }, body: { messages: 2 } })
  await pass(2)
  const after = await openPage(browser, world.handPost.address)
  await after.page.goto('/mailboxes')
  await see(after.page.getByText(/permission to use this mailbox was withdrawn or has ended/).first()).toBeVisible()
  expect((await world.call(routes.round, { params: { round: second.id } })).states).toMatchObject({
    sent: 0,
    waiting: 2,
  })
  await allow(after.page, 'Sign in again…')
  await see(after.page.getByText('Signed in again: the mailbox goes on.')).toBeVisible()
  await pass(3)
  expect((await world.call(routes.round, { params: { round: second.id } })).states).toMatchObject({
    sent: 2,
    waiting: 0,
  })
  expect([...faults, ...after.faults]).toEqual([])
  await after.page.close()
})

/** A mailbox of the office's, as one adds it at Mailboxes: in London, with these settings. */
async function aMailbox(name: string, changes: Partial<MailboxSettings> = {}): Promise<number> {
  const [practice] = await world.call(routes.mailboxes)
  const settings = { ...mailboxSettingsSchema.parse(practice), password: 'practice', timeZone: 'Europe/London' }
  return (await world.call(routes.addMailbox, { body: { ...settings, name, ...changes } })).id
}
/** Posts the round that is open, by the button and the last word. */
async function post(page: Page, letters: number): Promise<void> {
  await page.getByRole('button', { name: `Post ${letters} letters` }).click()
  const dialog = page.getByRole('dialog')
  const button = dialog.getByRole('button', { name: `Post ${letters} letters` })
  await see(button).toBeEnabled()
  await button.click()
  await see(page.getByRole('region', { name: 'Progress' })).toBeVisible()
}
/**
 * Lives through the first letters of a round, each of which must leave at its very moment, and gives when all leave by the timetable: by a
 * library that is not ours (ECMA-262 Temporal).
 */
async function livedThrough(page: Page, round: number, first: number): Promise<Temporal.ZonedDateTime[]> {
  // A page that stays open fetches whatever changes, at each letter.
  await page.close()
  const params = { round }
  const { departures } = await world.call(routes.timetable, { params })
  for (const { at, gone } of departures.slice(0, first)) {
    if (gone) continue
    world.clock.move(Math.max(0, at - world.clock.now()))
    await world.handPost.parts.dispatcher.wakeAll()
    await world.handPost.parts.dispatcher.settled()
  }
  const lines = await world.call(routes.messages, { params })
  expect(lines.flatMap((line) => line.sentAt ?? []).sort((a, b) => a - b)).toEqual(
    departures.slice(0, first).map((d) => d.at),
  )
  return departures.map(({ at }) => Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO('Europe/London'))
}
const perDay = (left: Temporal.ZonedDateTime[]) => {
  const days = new Map<string, number>()
  for (const at of left) days.set(at.toPlainDate().toString(), (days.get(at.toPlainDate().toString()) ?? 0) + 1)
  return [...days]
}
/** A round that is open at Dispatch. */
async function atDispatch(people: string, mailboxId: number) {
  // Another subject each time: the proof asks about a letter that somebody has had already.
  const subject = `Harbour dues ${mailboxId}`
  const round = await world.round(people, { subject, html: '<p>Dear {{Name}}</p>' }, { mailboxId })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/dispatch`)
  await see(page.getByRole('spinbutton', { name: 'Letters a minute' })).toBeVisible()
  return { page, faults, id: round.id }
}

test('300 letters on weekday afternoons, at most 100 a day, from a new mailbox', async () => {
  const mailbox = await aMailbox('New', { gentleStart: { wanted: true, days: [20, 40, 80, 160] } })
  const { page, faults, id } = await atDispatch(csv(300), mailbox)
  await page.getByLabel('At most a day').fill('100')
  await page.getByLabel('other hours, whatever the mailbox’s are').check()
  await page.getByRole('button', { name: 'Afternoons' }).click()
  await see(page.getByText(/letters wait for a later day/)).toBeVisible()
  await page.getByText('As a table').click()
  await see(page.getByRole('row', { name: /20/ }).first()).toBeVisible()
  await post(page, 300)
  const left = await livedThrough(page, id, 25)
  for (const at of left) {
    expect(at.dayOfWeek).toBeLessThan(6)
    expect(at.hour).toBeGreaterThanOrEqual(12)
  }
  // The ramp, then the writer's own hundred.
  expect(perDay(left).map(([, n]) => n)).toEqual([20, 40, 80, 100, 60])
  expect(faults).toEqual([])
})

test('three groups of 50 with twenty minutes between', async () => {
  const mailbox = await aMailbox('Groups', { perMinute: 600 })
  const { page, faults, id } = await atDispatch(csv(150), mailbox)
  await page.getByRole('spinbutton', { name: 'Letters a minute' }).fill('60')
  await page.getByLabel('In groups of').fill('50')
  await page.getByLabel('Minutes of rest').fill('20')
  await see(page.getByText(/150 letters to 150 recipients/)).toBeVisible()
  await page.waitForTimeout(500)
  await post(page, 150)
  const left = await livedThrough(page, id, 55)
  const gaps = left.slice(1).map((at, i) => (at.epochMilliseconds - left[i].epochMilliseconds) / minute)
  expect(gaps.flatMap((gap, i) => (gap > 15 ? [i + 1] : []))).toEqual([50, 100])
  for (const at of [49, 99]) expect(gaps[at]).toBeCloseTo(20, 3)
  expect(faults).toEqual([])
})

test('each person on the day in their row', async () => {
  const mailbox = await aMailbox('Days')
  const today = Temporal.Instant.fromEpochMilliseconds(world.clock.now())
    .toZonedDateTimeISO('Europe/London')
    .toPlainDate()
  const days = Array.from({ length: 5 }, (_, i) => today.add({ days: 1 + 2 * i }).toString())
  const people = ['Name,Email,Inspection', ...days.map((day, i) => `Person ${i},person${i}@village.example,${day}`)]
  const { page, faults, id } = await atDispatch(people.join('\r\n'), mailbox)
  await page.getByText('Each person at a time of their own').click()
  await page.getByLabel('When, from the column').selectOption({ label: 'Inspection' })
  await page.getByLabel('At this hour').fill('08:30')
  await see(page.getByText(/5 letters to 5 recipients/)).toBeVisible()
  await page.waitForTimeout(500)
  await post(page, 5)
  const left = await livedThrough(page, id, 5)
  expect(left.map((at) => `${at.toPlainDate()} ${at.hour}:${at.minute}`)).toEqual(days.map((day) => `${day} 8:30`))
  expect(faults).toEqual([])
})

test('a limit that other mail has eaten up: it is shown, and what is left waits for the next day', async () => {
  const mailbox = await aMailbox('Shared', { perDay: 60, gentleStart: { wanted: false, days: [20] } })
  const now = new Date(world.clock.now())
  for (let i = 0; i < 50; i++)
    await world.practice.store.add(
      office,
      'Sent',
      Buffer.from(
        `From: ${office}\r\nTo: someone${i}@quay.example\r\nDate: ${now.toUTCString()}\r\nMessage-ID: <other${i}@quay.example>\r\nSubject: By hand\r\n\r\nWords\r\n`,
      ),
      now,
    )
  await world.call(routes.carryOnMailbox, { params: { mailbox } })
  const { page, faults, id } = await atDispatch(csv(20), mailbox)
  await page.goto('/mailboxes')
  await see(page.getByText(/by other mail/).last()).toBeVisible()
  const { used, allowance } = (await world.call(routes.mailboxes)).find((one) => one.id === mailbox)!
  expect(used.other).toBeGreaterThanOrEqual(50)
  expect(allowance).toBeLessThanOrEqual(10)
  await page.goto(`/rounds/${id}/dispatch`)
  await see(page.getByText(/wait for a later day: the mailbox’s limit of 60 recipients/)).toBeVisible()
  await post(page, 20)
  const left = await livedThrough(page, id, 20)
  expect(perDay(left)[0][1]).toBe(allowance)
  expect(left).toHaveLength(20)
  expect(faults).toEqual([])
})

test('four people without an address: they get the letter on paper, and it is told as that everywhere', async () => {
  const mailbox = await aMailbox('Paper')
  const people = [
    'Name,Email,Street,Town,Postcode',
    ...Array.from({ length: 10 }, (_, i) => {
      const address = i < 4 ? '' : `person${i}@village.example`
      return `Person ${i},${address},${i + 1} Quay,Brindle,BQ1 1A${i}`
    }),
  ].join('\r\n')
  const { page, faults, id } = await atDispatch(people, mailbox)
  // Where the proof stops it is seen what they lack; at People what can be done.
  await page.getByRole('link', { name: /^People .*people/ }).click()
  await see(page.getByText(/^4 people have no address/)).toBeVisible()
  await page.getByRole('button', { name: 'Put them on paper' }).click()
  const sheet = page.getByRole('dialog', { name: 'Letters on paper' })
  await see(sheet.getByRole('img', { name: /showing: Person 0, 1 Quay, Brindle, BQ1 1A0/ })).toBeVisible()
  await page.keyboard.press('Escape')
  await see(page.getByText('10 in the list, 6 in this round and 4 by paper post.')).toBeVisible()
  await see(page.getByRole('region', { name: 'Message' }).getByText('By paper post to')).toBeVisible()

  await page.getByRole('link', { name: /^Proof/ }).click()
  await page.getByRole('button', { name: 'All messages…' }).click()
  await see(page.getByRole('link', { name: '4 letters on paper, as one PDF' })).toBeVisible()
  await page.keyboard.press('Escape')
  await page.getByRole('link', { name: /^Dispatch/ }).click()
  await page.getByRole('button', { name: 'Post 10 letters', exact: true }).click()
  const dialog = page.getByRole('dialog')
  await see(dialog.getByText(/^4 by paper post: to be printed after posting/)).toBeVisible()
  await see(dialog.getByText(/6 letters to 6 recipients/)).toBeVisible()
  await dialog.getByRole('button', { name: 'Post 10 letters' }).click()
  await see(page.getByText('4 letters on paper are to be printed.')).toBeVisible()
  await pass(3)
  expect((await world.call(routes.round, { params: { round: id } })).states).toMatchObject({ sent: 6 })

  // As long as something is to be printed, that is where the round opens.
  await page.goto(`/rounds/${id}`)
  const download = page.waitForEvent('download')
  await page.getByRole('link', { name: '4 letters as PDF' }).click()
  const pdf = await getDocument({ url: await (await download).path(), verbosity: 0 }).promise
  // Each has a blank side behind it, as the printer prints both.
  expect(pdf.numPages).toBe(8)
  await page.getByRole('button', { name: 'They are printed' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'They are printed' }).click()
  await see(page.getByText(/^4 by paper post, printed on/)).toBeVisible()
  await page.getByRole('link', { name: /^Responses/ }).click()
  await see(page.getByText(/^4 by paper post: 4 printed on/)).toBeVisible()
  expect(faults).toEqual([])
  await page.close()
})
