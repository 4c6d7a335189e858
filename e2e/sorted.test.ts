import { routes } from '@hand-post/contract'
import { shown } from '@hand-post/core'
import type { Browser, Page } from '@playwright/test'
import fc from 'fast-check'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { World } from '../packages/server/test/world.ts'
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

const grid = (page: Page) => page.getByRole('grid', { name: 'Rows of the list' })
/** A new list of people that is sorted by their names. */
async function sortedList(names: string[]): Promise<number> {
  const csv = ['Name,Email,Berth', ...names.map((n, i) => `${n},p${i}@village.example,B${i}`)].join('\n')
  const reading = await world.call(routes.readFile, {
    query: { name: 'sorted.csv' },
    file: new TextEncoder().encode(csv),
  })
  const { id } = await world.call(routes.makeList, { body: { reading: reading.id } })
  await world.edit(id, { do: 'sort', sort: [{ column: 'c1', descending: false }] })
  return id
}
/** What the cells of a list show on the desk, by row. */
const stored = async (list: number) =>
  new Map((await world.rows(list)).map((row) => [row.id, ['c1', 'c2', 'c3'].map((c) => shown(row.cells[c]))] as const))
/** The row and column of the cell in hand. */
const inHand = (page: Page) =>
  page.evaluate(() => {
    const cell = document.activeElement?.closest<HTMLElement>('[data-cell]')
    const row = cell?.closest<HTMLElement>('[data-row]')?.dataset.row
    return row === undefined ? null : { row: Number(row), column: Number(cell!.dataset.cell!.split(':')[1]) }
  })

/** The id of the row that stands last. */
const lastRow = (page: Page) =>
  page.evaluate(() => {
    const rowOf = (cell: HTMLElement) => Number(cell.dataset.cell!.split(':')[0])
    const cells = [...document.querySelectorAll<HTMLElement>('[data-cell$=":0"]')].sort((a, b) => rowOf(a) - rowOf(b))
    return Number(cells.at(-1)?.closest<HTMLElement>('[data-row]')?.dataset.row)
  })

test('a row that is added to a sorted list stays under the hand: name and address go to the same person', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  const list = await sortedList(['Bram', 'Cy', 'Dora', 'Edda'])
  await page.goto(`/people/lists/${list}`)
  await see(grid(page).getByRole('row')).toHaveCount(5)
  await page.getByRole('button', { name: 'Add a row', exact: true }).click()
  await see(grid(page).getByRole('textbox', { name: /, row 6$/ })).toBeFocused()
  await page.keyboard.type('Ada')
  await page.keyboard.press('Tab')
  await see(grid(page).locator('[data-cell="4:1"]')).toBeFocused()
  // Time enough for the list to be sorted anew, had it been.
  await page.waitForTimeout(500)
  await page.keyboard.type('ada@village.example')
  await page.keyboard.press('Tab')
  await see(grid(page).getByText('ada@village.example')).toBeVisible()
  const addresses = async () => new Map([...(await stored(list)).values()].map(([name, address]) => [name, address]))
  await see.poll(addresses).toEqual(
    new Map(
      [
        ['Bram', 0],
        ['Cy', 1],
        ['Dora', 2],
        ['Edda', 3],
      ].map(([n, i]) => [n, `p${i}@village.example`]),
    ).set('Ada', 'ada@village.example'),
  )
  // When the cursor leaves it, it takes its place; the cursor is with the row that it has gone to.
  await page.keyboard.press('ArrowUp')
  await see(grid(page).locator('[data-cell="0:0"]')).toHaveText('Ada')
  await see(grid(page).locator('[data-cell="4:2"]')).toBeFocused()
  expect(faults).toEqual([])
})

test('what another window changes while a change of one’s own is on its way is shown too', async () => {
  const list = await sortedList(['Ann', 'Ben', 'Cid'])
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/people/lists/${list}`)
  await see(grid(page).getByRole('row')).toHaveCount(4)
  // The own change is held back until the other one is in the list, so that the desk makes it later than that.
  const [one, other] = [...(await stored(list)).keys()]
  let letGo = () => {}
  const held = new Promise<void>((done) => {
    letGo = done
  })
  await page.route(`**/api/lists/${list}/edits`, async (route) => {
    await held
    await route.continue()
  })
  await grid(page).locator(`[data-row="${one}"] [data-cell$=":0"]`).click()
  await page.keyboard.type('Anna')
  await page.keyboard.press('Enter')
  await world.edit(list, { do: 'cells', cells: [[other, 'c1', 'Benno']] })
  // What the desk tells of it has come by then.
  await page.waitForTimeout(500)
  letGo()
  await see(grid(page).locator(`[data-row="${other}"] [data-cell$=":0"]`)).toHaveText('Benno')
  await see(grid(page).locator(`[data-row="${one}"] [data-cell$=":0"]`)).toHaveText('Anna')
  expect(faults).toEqual([])
})

test('any sequence of keys in a sorted list changes only cells of the row that it was aimed at', async () => {
  const { page } = await openPage(browser, world.handPost.address)
  const word = fc.stringMatching(/^[A-Z][a-z]{0,4}$/)
  const action = fc.oneof(
    {
      weight: 4,
      arbitrary: fc.record({ type: word, end: fc.constantFrom('Enter', 'Tab', 'Shift+Tab', 'Shift+Enter', 'Escape') }),
    },
    {
      weight: 3,
      arbitrary: fc.record({
        press: fc.constantFrom('ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight', 'Home', 'End', 'Delete'),
      }),
    },
    { weight: 1, arbitrary: fc.record({ click: fc.tuple(fc.nat(5), fc.nat(2)) }) },
    // Another window gives somebody another name, so that all are sorted anew; or takes somebody out.
    { weight: 2, arbitrary: fc.record({ renamed: fc.nat(5), to: word }) },
    { weight: 2, arbitrary: fc.record({ wait: fc.integer({ min: 0, max: 200 }) }) },
  )
  await fc.assert(
    fc.asyncProperty(fc.array(action, { minLength: 4, maxLength: 16, size: 'max' }), async (actions) => {
      const list = await sortedList(['Ann', 'Ben', 'Cid', 'Dot', 'Eve', 'Fay'])
      const wanted = await stored(list)
      await page.goto(`/people/lists/${list}`)
      await see(grid(page).getByRole('row')).toHaveCount(7)
      await grid(page).locator('[data-cell="0:0"]').click()
      for (const act of actions) {
        if ('type' in act) {
          const place = await inHand(page)
          expect(place).not.toBeNull()
          const last = place!.row === (await lastRow(page))
          await page.keyboard.type(act.type)
          await page.keyboard.press(act.end)
          if (act.end !== 'Escape') wanted.get(place!.row)![place!.column] = act.type
          // Below the last row another is made, and written in.
          if (last && (act.end === 'Enter' || (act.end === 'Tab' && place!.column === 2))) {
            await see(grid(page).getByRole('textbox', { name: `, row ${2 + wanted.size}` })).toBeFocused()
            await page.keyboard.press('Escape')
            wanted.set([...(await stored(list)).keys()].at(-1)!, ['', '', ''])
          }
        } else if ('press' in act) {
          const place = await inHand(page)
          await page.keyboard.press(act.press)
          if (act.press === 'Delete') wanted.get(place!.row)![place!.column] = ''
        } else if ('click' in act)
          await grid(page)
            .locator(`[data-cell="${act.click.join(':')}"]`)
            .click()
        else if ('renamed' in act) {
          // Not while the same cell is on its way from here: whose word is the last is another question.
          const id = [...wanted.keys()][act.renamed]
          await see.poll(async () => (await stored(list)).get(id)![0]).toBe(wanted.get(id)![0])
          await world.edit(list, { do: 'cells', cells: [[id, 'c1', act.to]] })
          wanted.get(id)![0] = act.to
          // Whoever clears a cell that they do not know to be filled means nothing by it.
          await see(grid(page).locator(`[data-row="${id}"] [data-cell$=":0"]`)).toHaveText(act.to)
        } else await page.waitForTimeout(act.wait)
      }
      await see.poll(async () => [...(await stored(list))], { timeout: 5000 }).toEqual([...wanted])
    }),
    { numRuns: 12, endOnFailure: true },
  )
})
