import { type ListLine, lifeParts, type PersonPage, type RoundOverview, routes } from '@hand-post/contract'
import { expect, test } from 'vitest'
import Mailboxes from '../mailboxes/Mailboxes.tsx'
import PeopleScreen from '../people/PeopleScreen.tsx'
import PersonScreen from '../responses/PersonScreen.tsx'
import { daySpan } from '../shared/moment.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aMailbox, noPaper } from '../testing/samples.ts'
import Rounds from './Rounds.tsx'

const day = Date.parse('2026-11-26T10:00:00Z')
const hour = 3_600_000
const part = (values: Record<number, number>) => Array.from({ length: lifeParts }, (_, i) => values[i] ?? 0)
const none = { waiting: 0, sending: 0, sent: 0, retrying: 0, refused: 0, inDoubt: 0, setAside: 0, withdrawn: 0 }
const aLine = (parts: Partial<RoundOverview>): RoundOverview => ({
  id: 1,
  title: 'Season permits',
  mailboxId: 7,
  listName: 'Holders',
  rowCount: 62,
  postedAt: null,
  held: false,
  states: none,
  paperLetters: noPaper,
  replied: 0,
  bounced: 0,
  firstAt: null,
  lastAt: null,
  changedAt: day,
  subject: '',
  inTray: 0,
  outcomeWords: [],
  choices: [],
  life: null,
  ...parts,
})

test('rounds are grouped by their state, each with its days, its life in words, and what waits for whom', async () => {
  const posted = { postedAt: day, firstAt: day, lastAt: day + 30 * hour }
  openDesk()
    .on(routes.lists, () => [])
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.rounds, () => [
      aLine({ id: 1, title: 'No list', listName: null, rowCount: 0 }),
      aLine({ id: 2, title: 'No letter' }),
      aLine({ id: 3, title: 'Written', subject: 'For {{Name}}' }),
      aLine({
        ...posted,
        id: 4,
        title: 'Under way',
        states: { ...none, sent: 40, waiting: 20, refused: 1, inDoubt: 1 },
        replied: 8,
        bounced: 2,
        inTray: 10,
        life: {
          from: day,
          to: day + 30 * hour,
          gone: part({ 0: 40 }),
          toGo: part({ 23: 20 }),
          answered: part({ 4: 8 }),
        },
      }),
      aLine({ ...posted, id: 5, title: 'Held', held: true, states: { ...none, sent: 1, waiting: 1 } }),
      aLine({ ...posted, id: 6, title: 'All answered', states: { ...none, sent: 2 }, replied: 2 }),
      aLine({ ...posted, id: 7, title: 'One is silent', states: { ...none, sent: 2 }, replied: 1 }),
      aLine({ ...posted, id: 8, title: 'On paper', paperLetters: { ...noPaper, toPrint: 2 } }),
    ])
  const { screen } = await draw(<Rounds />)
  const text = (name: string) => screen.getByRole('row', { name }).element().textContent
  await expect.element(screen.getByRole('row', { name: 'Under way' })).toBeVisible()
  expect(
    screen
      .getByRole('heading', { level: 2 })
      .elements()
      .map((h) => h.textContent),
  ).toEqual(['Going out', 'Not posted yet', 'Finished'])
  expect(text('No list')).toContain('Bring in a list')
  expect(text('No letter')).toContain('Write the letter')
  expect(text('Written')).toMatch(/For \{\{Name\}\}.*Proof it, and post it/)
  const underWay = text('Under way')!
  for (const words of [
    '40 of 62',
    '8 of 40',
    '1 letter in doubt: settle it',
    '20 letters to go until',
    '10 messages in the in-tray',
    '1 letter refused',
    '30 people have not answered',
  ])
    expect(underWay).toContain(words)
  // What is most pressing stands first.
  expect(underWay.indexOf('in doubt')).toBeLessThan(underWay.indexOf('to go until'))
  await expect
    .element(screen.getByRole('img', { name: /: 40 letters sent, 20 to go, 8 people have answered$/ }))
    .toBeVisible()
  expect(text('Held')).toContain('1 letter held until you carry on')
  expect(text('All answered')).toContain('Nothing: everybody has answered')
  expect(text('One is silent')).toContain('1 person has not answered')
  expect(text('On paper')).toMatch(/to print.*2 letters on paper to be printed/)
  await screen.getByRole('searchbox').fill('for name')
  await expect.element(screen.getByRole('row', { name: 'Under way' })).not.toBeInTheDocument()
  await expect.element(screen.getByRole('row', { name: 'Written' })).toBeVisible()
  await screen.getByRole('searchbox').fill('')
})

test('a round whose letters have no time yet does not say until when they go', async () => {
  openDesk()
    .on(routes.lists, () => [])
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.rounds, () => [aLine({ postedAt: day, title: 'Just posted', states: { ...none, waiting: 12 } })])
  const { screen } = await draw(<Rounds />)
  await expect.element(screen.getByText('12 letters to go', { exact: true })).toBeVisible()
})

test('where there is no round, no list, no letter, it is said what each line will show', async () => {
  const desk = openDesk()
    .on(routes.rounds, () => [])
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.lists, () => [])
  const rounds = await draw(<Rounds />)
  await expect
    .element(rounds.screen.getByRole('list', { name: 'What each line will show' }))
    .toHaveTextContent(/Its life, drawn/)
  desk.on(routes.person, ({ query }) => ({
    address: query.address,
    also: query.address.startsWith('ada') ? ['ada.home@elsewhere.example'] : [],
    name: 'Ada Penrose',
    contact: null,
    doNotWrite: null,
    rounds: [],
  }))
  const person = await draw(<PersonScreen />, '/?address=ada@quay.example')
  await expect.element(person.screen.getByText('Never written to')).toBeVisible()
})

test('the days of a round are said as short as can be', () => {
  const at = (text: string) => Date.parse(text)
  const now = at('2026-11-27T12:00:00')
  expect(daySpan(at('2026-11-26T10:00:00'), at('2026-11-26T18:00:00'), now)).toBe('Thu 26 Nov')
  expect(daySpan(at('2026-11-26T10:00:00'), at('2026-11-28T18:00:00'), now)).toBe('Thu 26 – Sat 28 Nov')
  expect(daySpan(at('2026-11-26T10:00:00'), at('2026-12-01T18:00:00'), now)).toBe('Thu 26 Nov – Tue 1 Dec')
  expect(daySpan(at('2026-12-30T10:00:00'), at('2027-01-02T18:00:00'), now)).toBe('Wed 30 Dec – Sat 2 Jan 2027')
  expect(daySpan(at('2025-11-26T10:00:00'), at('2025-11-28T18:00:00'), now)).toBe('Wed 26 – Fri 28 Nov 2025')
})

test('lists show their file, columns, rounds and day; one that a round uses cannot be deleted', async () => {
  const columns = Array.from({ length: 9 }, (_, i) => ({ id: `c${i}`, name: `Column ${i}`, kind: 'text' as const }))
  const lists: ListLine[] = [
    {
      ...aList({ id: 3, name: 'Holders', columns, source: { fileName: 'holders.xlsx', sheet: 'Pier A', said: [] } }),
      rounds: [4, 3, 2, 1].map((id) => ({ id, title: `Round ${id}`, posted: false })),
    },
    { ...aList({ id: 4, name: 'Typed', source: { fileName: null, sheet: null, said: [] } }), rounds: [] },
  ]
  const desk = openDesk()
    .on(routes.lists, () => lists)
    .on(routes.deleteList, () => ({}))
  const { screen } = await draw(<PeopleScreen />)
  const row = screen.getByRole('row', { name: 'Holders' })
  await expect.element(row).toHaveTextContent('From holders.xlsx, sheet “Pier A”')
  await expect.element(row).toHaveTextContent(/Column 0, .*Column 5 and 3 more/)
  await expect.element(row).toHaveTextContent('Round 4Round 3Round 2and 1 earlier one')
  await expect.element(screen.getByRole('button', { name: 'Delete “Holders”' })).toBeDisabled()
  await screen.getByRole('button', { name: 'Delete “Typed”' }).click()
  await expect.element(screen.getByText('“Typed” was deleted.')).toBeVisible()
  expect(desk.asked.map((a) => a.params.list)).toEqual(['4'])
})

test('a person has every letter with its words, its files, and what came back; a reason only where it did not go', async () => {
  const letter: PersonPage['rounds'][number] = {
    round: 1,
    title: 'Permits',
    row: 1,
    address: 'ada@quay.example',
    subject: 'Your permit',
    text: 'Dear Ada,\nhere it is.',
    files: [{ name: 'permit.pdf', hash: 'a'.repeat(64), size: 9 }],
    state: 'sent',
    outcome: 'replied',
    sentAt: day,
    plannedAt: day,
    reason: '250 taken',
    returned: [],
    responses: [
      { kind: 'open', at: day + 1, words: '', forgotten: false },
      { kind: 'reply', at: day + 2, words: 'Thank you.', forgotten: false },
      { kind: 'automatic', at: day + 3, words: '', forgotten: true },
    ],
  }
  const desk = openDesk()
    .on(routes.forgetAddress, () => ({}))
    .on(routes.person, ({ query }) => ({
      address: query.address,
      also: query.address.startsWith('ada') ? ['ada.home@elsewhere.example'] : [],
      name: 'Ada Penrose',
      contact: null,
      doNotWrite: null,
      rounds: [
        letter,
        {
          ...letter,
          round: 2,
          state: 'refused' as const,
          outcome: 'refused' as const,
          reason: 'No such mailbox',
          address: 'ada.home@elsewhere.example',
          returned: [],
          responses: [],
        },
      ],
    }))
  const { screen } = await draw(<PersonScreen />, '/?address=ada@quay.example')
  await expect.element(screen.getByText('1 letter sent, 1 file enclosed, 1 answer.')).toBeVisible()
  await expect
    .element(screen.getByRole('link', { name: 'permit.pdf' }).first())
    .toHaveAttribute('href', `/api/files/${'a'.repeat(64)}?name=permit.pdf`)
  await expect.element(screen.getByText('Dear Ada,').first()).not.toBeVisible()
  await screen.getByText('Your permit').first().click()
  await expect.element(screen.getByText('Dear Ada,').first()).toBeVisible()
  await expect.element(screen.getByText(/^Answered /)).toBeVisible()
  await expect.element(screen.getByText('Its words are forgotten.')).toBeVisible()
  await expect.element(screen.getByText('No such mailbox')).toBeVisible()
  await expect.element(screen.getByText('250 taken')).not.toBeInTheDocument()
  // One went to another address of theirs, which can be forgotten.
  await expect.element(screen.getByText('to ada.home@elsewhere.example')).toBeVisible()
  await screen.getByRole('button', { name: 'Forget it' }).click()
  await expect.poll(() => desk.asked.map(({ route }) => route)).toContain(routes.forgetAddress)
})

test('a mailbox shows its day by the hour, drawn and as a table', async () => {
  const hours = Array.from({ length: 48 }, (_, i) => ({
    at: day + (i - 24) * hour,
    gone: i === 20 ? 30 : 0,
    other: i === 21 ? 11 : 0,
    planned: i === 30 ? 1 : 0,
  }))
  openDesk()
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.mailboxUse, () => ({ now: day, hours }))
  const { screen } = await draw(<Mailboxes />)
  await expect
    .element(
      screen.getByText(
        '41 recipients were written to in the last 24 hours, 11 of them by other mail; 1 recipient planned for the next 24.',
      ),
    )
    .toBeVisible()
  await screen.getByText('As a table').click()
  expect(
    screen
      .getByRole('row')
      .elements()
      .map((r) => r.textContent),
  ).toEqual([
    'Hour fromBy Hand PostBy other mailPlanned',
    expect.stringMatching(/^Thu 26 Nov( 2026)? 06:00( \(Europe\/London\))?3000$/),
    expect.stringMatching(/^Thu 26 Nov( 2026)? 07:00( \(Europe\/London\))?0110$/),
    expect.stringMatching(/^Thu 26 Nov( 2026)? 16:00( \(Europe\/London\))?001$/),
  ])
})
