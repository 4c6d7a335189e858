import { routes } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import type { Browser, Locator, Page } from '@playwright/test'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { minute, peopleCsv, World } from '../packages/server/test/world.ts'
import { openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

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

const rowsGrid = (page: Page) => page.getByRole('grid', { name: 'Rows of the list' })
const cell = (page: Page, row: number, column: number) => rowsGrid(page).locator(`[data-cell="${row}:${column}"]`)
const menu = async (page: Page, name: string, entry: string | RegExp) => {
  await page.getByRole('button', { name, exact: true }).click()
  await page.getByRole('menuitem', { name: entry, exact: true }).click()
}
/** What a list's cells show, as the desk has them. */
const stored = async (list: number) =>
  (await world.rows(list)).map((row) => Object.values(row.cells).map((one) => shown(one)))

test('a pasted run of addresses becomes a list; its table is worked on by keyboard, undone and redone', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.context().grantPermissions(['clipboard-read', 'clipboard-write'])
  await page.goto('/people/lists')
  await page.getByRole('button', { name: 'Bring in a list' }).click()
  await page
    .getByLabel('Or paste cells from a spreadsheet, or a run of addresses')
    .fill('Ada Penrose <ada@quay.example>; "Tolland, Bram" <bram@quay.example>\ncy@quay.example')
  await page.getByRole('button', { name: 'Read what was pasted' }).click()
  await page.getByLabel('Name of the list').fill('Pasted people')
  await page.getByRole('button', { name: 'Bring in 3 rows' }).click()
  await see(page.getByText('3 rows, 2 columns')).toBeVisible()
  const { id } = (await world.call(routes.lists)).find((l) => l.name === 'Pasted people')!

  // A column is added and named; a block is filled down, copied and pasted below, which adds rows.
  await menu(page, 'Columns', 'Add a column')
  await rowsGrid(page)
    .getByRole('button', { name: /New column/ })
    .click()
  await page.getByLabel('Name', { exact: true }).fill('Berth')
  await page.getByLabel('Name', { exact: true }).press('Enter')
  await see(rowsGrid(page).getByRole('button', { name: /Berth/ })).toBeVisible()
  await page.keyboard.press('Escape')
  await cell(page, 0, 2).click()
  await page.keyboard.type('A1')
  await page.keyboard.press('Enter')
  await see(cell(page, 1, 2)).toBeFocused()
  await page.keyboard.press('ArrowUp')
  await page.keyboard.press('Shift+ArrowDown')
  await page.keyboard.press('Shift+ArrowDown')
  await see(page.getByText('3 cells in 3 rows selected')).toBeVisible()
  await page.keyboard.press('Control+d')
  await see(cell(page, 2, 2)).toHaveText('A1')
  await page.keyboard.press('Control+a')
  await page.keyboard.press('Control+c')
  await cell(page, 2, 0).click()
  await page.keyboard.press('Control+v')
  await see(page.getByText('2 rows were added at the end.')).toBeVisible()
  await see.poll(() => stored(id)).toHaveLength(5)
  expect((await stored(id))[2]).toEqual(['Ada Penrose', 'ada@quay.example', 'A1'])

  // All the way back to the beginning, and forth again.
  for (let i = 0; i < 5; i++) await page.getByRole('button', { name: 'Undo' }).click()
  await see(page.getByRole('button', { name: 'Undo' })).toBeDisabled()
  await see
    .poll(() => stored(id))
    .toEqual([['Ada Penrose', 'ada@quay.example'], ['Tolland, Bram', 'bram@quay.example'], ['cy@quay.example']])
  for (let i = 0; i < 5; i++) await page.getByRole('button', { name: 'Redo' }).click()
  await see(page.getByRole('button', { name: 'Redo' })).toBeDisabled()
  await see.poll(() => stored(id)).toHaveLength(5)

  // Finding goes from place to place; replacing is one change; clearing and a bad address are seen in the table.
  await cell(page, 0, 0).click()
  await page.keyboard.press('Control+f')
  await page.getByLabel('Find', { exact: true }).last().fill('quay')
  await page.getByLabel('Replace with').fill('pier')
  await page.getByRole('button', { name: 'Replace everywhere' }).click()
  await see(page.getByText('“quay” was replaced in 5 cells.')).toBeVisible()
  await see(cell(page, 1, 1)).toHaveText('bram@pier.example')
  await page.getByRole('button', { name: 'Close the search' }).click()
  await cell(page, 1, 1).click()
  await page.keyboard.type('bram at pier')
  await page.keyboard.press('Tab')
  await cell(page, 1, 1).click()
  await see(page.getByText('“Email”: It cannot be written to: it has a space in it.')).toBeVisible()

  // Sorted, kept in sight, hidden and shown again.
  await rowsGrid(page).getByRole('button', { name: /^Name/ }).click()
  await page.getByRole('button', { name: 'Z to A' }).click()
  await see(cell(page, 0, 0)).toHaveText('Tolland, Bram')
  // The first column stays in sight without being asked to.
  await see(page.getByRole('button', { name: 'Let it scroll' })).toBeVisible()
  await page.keyboard.press('Escape')
  await rowsGrid(page)
    .getByRole('button', { name: /^Email/ })
    .click()
  await page.getByRole('button', { name: 'Keep in sight' }).click()
  await see(rowsGrid(page).getByLabel('stays in sight')).toBeVisible()
  await page.keyboard.press('Escape')
  await rowsGrid(page).getByRole('button', { name: /Berth/ }).click()
  await page.getByRole('button', { name: 'Hide', exact: true }).click()
  await see(page.getByText('1 column hidden')).toBeVisible()
  await menu(page, 'Columns', 'Show “Berth”')
  await see(rowsGrid(page).getByRole('button', { name: /Berth/ })).toBeVisible()
  expect(faults).toEqual([])
})

test('a worked-out column shows what comes of it, says where it cannot, and stands in the letter at once', async () => {
  const round = await world.round(
    'First,Last,Email,Fee\nAda,Penrose,ada@quay.example,£10.00\nBram,Tolland,bram@quay.example,\n',
    { subject: 'For {{Whole}}', html: '<p>Dear {{Whole}}: {{Twice, or "nothing"}}</p>' },
    { title: 'Worked out' },
  )
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/people`)
  await menu(page, 'Columns', /worked out/)
  const sheet = page.getByRole('dialog')
  await sheet.getByLabel('Name of the column').fill('Whole')
  await see(sheet.getByRole('row').first()).toContainText('Ada Penrose')
  await see(sheet.getByText('It works for every row.')).toBeVisible()
  await sheet.getByRole('button', { name: 'Add the column' }).click()
  /** To the last column, which is worked out. */
  const toEnd = async () => {
    await cell(page, 0, 0).click()
    await page.keyboard.press('End')
  }
  await toEnd()
  await see(cell(page, 1, 4)).toHaveText('Bram Tolland')
  await menu(page, 'Columns', /worked out/)
  await sheet.getByLabel('Name of the column').fill('Twice')
  await sheet.getByLabel('What is done').selectOption('workedOut')
  await sheet.getByLabel('First figure', { exact: true }).selectOption('Fee')
  await sheet.getByLabel('Second figure: figure').fill('2')
  await see(sheet.getByText('“Fee” is blank here')).toBeVisible()
  await see(sheet.getByText('1 cell of the list cannot be worked out')).toBeVisible()
  await sheet.getByRole('button', { name: 'Add the column' }).click()
  await toEnd()
  await see(cell(page, 0, 5)).toContainText('£20.00')
  const message = page.getByRole('region', { name: 'Message' })
  await see(message.frameLocator('iframe').getByText('Dear Ada Penrose: £20.00')).toBeVisible()
  await cell(page, 0, 3).dblclick()
  await page.keyboard.press('Control+A')
  await page.keyboard.type('£12.50')
  await page.keyboard.press('Tab')
  await see(message.frameLocator('iframe').getByText('Dear Ada Penrose: £25.00')).toBeVisible()
  await toEnd()
  await cell(page, 1, 5).click()
  await see(page.getByText('“Twice” cannot be worked out here: “Fee” is blank here.')).toBeVisible()
  expect(faults).toEqual([])
})

test('rules within rules choose, and who is left out is told why; the list is updated, and late-comers topped up', async () => {
  const plain = (n: number) =>
    peopleCsv(n)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')
  const round = await world.round(
    plain(4),
    { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}</p>' },
    { title: 'Late', dispatch: { perMinute: 600 } },
  )
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/people`)
  await page.getByRole('button', { name: 'Add a rule' }).click()
  await page.getByLabel('Column', { exact: true }).selectOption('Row number')
  await page.getByLabel('Comparison').selectOption('is one of')
  await page.getByLabel('Values, separated by semicolons').fill('2-4')
  await page.getByLabel('Values, separated by semicolons').press('Enter')
  await see(page.getByText('4 in the list, 3 in this round: 1 left out by rule.')).toBeVisible()
  await page.getByRole('button', { name: 'Add a set of rules' }).click()
  const within = page.getByLabel('Comparison')
  await see(within).toHaveCount(3)
  await within.nth(1).selectOption('is')
  await page.getByLabel('Value', { exact: true }).first().fill('person 0')
  await page.getByLabel('Value', { exact: true }).first().press('Enter')
  await within.nth(2).selectOption('is')
  await page.getByLabel('Value', { exact: true }).last().fill('PERSON 2')
  await page.getByLabel('Value', { exact: true }).last().press('Enter')
  await see(page.getByText('4 in the list, 2 in this round: 2 left out by rule.')).toBeVisible()
  await page.getByLabel('Rows to show').selectOption('out')
  const out = page.getByRole('list', { name: 'Left out, and why' })
  await see(out.getByRole('listitem').first()).toContainText(
    'Person 1left out by rule: it is not so that “Name” is person 0 or “Name” is PERSON 2',
  )
  for (let i = 0; i < 2; i++)
    await page
      .getByRole('button', { name: /Remove this (rule|set)/ })
      .last()
      .click()
  await see(page.getByText('4 in the list, 4 in this round.')).toBeVisible()

  await world.call(routes.post, { params: { round: round.id }, body: { messages: 4 } })
  await world.pass(3 * minute, 3)
  await page.reload()
  await see(page.getByText(/their letters are frozen/)).toBeVisible()
  await page.getByRole('button', { name: 'Update it' }).click()
  const newer = plain(6)
    .replace('person1@village', 'moved@village')
    .replace(/\r\nPerson 3.*/, '')
  await page
    .getByLabel('File with the list')
    .setInputFiles({ name: 'newer.csv', mimeType: 'text/csv', buffer: Buffer.from(newer) })
  await page.getByLabel('Rows are matched by').selectOption('Berth')
  await see(page.getByText('2 new, 1 changed, 1 gone, 2 as they were.')).toBeVisible()
  await see(page.getByRole('group', { name: 'Changed' })).toContainText('person1@village.example')
  await page.getByRole('button', { name: 'Make the chosen changes' }).click()
  await see(page.getByText('2 people came late to the list and have no letter of this round yet.')).toBeVisible()
  await page.getByRole('button', { name: 'Top up 2…' }).click()
  const asking = page.getByRole('dialog')
  await see(asking.getByText(/Only they get it: the 4 people/)).toBeVisible()
  await asking.getByRole('button', { name: 'Post 2 letters' }).click()
  await see(page.getByText('2 letters were posted to the late-comers.')).toBeVisible()
  await world.pass(3 * minute, 3)
  for (const [person, letters] of [
    ['person0', 1],
    ['person1', 1],
    ['moved', 0],
    ['person3', 1],
    ['person4', 1],
    ['person5', 1],
  ] as const)
    expect(await world.inboxOf(`${person}@village.example`), person).toHaveLength(letters)

  // The same letter once more is an act of its own, in words that say who has had it.
  await toStage(page, 'Dispatch')
  await page.getByRole('button', { name: 'Send once more…' }).click()
  await see(asking.getByText(/Person 0 has had this letter already/)).toBeVisible()
  await asking.getByRole('button', { name: 'Send it once more' }).click()
  await see(page.getByText('The letter goes to Person 0 once more.')).toBeVisible()
  await world.pass(3 * minute, 3)
  expect(await world.inboxOf('person0@village.example')).toHaveLength(2)
  expect(faults).toEqual([])
})

test('contacts come from cards, are put into groups, and a round is made of groups', async () => {
  const card = (name: string) =>
    `BEGIN:VCARD\r\nVERSION:4.0\r\nFN:${name}\r\nEMAIL:${name.toLowerCase()}@cards.example\r\nEND:VCARD\r\n`
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto('/people/book')
  await page.getByRole('button', { name: 'Bring in contacts' }).click()
  await page.getByLabel('File with the list').setInputFiles({
    name: 'cards.vcf',
    mimeType: 'text/vcard',
    buffer: Buffer.from(card('Ada') + card('Bram') + card('Cy')),
  })
  await see(page.getByText('3 new contacts.')).toBeVisible()
  await page.getByRole('button', { name: 'Bring in 3 contacts' }).click()
  const contacts = page.getByRole('grid', { name: 'Contacts' })
  await contacts.getByRole('gridcell', { name: 'Ada', exact: true }).click()
  await page.keyboard.press('Shift+ArrowDown')
  await menu(page, 'Rows', /into a group/)
  await page.getByLabel('Group', { exact: true }).fill('Pier A')
  await page.getByRole('button', { name: 'Make the group and put in' }).click()
  await page
    .getByRole('navigation', { name: 'Groups' })
    .getByRole('button', { name: /Pier A/ })
    .click()
  await see(contacts.getByRole('row')).toHaveCount(3)

  const round = await world.call(routes.startRound, { body: { title: 'Of groups' } })
  await page.goto(`/rounds/${round.id}/people`)
  await page.getByRole('region', { name: 'Contact groups' }).getByLabel('Pier A, 2 contacts').selectOption('with')
  await page.getByRole('region', { name: 'Contact groups' }).getByRole('button', { name: 'Make the list' }).click()
  await see(page.getByText('2 in the list, 2 in this round.')).toBeVisible()
  await page.goto('/person?address=ada%40cards.example')
  await see(page.getByText('In the group Pier A.')).toBeVisible()
  await page.getByRole('button', { name: 'Do not write to them' }).click()
  await page.getByLabel('Why').fill('asked on the quay')
  await page.getByRole('button', { name: 'Put on the do-not-write list' }).click()
  await see(page.getByText(/asked on the quay/)).toBeVisible()
  await page.goto(`/rounds/${round.id}/people`)
  await see(page.getByText('2 in the list, 1 in this round: 1 on the do-not-write list.')).toBeVisible()
  expect(faults).toEqual([])
})

test('a date is typed or taken from the calendar, and a column is dragged to its place', async () => {
  const csv = 'Name,Email,Due\nAda,ada@quay.example,25/12/2026\nBram,bram@quay.example,26/12/2026\n'
  const { id } = await world.call(routes.readFile, { query: { name: 'due.csv' }, file: Buffer.from(csv) })
  const list = await world.call(routes.makeList, { body: { reading: id } })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/people/lists/${list.id}`)
  // By keyboard alone: the calendar opens at the day that stands there, and gives the cell back what was chosen.
  await cell(page, 0, 2).dblclick()
  await page.keyboard.press('Alt+ArrowDown')
  const calendar = page.getByRole('dialog', { name: 'Calendar for Due, row 2' })
  await see(calendar.getByRole('button', { name: 'Friday 25 December 2026' })).toBeFocused()
  await page.keyboard.press('PageDown')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Enter')
  await see(page.getByLabel('Due, row 2', { exact: true })).toHaveValue('26/01/2027')
  await see(page.getByLabel('Due, row 2', { exact: true })).toBeFocused()
  await page.keyboard.press('Escape')
  await see(cell(page, 0, 2)).toHaveText('25/12/2026')
  // And by mouse.
  await cell(page, 0, 2).dblclick()
  await page.getByRole('button', { name: 'Calendar for Due, row 2' }).click()
  await calendar.getByLabel('Month', { exact: true }).selectOption('March')
  await calendar.getByLabel('Year', { exact: true }).selectOption('2027')
  await calendar.getByRole('button', { name: 'Thursday 4 March 2027' }).click()
  await see(page.getByLabel('Due, row 2', { exact: true })).toHaveValue('04/03/2027')
  await page.keyboard.press('Enter')
  await see(cell(page, 0, 2)).toHaveText('04/03/2027')
  await see(cell(page, 1, 2)).toBeFocused()

  const head = (name: RegExp) => rowsGrid(page).getByRole('columnheader', { name })
  /** Drags by the mouse as a hand does: not in one leap. */
  const dragTo = async (from: Locator, to: Locator, x: number) => {
    const [start, end] = [(await from.boundingBox())!, (await to.boundingBox())!]
    await page.mouse.move(start.x + 40, start.y + 15)
    await page.mouse.down()
    await page.mouse.move(end.x + x, end.y + 15, { steps: 12 })
    await page.mouse.up()
  }
  await dragTo(head(/^Due/), head(/^Name/), 10)
  await see(cell(page, 0, 0)).toHaveText('04/03/2027')
  await dragTo(head(/^Due/), head(/^Name/), 110)
  await see(cell(page, 0, 1)).toHaveText('04/03/2027')
  expect((await world.call(routes.list, { params: { list: list.id } })).columns.map((c) => c.name)).toEqual([
    'Name',
    'Due',
    'Email',
  ])
})

test('sixty columns and very long cells stand in a table that scrolls both ways', async () => {
  const heads = Array.from({ length: 60 }, (_, i) => `Heading ${i}`)
  const csv = [
    ['Email', ...heads].join(','),
    ...Array.from({ length: 200 }, (_, r) =>
      [`p${r}@wide.example`, ...heads.map((_, c) => (c === 3 ? 'long '.repeat(400) : `v${r}.${c}`))].join(','),
    ),
  ].join('\n')
  const { id } = await world.call(routes.readFile, { query: { name: 'wide.csv' }, file: Buffer.from(csv) })
  const list = await world.call(routes.makeList, { body: { reading: id } })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/people/lists/${list.id}`)
  await cell(page, 0, 0).click()
  await page.keyboard.press('Control+End')
  await see(cell(page, 199, 60)).toHaveText('v199.59')
  await see(cell(page, 199, 60)).toBeFocused()
  expect(await rowsGrid(page).getByRole('gridcell').count()).toBeLessThan(1000)
  await page.keyboard.press('Control+Home')
  await see(cell(page, 0, 0)).toBeFocused()
  await cell(page, 0, 4).click()
  await see(page.getByText(/^Heading 3: long long/)).toBeVisible()
  expect((await cell(page, 0, 4).boundingBox())!.height).toBeLessThan(40)
})
