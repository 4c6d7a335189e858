import { type ContactGroup, routes } from '@hand-post/contract'
import { emptyLetter } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import LetterSheet from '../letter/LetterSheet.tsx'
import LettersScreen from '../letter/LettersScreen.tsx'
import { AddressBook } from '../people/AddressBook.tsx'
import ProofStage from '../proof/ProofStage.tsx'
import { OpenRound } from '../rounds/RoundContext.tsx'
import RowsTable from '../rounds/RowsTable.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aList, aRound, someRows, withRound, withRows } from '../testing/samples.ts'
import { until } from '../testing/until.ts'

function InRound({ children }: { children: ReactNode }) {
  const round = useQuery(query.round(5)).data
  return (
    round && (
      <OpenRound round={round} goTo={() => {}}>
        <div style={{ height: 600 }}>{children}</div>
      </OpenRound>
    )
  )
}

test('a finding is accepted with a reason, which must stand there, and the desk’s no stands beside it', async () => {
  const desk = openDesk()
  withRound(desk)
  const finding = {
    key: 'k1',
    check: 'sameName',
    title: 'Two people of one name',
    grade: 'ask' as const,
    rowId: 1,
    person: 'Ada Penrose',
    message: 'Another is called so.',
    mends: [],
    accepted: null,
  }
  desk
    .on(routes.proof, () => ({ people: 2, findings: [finding], stops: 0, asks: 1, unread: 0, mayPost: false }))
    .on(routes.readingSet, () => ({ people: 2, set: [], read: [] }))
    .on(routes.drafts, () => ({ people: 0, sent: 0, changed: 0, at: null }) as never)
    .on(routes.accept, () => {
      throw new Refused(409, 'The round is being posted.')
    })
  const { screen } = await draw(
    <InRound>
      <ProofStage />
    </InRound>,
  )
  await screen.getByRole('button', { name: 'Accept…' }).first().click()
  const why = screen.getByLabelText('Why is it right as it is?')
  const accept = screen.getByRole('button', { name: 'Accept', exact: true })
  await accept.click()
  await expect.element(why).toHaveAccessibleDescription(/This must be filled in/)
  await why.fill('x'.repeat(501))
  await accept.click()
  await expect.element(why).toHaveAccessibleDescription(/At most 500 characters/)
  expect(desk.bodiesOf(routes.accept)).toEqual([])
  await why.fill(' They share a mailbox ')
  await accept.click()
  await expect.element(screen.getByText('The round is being posted.')).toBeVisible()
  await expect.element(why).toHaveValue(' They share a mailbox ')
  desk.on(routes.accept, () => ({}))
  await why.click()
  await userEvent.keyboard('{Enter}')
  await expect.element(why).not.toBeInTheDocument()
  expect(desk.bodiesOf(routes.accept).at(-1)).toEqual({ keys: ['k1'], reason: 'They share a mailbox' })
})

test('groups are added and renamed; a name that is missing, too long or taken is said at the field', async () => {
  const groups: ContactGroup[] = [{ id: 1, name: 'Committee', members: [1] }]
  const desk = withRows(openDesk(), () => ({ version: 1, rows: someRows }))
    .on(routes.book, () => ({ list: aList({ book: true }), groups }))
    .on(routes.addGroup, ({ body }) => {
      if (groups.some((g) => g.name === body.name)) throw new Refused(409, 'There is a group of that name.')
      groups.push({ id: 2, name: body.name, members: body.members })
      return groups.at(-1)!
    })
    .on(routes.changeGroup, ({ params, body }) => {
      const group = groups.find((g) => g.id === Number(params.group))!
      if (body.name) group.name = body.name
      return group
    })
  const { screen } = await draw(
    <div style={{ height: 600 }} className="flex">
      <AddressBook />
    </div>,
  )
  const name = screen.getByLabelText('New group')
  const add = screen.getByRole('button', { name: 'Add', exact: true })
  await add.click()
  await expect.element(name).toHaveAccessibleDescription('This must be filled in.')
  await name.fill('x'.repeat(101))
  await add.click()
  await expect.element(name).toHaveAccessibleDescription('At most 100 characters.')
  await name.fill('Committee')
  await add.click()
  await expect.element(screen.getByText('There is a group of that name.')).toBeVisible()
  await expect.element(name).toHaveValue('Committee')
  await name.fill('Pier A')
  await add.click()
  await expect.element(screen.getByRole('button', { name: /^Pier A/ })).toHaveAttribute('aria-pressed', 'true')
  await expect.element(name).toHaveValue('')

  await screen.getByRole('button', { name: 'Rename “Pier A”' }).click()
  const again = screen.getByLabelText('New name of the group')
  await expect.element(again).toHaveFocus()
  await again.fill(' ')
  await userEvent.keyboard('{Enter}')
  await expect.element(again).toHaveAccessibleDescription('This must be filled in.')
  await again.fill('Pier B')
  await userEvent.keyboard('{Enter}')
  await expect.element(screen.getByRole('button', { name: 'Rename “Pier B”' })).toBeVisible()
  // Left by Escape, it stays as it is.
  await screen.getByRole('button', { name: 'Rename “Pier B”' }).click()
  await again.fill('Pier C')
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByRole('button', { name: 'Rename “Pier B”' })).toBeVisible()
  expect(desk.bodiesOf(routes.changeGroup).map((body) => body.name)).toEqual(['Pier B'])
})

const onShelf = { id: 4, name: 'Plain', tags: ['spring'], subject: 'S', beginning: '', createdAt: 0, changedAt: 1 }
const shelf = (desk: ReturnType<typeof openDesk>) =>
  desk
    .on(routes.shelf, () => [onShelf])
    .on(routes.rounds, () => [])
    .on(routes.letterVersions, () => [])
    .on(routes.shelfVersions, () => [])
    .on(routes.shelfLetter, () => ({ ...onShelf, letter: emptyLetter }) as never)
    .on(routes.putOnShelf, () => ({ ...onShelf, letter: emptyLetter }) as never)
    .on(routes.changeOnShelf, () => ({ ...onShelf, letter: emptyLetter }) as never)

test('a letter is kept on the shelf under a name; where one is called so, it takes its place', async () => {
  const desk = shelf(openDesk())
  const kept = withRound(desk)
  const close = vi.fn()
  const { screen } = await draw(
    <InRound>
      <LetterSheet onClose={close} />
    </InRound>,
  )
  await screen.getByRole('tab', { name: 'Keep on the shelf' }).click()
  const name = screen.getByLabelText('Name on the shelf')
  const tags = screen.getByLabelText('Tags')
  await expect.element(name).toHaveValue('Season permits')
  await name.fill('')
  await tags.fill(`one, ${'x'.repeat(51)}`)
  await screen.getByRole('button', { name: 'Keep it' }).click()
  await expect.element(name).toHaveAccessibleDescription('This must be filled in.')
  await expect.element(tags).toHaveAccessibleDescription('At most 50 characters.')
  expect(desk.bodiesOf(routes.putOnShelf)).toEqual([])
  await name.fill('pLAIN')
  await tags.fill('permits; spring,, ')
  await expect.element(screen.getByText('“Plain” is on the shelf already.')).toBeVisible()
  await name.fill('Permits')
  await screen.getByRole('button', { name: 'Keep it' }).click()
  await until(() => expect(close).toHaveBeenCalled())
  expect(desk.bodiesOf(routes.putOnShelf)).toEqual([
    { name: 'Permits', tags: ['permits', 'spring'], letter: kept.round.letter },
  ])
})

test('a round that begins with a letter of the shelf asks for its title, like any other', async () => {
  const desk = shelf(openDesk())
  withRound(desk)
  desk.on(routes.startRound, ({ body }) => aRound({ title: body.title }))
  const { screen, router } = await draw(<LettersScreen />)
  await screen.getByRole('button', { name: /^Plain spring/ }).click()
  await screen.getByRole('button', { name: 'Start a round with it' }).click()
  const title = screen.getByLabelText('What is this round about?')
  await expect.element(title).toHaveValue('')
  await screen.getByRole('button', { name: 'Start with the people' }).click()
  await expect.element(title).toHaveAccessibleDescription(/This must be filled in/)
  await title.fill('Spring permits')
  await userEvent.keyboard('{Enter}')
  await expect.poll(() => router.state.location.pathname).toBe('/rounds/5/people')
  expect(desk.bodiesOf(routes.startRound)).toEqual([{ title: 'Spring permits' }])
  expect(desk.bodiesOf(routes.changeRound)).toEqual([{ letter: emptyLetter }])
})

test('blanks are settled for all of them at once: nothing is written, or the same words', async () => {
  const desk = openDesk()
  const kept = withRound(
    desk,
    aRound({
      letter: {
        subject: '{{Name, or "you"}} and {{Name}}',
        body: { type: 'doc', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Hello' }] }] },
      },
    }),
  )
  const finding = {
    key: 'k1',
    check: 'blankField',
    title: 'Blank without a stand-in',
    grade: 'stop' as const,
    rowId: 1,
    person: 'Ada Penrose',
    message: '“Name” is blank here.',
    mends: [{ do: 'standIn' as const, column: 'Name' }],
    accepted: null,
  }
  desk
    .on(routes.proof, () => ({ people: 2, findings: [finding], stops: 1, asks: 0, unread: 0, mayPost: false }))
    .on(routes.readingSet, () => ({ people: 2, set: [], read: [] }))
    .on(routes.drafts, () => ({ people: 0, sent: 0, changed: 0, at: null }) as never)
    .on(routes.columnValues, () => ({ values: [], different: 0, blank: 2 }))
  const { screen } = await draw(
    <InRound>
      <ProofStage />
    </InRound>,
  )
  await screen.getByRole('button', { name: 'Write nothing for all of them, and close up the space' }).click()
  await expect.element(screen.getByText('Nothing is written where “Name” is blank.')).toBeVisible()
  expect(kept.round.letter.subject).toBe('{{Name, or "you"}} and {{Name, or ""}}')
  await screen.getByRole('button', { name: 'Undo' }).click()
  await expect.poll(() => kept.round.letter.subject).toBe('{{Name, or "you"}} and {{Name}}')
  await screen.getByLabelText('Or these words for all of them').fill('neighbour')
  await userEvent.keyboard('{Enter}')
  await expect.poll(() => kept.round.letter.subject).toBe('{{Name, or "you"}} and {{Name, or "neighbour"}}')
})

test('a letter of the shelf is renamed when its field is left; a name that is none is said and not kept', async () => {
  const desk = shelf(openDesk()).on(routes.mailboxes, () => [])
  const { screen } = await draw(<LettersScreen />)
  await screen.getByRole('button', { name: /^Plain spring/ }).click()
  const name = screen.getByLabelText('Name', { exact: true })
  await name.fill(' ')
  await userEvent.tab()
  await expect.element(name).toHaveAccessibleDescription('This must be filled in.')
  expect(desk.bodiesOf(routes.changeOnShelf)).toEqual([])
  await name.fill('Plainer')
  await userEvent.tab()
  await until(() => expect(desk.bodiesOf(routes.changeOnShelf)).toEqual([{ name: 'Plainer', tags: ['spring'] }]))
})

test('people are set aside with a reason; what the desk refuses is said, and the others are set aside', async () => {
  const desk = openDesk()
  withRound(desk)
  desk.on(routes.setAside, ({ params }) => {
    if (params.row === '2') throw new Refused(409, 'Bram Sloe’s letter has gone.')
    return {}
  })
  const { screen } = await draw(
    <InRound>
      <div className="flex h-full flex-col">
        <RowsTable tools />
      </div>
    </InRound>,
  )
  await screen.getByRole('gridcell', { name: 'Ada Penrose' }).click()
  await userEvent.keyboard('{Shift>}{ArrowDown}{/Shift}')
  await screen.getByRole('button', { name: 'Rows' }).click()
  await screen.getByText('Set the selected rows aside…').click()
  const why = screen.getByLabelText('Why')
  await why.fill('moved away')
  await screen.getByRole('button', { name: 'Set aside', exact: true }).click()
  await expect.element(screen.getByText('Bram Sloe’s letter has gone.')).toBeVisible()
  expect(desk.bodiesOf(routes.setAside)).toEqual([{ reason: 'moved away' }, { reason: 'moved away' }])
})
