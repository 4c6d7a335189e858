import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import type { Browser, Locator, Page } from '@playwright/test'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { minute, World } from '../packages/server/test/world.ts'
import { openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

// How many actions a whole job takes: a click, a field that is typed in, a file that is chosen, each counted once.
let world: World
let browser: Browser
beforeAll(async () => {
  const names = ['ada', 'bram', 'cerys', 'p0', 'p1', 'p2', 'p3', 'p4', 'archive']
  world = await World.open(
    { manners: Object.fromEntries(names.map((name) => [`${name}@village.example`, {}])) },
    webFolder,
  )
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})

/** Does what a hand does, and counts it. */
function counting(page: Page) {
  const done: string[] = []
  return {
    done,
    async click(what: string, at: Locator) {
      await at.click()
      done.push(`click ${what}`)
    },
    async type(what: string, at: Locator, text: string) {
      await at.fill(text)
      done.push(`type ${what}`)
    },
    /** Words where the cursor stands, or in an editor. */
    async write(what: string, at: Locator, text: string) {
      await at.focus()
      await page.keyboard.press('Control+End')
      await page.keyboard.type(text)
      done.push(`type ${what}`)
    },
    async choose(what: string, at: Locator, files: string[]) {
      await at.setInputFiles(files)
      done.push(`choose ${what}`)
    },
    async stage(name: string) {
      await toStage(page, name)
      done.push(`click ${name}`)
    },
  }
}

test('three typed addresses and one letter: at most 12 actions', async () => {
  const { page } = await openPage(browser, world.handPost.address)
  const { click, type, write, stage, done } = counting(page)
  await page.goto('/')
  await click('Start a round', page.getByRole('button', { name: 'Start a round' }).first())
  await type('the title', page.getByLabel('What is this round about?'), 'Gate code')
  await click('Start with the people', page.getByRole('button', { name: 'Start with the people' }))
  await type(
    'three addresses',
    page.getByLabel('Or paste cells from a spreadsheet, or a run of addresses'),
    'ada@village.example, bram@village.example, cerys@village.example',
  )
  await click('Read what was pasted', page.getByRole('button', { name: 'Read what was pasted' }))
  await click('Bring in 3 rows', page.getByRole('button', { name: 'Bring in 3 rows' }))
  await see(page.getByText('3 in the list, 3 in this round.')).toBeVisible()
  await stage('Letter')
  await write('the subject', page.getByRole('textbox', { name: 'Subject' }), 'The new gate code')
  await write('the letter', page.getByRole('textbox', { name: 'Letter', exact: true }), 'The code is 4711.')
  await stage('Dispatch')
  await click('Post 3 letters', page.getByRole('button', { name: 'Post 3 letters' }))
  await click('Post 3 letters, once more', page.getByRole('dialog').getByRole('button', { name: 'Post 3 letters' }))
  await see(page.getByText(/of 3 letters sent|3 to go|waiting/).first()).toBeVisible()
  expect(done.length, done.join('\n')).toBeLessThanOrEqual(12)
  await world.pass(minute, 10)
  const mail = await simpleParser((await world.inboxOf('bram@village.example'))[0])
  expect([mail.subject, mail.text?.trim()]).toEqual(['The new gate code', 'Dear Sir or Madam,\n\nThe code is 4711.'])
})

test('a list with everybody’s own files, copies, dates, the proof and a day of posting: at most 28 actions', async () => {
  const { page } = await openPage(browser, world.handPost.address)
  const { click, type, write, choose, stage, done } = counting(page)
  const file = async (name: string, content: string) => {
    const path = join(world.folder, name)
    await writeFile(path, content)
    return path
  }
  const table = ['Name,Email,Due,Deputy,File']
  for (let i = 0; i < 5; i++)
    table.push(
      `P${i} Penrose,p${i}@village.example,1${i}/01/2027,${i === 0 ? 'archive@village.example' : ''},permit-${i}.txt`,
    )
  await page.goto('/')
  await click('Start a round', page.getByRole('button', { name: 'Start a round' }).first())
  await type('the title', page.getByLabel('What is this round about?'), 'Season permits')
  await click('Start with the people', page.getByRole('button', { name: 'Start with the people' }))
  await choose('the list', page.getByLabel('File with the list'), [await file('people.csv', table.join('\n'))])
  await click('Bring in 5 rows', page.getByRole('button', { name: 'Bring in 5 rows' }))
  await see(page.getByText('5 in the list, 5 in this round.')).toBeVisible()

  await stage('Letter')
  await write('the subject', page.getByRole('textbox', { name: 'Subject' }), 'Permit for {{Name}}')
  await write(
    'the letter',
    page.getByRole('textbox', { name: 'Letter', exact: true }),
    'your permit is attached. It is due on {{Due}}. ',
  )
  await click(
    'the field Due',
    page.getByRole('textbox', { name: 'Letter', exact: true }).getByRole('button', { name: /^Due/ }),
  )
  await page.getByRole('dialog').getByLabel('Written as').selectOption({ label: '10 January 2027' })
  done.push('choose how the date is written')
  await page.keyboard.press('Escape')
  await click('Sender, copies, answers…', page.getByRole('button', { name: 'Sender, copies, answers…' }))
  await page.getByLabel('Cc: by a column', { exact: true }).selectOption('Deputy')
  done.push('choose the column of copies')
  await page.keyboard.press('Escape')

  await stage('Enclosures')
  await choose(
    'everybody’s own files',
    page.getByLabel('Add their files: choose'),
    await Promise.all([0, 1, 2, 3, 4].map((i) => file(`permit-${i}.txt`, `Permit of P${i} Penrose`))),
  )
  await see(page.getByRole('button', { name: 'Who lacks a file 0' })).toBeVisible()

  await stage('Proof')
  await see(page.getByText('5 messages made and checked.')).toBeVisible()
  await click('Read; next', page.getByRole('region', { name: 'Reading set' }).getByRole('button').first())
  await click(
    'Copies to me…',
    page.getByRole('region', { name: 'Message' }).getByRole('button', { name: 'Copy to me…' }),
  )
  await click('Send the copy', page.getByRole('button', { name: 'Send the copy' }))

  await stage('Dispatch')
  await click('on a day and hour', page.getByLabel('on a day and hour'))
  await type(
    'the day and hour',
    page.getByLabel('Day and hour of the first letter', { exact: true }),
    '03/11/2026 09:00',
  )
  await page.keyboard.press('Enter')
  await click('Post 5 letters', page.getByRole('button', { name: 'Post 5 letters' }))
  await click('Post 5 letters, once more', page.getByRole('dialog').getByRole('button', { name: 'Post 5 letters' }))
  await see(page.getByText(/0 of 5 letters sent|5 to go/).first()).toBeVisible()
  expect(done.length, done.join('\n')).toBeLessThanOrEqual(28)

  await world.pass(3 * 24 * 60 * minute, 30)
  const { states } = (await world.call(routes.rounds)).find((r) => r.title === 'Season permits')!
  expect(states.sent).toBe(5)
  const mail = await simpleParser((await world.inboxOf('p0@village.example'))[0])
  expect(mail.text).toContain('It is due on 10 January 2027.')
  expect(mail.attachments.map((a) => a.filename)).toEqual(['permit-0.txt'])
  expect(await world.inboxOf('archive@village.example')).toHaveLength(1)
})
