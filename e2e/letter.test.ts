import { routes } from '@hand-post/contract'
import type { Browser, Page } from '@playwright/test'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { World } from '../packages/server/test/world.ts'
import { cursorTo, editorHasHeard, openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

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
const csv =
  'First name,Email,Berth,Area,Due date\nAda,ada@village.example,A1,Pontoon,01/12/2026\nBram,bram@village.example,B2,Mooring,\n'
const letterBox = (page: Page) => page.getByRole('textbox', { name: 'Letter', exact: true })
const frame = (page: Page) => page.getByRole('region', { name: 'Message' }).frameLocator('iframe')
const person = (page: Page, address: string) =>
  page.getByRole('grid', { name: 'Rows of the list' }).getByRole('gridcell', { name: address }).click()
/** Pastes HTML as a word processor puts it on the clipboard. */
const paste = (page: Page, html: string) =>
  letterBox(page).evaluate((target, html) => {
    const data = new DataTransfer()
    data.setData('text/html', html)
    data.setData('text/plain', 'plain')
    target.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }))
  }, html)

test('a draft with marks, pasted from a document, becomes a clean letter with fields without leaving it', async () => {
  const round = await world.round(csv, { subject: '', html: '' })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  await page.getByRole('textbox', { name: 'Subject' }).click()
  await page.keyboard.type('Your berth [berth]')
  await cursorTo(letterBox(page))
  const item = (text: string) =>
    `<p style="mso-list:l0 level1 lfo1"><span style="mso-list:Ignore">·<span>&nbsp; </span></span>${text}</p>`
  await paste(
    page,
    `<style>p{color:red}</style><p class="x"><b style="font-weight:normal">Dear <span style="color:#000000">[first name]</span>,</b></p><p>pay by <b>XXX</b>:</p>${item('rent')}${item('water')}<p>See &lt;&lt;berth&gt;&gt;.<script>x</script></p>`,
  )
  const strip = page.getByRole('region', { name: 'Drafting marks' })
  await see(strip).toContainText('4 drafting marks left')
  // Each is shown where it stands, in the subject too.
  for (const mark of ['[berth]', 'XXX']) {
    await strip.getByRole('button', { name: mark }).click()
    await see.poll(() => page.evaluate(() => String(getSelection()))).toBe(mark)
  }
  // One is chosen by hand, the others are near to a column.
  await strip.getByLabel('Column for XXX').selectOption('Due date')
  await strip.getByRole('button', { name: 'Swap all 4' }).click()
  await see(strip).toBeHidden()
  await see(frame(page).getByText('Dear Ada,')).toBeVisible()
  await see(frame(page).getByRole('listitem')).toHaveText(['rent', 'water'])
  await see(frame(page).locator('strong')).toHaveText('01/12/2026')
  await see(frame(page).getByText('See A1.')).toBeVisible()
  // Undone as one step, and done once more.
  await page.getByRole('button', { name: 'Undo', exact: true }).first().click()
  await see(strip).toBeVisible()
  await strip.getByRole('button', { name: /Swap all/ }).click()
  await see(page.getByText('Everything is saved')).toBeVisible()
  const { letter } = await world.call(routes.round, { params: { round: round.id } })
  expect(letter.subject).toBe('Your berth {{Berth}}')
  expect(JSON.stringify(letter.body)).not.toMatch(/\[first|XXX|<<|script|color/)

  // The date gets its form on its chip, and the blank one its stand-in: what the person gets changes at once.
  await letterBox(page).getByRole('button', { name: 'Due date' }).click()
  await page.getByLabel('Written as').selectOption('d MMMM yyyy')
  await page.getByLabel('write these words').check()
  await page.getByLabel('The stand-in').fill('the first of the month')
  await page.keyboard.press('Escape')
  await see(frame(page).locator('strong')).toHaveText('1 December 2026')
  await person(page, 'bram@village.example')
  await see(frame(page).locator('strong')).toHaveText('the first of the month')
  // Other stages and back: undo still reaches.
  await toStage(page, 'People')
  await toStage(page, 'Letter')
  await cursorTo(letterBox(page))
  await page.keyboard.press('Control+z')
  await see(letterBox(page).getByRole('button', { name: /or “the first of the month”/ })).toBeHidden()
  expect(faults).toEqual([])
})

test('a passage is in for some and left out for others; notes are written from person to person', async () => {
  const round = await world.round(csv, { subject: 'S', html: '<p>Dear {{First name}},</p><p>end</p>' })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  await cursorTo(letterBox(page).getByText('end'))
  await page.keyboard.press('Home')
  await page.keyboard.press('Enter')
  await page.keyboard.press('ArrowUp')
  await page.keyboard.press('Alt+Shift+P')
  const rules = page.getByRole('dialog')
  await rules.getByRole('button', { name: 'Add a rule' }).click()
  await rules.getByLabel('Column').selectOption('Area')
  await rules.getByLabel('Comparison').selectOption('is')
  await rules.getByLabel('Value', { exact: true }).fill('pontoon')
  await rules.getByLabel('Value', { exact: true }).press('Enter')
  await page.keyboard.press('Escape')
  await see(letterBox(page)).toBeFocused()
  await page.keyboard.type('for pontoons')
  const passage = letterBox(page).getByRole('region', { name: 'Passage' })
  await see(passage).toContainText('Only where “Area” is pontoon')
  await see(passage).toContainText('in for Ada')
  await passage.getByRole('button', { name: 'Add “otherwise”' }).click()
  await cursorTo(passage.locator('[data-otherwise] p'))
  await page.keyboard.type('for moorings')
  await see(frame(page).getByText('for pontoons')).toBeVisible()
  await person(page, 'bram@village.example')
  await see(frame(page).getByText('for moorings')).toBeVisible()
  await see(frame(page).getByText('for pontoons')).toBeHidden()
  await see(passage).toContainText('left out for Bram')

  await cursorTo(letterBox(page).getByText('end', { exact: true }))
  await page.keyboard.press('End')
  await page.keyboard.press('Enter')
  await page.keyboard.press('Alt+Shift+N')
  await person(page, 'ada@village.example')
  await page.getByLabel(/Personal note for Ada/).fill('Thank you, Ada.')
  await page.keyboard.press('Control+Enter')
  await see(page.getByLabel(/Personal note for Bram/)).toBeFocused()
  await page.keyboard.type('Mind the step, Bram.')
  await see(frame(page).getByText('Mind the step, Bram.')).toBeVisible()
  await see(page.getByText('2 of 2 have one')).toBeVisible()
  await page.keyboard.press('Control+Shift+Enter')
  await see(frame(page).getByText('Thank you, Ada.')).toBeVisible()
  await expect
    .poll(async () => (await world.call(routes.notes, { params: { round: round.id } })).map((n) => n.words), {
      timeout: 60_000,
    })
    .toEqual(['Thank you, Ada.', 'Mind the step, Bram.'])
  // What another list takes away is no longer shown either: the message is what would be sent.
  await see(frame(page).getByText('Thank you, Ada.')).toBeVisible()
  const other = await world.round(csv, { subject: 'S', html: '<p>x</p>' })
  await world.call(routes.changeRound, { params: { round: round.id }, body: { listId: other.list!.id } })
  await see(page.getByText('0 of 2 have one')).toBeVisible()
  await see(frame(page).getByText('Thank you, Ada.')).toBeHidden()
  expect(faults).toEqual([])
})

test('tables, blocks and addresses by keyboard; the shelf, versions and a file in', async () => {
  const round = await world.round(csv, { subject: 'First', html: '<p>one</p><p>two</p>' })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  await cursorTo(letterBox(page).getByText('two'))
  await page.keyboard.press('Alt+Shift+ArrowUp')
  await see(letterBox(page).locator('p')).toHaveText(['two', 'one'])
  // By the grip beside it: to behind the middle of the next block.
  const box = async (text: string) => (await letterBox(page).getByText(text).boundingBox())!
  // It stood beside what has moved away; it comes back beside what the pointer goes to.
  await see(page.locator('.grip')).toBeHidden()
  await letterBox(page).getByText('two').hover()
  await see(page.locator('.grip')).toBeVisible()
  const grip = (await page.locator('.grip').boundingBox())!
  expect(Math.abs(grip.y - (await box('two')).y)).toBeLessThan(10)
  const target = await box('one')
  await page.mouse.move(grip.x + 6, grip.y + 10)
  await page.mouse.down()
  await page.mouse.move(target.x + target.width - 20, target.y + target.height - 3, { steps: 8 })
  await page.mouse.up()
  await see(letterBox(page).locator('p')).toHaveText(['one', 'two'])
  await cursorTo(letterBox(page).getByText('two'))
  await page.keyboard.press('Alt+Shift+ArrowUp')
  await see(letterBox(page).locator('p')).toHaveText(['two', 'one'])
  await page.keyboard.press('Control+End')
  await page.keyboard.press('Enter')
  await page.keyboard.press('Alt+Shift+T')
  await cursorTo(letterBox(page).locator('th').first())
  await page.keyboard.type('Berth')
  await page.keyboard.press('Tab')
  await page.keyboard.type('Due')
  await page.keyboard.press('Tab')
  await page.keyboard.type('{{Berth}}')
  await see(frame(page).locator('th')).toHaveText(['Berth', 'Due'])
  await see(frame(page).locator('td').first()).toHaveText('A1')
  await page.getByRole('button', { name: 'Remove the column' }).click()
  await see(frame(page).locator('th')).toHaveText(['Due'])

  await page.getByRole('button', { name: /Shelf, versions/ }).click()
  await page.getByRole('tab', { name: 'Keep on the shelf' }).click()
  await page.getByLabel('Name on the shelf').fill('Berths')
  await page.getByRole('button', { name: 'Keep it' }).click()
  await see(page.getByText('The letter is on the shelf.')).toBeVisible()

  await page.getByRole('button', { name: /Shelf, versions/ }).click()
  await page.getByRole('button', { name: /^Reminder/ }).click()
  await page.getByRole('button', { name: 'Begin with this letter' }).click()
  await see(letterBox(page)).toContainText('perhaps it has slipped your mind')
  await see(page.getByText('Everything is saved')).toBeVisible()
  await page.getByRole('button', { name: /Shelf, versions/ }).click()
  await page.getByRole('tab', { name: 'As it was' }).click()
  await page.getByRole('tabpanel').getByRole('button', { name: /First/ }).first().click()
  await page.getByRole('button', { name: 'Go back to this' }).click()
  await see(letterBox(page).locator('p').first()).toHaveText('two')

  await page.getByRole('button', { name: /Shelf, versions/ }).click()
  await page.getByRole('tab', { name: 'Files' }).click()
  await page
    .getByRole('dialog')
    .locator('input[type=file]')
    .setInputFiles({
      name: 'from elsewhere.html',
      mimeType: 'text/html',
      buffer: Buffer.from('<title>Hello {{First name}}</title><p>From a file<script>x</script>'),
    })
  await see(page.getByText('Left out: a script (nothing of it was run).')).toBeVisible()
  await page.getByRole('button', { name: 'Close', exact: true }).click()
  await see(letterBox(page)).toContainText('From a file')
  await see(page.getByRole('region', { name: 'Message' }).getByText('Hello Ada')).toBeVisible()

  await page.getByRole('link', { name: 'Letters' }).click()
  await page.getByRole('button', { name: /^Berths/ }).click()
  await see(page.frameLocator('iframe').getByText('two')).toBeVisible()
  await page.getByRole('button', { name: 'Start a round with it' }).click()
  await page.getByLabel('What is this round about?').fill('Berths again')
  await page.getByRole('button', { name: 'Start with the people' }).click()
  await see(page.getByRole('heading', { name: 'Who gets this letter?' })).toBeVisible()
  // The frame that shows a file as it was keeps out what this test puts into every page, too.
  expect(faults.filter((fault) => !fault.includes('The document is sandboxed'))).toEqual([])
})

test('a large picture is scaled down on the way in, its words are asked for, and formatting is taken away by keys', async () => {
  const round = await world.round(csv, { subject: 'S', html: '<p>some <b>bold</b> words</p>' })
  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  const drawn = await page.evaluate(async () => {
    const canvas = new OffscreenCanvas(3000, 1500)
    const context = canvas.getContext('2d')!
    for (let i = 0; i < 3000; i++) {
      context.fillStyle = `hsl(${(i * 7919) % 360} 60% 50%)`
      context.fillRect((i * 97) % 3000, (i * 31) % 1500, 60, 40)
    }
    const blob = await canvas.convertToBlob({ type: 'image/jpeg', quality: 0.95 })
    return [...new Uint8Array(await blob.arrayBuffer())]
  })
  await page
    .getByLabel('Picture file')
    .setInputFiles({ name: 'quay.jpg', mimeType: 'image/jpeg', buffer: Buffer.from(drawn) })
  await page.getByLabel('In words, where pictures are off').fill('Boats of {{First name}}')
  await see(frame(page).locator('img[alt="Boats of Ada"]')).toHaveCount(1)
  const stored = await letterBox(page)
    .locator('img')
    .evaluate(async (img: HTMLImageElement) => {
      const blob = await (await fetch(img.src)).blob()
      const bitmap = await createImageBitmap(blob)
      return [bitmap.width, bitmap.height, img.width]
    })
  expect(stored).toEqual([1136, 568, 568])
  // What is above it may still take its place, and a click go elsewhere.
  await see(async () => {
    await letterBox(page).getByText('bold').dblclick()
    await editorHasHeard(page)
    expect(await page.evaluate(() => getSelection()!.toString().trim())).toBe('bold')
  }).toPass()
  await page.keyboard.press('Control+\\')
  await see(letterBox(page).locator('strong')).toHaveCount(0)
  await see(frame(page).locator('strong')).toHaveCount(0)
  expect(faults).toEqual([])
})

test('a letter that could not be written is written by itself later; one that is refused says so, and is not tried for ever', async () => {
  const round = await world.round(csv, { subject: 'S', html: '<p>Dear</p>' })
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/letter`)
  let answer: 'none' | 'refusal' | 'real' = 'none'
  let tried = 0
  await page.route(`**/api/rounds/${round.id}`, async (route) => {
    if (route.request().method() !== 'PATCH') return route.continue()
    tried++
    if (answer === 'real') return route.continue()
    if (answer === 'none') return route.abort()
    const problem = { type: 'about:blank', title: 'Too late', status: 409, detail: 'This round was posted meanwhile.' }
    return route.fulfill({ status: 409, contentType: 'application/problem+json', body: JSON.stringify(problem) })
  })
  const stored = async () => (await world.call(routes.round, { params: { round: round.id } })).letter
  await cursorTo(letterBox(page).getByText('Dear'))
  await page.keyboard.press('End')
  await page.keyboard.type(' friend')
  await see(page.getByText('The letter is not saved')).toBeVisible()
  await see.poll(() => tried).toBeGreaterThan(0)
  expect(JSON.stringify(await stored())).not.toContain('friend')
  answer = 'real'
  await see(page.getByText('Everything is saved')).toBeVisible()
  expect(JSON.stringify(await stored())).toContain('Dear friend')

  answer = 'refusal'
  await page.keyboard.type(' of mine')
  await see(page.getByText('This round was posted meanwhile.')).toBeVisible()
  await see(page.getByText('The letter is not saved')).toBeVisible()
  const before = tried
  // Longer than it waits before it tries again.
  await page.waitForTimeout(6000)
  expect(tried).toBe(before)
  // With the next keystroke it is tried again, with all that was written.
  answer = 'real'
  await page.keyboard.type('!')
  await see(page.getByText('Everything is saved')).toBeVisible()
  expect(JSON.stringify(await stored())).toContain('Dear friend of mine!')
})
