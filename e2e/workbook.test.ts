import { routes } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import type { Browser, Page } from '@playwright/test'
import Other from 'exceljs'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { World } from '../packages/server/test/world.ts'
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

const people = ['Ada Penrose', 'Bram Tolland', 'Cora Wexley', 'Dov Ashby', 'Edda Quill', 'Finn Marlow']
const address = (name: string) => `${name.toLowerCase().replace(' ', '.')}@quaymail.example`
const bytes = async (book: Other.Workbook) => Buffer.from(await book.xlsx.writeBuffer())

/** Groups over headings, formats of several languages, a hidden row, a failed formula and a total. */
async function permits(): Promise<Buffer> {
  const book = new Other.Workbook()
  const sheet = book.addWorksheet('Permits')
  sheet.addRow(['Person', null, 'Payment', null, 'Visit', null, null])
  sheet.addRow(['Name', 'Email', 'Fee', 'Discount', 'Day', 'Time', 'Permit'])
  for (const range of ['A1:B1', 'C1:D1', 'E1:G1']) sheet.mergeCells(range)
  people.forEach((name, i) => {
    const row = sheet.addRow([name, address(name), 1235.5, 0.125, new Date(Date.UTC(2026, 11, 3)), 10 / 24, 71 + i])
    const codes = ['[$£-809]#,##0.00', '0\\ %', '[$-40C]d mmmm yyyy', 'hh.mm', '[$-409]0000']
    codes.forEach((code, n) => {
      row.getCell(n + 3).numFmt = code
    })
  })
  sheet.getCell('C5').value = { error: '#VALUE!' } as Other.CellErrorValue
  sheet.addRow(['Total', null, 7413])
  sheet.getRow(6).hidden = true
  return bytes(book)
}
const choose = async (page: Page, name: string, buffer: Buffer) => {
  await page.goto('/people/lists')
  await page.getByRole('button', { name: 'Bring in a list' }).click()
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: 'Choose a file' }).click(),
  ])
  await chooser.setFiles({ name, mimeType: 'application/octet-stream', buffer })
  await see(page.getByText(`What was found in “${name}”`)).toBeVisible()
}

test('a workbook is brought in as it shows, asked about what is in doubt, and its failed formula stops the round', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  await choose(page, 'permits.xlsx', await permits())
  await see(page.getByText('rows 1 and 2', { exact: true })).toBeVisible()
  await see(
    page.getByText('“Payment: Fee” has 1 cell in which a formula of the workbook failed (#VALUE!)'),
  ).toBeVisible()
  await see(page.getByText('The workbook hides 1 row. Are they wanted?')).toBeVisible()
  await see(page.getByText('beginning with “Total”')).toBeVisible()
  const cells = page.getByRole('region', { name: 'First rows' })
  for (const text of ['£1,235.50', '13 %', '3 décembre 2026', '10.00', '0071'])
    await see(cells.getByText(text, { exact: true }).first()).toBeVisible()
  // Another language of the office writes its figures otherwise; the format's own language stays.
  await page.getByLabel('Dates and figures as in').selectOption('de-DE')
  await see(cells.getByText('£1.235,50').first()).toBeVisible()
  await see(cells.getByText('3 décembre 2026').first()).toBeVisible()
  await page.getByLabel('Dates and figures as in').selectOption('en-GB')
  await see(cells.getByText('£1,235.50').first()).toBeVisible()
  await page.getByRole('button', { name: 'Bring in 6 rows' }).click()
  await see(page.getByText('6 rows, 7 columns')).toBeVisible()
  const list = (await world.call(routes.lists)).find((l) => l.name === 'permits')!
  expect(list.columns.map((c) => [c.name, c.kind])).toEqual([
    ['Person: Name', 'text'],
    ['Person: Email', 'address'],
    ['Payment: Fee', 'amount'],
    ['Payment: Discount', 'number'],
    ['Visit: Day', 'date'],
    ['Visit: Time', 'time'],
    ['Visit: Permit', 'text'],
  ])

  const round = await world.call(routes.startRound, { body: { title: 'Permits' } })
  await world.call(routes.changeRound, {
    params: { round: round.id },
    body: {
      listId: list.id,
      letterHtml: {
        subject: 'Permit {{Visit: Permit}}',
        html: '<p>Fee: £{{Payment: Fee}}; Discount: {{Payment: Discount}}; Time: {{Visit: Time}}; Day: {{Visit: Day}}</p>',
      },
    },
  })
  await page.goto(`/rounds/${round.id}`)
  await toStage(page, 'Proof')
  await see(page.getByText('a formula of the workbook failed').first()).toBeVisible({ timeout: 60_000 })
  await see(page.getByText('“££1,235.50” has a currency sign too many').first()).toBeVisible()
  expect(faults).toEqual([])
  await page.close()
})

test('a table without headings is noticed and asked about; the answer holds', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  const book = new Other.Workbook()
  const sheet = book.addWorksheet('People')
  for (const [i, name] of people.entries()) sheet.addRow([name, address(name), 71 + i])
  await choose(page, 'bare.xlsx', await bytes(book))
  await see(page.getByText('Is “Ada Penrose” a heading?')).toBeVisible()
  await page.getByRole('button', { name: 'Yes, a heading' }).click()
  await see(page.getByRole('button', { name: 'Bring in 5 rows' })).toBeVisible()
  await page.getByLabel('Headings', { exact: true }).selectOption('0')
  await see(page.getByRole('button', { name: 'Bring in 6 rows' })).toBeVisible()
  await see(page.getByText('its columns are called by their letters')).toBeVisible()
  await page.getByRole('button', { name: 'Bring in 6 rows' }).click()
  await see(page.getByText('6 rows, 3 columns')).toBeVisible()
  const list = (await world.call(routes.lists)).find((l) => l.name === 'bare')!
  expect((await world.rows(list.id)).map((row) => shown(row.cells.c1))).toEqual(people)
  // What cannot hold 0071 is said where a file is saved.
  await page.getByRole('button', { name: 'Save as a file' }).click()
  await see(page.getByText('A CSV file does too, but spreadsheets open it as 71')).toBeVisible()
  expect(faults).toEqual([])
  await page.close()
})
