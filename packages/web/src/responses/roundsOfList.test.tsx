import { type RoundOfList, routes } from '@hand-post/contract'
import { Route, Routes } from 'react-router'
import { beforeEach, expect, test } from 'vitest'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import RoundsOfList from './RoundsOfList.tsx'

const day = 86_400_000
let desk: FakeDesk
let rounds: RoundOfList[]
let more: number
const aRoundOf = (n: number, parts: Partial<RoundOfList> = {}): RoundOfList => ({
  roundId: n,
  title: `Permits ${2020 + n}`,
  postedAt: Date.UTC(2020 + n, 10, 2, 9),
  after: [
    { days: 1, arrived: 50, replied: n },
    { days: 7, arrived: 50, replied: 10 + n },
  ],
  counts: {
    messages: 62,
    sent: 60,
    arrived: 50,
    bounced: 10,
    replied: 20,
    opened: 25,
    clicked: 0,
    optedOut: 1,
    waiting: 0,
  },
  tracking: { opens: true, clicks: false, receipts: false, optOut: false },
  choices: [],
  words: [],
  peopleReached: 50,
  paper: 0,
  chased: 0,
  halfWithin: 2 * day + day / 2,
  ...parts,
})
beforeEach(() => {
  more = 0
  rounds = [
    aRoundOf(6, { counts: { ...aRoundOf(6).counts, waiting: 2 }, words: [{ word: 'insured', people: 12 }] }),
    aRoundOf(5, {
      tracking: { opens: false, clicks: false, receipts: false, optOut: false },
      chased: 31,
      paper: 4,
      halfWithin: 5 * 3_600_000,
    }),
    aRoundOf(4),
    aRoundOf(3),
    aRoundOf(2, { halfWithin: null, after: [] }),
  ]
  desk = openDesk()
  desk.on(routes.roundsOfList, () => ({ list: { id: 1, name: 'Berth holders' }, rounds, more }))
})
const open = async () =>
  (
    await draw(
      <Routes>
        <Route path="/people/lists/:list/rounds" element={<RoundsOfList />} />
      </Routes>,
      '/people/lists/1/rounds',
    )
  ).screen

test('each round stands with what came of it, and leads to its board; what was not counted is no nought', async () => {
  const screen = await open()
  const table = screen.getByRole('table', { name: 'The rounds, the latest first' })
  const rows = table.getByRole('row')
  await expect
    .element(rows.nth(1))
    .toHaveTextContent(/Permits 2026.*62.*2 still to leave.*83% \(50\).*50% \(25\).*40% \(20\).*3 days.*insured 12/)
  await expect.element(rows.nth(2)).toHaveTextContent(/62 and 4 on paper.*not counted.*5 hours.*31/)
  await expect.element(table.getByRole('link', { name: 'Permits 2025' })).toHaveAttribute('href', '/rounds/5/responses')
  await expect.element(rows.nth(5)).toHaveTextContent(/40% \(20\)––/)
})

test('the latest four are drawn, and others can be chosen in their place', async () => {
  const screen = await open()
  const chart = screen.getByRole('region', { name: /How soon they answered/ })
  const words = () => chart.element().textContent
  await expect.poll(words).toContain('Permits 2023')
  const box = (title: string) => screen.getByRole('checkbox', { name: `Draw ${title}` })
  await expect.element(box('Permits 2022')).toBeDisabled()
  await box('Permits 2023').click()
  await expect.poll(words).not.toContain('Permits 2023')
  await expect.element(box('Permits 2022')).toBeEnabled()
  for (const title of ['Permits 2026', 'Permits 2025', 'Permits 2024']) await box(title).click()
  await box('Permits 2022').click()
  await expect.element(chart.getByText('No letter of these has been there for a day yet.')).toBeVisible()
})

test('where titles are long, lines are told apart by what is different in them', async () => {
  rounds = rounds.slice(0, 2).map((one) => ({ ...one, title: `Season permits and dues ${one.roundId}` }))
  const chart = (await open()).getByRole('region', { name: /How soon they answered/ })
  await expect
    .poll(() => [...chart.element().querySelectorAll('svg text')].map((text) => text.textContent))
    .toEqual(expect.arrayContaining(['… 6', '… 5']))
})

test('the shares are drawn from the earliest to the latest, and stand in a table; where opens were not counted the line has a gap', async () => {
  const screen = await open()
  const chart = screen.getByRole('region', { name: 'What came of each round' })
  await expect.element(chart.getByRole('img', { name: /What share of the letters arrived/ })).toBeVisible()
  const drawn = [...chart.element().querySelectorAll('path[stroke-width]')].map((path) => path.getAttribute('d')!)
  // Arrived, opened, answered: of opened one is missing among five, which makes two strokes.
  expect(drawn.map((d) => d.split('M').length - 1)).toEqual([1, 2, 1])
  await chart.getByText('As a table').click()
  const rows = chart.getByRole('row')
  await expect.element(rows.nth(1)).toHaveTextContent('Permits 2022Nov 202283% (50)50% (25)40% (20)')
  await expect.element(rows.nth(4)).toHaveTextContent('Permits 2025Nov 202583% (50)–40% (20)')
})

test('with one alone it says when there is something to compare', async () => {
  rounds = rounds.slice(0, 1)
  const screen = await open()
  await expect.element(screen.getByText(/^One round was posted to this list\./)).toBeVisible()
})

test('of very many the latest stand there, and it says how many do not', async () => {
  more = 3
  const screen = await open()
  await expect.element(screen.getByText('3 earlier rounds are not among them.')).toBeVisible()
})

test('where none was posted there is the way back; what cannot be shown is said', async () => {
  rounds = []
  const screen = await open()
  await expect.element(screen.getByText('No round to this list was posted yet')).toBeVisible()
  await expect.element(screen.getByRole('link', { name: 'The list' })).toHaveAttribute('href', '/people/lists/1')
})

test('a list that is gone is said', async () => {
  desk.on(routes.roundsOfList, () => {
    throw new Refused(404, 'There is no such list.')
  })
  await expect.element((await open()).getByText('There is no such list.')).toBeVisible()
})
