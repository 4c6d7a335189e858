import { routes } from '@hand-post/contract'
import type { Browser, Page } from '@playwright/test'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { madeAnswers } from '../packages/server/test/answersMade.ts'
import { hour, minute, office, World } from '../packages/server/test/world.ts'
import { openBrowser, openPage, see, webFolder } from './browser.ts'

// Two hundred answers in ten languages, as their mail programs write them, dealt with at the in-tray by keyboard.

const people = 50
let world: World
let browser: Browser
beforeAll(async () => {
  world = await World.open(
    {
      manners: Object.fromEntries(Array.from({ length: people }, (_, i) => [`person${i}@village${i % 4}.example`, {}])),
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

test('two hundred answers of all kinds find their people, and the in-tray is emptied by keyboard; what is put by comes back, and is answered', async () => {
  const csv = ['Name,Email,Berth']
  for (let i = 0; i < people; i++) csv.push(`Person ${i},person${i}@village${i % 4}.example,B${i}`)
  const { id: round } = await world.round(
    csv.join('\n'),
    { subject: 'Which day suits you at berth {{Berth}}?', html: '<p>Dear {{Name}}</p>' },
    { dispatch: { perMinute: 60, brake: null } },
  )
  await world.call(routes.post, { params: { round }, body: { messages: people } })
  await world.pass(minute, 3)
  const letters = []
  for (let i = 0; i < people; i++) {
    const address = `person${i}@village${i % 4}.example`
    const { messageId, subject } = await simpleParser((await world.inboxOf(address)).at(-1)!)
    letters.push({ address, name: `Person ${i}`, messageId: messageId!, subject: subject! })
  }
  const made = madeAnswers(200, office, letters)
  for (const { raw } of made) await world.practice.store.add(office, 'INBOX', raw, new Date(world.clock.now()))
  await world.handPost.parts.inbox.readAll()

  // Each is at its person, in the pile that it belongs to, with its own words and nothing of what it quotes.
  expect((await world.call(routes.mailboxes))[0].unreadMail.newest).toEqual([])
  const { lines } = await world.call(routes.inTray)
  const found = new Map(lines.map((line) => [line.id, line]))
  expect(found.size).toBe(200)
  const { people: onBoard } = await world.board(round)
  expect(onBoard).toHaveLength(people)
  const of = (person: number) => lines.filter((line) => line.person === `Person ${person}`)
  for (const one of made) {
    const theirs = of(one.person).filter((line) => line.pile === one.meant)
    const here = theirs.find((line) => line.words.includes(one.words))
    expect(
      here,
      `${one.habit} of Person ${one.person}: ${one.words} in ${JSON.stringify(of(one.person))}`,
    ).toBeDefined()
    if (one.meant !== 'returned' && one.habit !== 'calendar') expect(here!.words).toBe(one.words)
  }

  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto('/in-tray')
  await see(page.getByText('200 entries to look at.')).toBeVisible()
  const list = page.getByRole('listbox', { name: 'Entries' })
  const left = async () => (await world.call(routes.inTray)).counts.open
  const pile = (name: string) =>
    page.getByRole('group', { name: 'Piles' }).getByRole('button', { name: new RegExp(`^${name} `) })
  const key = async (page: Page, ...keys: string[]) => {
    for (const one of keys) await page.keyboard.press(one)
  }

  // All thanks at once, and taken back, and done again.
  await pile('Thanks only').click()
  await list.focus()
  await key(page, 'Control+a', 'd')
  const thanks = made.filter((one) => one.meant === 'thanks').length
  await expect.poll(left).toBe(200 - thanks)
  await pile('All').click()
  await list.focus()
  await key(page, 'u')
  await expect.poll(left).toBe(200)
  await see(page.getByText('200 entries to look at.')).toBeVisible()
  await pile('Thanks only').click()
  await list.focus()
  await key(page, 'Control+a', 'd')
  await expect.poll(left).toBe(200 - thanks)

  // Perhaps: each is taken by a key.
  await pile('Perhaps an answer').click()
  const perhaps = made.filter((one) => one.meant === 'perhaps').length
  await list.focus()
  for (let n = perhaps; n > 0; n--) {
    await see(page.getByRole('article')).toContainText('Found by its sender and its subject.')
    await key(page, 't')
    await expect
      .poll(async () => (await world.call(routes.inTray)).lines.filter((line) => line.pile === 'perhaps').length)
      .toBe(n - 1)
    if (n > 1) await list.focus()
  }

  // The first question is put by until next Monday; of the others some are done, one key each, and the rest together.
  await pile('All').click()
  await list.focus()
  await key(page, 'Home', 'b')
  await page.getByRole('button', { name: /Next Monday/ }).click()
  await expect.poll(left).toBe(199 - thanks)
  await list.focus()
  const few = 199 - thanks - 30
  for (let n = 199 - thanks; n > few; n--) {
    await key(page, 'd')
    await see(page.getByText(`${n - 1} entries to look at.`)).toBeVisible()
  }
  await key(page, 'Control+a', 'd')
  await expect.poll(left).toBe(0)
  await see(page.getByRole('heading', { name: 'The in-tray is empty' })).toBeVisible()

  // What was put by stands there again on its day.
  world.clock.move(8 * 24 * hour)
  await world.handPost.parts.inbox.tellDue()
  await see(page.getByText('1 entry to look at, 1 of them brought back.')).toBeVisible()
  await see(list.getByRole('option')).toContainText('brought back')

  // It is answered on the spot, withdrawn while it may be, and sent once more as it was written.
  const [{ address, id }] = (await world.call(routes.inTray)).lines
  const sheet = page.getByRole('dialog', { name: /^Answer / })
  await list.focus()
  await key(page, 'a')
  await see(sheet.getByLabel('Your answer')).toBeFocused()
  await page.keyboard.type('Any day that suits you.')
  await key(page, 'Control+Enter')
  await see(page.getByText('Nothing wants you just now.')).toBeVisible()
  await page.getByRole('button', { name: 'Withdraw' }).click()
  await see(page.getByText('1 entry to look at, 1 of them brought back.')).toBeVisible()
  await see(page.getByRole('region', { name: 'Your answers' })).toContainText('Withdrawn by you: it did not go.')
  await page.getByRole('button', { name: 'Write it again…' }).click()
  await see(sheet.getByLabel('Your answer')).toHaveValue('Any day that suits you.')
  await sheet.getByRole('button', { name: 'Send', exact: true }).click()
  await see(page.getByText('Nothing wants you just now.')).toBeVisible()
  await world.pass(minute)
  const theirs = await Promise.all((await world.inboxOf(address)).map((raw) => simpleParser(raw)))
  expect(theirs.filter((mail) => mail.text?.startsWith('Any day that suits you.'))).toHaveLength(1)
  await page.goto('/in-tray')
  await page.getByText(/^Done \d/).click()
  await list.getByRole('option').first().click()
  await see(page.getByRole('region', { name: 'Your answers' })).toContainText(/Sent on /)
  expect((await world.call(routes.trayEntry, { params: { response: id } })).answers).toHaveLength(2)
  expect(faults).toEqual([])
})
