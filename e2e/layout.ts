import type { Page } from '@playwright/test'

/**
 * What is amiss with how a page lies: what moves when a field or button takes the focus, and scroll bars that stand beside each other or
 * cross the page.
 */
export function layoutFaults(page: Page): Promise<string[]> {
  return page.evaluate(async () => {
    const found: string[] = []
    const nameOf = (element: Element) =>
      `${element.tagName.toLowerCase()} “${(element.getAttribute('aria-label') ?? element.textContent ?? '').trim().slice(0, 30)}”`
    const inSight = (element: Element) => {
      const box = element.getBoundingClientRect()
      return box.width > 0 && box.top >= 0 && box.bottom <= innerHeight && box.right <= innerWidth
    }
    const frame = () => new Promise((done) => requestAnimationFrame(done))
    const steady = () =>
      new Map(
        [...document.querySelectorAll('h1,h2,h3,button,input,select,a,th,td,p')].map((e) => [
          e,
          e.getBoundingClientRect(),
        ]),
      )
    // What is still on its way moves things too: looked at when nothing has moved for a third of a second.
    const places = () => JSON.stringify([...steady().values()])
    for (let was = '', is = places(), n = 0; was !== is && n < 30; was = is, is = places(), n++)
      await new Promise((done) => setTimeout(done, 350))
    const fields = [...document.querySelectorAll<HTMLElement>('input,select,textarea,button,a,[contenteditable=true]')]
    /** What moves when a field takes the focus. */
    const movesWith = async (field: HTMLElement): Promise<string | null> => {
      const before = steady()
      field.focus({ preventScroll: true })
      await frame()
      await frame()
      let moved: string | null = null
      for (const [element, was] of before) {
        if (!element.isConnected) continue
        const is = element.getBoundingClientRect()
        const by = Math.abs(is.x - was.x) + Math.abs(is.y - was.y) + Math.abs(is.width - was.width)
        if (by > 0.6) {
          moved = `${nameOf(field)} takes the focus, and ${nameOf(element)} moves by ${by.toFixed(1)} px`
          break
        }
      }
      field.blur()
      return moved
    }
    for (const field of fields.filter(inSight).slice(0, 30)) {
      // What came to the page at that moment moves nothing a second time.
      const moved = (await movesWith(field)) && (await movesWith(field))
      if (moved) found.push(moved)
    }
    const scrolls = (axis: 'X' | 'Y') =>
      [...document.querySelectorAll('*')].filter((e) => {
        const style = getComputedStyle(e)
        const [whole, part] = axis === 'X' ? [e.scrollWidth, e.clientWidth] : [e.scrollHeight, e.clientHeight]
        return /auto|scroll/.test(axis === 'X' ? style.overflowX : style.overflowY) && whole > part + 1 && part > 40
      })
    const down = scrolls('Y')
    for (const outer of down)
      for (const inner of down)
        if (outer !== inner && outer.contains(inner)) {
          const apart = outer.getBoundingClientRect().right - inner.getBoundingClientRect().right
          if (apart < 40) found.push(`two scroll bars beside each other: ${nameOf(outer)}, ${nameOf(inner)}`)
        }
    // A table has more columns than a window; nothing else goes on to the side.
    for (const wide of scrolls('X'))
      if (!wide.matches('[role=grid], [role=grid] *') && !wide.querySelector('[role=grid]'))
        found.push(`a sideways scroll bar: ${nameOf(wide)}`)
    return found
  })
}
