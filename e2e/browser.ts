import { join } from 'node:path'
import { type Browser, chromium, expect, type Locator, type Page } from '@playwright/test'
import { onTestFinished } from 'vitest'
import { chromiumOptions } from '../scripts/chromium.mjs'

/** The built interface. */
export const webFolder = join(import.meta.dirname, '../packages/web/dist')

/** Waits until the page shows something; patient, because other tests may want the machine too. */
export const see = expect.configure({ timeout: Number(process.env.SEE_FOR ?? 300_000) })

/** Starts the browser that the tests look through. */
export const openBrowser = (): Promise<Browser> =>
  chromium.launch({ ...chromiumOptions, headless: !process.env.HEADED })

/** A page at the design size. `faults` gathers what the page's console calls an error. */
export async function openPage(browser: Browser, address: string, theme: 'light' | 'dark' = 'light') {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    acceptDownloads: true,
    baseURL: address,
  })
  await context.addInitScript((t) => localStorage.setItem('theme', t), theme)
  // A page that stays open goes on fetching whatever changes, at the cost of the tests that follow.
  onTestFinished(() => context.close())
  if (process.env.TRACE) {
    await context.tracing.start({ screenshots: true, snapshots: true })
    const path = join(import.meta.dirname, `../test-results/trace-${Date.now()}.zip`)
    onTestFinished(() => context.tracing.stop({ path }))
  }
  const page = await context.newPage()
  page.setDefaultTimeout(Number(process.env.SEE_FOR ?? 300_000))
  const faults: string[] = []
  page.on('pageerror', (error) => faults.push(error.message))
  page.on(
    'console',
    (message) => message.type() === 'error' && faults.push(`${message.text()} ${message.location().url}`),
  )
  return { page, faults }
}

/** Goes to a stage of the round that is open, by its place on the routing slip. */
export const toStage = (page: Page, name: string) =>
  page.getByRole('navigation', { name: 'Stages of the round' }).getByRole('link', { name }).click()

/** Waits out the moment after a click in which an editor may still put back the selection that it knew of; no hand is as quick. */
export const editorHasHeard = (page: Page) => page.evaluate(() => new Promise((done) => setTimeout(done, 100)))

/** Puts the cursor where something stands in an editor, and waits until it stays there. */
export async function cursorTo(place: Locator): Promise<void> {
  await see(async () => {
    await place.click()
    await editorHasHeard(place.page())
    const stays = (at: Element) => {
      const { anchorNode, isCollapsed } = getSelection()!
      return isCollapsed && at.contains(anchorNode)
    }
    expect(await place.evaluate(stays)).toBe(true)
  }).toPass()
}

/** Drops files and folders of this machine on a place, as the browser gets them from the desktop. */
export async function drop(page: Page, onto: Locator, files: string[]): Promise<void> {
  const box = await onto.boundingBox()
  if (!box) throw new Error('The place to drop on is not in view.')
  const client = await page.context().newCDPSession(page)
  for (const type of ['dragEnter', 'dragOver', 'drop'] as const)
    await client.send('Input.dispatchDragEvent', {
      type,
      x: box.x + box.width / 2,
      y: box.y + box.height / 2,
      data: { items: [], files, dragOperationsMask: 1 },
    })
}
