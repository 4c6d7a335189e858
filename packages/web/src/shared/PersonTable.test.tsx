import fc from 'fast-check'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { type PersonColumn, PersonTable, sortedLines } from './PersonTable.tsx'

interface Person {
  id: number
  name: string
  fee: number | null
}
const people: Person[] = [
  { id: 1, name: 'Örn', fee: 9 },
  { id: 2, name: 'berth 10', fee: null },
  { id: 3, name: 'Ada', fee: 120 },
  { id: 4, name: 'Berth 9', fee: 9 },
]
const columns: PersonColumn<Person>[] = [
  { id: 'name', head: 'Name', width: 200, by: (p) => p.name, cell: (p) => p.name },
  { id: 'fee', head: 'Fee', width: 100, by: (p) => p.fee, cell: (p) => p.fee },
  { id: 'note', head: 'Note', width: 100, grows: true, cell: () => 'no order' },
]

async function drawTable(label: string, lines = people) {
  openDesk()
  const { screen } = await draw(
    <div style={{ height: 300, width: 800 }} className="flex flex-col">
      <PersonTable label={label} columns={columns} lines={lines} keyOf={(p) => p.id} isChosen={(p) => p.id === 3} />
    </div>,
  )
  const head = (name: string) => screen.getByRole('columnheader', { name })
  return {
    screen,
    head,
    sortBy: (name: string) => head(name).getByRole('button').click(),
    names: () =>
      [...document.querySelectorAll('[role=rowgroup] [role=row]')]
        .sort((a, b) => a.getBoundingClientRect().top - b.getBoundingClientRect().top)
        .map((row) => row.querySelector('[role=gridcell]')!.textContent),
  }
}

test('a click sorts, another turns it round, a third gives the list its own order back', async () => {
  const { head, sortBy, names } = await drawTable('first')
  const own = ['Örn', 'berth 10', 'Ada', 'Berth 9']
  expect(names()).toEqual(own)
  await sortBy('Name')
  // Letters with signs among their likes, capitals with small ones, and figures in names as figures.
  await expect.poll(names).toEqual(['Ada', 'Berth 9', 'berth 10', 'Örn'])
  await expect.element(head('Name')).toHaveAttribute('aria-sort', 'ascending')
  await sortBy('Name')
  await expect.poll(names).toEqual(['Örn', 'berth 10', 'Berth 9', 'Ada'])
  await sortBy('Name')
  await expect.poll(names).toEqual(own)
  await expect.element(head('Name')).not.toHaveAttribute('aria-sort')
})

test('figures are sorted the largest first; who has none stands last either way', async () => {
  const { sortBy, names } = await drawTable('second')
  await sortBy('Fee')
  await expect.poll(names).toEqual(['Ada', 'Örn', 'Berth 9', 'berth 10'])
  await sortBy('Fee')
  await expect.poll(names).toEqual(['Örn', 'Berth 9', 'Ada', 'berth 10'])
})

test('what has no order is not offered to sort by, and the chosen person stays chosen', async () => {
  const { head, screen, sortBy } = await drawTable('third')
  await expect.element(head('Note').getByRole('button')).not.toBeInTheDocument()
  await sortBy('Fee')
  await expect.element(screen.getByRole('row', { selected: true })).toHaveTextContent('Ada')
  // The head is the first row of the grid for those who cannot see it.
  await expect.element(screen.getByRole('grid')).toHaveAttribute('aria-rowcount', '5')
  await expect.element(screen.getByRole('row', { selected: true })).toHaveAttribute('aria-rowindex', '2')
})

test('a column is made wider by keyboard and by its edge, within limits, and found so again', async () => {
  const first = await drawTable('fourth')
  const width = () => first.head('Name').element().getBoundingClientRect().width
  const before = width()
  first.head('Name').getByRole('button').element().focus()
  await userEvent.keyboard('{Shift>}{ArrowRight}{ArrowRight}{/Shift}')
  await expect.poll(width).toBe(before + 32)
  await userEvent.keyboard('{Shift>}{ArrowLeft}{/Shift}')
  await expect.poll(width).toBe(before + 16)
  // The arrows alone change nothing.
  await userEvent.keyboard('{ArrowRight}')
  expect(width()).toBe(before + 16)
  const edge = first.head('Name').element().lastElementChild!
  const { right, top } = edge.getBoundingClientRect()
  const at = (type: string, x: number, target: EventTarget) =>
    target.dispatchEvent(
      new MouseEvent(type, { bubbles: true, cancelable: true, clientX: x, clientY: top + 5, button: 0 }),
    )
  at('mousedown', right, edge)
  at('mousemove', right - 30, document)
  at('mousemove', right - 60, document)
  at('mouseup', right - 60, document)
  await expect.poll(width).toBe(before - 44)
  first.screen.unmount()
  const again = await drawTable('fourth')
  await expect.poll(() => again.head('Name').element().getBoundingClientRect().width).toBe(before - 44)
})

test('sorting loses nobody, doubles nobody, and leaves those alike in their order (any lines)', () => {
  const line = fc.record({ value: fc.option(fc.oneof(fc.integer(), fc.string())), id: fc.nat() })
  fc.assert(
    fc.property(fc.array(line, { maxLength: 40 }), fc.boolean(), (lines, descending) => {
      const values = lines.filter((l) => typeof l.value !== 'string')
      const sorted = sortedLines(values, (l) => l.value as number | null, descending)
      expect(sorted).toHaveLength(values.length)
      expect(new Set(sorted)).toEqual(new Set(values))
      for (let i = 1; i < sorted.length; i++) {
        const [a, b] = [sorted[i - 1], sorted[i]] as { value: number | null }[]
        if (b.value === null) continue
        expect(a.value).not.toBeNull()
        expect(descending ? a.value! >= b.value : a.value! <= b.value).toBe(true)
        if (a.value === b.value) expect(values.indexOf(sorted[i - 1])).toBeLessThan(values.indexOf(sorted[i]))
      }
    }),
  )
  expect(sortedLines([3, 1, 2], undefined, true)).toEqual([3, 1, 2])
})
