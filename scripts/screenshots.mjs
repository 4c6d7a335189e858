// npm run screenshots: takes the pictures of docs/screenshots from a demo that is running (npm run demo).
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { chromium } from '@playwright/test'
import { chromiumOptions } from './chromium.mjs'
import { installChromium, root } from './prepare.mjs'

installChromium()
const folder = join(root, 'docs/screenshots')
mkdirSync(folder, { recursive: true })
const address = `http://127.0.0.1:${process.env.HAND_POST_PORT || 4710}`
const rounds = await (await fetch(`${address}/api/rounds`)).json()
const of = (title) => rounds.find((r) => r.title.startsWith(title) && !r.title.endsWith(': chaser')).id
const [permits, liftOut, inspections] = [of('Season permits'), of('Winter lift-out'), of('Mooring inspections')]

const browser = await chromium.launch(chromiumOptions)
/** Takes one picture: where, what shows that it is drawn, and what is done before. */
async function shoot(name, path, shows, { theme = 'light', act } = {}) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await page.addInitScript((t) => localStorage.setItem('theme', t), theme)
  await page.goto(address + path)
  await page.getByText(shows).first().waitFor()
  await act?.(page)
  await page.waitForTimeout(800)
  await page.screenshot({ path: join(folder, `${name}.png`) })
  await page.close()
}
await shoot('desk', '/', 'What is going out')
await shoot('rounds', '/rounds', 'Winter lift-out')
await shoot('people', `/rounds/${inspections}/people`, /in the list/)
const lists = await (await fetch(`${address}/api/lists`)).json()
await shoot('address-book', '/people/book', 'Harbour committee')
await shoot('list-rounds', `/people/lists/${lists.find((l) => l.name === 'Berth holders').id}/rounds`, 'insured 15')
await shoot('person', '/person?address=ada.penrose@saltmail.example', 'In the group')
await shoot('letter', `/rounds/${inspections}/letter`, 'Each person gets', {
  act: async (page) => {
    await page.locator('.letter-body').getByRole('button', { name: 'Inspected' }).click()
  },
})
await shoot('enclosures', `/rounds/${inspections}/enclosures`, 'For everybody')
await shoot('proof', `/rounds/${inspections}/proof`, 'Field without a column')
await fetch(`${address}/api/rounds/${inspections}/rehearsal`, { method: 'POST' })
await shoot('rehearsal', `/rounds/${inspections}/rehearsal`, 'What Ada Penrose sees', {
  theme: 'dark',
  act: (page) =>
    page
      .frameLocator('iframe')
      .locator('img')
      .evaluate((picture) => picture.decode()),
})
await fetch(`${address}/api/rounds/${inspections}/rehearsal`, { method: 'DELETE' })
await shoot('dispatch', `/rounds/${liftOut}/dispatch`, 'Withdraw the')
await shoot('responses', `/rounds/${permits}/responses`, 'Look for answers')
await shoot('chaser', `/rounds/${permits}/responses`, 'Look for answers', {
  act: async (page) => {
    await page.getByRole('button', { name: 'Add another…' }).click()
    await page.getByText('With what their letter said below').waitFor()
  },
})
await shoot('record', `/rounds/${permits}/responses`, 'Look for answers', {
  act: async (page) => {
    await page.getByRole('button', { name: 'After the round…' }).click()
    await page.getByText('End this round').waitFor()
  },
})
await shoot('in-tray', '/in-tray', /to look at/)
await shoot('out-tray', '/out-tray', /waiting to go/)
await shoot('mailboxes', '/mailboxes', 'Harbour master')
const started = await (
  await fetch(`${address}/api/rounds`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: '{"title":"Open day"}',
  })
).json()
const send = (method, path, body) =>
  fetch(address + path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
// Half of the tenants have no address: their letters on paper.
const tenants = { listId: lists.find((l) => l.name === 'Boathouse tenants').id }
const printed = await (await send('POST', '/api/rounds', { title: 'Boathouse keys', ...tenants })).json()
await shoot('paper', `/rounds/${printed.id}/people`, /have no address/, {
  act: async (page) => {
    await page.getByRole('button', { name: 'Put them on paper' }).click()
    await page.getByText('Test page for this envelope').waitFor()
  },
})
await fetch(`${address}/api/rounds/${printed.id}`, { method: 'DELETE' })
await shoot('bring-in', `/rounds/${started.id}/people`, 'Who gets this letter?', {
  act: async (page) => {
    await page.getByLabel('File with the list').setInputFiles(join(root, 'data/demo/files-to-try/Berth holders.xlsx'))
    await page.getByRole('region', { name: 'First rows' }).waitFor()
  },
})
await fetch(`${address}/api/rounds/${started.id}`, { method: 'DELETE' })
await browser.close()
