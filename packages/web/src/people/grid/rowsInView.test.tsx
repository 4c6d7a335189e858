import { useRef } from 'react'
import { expect, test } from 'vitest'
import { page } from 'vitest/browser'
import { draw } from '../../testing/fakeDesk.tsx'
import { numberWidthOf, rowHeight } from './layout.ts'
import { highest, type RowsInView, useRowsInView } from './useRowsInView.ts'

const view = 400

/** A table of nothing but lines that tell which row they are of. */
function drawRows(count: number) {
  const seen: { rows?: RowsInView } = {}
  function Rows() {
    const box = useRef<HTMLDivElement>(null)
    const rows = useRowsInView(box, count)
    seen.rows = rows
    return (
      <div ref={box} data-testid="box" style={{ height: view, overflow: 'auto', position: 'relative' }}>
        <div style={{ height: rows.height, position: 'relative' }}>
          {rows.items.map((item) => (
            <div
              key={item.index}
              data-place={item.index}
              style={{
                position: 'absolute',
                top: 0,
                height: rowHeight,
                transform: `translateY(${rows.topOf(item)}px)`,
              }}
            >
              {item.index}
            </div>
          ))}
        </div>
      </div>
    )
  }
  draw(<Rows />)
  const box = () => page.getByTestId('box').element() as HTMLElement
  /** Where a row stands in what is in view (pixels below the top), or null where it is not drawn. */
  const at = (place: number) => {
    const line = box().querySelector(`[data-place="${place}"]`)
    return line ? line.getBoundingClientRect().top - box().getBoundingClientRect().top : null
  }
  const inView = (place: number) => {
    const top = at(place)
    // Not under the head, and not cut at the bottom.
    return top !== null && top >= rowHeight - 2 && top + rowHeight <= view + 2
  }
  return { box, at, inView, show: (place: number) => seen.rows!.show(place), height: () => seen.rows!.height }
}

test.each([100, 100_000, 441_176, 441_177, 1_000_000, 5_000_000])(
  'of %i rows the first, the last and any between can be scrolled to',
  async (count) => {
    const { box, at, inView, show, height } = drawRows(count)
    await expect.poll(() => at(0)).toBe(rowHeight)
    expect(height()).toBeLessThanOrEqual(highest)
    // By the mouse, to the very end: the last row stands at the bottom.
    box().scrollTop = height()
    await expect.poll(() => Math.abs((at(count - 1) ?? 0) + rowHeight - view)).toBeLessThanOrEqual(2)
    for (const place of [Math.floor(count / 2), 7, count - 1, count - 2, 0, Math.floor(count / 3)]) {
      show(place)
      await expect.poll(() => inView(place), { message: `row ${place}` }).toBe(true)
      // What is in view already stays where it is.
      const before = box().scrollTop
      show(place)
      expect(box().scrollTop).toBe(before)
    }
  },
)

test('from one row to the next it is scrolled by no more than they are high', async () => {
  const { at, inView, show } = drawRows(2_000_000)
  await expect.poll(() => at(0)).toBe(rowHeight)
  show(1_234_567)
  await expect.poll(() => inView(1_234_567)).toBe(true)
  for (let place = 1_234_568; place < 1_234_580; place++) {
    show(place)
    await expect.poll(() => inView(place)).toBe(true)
    // The one before is in view still.
    expect(at(place - 1)).toBeGreaterThanOrEqual(rowHeight - 2)
  }
})

test('the column of numbers is as wide as the longest of them', () => {
  expect(numberWidthOf(64)).toBe(48)
  for (const last of [9999, 99_999, 1_000_001]) {
    const text = document.createElement('span')
    text.style.font = `13px ${getComputedStyle(document.body).fontFamily}`
    text.textContent = last.toLocaleString('en-GB')
    document.body.append(text)
    // With 8 pixels on either side.
    expect(numberWidthOf(last)).toBeGreaterThanOrEqual(text.getBoundingClientRect().width + 17)
    text.remove()
  }
})
