import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import type { Browser, FileChooser } from '@playwright/test'
import { simpleParser } from 'mailparser'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { permitPdf, rulesPdf } from '../demo/src/documents.ts'
import { holdersWorkbook, liftOutCsv } from '../demo/src/tables.ts'
import { holders, permitFile } from '../demo/src/world.ts'
import { minute, office, World } from '../packages/server/test/world.ts'
import { cursorTo, openBrowser, openPage, see, toStage, webFolder } from './browser.ts'

const all = holders(Date.parse('2026-11-02'))
const people = all.slice(0, 12)
const pontoonA = people.filter((h) => h.group === 'Pontoon A')
let world: World
let browser: Browser
beforeAll(async () => {
  world = await World.open(
    {
      manners: Object.fromEntries(
        all.map((h, i) => [h.email, i === 0 ? { opensAfter: 3, repliesAfter: 9 } : i === 1 ? { bounces: true } : {}]),
      ),
    },
    webFolder,
  )
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})
const digest = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex')

test('from a workbook to answers on the board, in the browser', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  const file = async (name: string, content: Buffer | string) => {
    const path = join(world.folder, name)
    await writeFile(path, content)
    return path
  }

  // People: start a round, bring in the workbook with its title block, leave people out by a rule and by hand.
  await page.goto('/')
  await see(page.getByText('Nothing on the desk yet')).toBeVisible()
  await page.getByRole('button', { name: 'Start a round' }).first().click()
  await page.getByLabel('What is this round about?').fill('Season permits')
  await page.getByRole('button', { name: 'Start with the people' }).click()
  await page.getByLabel('File with the list').setInputFiles(await file('photo.csv', Buffer.from([0x89, 0x50, 0, 1])))
  await see(page.getByRole('alert')).toContainText('neither a workbook nor text')
  expect(faults.splice(0)).toEqual([expect.stringContaining('422')])
  await page.getByLabel('File with the list').setInputFiles(await file('holders.xlsx', holdersWorkbook(people, 2027)))
  await see(page.getByText('row 4', { exact: true })).toBeVisible()
  await page.getByRole('button', { name: `Bring in ${people.length} rows` }).click()
  await see(page.getByText(`${people.length} in the list, ${people.length} in this round.`)).toBeVisible()
  await page.getByRole('button', { name: 'Add a rule' }).click()
  await page.getByLabel('Column').selectOption('Group')
  await page.getByLabel('Comparison').selectOption('is')
  await page.getByLabel('Value', { exact: true }).fill('pontoon a')
  await page.getByLabel('Value', { exact: true }).press('Enter')
  await see(
    page.getByText(`${pontoonA.length} in this round: ${people.length - pontoonA.length} left out by rule`),
  ).toBeVisible()
  const rows = page.getByRole('grid', { name: 'Rows of the list' })
  await rows
    .getByRole('row')
    .filter({ hasText: pontoonA.at(-1)!.email })
    .getByRole('button', { name: 'yes' })
    .click()
  await see(page.getByText(/left out by rule, 1 set aside/)).toBeVisible()

  // A cell edited in place is seen in the message at once.
  const message = page.getByRole('region', { name: 'Message' })
  await rows.getByRole('gridcell', { name: pontoonA[0].first, exact: true }).first().dblclick()
  await page.keyboard.press('Control+A')
  await page.keyboard.type('Adah')
  await page.keyboard.press('Enter')
  await see(rows.getByRole('gridcell', { name: 'Adah', exact: true })).toBeVisible()
  await page.keyboard.press('ArrowUp')

  // Letter: a field in the subject from the menu, typed fields in the body, a mark and a field of no column left in it.
  await toStage(page, 'Letter')
  await page.getByRole('textbox', { name: 'Subject' }).click()
  await page.keyboard.type('Permit for {{Boa')
  await page.getByRole('option', { name: /Boat/ }).click()
  await cursorTo(page.getByRole('textbox', { name: 'Letter', exact: true }))
  // The letter greets by name already; what is typed comes below.
  await see(message.frameLocator('iframe').getByText('Dear Adah,')).toBeVisible()
  await page.keyboard.press('Control+End')
  await page.keyboard.type('the fee for {{Berth}} is ')
  await page.keyboard.press('Control+B')
  await page.keyboard.type('{{Fee, as "£#,##0"}}')
  await page.keyboard.press('Control+B')
  await page.keyboard.type(', lift-out is on {{Lift-out, as "d MMMM yyyy"}}. Regards to {{Frist name}}, by XXX.')
  const frame = message.frameLocator('iframe')
  await see(frame.getByText('Dear Adah,')).toBeVisible()
  await see(frame.locator('strong')).toHaveText(`£${Math.round(pontoonA[0].fee)}`)
  await see(message.getByText(`Permit for ${pontoonA[0].boat}`)).toBeVisible()

  // Proof: it stops; every finding is mended on the spot.
  await toStage(page, 'Proof')
  await see(page.getByText('must be settled').first()).toBeVisible()
  await page.getByRole('button', { name: 'Swap it for “First name” everywhere' }).click()
  await see(page.getByRole('heading', { name: 'Field without a column' })).toBeHidden()
  await page
    .getByRole('region', { name: 'Drafting mark left over' })
    .getByRole('button', { name: 'Go to the letter' })
    .click()
  // The mark is selected when the letter is there; what is typed before that would be about it.
  await see.poll(() => page.evaluate(() => String(getSelection()))).toBe('XXX')
  await cursorTo(page.getByRole('textbox', { name: 'Letter', exact: true }))
  await page.keyboard.press('Control+End')
  for (const _ of ', by XXX.') await page.keyboard.press('Backspace')
  await page.keyboard.type('.')

  // Enclosures: nobody has theirs; then all do, and the rules go to everybody.
  await toStage(page, 'Enclosures')
  const chosen = pontoonA.slice(0, -1)
  const permits = new Map<string, Buffer>()
  for (const h of chosen) permits.set(permitFile(h), await permitPdf(h, 2027))
  const rules = await rulesPdf()
  await see(page.getByRole('button', { name: `Who lacks a file ${chosen.length}` })).toBeVisible()
  await page
    .getByLabel('Add their files: choose')
    .setInputFiles(await Promise.all([...permits].map(([name, content]) => file(name, content))))
  await see(page.getByRole('button', { name: 'Who lacks a file 0' })).toBeVisible()
  await page.getByLabel('Add files for everybody: choose').setInputFiles(await file('Harbour rules.pdf', rules))
  await see(message.getByRole('link', { name: /Harbour rules.pdf/ })).toBeVisible()

  await toStage(page, 'Proof')
  await see(page.getByRole('heading', { name: 'Nothing to settle' })).toBeVisible()
  await message.getByRole('button', { name: 'Copy to me…' }).click()
  await page.getByRole('button', { name: 'Send the copy' }).click()
  const note = page.getByText(`A copy is on its way to ${office}`)
  await see(note).toBeVisible()
  // It lies where buttons are, and is in nobody's way.
  expect(await note.evaluate((one) => getComputedStyle(one).pointerEvents)).toBe('none')
  const [copy] = await world.inboxOf(office)
  expect((await simpleParser(copy)).subject).toBe(`[Copy] Permit for ${pontoonA[0].boat}`)
  expect(await world.inboxOf(pontoonA[0].email)).toHaveLength(0)

  // Dispatch: the timetable answers to the pace; posting asks once more, and says what will happen.
  await toStage(page, 'Dispatch')
  await page.getByLabel('Letters a minute').fill('1')
  await see(page.getByRole('region', { name: 'Timetable' }).getByRole('status')).toContainText(
    new RegExp(`${chosen.length} letters to ${chosen.length} recipients, from .* to Mon 2 Nov`),
  )
  await page.getByLabel('Letters a minute').fill('60')
  await page.getByLabel('who opens it').check()
  await page.getByLabel('asking for a receipt').check()
  await see(page.getByRole('region', { name: 'Timetable' }).getByRole('status')).toContainText('within a minute')
  // Whoever has not answered after five working days is to be written to again.
  await page.getByRole('button', { name: 'Add a chaser…' }).click()
  await page.getByRole('button', { name: 'Add it, and write it' }).click()
  await see(page.getByRole('region', { name: 'Chaser', exact: true })).toContainText('5 working days after the letter')
  await page.getByRole('region', { name: 'Chaser', exact: true }).getByRole('link').click()
  await see(page.getByRole('region', { name: 'Chasers' })).toContainText('it is posted together with this round.')
  await page.getByRole('button', { name: `Post ${chosen.length} letters` }).click()
  const dialog = page.getByRole('dialog')
  await see(dialog).toContainText(`up to ${chosen.length} chasers on `)
  await see(dialog).toContainText(`Outside brindlequay.example: ${chosen.length} of ${chosen.length} people.`)
  await see(dialog).toContainText('practice mailbox')
  await dialog.getByRole('button', { name: `Post ${chosen.length} letters` }).click()
  await see(page.getByText('Posted: its letters are frozen')).toBeVisible()
  await world.pass(minute, 12)
  await see(page.getByText(`${chosen.length} of ${chosen.length} letters sent.`)).toBeVisible()

  // What each person got: one To, their values, their file byte for byte, nobody else's.
  const ids = new Set<string>()
  for (const h of chosen) {
    const inbox = await world.inboxOf(h.email)
    expect(inbox, h.email).toHaveLength(1)
    const mail = await simpleParser(inbox[0], { skipImageLinks: true })
    const name = h === chosen[0] ? 'Adah' : h.first
    expect([mail.to].flat().flatMap((t) => t!.value)).toEqual([{ name: `${name} ${h.last}`, address: h.email }])
    expect(mail.subject).toBe(`Permit for ${h.boat}`)
    expect(mail.text).toContain(`Dear ${name},`)
    expect(mail.text).toContain(`Regards to ${name}.`)
    expect(mail.attachments.map((a) => [a.filename, digest(a.content)])).toEqual([
      ['Harbour rules.pdf', digest(rules)],
      [permitFile(h), digest(permits.get(permitFile(h))!)],
    ])
    for (const other of people)
      if (other !== h) expect(inbox[0].toString()).not.toMatch(new RegExp(`${other.email}|${other.permit}`))
    ids.add(mail.messageId!)
  }
  expect(ids.size).toBe(chosen.length)
  expect(await world.sent()).toHaveLength(chosen.length)

  // Answers come back by themselves: the board, the person, the in-tray, the outcome sheet.
  await toStage(page, 'Responses')
  await world.pass(30 * minute, 10)
  await see(page.getByRole('button', { name: '1 replied' })).toBeVisible()
  await see(page.getByRole('button', { name: '1 bounced' })).toBeVisible()
  await page.getByRole('button', { name: '1 replied' }).click()
  await see(page.getByRole('grid', { name: 'Outcomes' }).getByRole('rowgroup').getByRole('row')).toHaveCount(1)
  await see(page.getByRole('region', { name: /What came back from Adah/ })).toContainText('replied')
  await page.getByRole('button', { name: 'Hand back the list…' }).click()
  await page.getByRole('radio', { name: 'text (.csv)' }).click()
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download' }).click(),
  ])
  expect(await readFile((await download.path())!, 'utf8')).toMatch(new RegExp(`Adah,${chosen[0].last}.*replied`))
  await page.keyboard.press('Escape')
  await page.getByRole('link', { name: 'In-tray' }).click()
  await see(page.getByText('2 entries to look at.')).toBeVisible()
  await page.getByRole('listbox', { name: 'Entries' }).getByRole('option', { name: /Adah/ }).click()
  await see(page.getByRole('region', { name: 'The letter it answers' })).toContainText(`Permit for ${chosen[0].boat}`)
  await page.getByRole('button', { name: 'Done', exact: true }).click()
  await see(page.getByText('1 entry to look at.')).toBeVisible()

  // The day of the chasers comes: they go to those of whom nothing has come, in their threads.
  const round = (await world.call(routes.rounds)).find((r) => r.title === 'Season permits')!
  const [{ id, from }] = (await world.call(routes.round, { params: { round: round.id } })).chasers
  world.clock.move(from! - world.clock.now())
  await world.pass(5 * minute, 30)
  const lines = await world.call(routes.messages, { params: { round: id } })
  expect(new Set(lines.map((m) => m.state))).toEqual(new Set(['sent', 'setAside']))
  for (const { address, state } of lines) {
    const mails = await Promise.all(
      (await world.inboxOf(address)).map((raw) => simpleParser(raw, { skipImageLinks: true })),
    )
    expect(
      mails.map((m) => m.inReplyTo ?? null),
      address,
    ).toEqual(state === 'sent' ? [null, mails[0].messageId] : [null])
  }
  await page.goto(`${world.handPost.address}/rounds/${round.id}/responses`)
  await see(page.getByRole('region', { name: 'Chasers' })).toContainText(
    `${lines.filter((m) => m.state === 'sent').length} sent; ${lines.filter((m) => m.state === 'setAside').length} not needed.`,
  )

  // The round is finished: its record and the archive of its messages are taken away, and checked by page and command.
  const take = async (name: string | RegExp) => {
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name, exact: true }).first().click(),
    ])
    const path = join(world.folder, download.suggestedFilename())
    await download.saveAs(path)
    return path
  }
  await page.getByRole('button', { name: 'After the round…' }).click()
  await page.getByRole('button', { name: 'Make a posting record' }).click()
  const record = await take('PDF')
  const seal = await take('Seal (.json)')
  await page.getByRole('radio', { name: /one mailbox file/ }).click()
  await page.getByRole('button', { name: 'Make the archive' }).click()
  const archive = await take('Save it')
  const command = (...files: string[]) =>
    spawnSync(process.execPath, ['scripts/command.mjs', 'checkRecord', ...files], { encoding: 'utf8' })
  expect(command(seal, archive, record)).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('The record holds.'),
  })
  await page.getByRole('link', { name: 'Check a posting record' }).click()
  const check = async (file: string) => {
    await page.getByLabel('The seal').setInputFiles(seal)
    await page.getByLabel('The archive').setInputFiles(file)
    await page.getByLabel('The record itself').setInputFiles(record)
    await page.getByRole('button', { name: 'Check', exact: true }).click()
  }
  await check(archive)
  const holds = page.getByRole('region', { name: 'The record holds' })
  await see(holds).toContainText('in the archive exactly as they were sent')
  await see(holds).toContainText('The PDF is the one that was made with this seal.')
  const changed = await readFile(archive)
  changed[Math.floor(changed.length / 2)] ^= 1
  await writeFile(`${archive}.changed`, changed)
  await check(`${archive}.changed`)
  await see(page.getByRole('region', { name: 'The record does not hold' })).toContainText(
    /was changed|were changed|does not say/,
  )
  expect(command(seal, `${archive}.changed`).status).toBe(1)
  expect(command(seal, record)).toMatchObject({ status: 2, stderr: expect.stringContaining('neither an .mbox file') })

  // What was kept of its people is forgotten for good, when the in-tray is empty; the board has the same numbers as before.
  const { lines: came } = await world.call(routes.inTray)
  const { roundId } = came[0]
  const counts = async () => (await world.board(roundId)).counts
  const before = await counts()
  await page.goto(`/rounds/${roundId}/responses`)
  await page.getByRole('button', { name: 'After the round…' }).click()
  await see(page.getByText(/of it in the in-tray (is|are) not done yet/)).toBeVisible()
  await see(page.getByRole('button', { name: 'Forget it now…' })).toBeDisabled()
  await world.call(routes.markTray, { body: { marks: came.map(({ id }) => ({ response: id, done: true })) } })
  await page.getByRole('button', { name: 'Forget it now…' }).click()
  await page.getByRole('button', { name: 'Forget it for good' }).click()
  await see(page.getByText(/^Forgotten on /)).toBeVisible()
  await page.getByRole('button', { name: 'Close' }).click()
  await see(page.getByText(/^What this round kept of people was forgotten on /)).toBeVisible()
  expect(await counts()).toEqual(before)
  // And it stands among the rounds to its list.
  await page.goto(`/people/lists/${(await world.call(routes.round, { params: { round: roundId } })).list!.id}`)
  await page.getByRole('link', { name: 'Its rounds' }).click()
  await see(page.getByRole('table', { name: 'The rounds, the latest first' })).toContainText('Half of these within')
  expect(faults).toEqual([])
})

test('a list with a title line, by the keyboard alone, from the desk to posted', async () => {
  const { page, faults } = await openPage(browser, world.handPost.address)
  const path = join(world.folder, 'lift-out.csv')
  // Other people than those whose letters came back in the test above.
  await writeFile(path, liftOutCsv(all.slice(30, 34)))
  const key = (...keys: string[]) =>
    keys.reduce<Promise<void>>((before, k) => before.then(() => page.keyboard.press(k)), Promise.resolve())
  /** Presses Tab until what is focused has a name like this. */
  const tabTo = async (name: RegExp, key = 'Tab') => {
    for (let i = 0; i < 80; i++) {
      await page.keyboard.press(key)
      const focused = await page.evaluate(() => {
        const e = document.activeElement as HTMLInputElement
        // A region that scrolls can be focused too; its text is not its name.
        const words = /^(BUTTON|A|DIV)$/.test(e.tagName) && (e.textContent ?? '').length < 200 ? e.textContent : ''
        return `${e.getAttribute('aria-label') ?? ''} ${e.labels?.[0]?.textContent ?? ''} ${words}`
      })
      if (name.test(focused)) return
    }
    throw new Error(`Tab never came to ${name}`)
  }

  await page.goto('/')
  await see(page.getByRole('heading', { name: 'Desk', exact: true })).toBeVisible()
  await key('Control+k')
  await see(page.getByRole('dialog', { name: 'Find an action' })).toBeVisible()
  await page.keyboard.type('Start a round')
  await key('Enter')
  await see(page.getByLabel('What is this round about?')).toBeFocused()
  await page.keyboard.type('Winter lift-out')
  await key('Enter')
  await see(page.getByText('Who gets this letter?')).toBeVisible()
  await tabTo(/Choose a file/)
  // The browser opens a chooser only within a few seconds of the key; on a machine that stood still it is pressed again.
  const choose = async (tries: number): Promise<FileChooser> => {
    const opened = page.waitForEvent('filechooser', { timeout: 20_000 }).catch(() => null)
    await key('Enter')
    const chooser = await opened
    if (chooser) return chooser
    if (tries === 1) throw new Error('Enter never opened the choice of a file')
    return choose(tries - 1)
  }
  await (await choose(10)).setFiles(path)
  await see(page.getByText('row 2', { exact: true })).toBeVisible()
  await tabTo(/Bring in 4 rows/)
  await key('Enter')
  await see(page.getByText('4 in the list, 4 in this round.')).toBeVisible()

  // The grid by arrows: the chosen person follows, a cell is edited by Enter and put back by Ctrl Z.
  await tabTo(new RegExp(all[30].first))
  await key('ArrowDown', 'Enter')
  await page.keyboard.type(' Junior')
  await key('Enter')
  await see(page.getByRole('gridcell', { name: / Junior$/ })).toBeVisible()
  await key('Control+z')
  await see(page.getByRole('gridcell', { name: / Junior$/ })).toBeHidden()

  await key('Alt+2')
  await see(page.getByRole('textbox', { name: 'Subject' })).toBeVisible()
  await tabTo(/^Subject/)
  await page.keyboard.type('Lift-out of {{Boa')
  await see(page.getByRole('option', { name: /Boat/ })).toBeVisible()
  await key('Enter', 'Enter')
  await see(page.getByRole('textbox', { name: 'Letter', exact: true })).toBeFocused()
  await page.keyboard.type('Dear {{Name}}, on {{Lift-out, as "EEEE d MMMM"}}.')
  await see(page.getByText('Everything is saved')).toBeVisible()
  await key('Alt+4')
  await see(page.getByRole('heading', { name: 'Nothing to settle' })).toBeVisible()
  await key('Alt+ArrowUp', 'Alt+ArrowUp', 'Alt+ArrowUp')
  await see(page.getByText('1 of 4')).toBeVisible()
  await key('Alt+ArrowDown')
  await see(page.getByText('2 of 4')).toBeVisible()
  await key('Alt+5')
  await tabTo(/Letters a minute/)
  await key('Control+a')
  await page.keyboard.type('60')
  await see(page.getByRole('region', { name: 'Timetable' }).getByRole('status')).toContainText('4 letters')
  await tabTo(/^\s*Post 4 letters/)
  await key('Enter')
  await see(page.getByRole('dialog')).toBeVisible()
  await tabTo(/Post 4 letters/)
  await key('Enter')
  await see(page.getByText('Posted: its letters are frozen')).toBeVisible()
  await world.pass(minute, 6)
  await see(page.getByText('4 of 4 letters sent.')).toBeVisible()
  const mine = (await world.call(routes.rounds)).find((r) => r.title === 'Winter lift-out')!
  const { people: board } = await world.board(mine.id)
  expect(board.map((p) => p.person)).toEqual(all.slice(30, 34).map((h) => `${h.first} ${h.last}`))
  await key('Alt+6')
  await see(page.getByText(/4 of 4 letters sent, \d arrived/)).toBeVisible()
  expect(faults).toEqual([])
})
