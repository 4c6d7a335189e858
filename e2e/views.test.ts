import { routes } from '@hand-post/contract'
import type { Browser } from '@playwright/test'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { hour, minute, peopleCsv, World } from '../packages/server/test/world.ts'
import { seriousFor, wcag } from './axe.ts'
import { cursorTo, openBrowser, openPage, see, webFolder } from './browser.ts'
import { layoutFaults } from './layout.ts'

let world: World
let browser: Browser
/** Every main view, with what shows that it has been drawn. */
let views: [string, string | RegExp][]

beforeAll(async () => {
  world = await World.open(
    {
      manners: Object.fromEntries(
        Array.from({ length: 12 }, (_, i) => [
          `person${i}@village.example`,
          i === 0
            ? { opensAfter: 2, clicksAfter: 3, repliesAfter: 5 }
            : i === 1
              ? { bounces: true }
              : i === 2
                ? { refused: true }
                : {},
        ]),
      ),
    },
    webFolder,
  )
  const plain = (n: number) =>
    peopleCsv(n)
      .replace(/,permit-\d+\.pdf/g, '')
      .replace(',Permit', '')
  const letter = {
    subject: 'Berth {{Berth}}',
    html: '<h2>Rules</h2><p>Dear {{Name}}, see <a href="https://quay.example/">here</a>.</p><ul><li>one</li></ul>',
  }
  const posted = await world.round(plain(12), letter, {
    title: 'Posted',
    dispatch: { perMinute: 1 },
    tracking: { opens: true, clicks: true },
  })
  await world.call(routes.post, { params: { round: posted.id }, body: { messages: 12 } })
  await world.pass(8 * minute, 16)
  const draft = await world.round(
    `${peopleCsv(5)}\r\n,bad address,,`,
    { subject: 'For {{Nme}}', html: '<p>By [date], {{Name}}</p>' },
    { title: 'Draft' },
  )
  // Other people than those whose letters came back.
  const good = await world.round(
    plain(5).replaceAll('village', 'hamlet'),
    { ...letter, subject: 'For {{Name}}' },
    { title: 'Good' },
  )
  const empty = await world.call(routes.startRound, { body: { title: 'Empty' } })
  await world.call(routes.addToBook, {
    body: { people: [{ name: 'Ada', address: 'ada@book.example' }], group: 'Harbour committee' },
  })
  await world.call(routes.refuseAddress, { body: { address: 'gone@book.example', reason: 'asked by letter' } })
  await world.call(routes.rehearse, { params: { round: draft.id } })
  const stages = (id: number, words: [string, string | RegExp][]): [string, string | RegExp][] =>
    words.map(([stage, shows]) => [`/rounds/${id}/${stage}`, shows])
  views = [
    ['/', 'What is going out'],
    ['/rounds', 'Posted'],
    ['/out-tray', /waiting to go/],
    ['/in-tray', /to look at/],
    ['/mailboxes', /written to in the last 24 hours/],
    ['/letters', 'The letter is shown here'],
    ['/people/lists', 'From people.csv'],
    ['/people/book', 'Harbour committee'],
    ['/people/do-not-write', 'asked by letter'],
    [`/people/lists/${good.list!.id}`, 'person3@hamlet.example'],
    [`/people/lists/${posted.list!.id}/rounds`, 'Half of these within'],
    ['/person?address=person1@village.example', 'Posted'],
    ['/nowhere', 'There is no such page'],
    [`/rounds/${empty.id}/rehearsal`, 'Nothing is rehearsed yet'],
    [`/rounds/${draft.id}/rehearsal`, 'Came in'],
    ...stages(empty.id, [
      ['people', 'Who gets this letter?'],
      ['letter', 'Each person gets'],
      ['proof', 'Nothing to proof yet'],
      ['dispatch', 'Nothing to send yet'],
      ['responses', 'Nothing has gone yet'],
    ]),
    ...stages(draft.id, [
      ['people', /in the list/],
      ['letter', 'Each person gets'],
      ['enclosures', 'For everybody'],
      ['proof', 'Field without a column'],
    ]),
    ...stages(good.id, [
      ['proof', 'Nothing to settle'],
      ['dispatch', 'Post 5 letters'],
    ]),
    ...stages(posted.id, [
      ['people', /in the list/],
      ['enclosures', 'For everybody'],
      ['dispatch', 'Withdraw the'],
      ['responses', 'Look for answers'],
    ]),
  ]
  browser = await openBrowser()
})
afterAll(async () => {
  await browser?.close()
  await world?.close()
})

// WCAG 2.2 at levels A and AA, by axe-core's rules. What a theme changes is colours only.
test.each([
  ['light', wcag],
  ['dark', ['color-contrast']],
] as const)(
  'axe finds nothing serious on any view, nothing shifts and nothing scrolls sideways, %s',
  async (theme, rules) => {
    const { page, faults } = await openPage(browser, world.handPost.address, theme)
    const wrong: string[] = []
    for (const [path, shows] of views) {
      await page.goto(path)
      await see(page.getByText(shows).first(), path).toBeVisible()
      if (theme === 'light') wrong.push(...(await layoutFaults(page)).map((words) => `${path}: ${words}`))
      wrong.push(...(await seriousFor(page, rules)).map((words) => `${path}: ${words}`))
    }
    expect(wrong).toEqual([])
    expect(faults).toEqual([])
  },
)

test('the desk, the in-tray, the board and a rehearsal fit a telephone', async () => {
  const { page } = await openPage(browser, world.handPost.address)
  await page.setViewportSize({ width: 390, height: 780 })
  for (const [path, shows] of views.filter(([path]) => /^\/$|in-tray|responses|rehearsal/.test(path))) {
    await page.goto(path)
    await see(page.getByText(shows).first(), path).toBeVisible()
    expect(await page.evaluate(() => document.documentElement.scrollWidth), path).toBeLessThanOrEqual(390)
  }
})

test('a long list scrolls, and typing in the letter shows in the message', async () => {
  const round = await world.round(
    peopleCsv(10_000),
    { subject: 'S', html: '<p>Dear {{Name}}</p>' },
    { title: 'Long', filesColumn: null },
  )
  const { page } = await openPage(browser, world.handPost.address)
  await page.goto(`/rounds/${round.id}/people`)
  const grid = page.getByRole('grid', { name: 'Rows of the list' })
  await see(grid.getByRole('row').nth(3)).toBeVisible()
  await grid.getByRole('gridcell', { name: 'Person 0', exact: true }).click()
  await page.keyboard.press('Control+End')
  await see(grid.getByRole('gridcell', { name: 'Person 9999', exact: true })).toBeVisible()
  expect(await grid.getByRole('row').count()).toBeLessThan(100)
  await page.goto(`/rounds/${round.id}/letter`)
  await cursorTo(page.getByRole('textbox', { name: 'Letter', exact: true }))
  await page.keyboard.press('Control+End')
  const message = page.getByRole('region', { name: 'Message' }).frameLocator('iframe')
  // Written to the desk between two words: the cursor stays where it is, and nothing typed is lost.
  for (const [typed, stands] of [
    [', wel', 'Dear Person 0, wel'],
    ['come', 'Dear Person 0, welcome'],
    [' home', 'Dear Person 0, welcome home'],
  ] as const) {
    await page.keyboard.type(typed)
    await see(message.getByText(stands, { exact: true })).toBeVisible()
    await see(page.getByText('Everything is saved')).toBeVisible()
  }
})

test('what leaves shows at once in every window; holding and withdrawing are a click each', async () => {
  const { page } = await openPage(browser, world.handPost.address)
  const line = (await world.call(routes.rounds)).find((r) => r.title === 'Posted')!
  await page.goto(`/rounds/${line.id}/dispatch`)
  const progress = page.getByRole('region', { name: 'Progress' })
  const { sent } = line.states
  await see(progress).toContainText(`${sent} of 12 letters sent`)
  await world.pass(minute, 2)
  await see(progress).toContainText(`${sent + 1} of 12 letters sent`)
  await progress.getByRole('button', { name: 'Hold' }).click()
  await see(progress).toContainText('The round is held')
  await world.pass(hour, 4)
  await progress.getByRole('button', { name: 'Carry on' }).click()
  await see(progress).not.toContainText('held')
  await progress.getByRole('button', { name: /Withdraw the/ }).click()
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Withdraw/ })
    .click()
  await see(progress).toContainText('withdrawn')
  await see(progress.getByRole('button', { name: 'Hold' })).toBeHidden()
})
