import { type Amendment, routes } from '@hand-post/contract'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aMailbox, aMessage, aRound, othersPost, seenByWriter, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import AmendBar from './AmendBar.tsx'
import { WithdrawSome } from './WithdrawSome.tsx'

const amending = aRound({
  postedAt: 1,
  held: true,
  amendingSince: 2,
  states: { ...aRound().states, waiting: 2, sent: 3 },
})
const said: Amendment = {
  print: 'print-1',
  paper: 0,
  letters: 2,
  same: 0,
  differ: { subject: 0, words: 2, enclosures: 1, sender: 0, copies: 0, address: 1 },
  addresses: [{ rowId: 1, person: 'Ada Penrose', was: 'ada@old.example', is: 'ada@new.example' }],
  sent: 3,
  inDoubt: 1,
  cannot: [],
  sentence: '2 letters to 2 recipients.',
}
const proofOf = (asks: number) => ({
  people: 2,
  unread: 0,
  findings: [],
  stops: 0,
  asks,
  mayPost: asks === 0,
})

let desk: FakeDesk
beforeEach(() => {
  desk = openDesk()
  withRound(desk, amending)
  desk
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.proof, () => proofOf(0))
    .on(routes.notes, () => [])
})
afterEach(() => void vi.restoreAllMocks())
const bar = (goTo = vi.fn()) =>
  draw(
    <OpenRound round={amending} goTo={goTo}>
      <AmendBar />
    </OpenRound>,
  )

test('before a change is posted it is said what changes for whom, and only what was seen is posted', async () => {
  desk
    .on(routes.amendment, () => said)
    .on(routes.postAmendment, () => ({ ...amending, held: false, amendingSince: null, version: 9 }))
  const goTo = vi.fn()
  const { screen } = await bar(goTo)
  await expect.element(screen.getByText(/amending this for the 2 people who wait; the 3 that have gone/)).toBeVisible()
  await screen.getByRole('button', { name: 'Post the change…' }).click()
  const dialog = screen.getByRole('dialog')
  await expect.element(dialog.getByText('Ada Penrose: ada@new.example, not ada@old.example')).toBeVisible()
  for (const words of [
    'Other words: 2 letters.',
    'Other enclosures: 1 of 2 letters.',
    /3 people have had it as posted/,
    /1 letter in doubt stays as posted/,
    /2 letters to 2 recipients/,
  ])
    await expect.element(dialog.getByText(words)).toBeVisible()
  await expect.element(dialog.getByText(/Another subject/)).not.toBeInTheDocument()
  await dialog.getByRole('button', { name: 'Post the change to 2 people' }).click()
  await until(() => expect(goTo).toHaveBeenCalledWith('dispatch'))
  expect(desk.bodiesOf(routes.postAmendment)).toEqual([{ letters: 2, print: 'print-1' }])
})

test.each([
  [
    'nothing differs',
    { same: 2, differ: { ...said.differ, words: 0, enclosures: 0, address: 0 } },
    /Nothing is different/,
  ],
  [
    'somebody’s row is gone',
    { cannot: [{ rowId: 7, person: 'Ben Rosevear', why: 'Their row is gone.' }] },
    /cannot be made anew/,
  ],
])('where %s it is said, and cannot be posted', async (_, parts, words) => {
  desk.on(routes.amendment, () => ({ ...said, ...parts }))
  const { screen } = await bar()
  await screen.getByRole('button', { name: 'Post the change…' }).click()
  await expect.element(screen.getByText(words)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Post the change to 2 people' })).toBeDisabled()
})

test('what the proof has found is settled first; given up, it is asked once more', async () => {
  desk
    .on(routes.proof, () => proofOf(2))
    .on(routes.giveUpAmendment, () => ({ ...amending, amendingSince: null, version: 9 }))
  const goTo = vi.fn()
  const { screen } = await bar(goTo)
  await screen.getByRole('button', { name: 'Settle the proof first: 2 findings' }).click()
  expect(goTo).toHaveBeenCalledWith('proof')
  await screen.getByRole('button', { name: 'Give it up…' }).click()
  await expect.element(screen.getByText(/Changes of the list stay. The round stays held/)).toBeVisible()
  await screen.getByRole('button', { name: 'Give it up', exact: true }).click()
  await until(() => expect(goTo).toHaveBeenCalledWith('dispatch'))
  expect(desk.asked.filter((one) => one.route === routes.giveUpAmendment)).toHaveLength(1)
})

const line = (id: number, person: string) =>
  aMessage({ id, rowId: id, person, address: `${person.toLowerCase()}@quay.example` })

test('a letter that waits without a time is called held only where its round is', async () => {
  desk.on(routes.messages, () => [{ ...line(1, 'Ada'), plannedAt: null }])
  for (const [held, words] of [
    [false, 'no time yet'],
    [true, 'held'],
  ] as const) {
    const { screen } = await draw(<WithdrawSome round={aRound({ list: aList(), held })} onClose={() => {}} />)
    await expect.element(screen.getByText(words, { exact: true })).toBeVisible()
    await screen.unmount()
  }
})

test('some letters are withdrawn: chosen by a rule, then by hand, named, and asked once more', async () => {
  desk
    .on(routes.waitingBy, ({ body }) => ({
      letters: body.selection.rules.some((rule) => 'value' in rule && rule.value === 'North') ? [1, 2] : [],
    }))
    .on(routes.withdrawSome, () => ({ withdrawn: 1 }))
    .on(routes.messages, ({ query }) => (query.waiting ? [line(1, 'Ada'), line(2, 'Ben'), line(3, 'Cai')] : []))
    .on(routes.columnValues, () => ({ values: [], different: 0, blank: 0 }))
  const closed = vi.fn()
  const { screen } = await draw(<WithdrawSome round={aRound({ list: aList() })} onClose={closed} />)
  const button = screen.getByRole('button', { name: /^Withdraw \d letters?$/ })
  await expect.element(screen.getByText('0 of the 3 that wait are chosen.')).toBeVisible()
  await expect.element(button).toBeDisabled()
  await screen.getByRole('button', { name: 'Add a rule' }).click()
  await expect.element(screen.getByText('0 of the 3 that wait are chosen.')).toBeVisible()
  await screen.getByRole('textbox', { name: 'Value', exact: true }).fill('North')
  await userEvent.tab()
  await expect.element(screen.getByText('2 of the 3 that wait are chosen.')).toBeVisible()
  await screen.getByRole('checkbox', { name: 'Withdraw the letter to Ada' }).click()
  await screen.getByRole('checkbox', { name: 'Withdraw the letter to Cai' }).click()
  await expect.element(screen.getByText('2 of the 3 that wait are chosen.')).toBeVisible()
  await button.click()
  await expect.element(screen.getByText('Cai, cai@quay.example')).toBeVisible()
  expect(desk.bodiesOf(routes.withdrawSome)).toEqual([])
  await screen.getByRole('button', { name: 'Withdraw 2 letters' }).last().click()
  await expect.element(screen.getByText('1 letter was withdrawn; 1 had left meanwhile.')).toBeVisible()
  expect(closed).toHaveBeenCalled()
  expect(desk.bodiesOf(routes.withdrawSome)).toEqual([{ letters: [2, 3] }])
})

test('whoever may not post is told who may, in the place of the button', async () => {
  seenByWriter(desk)
  const { screen } = await bar()
  await expect.element(screen.getByText(othersPost)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Post the change…' })).not.toBeInTheDocument()
  await expect.element(screen.getByRole('button', { name: /Give/ })).toBeVisible()
})
