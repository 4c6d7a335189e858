import { type Edited, routes } from '@hand-post/contract'
import { applyEdits, type Edit, inverseOfAll, type Row, shown } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { stale } from '../api.ts'
import { keys, query } from '../shared/queries.ts'
import { draw, held, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aList, withList, withRows } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { ListPanel } from './ListPanel.tsx'
import { useTable } from './useTable.ts'

/** More rows than are fetched whole. Few more: React, as it is developed with, compares the rows of before and after for its own tools. */
const many = 8000
const rowsOf = (count: number): Row[] =>
  Array.from({ length: count }, (_, i) => ({
    id: i + 1,
    position: `b${String(i).padStart(7, '0')}`,
    cells: { c1: `Person ${i + 1}`, c2: `p${i + 1}@quay.example`, c3: String(i % 50) },
  }))

/** A long list of which some lines are seen, on a desk that does with it what it is told. */
async function drawLong({ count = many, only }: { count?: number; only?: ReadonlySet<number> } = {}) {
  const desk = openDesk()
  const kept = withList(desk, aList({ rowCount: count }), rowsOf(count))
  const history: Edit[][] = []
  const undone = (edits: Edit[]): Edited => {
    kept.rows = applyEdits({ columns: kept.list.columns, rows: kept.rows, sort: [] }, edits).rows
    kept.list = { ...kept.list, rowCount: kept.rows.length, version: kept.list.version + 1, undo: null }
    return { list: kept.list, edits, words: 'x', said: [] } as Edited
  }
  desk.on(routes.undoEdit, () => undone(history.pop()!))
  /** Changes the list as somebody else would. */
  const elsewhere = (edits: Edit[]) => {
    history.push(inverseOfAll({ columns: kept.list.columns, rows: kept.rows, sort: [] }, edits))
    undone(edits)
  }
  function Panel() {
    const table = useTable(useQuery(query.list(3)).data ?? null)
    return (
      table && (
        <div style={{ height: 400, width: 700 }} className="flex flex-col">
          <ListPanel table={table} only={only} />
        </div>
      )
    )
  }
  const { screen } = await draw(<Panel />)
  await expect.element(screen.getByText('Person 1', { exact: true }).first()).toBeVisible()
  const grid = () => screen.getByRole('grid').element()
  await expect.poll(() => grid().getAttribute('aria-rowcount')).toBe(String((only?.size ?? count) + 1))
  const scroller = grid().parentElement!
  const cell = (text: string) => screen.getByRole('gridcell', { name: text, exact: true })
  const scrollTo = async (row: number) => {
    scroller.scrollTop = (row - 1) * 34
    await expect.element(cell(`Person ${row}`)).toBeVisible()
  }
  const fetched = () => desk.bodiesOf(routes.someRows).flatMap(({ rows }) => rows)
  const text = (row: number, column: string) => shown(kept.rows.find(({ id }) => id === row)?.cells[column])
  return { desk, kept, screen, grid, scroller, cell, scrollTo, fetched, text, elsewhere, history }
}

test('of a long list what is looked at is fetched, and not the rest', async () => {
  const { scrollTo, fetched, grid } = await drawLong()
  expect(fetched()).toEqual([])
  await scrollTo(4000)
  await scrollTo(many - 20)
  const ids = fetched()
  expect(new Set(ids).size).toBe(ids.length)
  expect(ids.length).toBeLessThan(1000)
  expect(ids.every((id) => Math.abs(id - 4000) < 300 || id > many - 400)).toBe(true)
  // Every line has the number of its row.
  expect(grid().querySelector('[data-row="7980"] [role=rowheader]')?.textContent).toBe('7,980')
})

test('a list that is not so long is fetched whole, behind its first rows', async () => {
  const { fetched } = await drawLong({ count: 1200 })
  await until(() => expect(fetched()).toHaveLength(700))
})

test('what has not come yet is a dot, is not written in, and says so where it cannot be fetched', async () => {
  const { desk, scroller, grid, screen, cell, text } = await drawLong()
  const answer = held<never>()
  desk.on(routes.someRows, () => answer.answer)
  scroller.scrollTop = 4999 * 34
  const line = () => grid().querySelector('[data-row="5003"]')
  await expect.poll(() => line()?.querySelector('[role=gridcell]')?.textContent).toBe('…')
  const waiting = line()!.querySelector<HTMLElement>('[role=gridcell]')!
  await userEvent.dblClick(waiting)
  await expect.element(screen.getByText('This row is still on its way. Write in it in a moment.').first()).toBeVisible()
  await userEvent.keyboard('lost?')
  expect(screen.getByRole('textbox').elements()).toEqual([])
  answer.refuse(new Refused(503, 'The database is being restarted.'))
  await expect
    .element(screen.getByText('Some rows could not be fetched: The database is being restarted.'))
    .toBeVisible()
  const kept = await drawnAgain()
  expect(kept).toBe('Person 5003')

  async function drawnAgain() {
    desk.on(routes.someRows, ({ body }) => ({
      version: 1,
      rows: rowsOf(many).filter(({ id }) => body.rows.includes(id)),
    }))
    await screen.getByRole('button', { name: 'Try again' }).click()
    await expect.element(cell('Person 5003')).toBeVisible()
    await expect.element(screen.getByText(/could not be fetched/)).not.toBeInTheDocument()
    return text(5003, 'c1')
  }
})

test('a cell far down is written in, shows at once, and stays when others are fetched', async () => {
  const { scrollTo, cell, text } = await drawLong()
  await scrollTo(7000)
  await cell('p7003@quay.example').click()
  await userEvent.keyboard('new@quay.example{Enter}')
  await expect.element(cell('new@quay.example')).toBeVisible()
  await expect.poll(() => text(7003, 'c2')).toBe('new@quay.example')
  await scrollTo(2)
  await scrollTo(7000)
  await expect.element(cell('new@quay.example')).toBeVisible()
})

test('a whole column is cleared: rows that nobody has looked at are cleared with it, and only that column', async () => {
  const { cell, kept, screen } = await drawLong({ count: 7000 })
  await cell('p1@quay.example').click()
  await userEvent.keyboard('{Control>}{Shift>}{End}{/Shift}{/Control}')
  await expect.element(screen.getByText(/in 7,000 rows selected/)).toBeVisible()
  await userEvent.keyboard('{Delete}')
  await until(() => expect(kept.rows.filter((row) => shown(row.cells.c2) === '')).toHaveLength(7000))
  expect(kept.rows.every((row) => shown(row.cells.c1) !== '')).toBe(true)
})

test('where the list is changed again and again while rows are fetched, nothing is done by halves', async () => {
  const { desk, cell, kept, screen } = await drawLong({ count: 7000 })
  const rows = kept.rows
  // Whenever many are asked for, it is another version already.
  desk.on(routes.someRows, ({ body }) => {
    const wanted = new Set(body.rows)
    const version = body.rows.length > 1000 ? 1000 : kept.list.version
    return { version, rows: kept.rows.filter(({ id }) => wanted.has(id)) }
  })
  await cell('p1@quay.example').click()
  await userEvent.keyboard('{Control>}{Shift>}{End}{/Shift}{/Control}')
  await expect.element(screen.getByText(/in 7,000 rows selected/)).toBeVisible()
  await userEvent.keyboard('{Delete}')
  await expect.element(screen.getByText(/is being changed by somebody else just now/)).toBeVisible()
  expect(kept.rows).toBe(rows)
})

test('a list that is sorted while it stands there stays there, with the cursor on its row', async () => {
  const { screen, grid, cell, desk, kept } = await drawLong({ count: 800 })
  desk.on(routes.order, ({ query: { own } }) => ({
    version: kept.list.version,
    rows:
      own === 'yes' || kept.list.sort.length === 0
        ? kept.rows.map(({ id }) => id)
        : kept.rows.map(({ id }) => id).reverse(),
  }))
  await cell('Person 3').click()
  const before = grid()
  await screen.getByRole('columnheader', { name: /^Name/ }).getByRole('button').click()
  await screen.getByRole('button', { name: 'Z to A' }).click()
  await expect.poll(() => kept.list.sort).toHaveLength(1)
  await expect.poll(() => before.querySelector('[data-row="3"] [role=rowheader]')?.textContent).toBe('798')
  expect(grid()).toBe(before)
})

test('what is selected and not here is not copied, and can be a moment later', async () => {
  const { cell, screen, fetched } = await drawLong({ count: 7000 })
  await cell('p1@quay.example').click()
  await userEvent.keyboard('{Control>}{Shift>}{End}{/Shift}{/Control}')
  await expect.element(screen.getByText(/in 7,000 rows selected/)).toBeVisible()
  const copy = () => {
    const data = new DataTransfer()
    document.activeElement!.dispatchEvent(
      new ClipboardEvent('copy', { clipboardData: data, bubbles: true, cancelable: true }),
    )
    return data.getData('text/plain')
  }
  expect(copy()).toBe('')
  await expect
    .element(screen.getByText(/rows of what is selected are still on the way, so nothing was copied/))
    .toBeVisible()
  await expect.element(screen.getByText('What is selected is here now: copy it again.')).toBeVisible()
  expect(fetched().length).toBeGreaterThan(6000)
  const lines = copy().split('\n')
  expect(lines[0].split('\t')[0]).toBe('p1@quay.example')
  expect(lines[6999].split('\t')[0]).toBe('p7000@quay.example')
})

test('words are found far down, and from there on', async () => {
  const { screen, cell, text, elsewhere } = await drawLong()
  elsewhere([{ do: 'cells', cells: [[7777, 'c1', 'Zoë Marlow']] }])
  await stale(keys.rows(3), keys.list(3))
  await screen.getByRole('button', { name: 'Find' }).click()
  await userEvent.keyboard('zoë{Enter}')
  await expect.element(cell('Zoë Marlow')).toBeVisible()
  await screen.getByRole('textbox', { name: 'Find' }).fill('p6345@')
  await userEvent.keyboard('{Enter}')
  await expect.element(cell('p6345@quay.example')).toBeVisible()
  await screen.getByRole('textbox', { name: 'Find' }).fill('nowhere at all')
  await userEvent.keyboard('{Enter}')
  await expect.element(screen.getByText('“nowhere at all” does not stand in the list.')).toBeVisible()
  expect(text(7777, 'c1')).toBe('Zoë Marlow')
})

test('where only some rows are shown, words are found in those, and it is said when they stand in others only', async () => {
  const only = new Set(Array.from({ length: 300 }, (_, i) => i * 25 + 1))
  const { screen, cell } = await drawLong({ only })
  await screen.getByRole('button', { name: 'Find' }).click()
  await userEvent.keyboard('Person 600{Enter}')
  // 6001 is shown, 600 is not.
  await expect.element(cell('Person 6001')).toBeVisible()
  await screen.getByRole('textbox', { name: 'Find' }).fill('Person 7999')
  await userEvent.keyboard('{Enter}')
  await expect.element(screen.getByText('“Person 7999” stands only in rows that are not shown here.')).toBeVisible()
})

test('what others change of a long list is seen where one looks, and rows that came and went have their places', async () => {
  const { scrollTo, cell, elsewhere, grid, kept } = await drawLong()
  await scrollTo(6000)
  // What stands there stays until what is new stands there: nothing flickers.
  let flickered = 0
  const watch = new MutationObserver(() => {
    flickered += grid().textContent!.includes('…') ? 1 : 0
  })
  watch.observe(grid(), { subtree: true, childList: true, characterData: true })
  elsewhere([
    { do: 'cells', cells: [[6001, 'c1', 'Changed by Ben']] },
    { do: 'deleteRows', rows: [5, 6, 7] },
  ])
  await stale(keys.rows(3), keys.list(3))
  await expect.element(cell('Changed by Ben')).toBeVisible()
  await expect.poll(() => grid().getAttribute('aria-rowcount')).toBe(String(many - 2))
  expect(kept.rows).toHaveLength(many - 3)
  const line = grid().querySelector('[data-row="6001"] [role=rowheader]')
  expect(line?.textContent).toBe('5,998')
  watch.disconnect()
  expect(flickered).toBe(0)
})

test('a row added below another far down stands there; moved, it stands where it was moved to', async () => {
  const { scrollTo, cell, screen, kept, grid, desk } = await drawLong()
  await scrollTo(3000)
  await cell('Person 3004').click()
  await screen.getByRole('button', { name: 'Rows' }).click()
  await screen.getByRole('menuitem', { name: 'Add a row below the selected' }).click()
  await expect.element(screen.getByRole('textbox', { name: 'Name, row 3005' })).toHaveFocus()
  await userEvent.keyboard('Between{Enter}')
  await expect.element(cell('Between')).toBeVisible()
  const at = () => kept.rows.findIndex((row) => shown(row.cells.c1) === 'Between')
  await expect.poll(at).toBe(3004)
  const number = (id: number) => grid().querySelector(`[data-row="${id}"] [role=rowheader]`)?.textContent
  await expect.poll(() => number(kept.rows[3004].id)).toBe('3,005')
  await cell('Between').click()
  await screen.getByRole('button', { name: 'Rows' }).click()
  // Until the order is known, rows stay where they are.
  const order = held<void>()
  const told = vi.fn()
  desk.on(routes.order, async () => {
    told()
    await order.answer
    return { version: kept.list.version, rows: kept.rows.map(({ id }) => id) }
  })
  await screen.getByRole('menuitem', { name: 'Move the selected rows up' }).click()
  await until(() => expect(told).toHaveBeenCalled())
  await new Promise((done) => setTimeout(done, 100))
  expect([number(3003), number(3004)]).toEqual(['3,003', '3,004'])
  order.give()
  await expect.poll(at).toBe(3003)
  await expect.poll(() => number(kept.rows[3003].id)).toBe('3,004')
  await expect.poll(() => number(3004)).toBe('3,005')
})

test('another list that comes to stand there is fetched, while the one before is on its way still', async () => {
  const desk = openDesk()
  const rows = rowsOf(many)
  withRows(desk, () => ({ version: 1, rows })).on(routes.list, ({ params }) =>
    aList({ id: Number(params.list), rowCount: many }),
  )
  const order = held<void>()
  const asked = vi.fn()
  desk.on(routes.someRows, async ({ params, body }) => {
    asked(params.list)
    if (params.list === '21') await order.answer
    return { version: 1, rows: rows.filter(({ id }) => body.rows.includes(id)) }
  })
  function Panel() {
    const [id, setId] = useState(21)
    const table = useTable(useQuery(query.list(id)).data ?? null)
    return (
      <div style={{ height: 400, width: 700 }} className="flex flex-col">
        <button type="button" onClick={() => setId(22)}>
          The other
        </button>
        {table && <ListPanel table={table} />}
      </div>
    )
  }
  const { screen } = await draw(<Panel />)
  const goTo = async (row: number) => {
    await expect.poll(() => screen.getByRole('grid').element().getAttribute('aria-rowcount')).toBe(String(many + 1))
    screen.getByRole('grid').element().parentElement!.scrollTop = row * 34
  }
  await goTo(3000)
  await until(() => expect(asked).toHaveBeenCalledWith('21'))
  await screen.getByRole('button', { name: 'The other' }).click()
  await expect.element(screen.getByRole('gridcell', { name: '…' }).first()).not.toBeInTheDocument()
  await goTo(5000)
  await new Promise((done) => setTimeout(done, 200))
  order.give()
  await expect.element(screen.getByRole('gridcell', { name: 'Person 5003', exact: true })).toBeVisible()
  expect(asked).toHaveBeenLastCalledWith('22')
})

test('a list that is changed between what was asked and what came is not shown by halves', async () => {
  const { desk, kept, scroller, cell, elsewhere } = await drawLong()
  // Before the rows come, somebody else takes some away: what is at these places is others’.
  let once = true
  desk.on(routes.someRows, ({ body }) => {
    if (once) {
      once = false
      elsewhere([{ do: 'deleteRows', rows: Array.from({ length: 50 }, (_, i) => i + 1) }])
    }
    const wanted = new Set(body.rows)
    return { version: kept.list.version, rows: kept.rows.filter(({ id }) => wanted.has(id)) }
  })
  scroller.scrollTop = 1999 * 34
  await expect.element(cell('Person 2053')).toBeVisible()
  const line = document.querySelector('[data-row="2053"] [role=rowheader]')
  await expect.poll(() => line?.textContent).toBe('2,003')
})
