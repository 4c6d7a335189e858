import { type Reading, routes } from '@hand-post/contract'
import { expect, test, vi } from 'vitest'
import { queries } from '../api.ts'
import { draw, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aList, withList } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { AddressBook } from './AddressBook.tsx'
import { BringIn } from './BringIn.tsx'
import { Found } from './Found.tsx'
import { likeliestSheet } from './likeliestSheet.ts'

const aReading = (parts: Partial<Reading> = {}): Reading => ({
  id: 'a-reading',
  fileName: 'people.xlsx',
  delimiter: null,
  encoding: null,
  quote: null,
  language: null,
  sheets: [{ name: 'People', rows: 3, columns: 2, hidden: false, hasAddresses: true, glimpse: [] }],
  ...parts,
})
const sheet = (name: string, parts: Partial<Reading['sheets'][number]> = {}) => ({
  name,
  rows: 20,
  columns: 3,
  hidden: false,
  hasAddresses: false,
  glimpse: [],
  ...parts,
})

test('of several sheets the first in sight that has addresses is opened', () => {
  const at = (...sheets: Reading['sheets']) => likeliestSheet(aReading({ sheets }))
  expect(
    at(sheet('Fees'), sheet('Old', { hidden: true, hasAddresses: true }), sheet('Members', { hasAddresses: true })),
  ).toBe(2)
  expect(at(sheet('Cover', { rows: 1 }), sheet('Fees'))).toBe(1)
  expect(at(sheet('Cover', { rows: 1 }))).toBe(0)
})

test('of two columns of addresses one is asked for, with the first address of each, and stored with the list', async () => {
  const desk = openDesk()
    .on(routes.readTable, () => ({
      headingsRow: 0,
      headingRows: 1 as const,
      doubtfulHeading: null,
      language: null,
      lastRow: 1,
      columns: [
        { id: 'c1', name: 'Email', kind: 'address' as const },
        { id: 'c2', name: 'Secretary', kind: 'address' as const },
      ],
      firstRows: [['Email', 'Secretary']],
      lastRows: { from: 0, rows: [] },
      rowCount: 1,
      sheetRows: 2,
      addressColumn: 'c1',
      addressColumns: [
        { id: 'c1', name: 'Email', example: 'ada@quay.example' },
        { id: 'c2', name: 'Secretary', example: 'office@quay.example' },
      ],
      hidden: { rows: 0, filtered: 0, columns: 0 },
      undecided: [],
      said: [],
    }))
    .on(routes.makeList, () => aList())
  const onDone = vi.fn()
  const { screen } = await draw(<Found reading={aReading()} onDone={onDone} onBack={() => {}} />)
  await expect.element(screen.getByText('2 columns hold addresses. Which one are the letters sent to?')).toBeVisible()
  await expect.element(screen.getByRole('button', { name: /^Email/, pressed: true })).toBeVisible()
  await screen.getByRole('button', { name: 'Secretary (office@quay.example)' }).click()
  await screen.getByRole('button', { name: 'Bring in 1 row' }).click()
  await expect.poll(() => desk.bodiesOf(routes.makeList)[0]?.addressColumn).toBe('c2')
  await until(() => expect(onDone).toHaveBeenCalled())
})

test('all lists and rounds can be chosen from, and are searched', async () => {
  openDesk()
    .on(routes.book, () => ({ list: aList({ book: true }), groups: [] }))
    .on(routes.rounds, () => [])
  const lists = Array.from({ length: 40 }, (_, i) => aList({ id: i + 1, name: `List ${i + 1}` }))
  const onDone = vi.fn()
  const { screen } = await draw(<BringIn lists={lists} onDone={onDone} />)
  await expect.element(screen.getByRole('list', { name: 'Lists' }).getByRole('button')).toHaveLength(40)
  await screen.getByRole('searchbox', { name: 'Search: Lists' }).fill('list 37')
  await expect.element(screen.getByText('1 match.')).toBeVisible()
  await screen.getByRole('button', { name: /List 37/ }).click()
  expect(onDone).toHaveBeenCalledWith(lists[36])
  await screen.getByRole('searchbox', { name: 'Search: Lists' }).fill('zzz')
  await expect.element(screen.getByText('None has these words in its name.')).toBeVisible()
})

test('contacts go into the address book and the group that is open; categories become groups if wished', async () => {
  const desk = openDesk()
  const book = aList({ name: 'Address book', book: true })
  withList(desk, book)
  const plan = (asGroups: boolean) => ({
    version: 1,
    added: 2,
    known: 1,
    filled: 1,
    differing: 1,
    repeated: 0,
    newColumns: asGroups ? [] : ['Groups'],
    groups: [{ name: 'Divers', people: 2 }],
    groupCount: 1,
    people: [
      { person: 'Ada Penrose', isNew: false, differs: [{ column: 'Name', here: 'Ada Penrose', there: 'A. Penrose' }] },
      { person: 'Cy Tarn', isNew: true, differs: [] },
    ],
    said: [],
  })
  let refuses = true
  desk
    .on(routes.book, () => ({ list: book, groups: [{ id: 4, name: 'Crew', members: [1] }] }))
    .on(routes.readFile, () => aReading({ fileName: 'cards.vcf' }))
    .on(routes.planContacts, ({ body }) => plan(body.asGroups))
    .on(routes.bringInContacts, () => {
      if (refuses) throw new Refused(409, 'The address book was changed meanwhile. Nothing was brought in.')
      return { list: { ...book, version: 2 }, edits: [], words: 'Bring in contacts', said: [] }
    })
  const { screen } = await draw(
    <div style={{ height: 600 }} className="flex">
      <AddressBook />
    </div>,
  )
  await screen.getByRole('button', { name: 'Crew 1' }).click()
  await screen.getByRole('button', { name: 'Bring in contacts' }).click()
  await expect.element(screen.getByRole('heading', { name: 'Bring in contacts for “Crew”' })).toBeVisible()
  await screen.getByLabelText(/^Or paste/).fill('BEGIN:VCARD')
  await screen.getByRole('button', { name: 'Read what was pasted' }).click()
  await expect
    .element(
      screen.getByText('2 new contacts; 1 already in the address book, 1 of whom gets something that was blank.'),
    )
    .toBeVisible()
  await expect.element(screen.getByText(/gone/)).not.toBeInTheDocument()
  await expect.element(screen.getByText('The address book gets 1 new column: “Groups”.')).toBeVisible()
  await screen.getByRole('checkbox', { name: /Make groups of their categories/ }).click()
  await expect.element(screen.getByText(/gets 1 new column/)).not.toBeInTheDocument()
  await expect.element(screen.getByText('And 1 more new contact.')).toBeVisible()
  // Too many groups is no dead end.
  await screen.getByRole('checkbox', { name: /Make groups of their categories/ }).click()
  desk.on(routes.planContacts, ({ body }) => {
    if (body.asGroups) throw new Refused(422, 'The table names 600 groups.')
    return plan(false)
  })
  queries.removeQueries({ queryKey: ['contacts-plan'] })
  await screen.getByRole('checkbox', { name: /Make groups of their categories/ }).click()
  await expect.element(screen.getByText('The table names 600 groups.')).toBeVisible()
  await screen.getByRole('button', { name: 'Make no groups' }).click()
  await expect.element(screen.getByText(/gets 1 new column/)).toBeVisible()
  desk.on(routes.planContacts, ({ body }) => plan(body.asGroups))
  queries.removeQueries({ queryKey: ['contacts-plan'] })
  await screen.getByRole('checkbox', { name: /Make groups of their categories/ }).click()
  await screen.getByRole('button', { name: 'The file', exact: true }).click()
  await screen.getByRole('button', { name: 'Bring in 3 contacts' }).click()
  await expect.element(screen.getByRole('alert')).toHaveTextContent('Nothing was brought in.')
  refuses = false
  await screen.getByRole('button', { name: 'Bring in 3 contacts' }).click()
  await expect.element(screen.getByRole('heading', { name: 'Crew' })).toBeVisible()
  expect(desk.bodiesOf(routes.bringInContacts).at(-1)).toMatchObject({
    reading: 'a-reading',
    asGroups: true,
    group: 4,
    differing: 'replace',
    version: 1,
  })
})
