import { type Round, routes } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import type { Browser, Page } from '@playwright/test'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { peopleCsv, World } from '../packages/server/test/world.ts'
import { openBrowser, openPage, see, webFolder } from './browser.ts'

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

/** More rows than the desk fetches whole. */
const many = 9000
const grid = (page: Page) => page.getByRole('grid', { name: 'Rows of the list' })
const message = (page: Page) => page.getByRole('region', { name: 'Message' })
const letter = (page: Page) => message(page).frameLocator('iframe')

/** Counts the rows that come to a page. */
function rowsThatCome(page: Page): () => number {
  let rows = 0
  page.on('response', async (response) => {
    if (!/\/api\/lists\/\d+\/(rows|some-rows)(\?|$)/.test(response.url())) return
    const answer = await response.json().catch(() => ({ rows: [] }))
    rows += answer.rows.length
  })
  return () => rows
}

/** A round to whoever stands in the list; the last has the address of the first, and one message for both. */
async function longRound(): Promise<Round> {
  const lines = peopleCsv(many).split(/\r?\n/)
  lines[many] = lines[many].replace(`person${many - 1}@`, 'person0@')
  const round = await world.round(
    lines.join('\n'),
    { subject: 'Berth {{Berth}}', html: '<p>Dear {{Name}}</p>' },
    { title: 'Long', filesColumn: null, sameAddress: 'joined' },
  )
  const { letter } = round
  return world.call(routes.changeRound, {
    params: { round: round.id },
    body: {
      letter: {
        ...letter,
        body: {
          ...letter.body,
          content: [...letter.body.content!, { type: 'rowsTable', attrs: { columns: ['Berth'] } }],
        },
      },
    } as never,
  }) as never
}

test('of a long list what is looked at comes to the desk, and is worked with as if all were there', async () => {
  const round = await longRound()
  const { page, faults } = await openPage(browser, world.handPost.address)
  const came = rowsThatCome(page)
  await page.goto(`/rounds/${round.id}/people`)

  // To the end, where a cell is written in.
  await grid(page).getByRole('gridcell', { name: 'Person 0', exact: true }).click()
  await page.keyboard.press('Control+End')
  const last = grid(page).getByRole('gridcell', { name: `Person ${many - 2}`, exact: true })
  await see(last).toBeVisible()
  await last.click()
  await page.keyboard.type('Zoë Marlow')
  await page.keyboard.press('Enter')
  await see.poll(async () => shown((await world.rows(round.list!.id))[many - 2].cells.c1)).toBe('Zoë Marlow')
  await grid(page).getByRole('gridcell', { name: 'Zoë Marlow' }).click()
  await see(letter(page).getByText('Dear Zoë Marlow')).toBeVisible()

  // Somebody by their address, far from there, with the people before and after.
  const find = message(page).getByRole('combobox', { name: 'Find a person' })
  await find.fill('person4321@')
  await page.getByRole('option', { name: 'Person 4321' }).click()
  await see(letter(page).getByText('Dear Person 4321')).toBeVisible()
  await page.keyboard.press('Alt+ArrowDown')
  await see(letter(page).getByText('Dear Person 4322')).toBeVisible()

  // Whoever has two rows: both are in the message, though the second stands at the very end.
  await page.goto(`/rounds/${round.id}/letter`)
  await see(letter(page).getByText('Dear Person 0')).toBeVisible()
  const cells = letter(page).locator('table td')
  await see(cells.filter({ hasText: /^B/ })).toHaveCount(2)

  expect(came()).toBeGreaterThan(0)
  expect(came()).toBeLessThan(many / 2)
  expect(faults).toEqual([])
})

test('what one person changes far down, another sees who looks there', async () => {
  const round = await longRound()
  const list = round.list!.id
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/people/lists/${list}`)
  await grid(page).getByRole('gridcell', { name: 'Person 0', exact: true }).click()
  await page.keyboard.press('Control+End')
  await see(grid(page).getByRole('gridcell', { name: 'Person 8990', exact: true })).toBeVisible()
  await world.edit(list, { do: 'cells', cells: [[8991, 'c1', 'Changed by Ben']] })
  await see(grid(page).getByRole('gridcell', { name: 'Changed by Ben' })).toBeVisible()
  await world.edit(list, { do: 'deleteRows', rows: Array.from({ length: 100 }, (_, i) => i + 1) })
  await see(grid(page)).toHaveAttribute('aria-rowcount', String(many - 100 + 1))
  await page.keyboard.press('Control+Home')
  await see(grid(page).getByRole('gridcell', { name: 'Person 100', exact: true })).toBeVisible()
})

test('a long list that is sorted is looked at as sorted, and a cell that is changed there finds its place', async () => {
  const round = await longRound()
  const list = round.list!.id
  await world.edit(list, { do: 'sort', sort: [{ column: 'c1', descending: true }] })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/people/lists/${list}`)
  // Numbers within words count as numbers.
  await see(grid(page).getByRole('gridcell', { name: `Person ${many - 1}`, exact: true })).toBeVisible()
  await grid(page)
    .getByRole('gridcell', { name: `Person ${many - 1}`, exact: true })
    .click()
  await page.keyboard.press('Control+End')
  // Behind the last row Enter would begin another.
  await see(grid(page).getByRole('gridcell', { name: 'Person 0', exact: true })).toBeVisible()
  await grid(page).getByRole('gridcell', { name: 'Person 1', exact: true }).click()
  await page.keyboard.type('Zz Top')
  await page.keyboard.press('Enter')
  await page.keyboard.press('Control+Home')
  await see(grid(page).locator('[role=row][aria-rowindex="2"]')).toContainText('Zz Top')
})
