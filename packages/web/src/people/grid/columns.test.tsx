import type { List, Wish } from '@hand-post/contract'
import { applyEdits, type Column } from '@hand-post/core'
import { useMemo, useState } from 'react'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, openDesk } from '../../testing/fakeDesk.tsx'
import { aList, someRows } from '../../testing/samples.ts'
import { until } from '../../testing/until.ts'
import ListGrid from '../ListGrid.tsx'
import type { TableWork } from '../useTable.ts'

/** What a wish makes of the columns, as the desk does it. */
function after(list: List, wish: Wish): List {
  const { columns } = list
  switch (wish.do) {
    case 'moveColumn': {
      const others = columns.filter((c) => c.id !== wish.column)
      const at = wish.before === null ? others.length : others.findIndex((c) => c.id === wish.before)
      others.splice(at, 0, columns.find((c) => c.id === wish.column)!)
      return { ...list, columns: others }
    }
    case 'changeColumn':
      return {
        ...list,
        columns: columns.map((c) => (c.id === wish.column ? ({ ...c, ...wish.changes } as Column) : c)),
      }
    case 'sort':
      return { ...list, sort: wish.sort }
    default:
      throw new Error(`not by the head of a column: ${wish.do}`)
  }
}

async function drawGrid(start: List = aList()) {
  openDesk()
  const wishes: Wish[] = []
  const state = { list: start }
  function Grid() {
    const [list, setList] = useState(start)
    const table = useMemo<TableWork>(
      () => ({
        list,
        rows: applyEdits({ columns: list.columns, rows: someRows, sort: [] }, []).rows,
        pending: false,
        whole: true,
        here: async () => someRows,
        look: () => {},
        trouble: null,
        widths: new Map(list.columns.map((c) => [c.id, c.width ?? 160])),
        derive: (row) => row,
        faults: () => ({}),
        edit: async (_words, ...asked) => {
          wishes.push(...asked)
          state.list = asked.reduce(after, state.list)
          setList(state.list)
          return null
        },
        undo: async () => {},
        redo: async () => {},
      }),
      [list],
    )
    return (
      <div style={{ height: 400, width: 1000 }} className="flex">
        <ListGrid
          table={table}
          label="Rows"
          editable
          chosen={null}
          onChoose={() => {}}
          onRecipe={() => {}}
          onFind={() => {}}
        />
      </div>
    )
  }
  const { screen } = await draw(<Grid />)
  const head = (name: string) => screen.getByRole('columnheader', { name: new RegExp(`^${name}`) })
  await expect.element(head('Name')).toBeVisible()
  return {
    screen,
    wishes,
    state,
    head,
    menuOf: (name: string) => head(name).getByRole('button', { name: new RegExp(`^${name}`) }),
    /** The heads as they stand on the screen, from left to right. */
    order: () =>
      [...document.querySelectorAll('[role=columnheader]')]
        .filter((one) => one.querySelector('button'))
        .sort((a, b) => a.getBoundingClientRect().left - b.getBoundingClientRect().left)
        .map((one) => one.querySelector('button span')!.textContent),
  }
}

/** Drags by the mouse, in steps as a hand does. */
async function drag(from: Element, to: { x: number; y: number }) {
  const { left, top, width, height } = from.getBoundingClientRect()
  const start = { x: left + width / 2, y: top + height / 2 }
  const at = (type: string, { x, y }: { x: number; y: number }, target: EventTarget) =>
    target.dispatchEvent(
      new PointerEvent(type, {
        bubbles: true,
        cancelable: true,
        clientX: x,
        clientY: y,
        isPrimary: true,
        button: 0,
        pointerId: 1,
      }),
    )
  at('pointerdown', start, from)
  for (let step = 1; step <= 8; step++) {
    at(
      'pointermove',
      { x: start.x + ((to.x - start.x) * step) / 8, y: start.y + ((to.y - start.y) * step) / 8 },
      document,
    )
    await new Promise((done) => requestAnimationFrame(done))
  }
  at('pointerup', to, document)
}

test.each([
  ['Due', 'Name', 'left', ['Due', 'Name', 'Email', 'Fee']],
  ['Due', 'Name', 'right', ['Name', 'Due', 'Email', 'Fee']],
  ['Name', 'Fee', 'left', ['Email', 'Name', 'Fee', 'Due']],
  ['Name', 'Due', 'right', ['Email', 'Fee', 'Due', 'Name']],
] as const)('%s dragged onto %s, its %s side, stands there', async (moved, over, side, expected) => {
  const { head, menuOf, order, wishes, screen } = await drawGrid()
  const box = head(over).element().getBoundingClientRect()
  await drag(menuOf(moved).element(), { x: side === 'left' ? box.left + 10 : box.right - 10, y: box.top + 60 })
  await until(() => expect(order()).toEqual(expected))
  expect(wishes).toHaveLength(1)
  // Dragging is no clicking: no menu opens.
  await expect.element(screen.getByText('Sort the list')).not.toBeInTheDocument()
})

test('a column that is laid down where it was is not moved', async () => {
  const { menuOf, head, wishes, order } = await drawGrid()
  const box = head('Fee').element().getBoundingClientRect()
  await drag(menuOf('Fee').element(), { x: box.left + 20, y: box.top + 10 })
  // Onto the side of its neighbour that it stands at already.
  const next = head('Due').element().getBoundingClientRect()
  await drag(menuOf('Fee').element(), { x: next.left + 10, y: next.top + 10 })
  expect(order()).toEqual(['Name', 'Email', 'Fee', 'Due'])
  expect(wishes).toEqual([])
})

test('a column is moved by keyboard: picked up, moved, laid down, or put back; what happens is said', async () => {
  const { menuOf, order, wishes, screen } = await drawGrid()
  menuOf('Name').element().focus()
  await expect.element(menuOf('Name')).toHaveAccessibleDescription(/Press M to pick the column up/)
  await userEvent.keyboard('m')
  await expect.element(screen.getByText('“Name” is picked up, and would be placed where it was.')).toBeInTheDocument()
  await userEvent.keyboard('{ArrowRight}')
  await expect.element(screen.getByText('It would be placed at “Email”.')).toBeInTheDocument()
  await userEvent.keyboard('{ArrowRight}')
  await expect.element(screen.getByText('It would be placed at “Fee”.')).toBeInTheDocument()
  await userEvent.keyboard('{Enter}')
  await until(() => expect(order()).toEqual(['Email', 'Fee', 'Name', 'Due']))
  menuOf('Due').element().focus()
  await userEvent.keyboard('m')
  await expect.element(screen.getByText('“Due” is picked up, and would be placed where it was.')).toBeInTheDocument()
  await userEvent.keyboard('{ArrowLeft}')
  await expect.element(screen.getByText('It would be placed at “Name”.')).toBeInTheDocument()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByText('“Due” stays where it was.')).toBeInTheDocument()
  expect(order()).toEqual(['Email', 'Fee', 'Name', 'Due'])
  expect(wishes).toHaveLength(1)
  // None of the keys wrote into a cell.
  await expect.element(screen.getByRole('textbox')).not.toBeInTheDocument()
})

test('by its menu a column is moved, kept in sight, hidden and given a width', async () => {
  const { menuOf, head, order, state, screen } = await drawGrid()
  const pick = async (column: string, action: string) => {
    await menuOf(column).click()
    await screen.getByRole('button', { name: action }).click()
    await userEvent.keyboard('{Escape}')
  }
  await pick('Due', 'Move left')
  expect(order()).toEqual(['Name', 'Email', 'Due', 'Fee'])
  await pick('Name', 'Move right')
  expect(order()).toEqual(['Email', 'Name', 'Due', 'Fee'])
  await pick('Fee', 'Keep in sight')
  expect(order()).toEqual(['Email', 'Fee', 'Name', 'Due'])
  await pick('Name', 'Hide')
  expect(order()).toEqual(['Email', 'Fee', 'Due'])
  await menuOf('Email').click()
  await screen.getByLabelText('Width').fill('5000')
  await userEvent.keyboard('{Tab}{Escape}')
  // As wide as a column may be.
  await until(() => expect(head('Email').element().getBoundingClientRect().width).toBe(1200))
  await pick('Fee', 'Let it scroll')
  expect(state.list.columns).toEqual([
    expect.objectContaining({ id: 'c2', width: 1200 }),
    expect.objectContaining({ id: 'c1', hidden: true }),
    expect.objectContaining({ id: 'c4' }),
    expect.objectContaining({ id: 'c3', frozen: false }),
  ])
})

test('the list is sorted by one column, then by another, and no longer', async () => {
  const { menuOf, head, state, screen } = await drawGrid()
  const pick = async (column: string, action: string) => {
    await menuOf(column).click()
    await screen.getByRole('button', { name: action }).click()
    await userEvent.keyboard('{Escape}')
  }
  await pick('Name', 'Z to A')
  expect(state.list.sort).toEqual([{ column: 'c1', descending: true }])
  await expect.element(head('Name')).toHaveAttribute('aria-sort', 'descending')
  await pick('Fee', 'then by this')
  expect(state.list.sort).toEqual([
    { column: 'c1', descending: true },
    { column: 'c3', descending: false },
  ])
  await pick('Name', 'not by this')
  expect(state.list.sort).toEqual([{ column: 'c3', descending: false }])
  await pick('Due', 'latest first')
  expect(state.list.sort).toEqual([{ column: 'c4', descending: true }])
  await expect.element(head('Fee')).not.toHaveAttribute('aria-sort')
})

test('the edge of a head is drawn to a width, within the limits; it is kept once', async () => {
  const { head, wishes } = await drawGrid()
  const edge = () => head('Email').element().lastElementChild!
  const draw = async (by: number) => {
    const { right, top } = edge().getBoundingClientRect()
    const at = (type: string, x: number, target: EventTarget) =>
      target.dispatchEvent(
        new MouseEvent(type, { bubbles: true, cancelable: true, clientX: x, clientY: top + 5, button: 0 }),
      )
    at('mousedown', right - 2, edge())
    at('mousemove', right - 2 + by / 2, document)
    at('mousemove', right - 2 + by, document)
    await new Promise((done) => requestAnimationFrame(done))
    const drawn = head('Email').element().getBoundingClientRect().width
    at('mouseup', right - 2 + by, document)
    return drawn
  }
  // The head shows it while it is drawn.
  expect(await draw(90)).toBe(250)
  await until(() => expect(wishes).toEqual([{ do: 'changeColumn', column: 'c2', changes: { width: 250 } }]))
  expect(await draw(-5000)).toBe(40)
  await until(() => expect(wishes.at(-1)).toEqual({ do: 'changeColumn', column: 'c2', changes: { width: 40 } }))
  expect(wishes).toHaveLength(2)
})
