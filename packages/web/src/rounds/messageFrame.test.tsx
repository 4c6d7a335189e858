import { useState } from 'react'
import { expect, onTestFinished, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw } from '../testing/fakeDesk.tsx'
import { MessageFrame, plainLooks } from './MessageFrame.tsx'

/** Hears keys as a round does; what it takes for itself is kept from the browser. */
function hears(): string[] {
  const heard: string[] = []
  const hear = (event: KeyboardEvent) => {
    heard.push(`${event.altKey ? 'Alt ' : ''}${event.key}`)
    if (event.altKey) event.preventDefault()
  }
  addEventListener('keydown', hear)
  onTestFinished(() => removeEventListener('keydown', hear))
  return heard
}
const html = `<p>Dear Ada</p>${'<p>words</p>'.repeat(200)}`

test('whoever has clicked into a message uses the keys of the round from there, and scrolls as before', async () => {
  const { again } = await drawn(html)
  const frame = () => document.querySelector('iframe')!
  const within = () => frame().contentDocument!
  await expect.poll(() => within().body.textContent).toContain('Dear Ada')
  const heard = hears()
  await userEvent.click(frame())
  await expect.poll(() => document.activeElement).toBe(frame())
  await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}')
  expect(heard).toContain('Alt ArrowDown')
  // What is taken there does nothing here: the message stays where it is; what is not, scrolls it.
  expect(within().scrollingElement!.scrollTop).toBe(0)
  await userEvent.keyboard('{PageDown}')
  await expect.poll(() => within().scrollingElement!.scrollTop).toBeGreaterThan(0)
  // Each key once, though another message was shown meanwhile, and a frame for the dark in its place.
  heard.length = 0
  again('<p>Dear Ben</p>', false)
  await expect.poll(() => within().body.textContent).toContain('Dear Ben')
  await userEvent.keyboard('{Alt>}2{/Alt}')
  expect(heard.filter((key) => key === 'Alt 2')).toHaveLength(1)
  again('<p>Dear Cy</p>', true)
  await expect.poll(() => within().body.textContent).toContain('Dear Cy')
  heard.length = 0
  await userEvent.click(frame())
  await userEvent.keyboard('{Alt>}3{/Alt}')
  expect(heard.filter((key) => key === 'Alt 3')).toHaveLength(1)
})

async function drawn(first: string) {
  let again!: (html: string, dark: boolean) => void
  function Shown() {
    const [{ html, dark }, show] = useState({ html: first, dark: false })
    again = (html, dark) => show({ html, dark })
    return (
      <div className="flex h-96">
        <MessageFrame html={html} looks={{ ...plainLooks, dark }} />
      </div>
    )
  }
  await draw(<Shown />)
  return { again: (html: string, dark: boolean) => again(html, dark) }
}
