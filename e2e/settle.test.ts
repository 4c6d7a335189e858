import { createHash } from 'node:crypto'
import { routes } from '@hand-post/contract'
import { checks } from '@hand-post/core'
import type { Browser, Page } from '@playwright/test'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { inspectionPdf } from '../demo/src/documents.ts'
import { startFaultyRound } from '../demo/src/faulty.ts'
import { type Holder, holders, sheetFile } from '../demo/src/world.ts'
import { hour, office, World } from '../packages/server/test/world.ts'
import { editorHasHeard, openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

let world: World
let browser: Browser
let people: Holder[]
const sheets = new Map<string, Buffer>()
beforeAll(async () => {
  people = holders(Date.parse('2026-11-02T09:00:00Z'))
  for (const h of people.slice(0, 46)) sheets.set(h.berth, await inspectionPdf(h))
  // Correspondents who take what they get and do nothing.
  world = await World.open({ manners: Object.fromEntries(people.map((h) => [h.email, {}])) }, webFolder)
  browser = await openBrowser()
}, 120_000)
afterAll(async () => {
  await browser?.close()
  await world?.close()
})

/** Puts other words in the place of some that stand in the letter, by selecting and typing. */
async function retype(page: Page, words: string, others: string): Promise<void> {
  const there = await page.evaluate((wanted) => {
    for (const box of document.querySelectorAll<HTMLElement>('[contenteditable=true]')) {
      const texts = document.createTreeWalker(box, NodeFilter.SHOW_TEXT)
      for (let node = texts.nextNode(); node; node = texts.nextNode()) {
        const at = node.textContent!.indexOf(wanted)
        if (at < 0) continue
        box.focus()
        getSelection()!.setBaseAndExtent(node, at, node, at + wanted.length)
        return true
      }
    }
    return false
  }, words)
  expect(there, `“${words}” stands in the letter`).toBe(true)
  await editorHasHeard(page)
  if (others === '') await page.keyboard.press('Delete')
  else await page.keyboard.type(others)
}

test('a draft with every fault is settled where it is proofed, and then each gets their own letter and sheet', async () => {
  const [mailbox] = await world.call(routes.mailboxes)
  const { practice: _, allowance: __, pausedUntil, stopped, pauseReason, readingFault, id, ...settings } = mailbox
  await world.call(routes.changeMailbox, { params: { mailbox: id }, body: { ...settings, perDay: 20 } })
  const round = await startFaultyRound((route, input) => world.call(route, input), {
    mailboxId: id,
    people,
    sheetOf: (h) => sheets.get(h.berth)!,
    now: world.clock.now(),
  })
  const params = { round: round.id }
  const proof = () => world.call(routes.proof, { params, query: { wait: 'yes' } })
  const { findings } = await proof()
  const kinds = new Set(findings.map((f) => f.check))
  // The others need a round of another kind: one to nobody, without addresses or names, made files, drafts, an earlier letter,
  // late-comers, times of people's own (packages/server/test/turns.test.ts), and a workbook's values (e2e/workbook.test.ts).
  const elsewhere = `nobody noAddressColumn emptyLetter halfField displayName sameName madeFile noNames speaksOfFile emptySubject sameSubject noPlainText plainLoses hadAlready hadThisRound deadAddress draftSent draftLies doNotWrite failedFormula shortened dayNought oldYear twiceCurrency fraction truthWord mixedLanguages withoutForm unclearRule ownTimeUnread ownTimePast ownTimeClosed noPostalColumns postalAddress postalShort notPrinted choicesUnclear choicesTogether choicesByMail`
  expect(
    checks
      .map((c) => c.name)
      .filter((name) => !kinds.has(name))
      .sort(),
  ).toEqual(elsewhere.split(' ').sort())

  const { page, faults } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/proof`)
  const group = (title: string) => page.getByRole('region', { name: title, exact: true })
  const finding = (title: string, words: string | RegExp) =>
    group(title).getByRole('listitem').filter({ hasText: words }).first()
  /** Mends by typing, and waits until the finding is gone. */
  const type = async (title: string, words: string | RegExp, label: string, text: string) => {
    const one = finding(title, words)
    await one.getByLabel(label, { exact: true }).fill(text)
    await one
      .locator('form')
      .filter({ has: page.getByLabel(label, { exact: true }) })
      .getByRole('button', { name: 'Change it' })
      .click()
    await see(one).toBeHidden()
  }
  const press = async (title: string, words: string | RegExp, name: string | RegExp) => {
    const one = finding(title, words)
    await one.getByRole('button', { name }).first().click()
    await see(one).toBeHidden()
  }
  const accept = async (title: string, words: string | RegExp, reason: string) => {
    await finding(title, words).getByRole('button', { name: 'Accept…' }).click()
    await page.getByLabel('Why is it right as it is?').fill(reason)
    await page.getByRole('button', { name: 'Accept', exact: true }).click()
    await see(finding(title, words)).toContainText(`Accepted: “${reason}”`)
  }

  await press('Field without a column', 'Frist name', /^Swap it for “First name”/)
  await type('Copy or reply to what is not an address', 'harbour', 'Copies to', '')
  await type('Address missing or wrong', 'has no @', 'Email', people[5].email)
  await press('Address missing or wrong', 'no address', 'Set aside')
  await press('Same address more than once', 'Zoë', 'A message for each row')
  await type('Blank without a stand-in', '“First name”', 'First name', people[3].first)
  await type('Blank without a stand-in', '“Inspected”', 'Or these words for all of them', 'a day last week')
  await press('File not there', 'INSPECTION-A12', /^Take “inspection-A12/)
  await type('File not there', 'B99', 'Sheet', sheetFile(people[13]))
  await type(
    'Several files of one name',
    'mooring plan',
    'Sheet',
    `${sheetFile(people[17])}; plans north/mooring plan.pdf`,
  )
  // Whoever has another's sheet is offered their own.
  for (const i of [9, 10, 15]) await press('Another person’s file', new RegExp(`^${people[i].first}`), /^Take “/)
  await accept('File that may be another person’s', 'Quaife', 'It names the neighbour')
  await accept('Without a file of their own', 'names no file', 'Comes by hand')
  await press('File that cannot go', 'depth reader.exe', 'Take it out')
  await press('File that may be refused or not be opened', 'tide table', 'Take it out')
  await press('File for everybody that mentions one person', 'Letter to', 'Take it out')
  await type('A number that looks like a date', '46402', 'Work due', '15/01/2027')
  await type('A figure with stray decimals', '57.3', 'Fee', '57.30')
  await type('Address one slip from others', 'tidewatre', 'Email', people[14].email)
  await type('Copy to an address that is not to be written to', 'piers', 'Copies to', '')
  await type('More copies than the mailbox may send in a day', '21 recipients', 'Copies to', 'crew1@saltmail.example')

  await finding('Drafting mark left over', '[date]').getByRole('button', { name: 'Go to the letter' }).click()
  await see(page.getByText('2 drafting marks left')).toBeVisible()
  // What it is about is selected, to be typed over.
  await see.poll(() => page.evaluate(() => String(getSelection()))).toBe('[date]')
  await page.keyboard.type('20 January 2027')
  await page.getByRole('button', { name: 'XXX' }).click()
  await see.poll(() => page.evaluate(() => String(getSelection()))).toBe('XXX')
  await page.keyboard.type('the quay')
  await retype(page, 'your\u00a0 tackle', 'your tackle')
  const [wrong, right] = /“(\w+) \d+ \w+ \d+”: that day is a (\w+)/
    .exec(findings.find((f) => f.check === 'weekday')!.message)!
    .slice(1)
  await retype(page, wrong, right)
  await retype(
    page,
    ': what the diver found, what it means for the winter, and what we ask you to have done about it',
    '',
  )
  const letter = page.locator('.letter-body')
  await letter.getByText('Ground chain', { exact: true }).click()
  await page.getByRole('button', { name: 'Remove the field' }).click()
  await letter.locator('img:not(.ProseMirror-separator)').first().click()
  await page.getByLabel('In words, where pictures are off').fill('A mooring buoy')
  await letter.getByText('mooring rules').click()
  await page.getByRole('button', { name: /^Link/ }).first().click()
  await page.getByLabel('Where the link leads').fill('https://brindlequay.example/moorings')
  await page.getByRole('button', { name: 'Link', exact: true }).last().click()
  await retype(page, ': .', ' was seen.')

  // The sheets that were lacking, and the one that was too large, anew.
  await toStage(page, 'Enclosures')
  await page.getByLabel('Add their files: choose').setInputFiles(
    [6, 22, 23].map((i) => ({
      name: sheetFile(people[i]),
      mimeType: 'application/pdf',
      buffer: sheets.get(people[i].berth)!,
    })),
  )
  await see(page.getByText('3 files added, 1 in the place of one of that name.')).toBeVisible()
  await toStage(page, 'Proof')
  await see(group('File that goes to nobody').getByRole('listitem')).toHaveCount(3)
  for (const left of [2, 1, 0]) {
    await group('File that goes to nobody').getByRole('button', { name: 'Take it out' }).first().click()
    await see(group('File that goes to nobody').getByRole('listitem')).toHaveCount(left)
  }
  const open = (await proof()).findings.filter((f) => f.grade !== 'note' && f.accepted === null)
  expect(open.map((f) => [f.check, f.message])).toEqual([])
  await see(page.getByRole('heading', { name: 'Nothing to settle' })).toBeVisible()

  await page.getByRole('button', { name: 'Go on to dispatch' }).click()
  await page.getByRole('button', { name: 'Post 23 letters' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Post 23 letters' }).click()
  await see(page.getByText('Posted: its letters are frozen')).toBeVisible()
  await world.pass(50 * hour, 100)

  const hash = (content: Buffer) => createHash('sha256').update(content).digest('hex')
  for (const [i, h] of people.slice(0, 24).entries()) {
    const address = i === 8 ? people[7].email : h.email
    const mails = await Promise.all((await world.inboxOf(address)).map((raw) => simpleParser(raw)))
    // One has no address.
    expect(mails, h.email).toHaveLength(i === 16 ? 0 : i === 7 || i === 8 ? 2 : 1)
    const mail = mails.find((m) => m.subject === `Mooring ${h.berth}`)
    if (i === 16) continue
    const words = mail!.text!.replace(/\s+/g, ' ')
    expect(words).toMatch(i === 1 ? /^Dear [A-ZØ]+,/ : new RegExp(`^Dear ${h.first},`))
    expect(words).not.toMatch(/\[date|XXX|\{\{|\u00a0/)
    const files = mail!.attachments.filter((a) => !a.related)
    const wanted = [
      ...(i === 20 || i === 21 ? [] : [hash(sheets.get(h.berth)!)]),
      ...(i === 17 ? [hash(sheets.get(people[40].berth)!)] : []),
    ]
    expect(files.map((f) => hash(f.content))).toEqual(expect.arrayContaining(wanted))
    expect(files).toHaveLength(wanted.length + (i === 18 || i === 20 ? 1 : 0))
  }
  expect(await world.inboxOf('piers.oldfield@tidewater.example')).toEqual([])
  expect(await world.inboxOf('crew1@saltmail.example')).toHaveLength(1)
  expect(await world.sent()).toHaveLength(23)
  expect(await world.inboxOf(office)).toEqual([])
  expect(faults).toEqual([])
})
