import { observeElementOffset, useVirtualizer, type VirtualItem } from '@tanstack/react-virtual'
import { type RefObject, useCallback, useRef } from 'react'
import { rowHeight } from './layout.ts'

/** How high (pixels) rows may stand on a page: what is higher is not laid out by every browser, and its last rows could not be reached. */
export const highest = 15_000_000

/** The rows that are in view, and where they are drawn. */
export interface RowsInView {
  items: VirtualItem[]
  /** How high (pixels) all rows and the head above them stand. */
  height: number
  /** Where (pixels from the top) a row is drawn. */
  topOf: (item: VirtualItem) => number
  /** Scrolls as far as is needed for a row to be in view, by its place. */
  show: (place: number) => void
}

/**
 * Which of many rows are in view below a head that covers the top and is as high as they are. Where there are more than a page can be high,
 * scrolling by a pixel goes on by more than one: all of them can be reached.
 */
export function useRowsInView(scroller: RefObject<HTMLElement | null>, count: number): RowsInView {
  const whole = (count + 1) * rowHeight
  const height = Math.min(whole, highest)
  /** By how many pixels of the rows one pixel of scrolling goes on. */
  const steep = useCallback(() => {
    const view = scroller.current?.clientHeight ?? 0
    return height === whole ? 1 : (whole - view) / (height - view)
  }, [scroller, whole, height])
  const steepNow = useRef(steep)
  steepNow.current = steep
  const rows = useVirtualizer<HTMLElement, Element>({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 4,
    observeElementOffset: (one, tell) =>
      observeElementOffset(one, (offset, scrolling) => tell(offset * steepNow.current(), scrolling)),
  })
  const offset = rows.scrollOffset ?? 0
  const shift = Math.round(offset - offset / steep())
  const show = useCallback(
    (place: number) => {
      const box = scroller.current
      if (!box) return
      const factor = steep()
      const offset = box.scrollTop * factor
      const [highestUp, furthestDown] = [place * rowHeight, (place + 2) * rowHeight - box.clientHeight]
      if (offset > highestUp) box.scrollTop = highestUp / factor
      else if (offset < furthestDown) box.scrollTop = Math.ceil(furthestDown / factor)
    },
    [scroller, steep],
  )
  return { items: rows.getVirtualItems(), height, topOf: (item) => item.start + rowHeight - shift, show }
}
