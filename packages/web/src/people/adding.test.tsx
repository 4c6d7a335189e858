import { shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList, withList } from '../testing/samples.ts'
import { ListPanel } from './ListPanel.tsx'
import { useTable } from './useTable.ts'

/** A list to be typed in, of which 600 pixels are seen. */
async function drawList(list = aList()) {
  const kept = withList(openDesk(), list)
  function Panel() {
    const table = useTable(useQuery(query.list(3)).data ?? null)
    return (
      table && (
        <div style={{ height: 400, width: 600 }} className="flex flex-col">
          <ListPanel table={table} />
        </div>
      )
    )
  }
  const { screen } = await draw(<Panel />)
  await expect.element(screen.getByText('Ada Penrose').first()).toBeVisible()
  const texts = () => kept.rows.map((row) => ['c1', 'c2', 'c3', 'c4'].map((id) => shown(row.cells[id])))
  return { screen, kept, texts }
}
const typing = (screen: Awaited<ReturnType<typeof drawList>>['screen'], name: string) =>
  expect.element(screen.getByRole('textbox', { name })).toHaveFocus()

test('a row that is added is written in at once; Tab goes along it, and behind the last column the next row begins', async () => {
  const { screen, texts } = await drawList()
  await screen.getByRole('button', { name: 'Add a row' }).click()
  await typing(screen, 'Name, row 3')
  await userEvent.keyboard('Cy Tarn{Tab}')
  await userEvent.keyboard('cy@quay.example{Tab}')
  await userEvent.keyboard('5{Tab}')
  await userEvent.keyboard('24/12/2026{Tab}')
  await typing(screen, 'Name, row 4')
  await userEvent.keyboard('Di Vane{Enter}')
  await typing(screen, 'Name, row 5')
  // A row in which nothing stands yet is followed by no other.
  await userEvent.keyboard('{Enter}')
  await expect
    .poll(texts)
    .toEqual([
      expect.anything(),
      expect.anything(),
      ['Cy Tarn', 'cy@quay.example', '5', '24/12/2026'],
      ['Di Vane', '', '', ''],
      ['', '', '', ''],
    ])
  await new Promise((done) => setTimeout(done, 100))
  expect(texts()).toHaveLength(5)
})

test('Escape leaves a new row without making another, and rows above the last go on to the one below', async () => {
  const { screen, texts } = await drawList()
  await screen.getByRole('gridcell', { name: 'Ada Penrose' }).click()
  await userEvent.keyboard('Ada P{Enter}')
  await expect.poll(() => texts()[0][0]).toBe('Ada P')
  await expect.element(screen.getByRole('gridcell', { name: /Bram Sloe/ })).toHaveFocus()
  await userEvent.keyboard('Bram S{Escape}')
  await expect.poll(() => texts()[1][0]).toBe('Bram Sloe')
  expect(texts()).toHaveLength(2)
})

test('rows are numbered as in the sheet that they came from', async () => {
  const { screen } = await drawList(aList({ source: { fileName: 'x.xlsx', sheet: 'S', firstRow: 5, said: [] } }))
  await expect.element(screen.getByRole('rowheader', { name: '5', exact: true })).toBeVisible()
  await screen.getByRole('gridcell', { name: 'Ada Penrose' }).click()
  await userEvent.keyboard('{F2}')
  await typing(screen, 'Name, row 5')
})

test('a column that is added comes into view, and the first column stays in sight meanwhile', async () => {
  const { screen, kept } = await drawList()
  await screen.getByRole('button', { name: 'Columns' }).click()
  await screen.getByRole('menuitem', { name: 'Add a column', exact: true }).click()
  const head = screen.getByRole('columnheader', { name: /New column/ })
  await expect.element(head).toBeInTheDocument()
  const grid = screen.getByRole('grid').element().getBoundingClientRect()
  const right = 600 + grid.left + (screen.getByRole('grid').element().parentElement?.scrollLeft ?? 0)
  await expect.poll(() => head.element().getBoundingClientRect().right).toBeLessThanOrEqual(right + 1)
  const first = screen.getByRole('columnheader', { name: /^Name/ }).element().getBoundingClientRect()
  expect(first.left).toBeGreaterThanOrEqual(0)
  expect(kept.list.columns.map((c) => c.name)).toEqual(['Name', 'Email', 'Fee', 'Due', 'New column'])
})

test('a width is changed with the arrow keys, and the first column can be let go', async () => {
  const { screen, kept } = await drawList()
  const head = screen.getByRole('columnheader', { name: /^Email/ })
  const before = head.element().getBoundingClientRect().width
  const button = head.getByRole('button')
  ;(button.element() as HTMLElement).focus()
  await userEvent.keyboard('{Shift>}{ArrowRight}{/Shift}')
  await expect.poll(() => kept.list.columns[1].width).toBe(before + 10)
  await screen.getByRole('columnheader', { name: /^Name/ }).getByRole('button').click()
  await screen.getByRole('button', { name: 'Let it scroll' }).click()
  await expect.poll(() => kept.list.columns[0].frozen).toBe(false)
  await screen.getByRole('columnheader', { name: /^Name/ }).getByRole('button').click()
  await expect.element(screen.getByRole('button', { name: 'Keep in sight' })).toBeVisible()
})
