import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { routes } from '@hand-post/contract'
import { type Browser, expect } from '@playwright/test'
import { afterAll, beforeAll, test } from 'vitest'
import type { PracticeMailbox } from '../packages/practice/src/index.ts'
import { ada, ben, deskPassword, Browser as Hand } from '../packages/server/test/browser.ts'
import { PostgresServer, serverDatabase, withoutServer } from '../packages/server/test/postgres.ts'
import { endProgram, type Program, programEnv, startProgram } from '../packages/server/test/program.ts'
import { type Ask, fastMailbox, hadBy, person, slowPractice, untilHad } from '../packages/server/test/programRound.ts'
import { openBrowser, openPage, see, toStage } from './browser.ts'

// Two people in two browsers at the desks of two processes, and a third process that works the mailbox and dies while letters leave.

const people = 40
let server: PostgresServer | null = null
let browser: Browser
let folder = ''
let practice: PracticeMailbox
const programs: Program[] = []
beforeAll(async () => {
  if (withoutServer !== null) return
  server = await PostgresServer.start()
  folder = await mkdtemp(join(tmpdir(), 'hand-post-office-'))
  practice = await slowPractice(join(folder, 'practice'), people, 600)
  browser = await openBrowser()
}, 120_000)
afterAll(async () => {
  await browser?.close()
  for (const program of programs) await endProgram(program)
  await practice?.close()
  await server?.close()
  if (folder !== '') await rm(folder, { recursive: true, force: true })
})

test.skipIf(withoutServer !== null)(
  'one writes, the other reads along, has the pen given and posts it; the process that sends dies under it, and both see all of it gone',
  async () => {
    const databaseUrl = await serverDatabase(server!.url())
    const start = async (name: string, roles: string) => {
      const program = await startProgram({
        ...programEnv(folder, practice),
        DATABASE_URL: databaseUrl,
        HAND_POST_DATA: join(folder, name),
        HAND_POST_SHARED: join(folder, 'shared'),
        HAND_POST_ROLES: roles,
        HAND_POST_PUBLIC_URL: 'https://post.brindlequay.example',
        HAND_POST_LEASE: '3',
        HAND_POST_PASSWORD: deskPassword,
        HAND_POST_LOG: 'silent',
      })
      programs.push(program)
      return program
    }
    const [one, two] = [await start('one', 'desk'), await start('two', 'desk')]
    const three = await start('three', 'mail')
    const writer = await openPage(browser, one.address)
    const reader = await openPage(browser, two.address)

    // Ada sets up accounts, and invites Ben, who may post.
    const { page: atOne } = writer
    await atOne.goto('/account')
    await atOne.getByLabel('Password').fill(deskPassword)
    await atOne.getByRole('button', { name: 'Sign in' }).click()
    await atOne.getByLabel('Your name').fill(ada.name)
    await atOne.getByLabel('Your address').fill(ada.address)
    await atOne.getByLabel('Your password', { exact: true }).fill(ada.password)
    await atOne.getByLabel('Once more').fill(ada.password)
    await atOne.getByRole('button', { name: 'Set up accounts' }).click()
    await atOne.getByRole('link', { name: 'Colleagues' }).click()
    await atOne.getByRole('button', { name: 'Invite a colleague' }).click()
    await atOne.getByLabel('Name', { exact: true }).fill(ben.name)
    await atOne.getByLabel('Address', { exact: true }).fill(ben.address)
    await atOne.getByRole('checkbox', { name: /^post/ }).check()
    await atOne.getByRole('button', { name: 'Make the link' }).click()
    const link = new URL(await atOne.getByRole('textbox', { name: 'The link' }).inputValue())
    await atOne.getByRole('button', { name: 'Done' }).click()
    // The other process takes the invitation, and knows who is signed in at this one.
    const { page: atTwo } = reader
    await atTwo.goto(link.pathname + link.hash)
    await atTwo.getByLabel('Choose a password').fill(ben.password)
    await atTwo.getByLabel('Once more').fill(ben.password)
    await atTwo.getByRole('button', { name: 'Choose it and sign in' }).click()
    await see(atTwo.getByRole('link', { name: `${ben.name}: your account` })).toBeVisible()

    const hand = new Hand(one.address)
    expect((await hand.signIn(ada.address, ada.password)).status).toBe(200)
    const ask: Ask = (route, input = {}) => hand.done(route, input)
    await fastMailbox(ask)
    const csv = ['Name,Email', ...Array.from({ length: people }, (_, i) => `Person ${i},${person(i)}`)].join('\n')
    const reading = await ask(routes.readFile, { query: { name: 'people.csv' }, file: Buffer.from(csv) })
    const list = await ask(routes.makeList, { body: { reading: reading.id } })
    const { id } = await ask(routes.startRound, { body: { title: 'Dredging in March' } })
    await ask(routes.changeRound, {
      params: { round: id },
      body: { listId: list.id, dispatch: { perMinute: 100_000 } },
    })

    await writer.page.goto(`/rounds/${id}/letter`)
    await reader.page.goto(`/rounds/${id}/proof`)
    await writer.page.getByRole('textbox', { name: 'Subject' }).fill('The channel is closed')
    await writer.page.getByRole('textbox', { name: 'Letter', exact: true }).focus()
    await writer.page.keyboard.type('The channel is dredged from Monday on.')
    // Nobody asks for it there: it comes by itself, from the other process.
    await see(
      reader.page.frameLocator('iframe').getByText('The channel is dredged from Monday on.').first(),
    ).toBeVisible()
    // At the letter he reads along; each sees where the other is; and when she gives him the pen, he writes and she reads.
    await toStage(reader.page, 'Letter')
    await see(writer.page.getByText(`${ben.name}, at Letter`)).toBeVisible()
    await see(reader.page.getByText(`${ada.name} is writing this letter.`)).toBeVisible()
    await reader.page.getByRole('button', { name: 'Ask for the pen' }).click()
    await writer.page.getByRole('button', { name: 'Give it' }).click()
    const letters = (page: typeof atOne) => page.getByRole('textbox', { name: 'Letter', exact: true })
    await see(letters(reader.page)).toHaveAttribute('contenteditable', 'true')
    await letters(reader.page).focus()
    await reader.page.keyboard.press('Control+End')
    await reader.page.keyboard.type(' Boats go round by the sluice.')
    await see(letters(writer.page)).toContainText('Boats go round by the sluice.')
    await see(reader.page.getByText('Everything is saved')).toBeVisible()
    await toStage(reader.page, 'Proof')
    // Posted is what was seen: what is still on its way would be refused as changed meanwhile.
    await see(writer.page.getByText('Everything is saved')).toBeVisible()
    await see(reader.page.getByText(`${people} messages made and checked.`)).toBeVisible()
    await toStage(reader.page, 'Dispatch')
    await reader.page.getByRole('button', { name: `Post ${people} letters` }).click()
    const dialog = reader.page.getByRole('dialog')
    await dialog.getByRole('button', { name: `Post ${people} letters` }).click()
    await see(dialog).toBeHidden()
    await untilHad(practice, people, 10)
    await endProgram(three)
    // Nobody works the mailbox any more, and the desk says so.
    await see(async () => {
      await writer.page.goto('/')
      await expect(writer.page.getByText(/No process that works mailboxes is running/)).toBeVisible({ timeout: 2000 })
    }).toPass()
    const [{ id: mailbox }] = await ask(routes.mailboxes)
    expect((await hand.ask(routes.readNow, { params: { mailbox } })).detail).toMatch(
      /No process works this mailbox just now/,
    )
    await start('four', 'mail')
    await writer.page.goto(`/rounds/${id}/dispatch`)
    const states = async () => (await ask(routes.round, { params: { round: id } })).states
    await see
      .poll(async () => (({ waiting, sending, retrying }) => waiting + sending + retrying)(await states()))
      .toBe(0)
    const { inDoubt } = await states()
    const sent = people - inDoubt
    for (const { page } of [writer, reader])
      await see(page.getByText(new RegExp(`${sent} (of ${people} letters )?sent`)).first()).toBeVisible()
    const had = await hadBy(practice, people)
    expect(had.filter((n) => n > 1)).toEqual([])
    expect(had.filter((n) => n === 1).length).toBeGreaterThanOrEqual(sent)
    // Who did what stands in the round.
    const happened = await ask(routes.roundHappened, { params: { round: id } })
    expect(happened.map(({ by, words }) => [by, words])).toContainEqual([ben.name, `Posted: ${people} letters.`])
    // What was refused before anybody had signed in is what the pages asked.
    for (const { faults } of [writer, reader]) expect(faults.filter((words) => !/401/.test(words))).toEqual([])
  },
  600_000,
)
