import { type PaperLetter, type Round, routes } from '@hand-post/contract'
import type { Row } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { afterEach, expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { MessagePane } from '../rounds/MessagePane.tsx'
import { OpenRound } from '../rounds/RoundContext.tsx'
import RowsTable from '../rounds/RowsTable.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aRound, noPaper, withRound, withRows } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { PaperLetters } from './PaperLetters.tsx'
import { PaperButton, PaperQuestion } from './PaperQuestion.tsx'

afterEach(() => void vi.restoreAllMocks())

const list = aList({
  columns: [
    { id: 'c1', name: 'Name', kind: 'text' },
    { id: 'c2', name: 'Email', kind: 'address' },
    { id: 'c3', name: 'Street', kind: 'text' },
    { id: 'c4', name: 'Town', kind: 'text' },
    { id: 'c5', name: 'Postcode', kind: 'text' },
  ],
})
const rows: Row[] = [
  { id: 1, position: 'a0', cells: { c1: 'Ada Penrose', c2: 'ada@quay.example', c3: '1 Quay', c4: 'Brindle' } },
  { id: 2, position: 'a1', cells: { c1: 'Bram Sloe', c3: '2 Quay', c4: 'Brindle', c5: 'BQ1 1AB' } },
  { id: 3, position: 'a2', cells: { c1: 'Cy Tolland' } },
]
const form = (parts: Partial<Round> = {}) => aRound({ list, nameColumns: ['c1'], ...parts })

/** The stage with whatever is drawn of it; who gets the letter on paper follows from what the desk was told, as it does there. */
async function drawRound(start: Round, children: React.ReactNode) {
  const desk = openDesk()
  const kept = withRound(desk, start)
  withRows(desk, () => ({ version: 1, rows })).on(routes.people, () => {
    const { who } = kept.round.paper
    const onPaper = who === 'everybody' ? [1, 2, 3] : who === 'withoutAddress' ? [2, 3] : []
    const none = {
      byRule: [],
      setAside: [],
      doNotWrite: [],
      joined: [],
      together: [],
      sameAddress: [],
      notChased: [],
    }
    return {
      ...none,
      counts: kept.round.counts,
      sentence: '',
      chosen: [1, 2, 3].filter((id) => !onPaper.includes(id)),
      onPaper,
      withoutAddress: 2,
      doubled: 0,
      lateComers: [],
    }
  })
  function InRound() {
    const round = useQuery(query.round(5)).data
    return (
      round && (
        <OpenRound round={round} goTo={() => {}}>
          {children}
        </OpenRound>
      )
    )
  }
  const { screen } = await draw(<InRound />)
  return { desk, kept, screen }
}

test('where some have no address, paper is offered; one click puts them on it, with the address as its columns tell', async () => {
  const { kept, screen } = await drawRound(form(), <PaperQuestion />)
  await expect.element(screen.getByText(/2 people have no address/)).toBeVisible()
  await screen.getByRole('button', { name: 'Put them on paper' }).click()
  const sheet = screen.getByRole('dialog', { name: 'Letters on paper' })
  await expect.element(sheet.getByRole('radio', { name: /Whoever has no address \(2\)/ })).toBeChecked()
  await until(() =>
    expect(kept.round.paper).toMatchObject({
      who: 'withoutAddress',
      columns: ['c1', 'c3', 'c4', 'c5'].map((column) => ({ column, sameLine: false })),
    }),
  )
  const picture = sheet.getByRole('img', { name: /window at the left, showing: Bram Sloe, 2 Quay, Brindle, BQ1 1AB/ })
  await expect.element(picture).toBeVisible()
  // The next one has a name only; with nothing of the address left, that is said in words.
  await sheet.getByRole('button', { name: 'Next address' }).click()
  await expect.element(sheet.getByRole('img', { name: /showing: Cy Tolland$/ })).toBeVisible()
  await sheet.getByRole('button', { name: 'Take column 1 out of the address' }).click()
  await expect.element(sheet.getByText('This person has no postal address.')).toBeVisible()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByText('2 letters go by paper post.')).toBeVisible()
})

test('columns are put in order, on one line, taken out and added; the envelope is chosen, and drawn so', async () => {
  const paper = {
    ...aRound().paper,
    who: 'withoutAddress' as const,
    columns: ['c1', 'c5', 'c4'].map((column) => ({ column, sameLine: false })),
  }
  const { kept, screen } = await drawRound(form({ paper }), <PaperQuestion />)
  await screen.getByRole('button', { name: 'Letters on paper…' }).click()
  const sheet = screen.getByRole('dialog', { name: 'Letters on paper' })
  await sheet.getByRole('checkbox', { name: 'on the same line' }).nth(1).click()
  await expect.element(sheet.getByRole('img', { name: /showing: Bram Sloe, BQ1 1AB Brindle$/ })).toBeVisible()
  await sheet.getByRole('combobox', { name: 'Add a column…' }).selectOptions('Street')
  await sheet.getByRole('button', { name: 'Move column 4 up' }).click()
  await sheet.getByRole('button', { name: 'Move column 3 up' }).click()
  await expect.element(sheet.getByRole('img', { name: /showing: Bram Sloe, 2 Quay, BQ1 1AB Brindle$/ })).toBeVisible()
  expect(kept.round.paper.columns).toEqual([
    { column: 'c1', sameLine: false },
    { column: 'c3', sameLine: false },
    { column: 'c5', sameLine: false },
    { column: 'c4', sameLine: true },
  ])
  await sheet.getByRole('combobox', { name: 'Size' }).selectOptions('c56')
  await sheet.getByRole('combobox', { name: 'Window' }).selectOptions('right')
  await sheet.getByRole('checkbox', { name: /Fold marks/ }).click()
  await expect
    .element(sheet.getByRole('img', { name: /C5\/6, 114 × 229 mm with its window at the right/ }))
    .toBeVisible()
  await expect
    .element(sheet.getByRole('link', { name: /Test page/ }))
    .toHaveAttribute('href', '/api/paper-test-page.pdf?envelope=c56&window=right')
  await until(() => expect(kept.round.paper).toMatchObject({ envelope: 'c56', window: 'right', foldMarks: false }))
})

test('without any column whose name tells, that is said, and nothing is guessed', async () => {
  const plain = aList({ columns: [list.columns[0], list.columns[1], { id: 'c3', name: 'Where', kind: 'text' }] })
  const { kept, screen } = await drawRound(form({ list: plain }), <PaperButton />)
  await screen.getByRole('button', { name: 'On paper…' }).click()
  const sheet = screen.getByRole('dialog', { name: 'Letters on paper' })
  await sheet.getByRole('button', { name: /what the names of the columns tell/ }).click()
  await expect.element(sheet.getByText(/No name of a column tells of a street/)).toBeVisible()
  await sheet.getByRole('radio', { name: /Everybody in the round/ }).click()
  await until(() => expect(kept.round.paper).toMatchObject({ who: 'everybody', columns: [] }))
})

test('whoever gets it on paper is shown with the postal address, and neither copies nor size; the others as ever', async () => {
  const paper = {
    ...aRound().paper,
    who: 'withoutAddress' as const,
    columns: ['c1', 'c3'].map((column) => ({ column, sameLine: false })),
  }
  const { screen } = await drawRound(form({ paper, cc: ['crew@quay.example'] }), <MessagePane />)
  await expect.element(screen.getByText('Ada Penrose <ada@quay.example>')).toBeVisible()
  await expect.element(screen.getByText('crew@quay.example')).toBeVisible()
  await screen.getByRole('button', { name: /Next person/ }).click()
  await expect.element(screen.getByText('By paper post to')).toBeVisible()
  await expect.element(screen.getByText('2 Quay')).toBeVisible()
  await expect.element(screen.getByText('2 of 3')).toBeVisible()
  await expect.element(screen.getByText('crew@quay.example')).not.toBeInTheDocument()
  await expect.element(screen.getByText('Keep as .eml')).not.toBeInTheDocument()
})

test('selected rows are put on paper, and taken off it again; each shows in the table how it goes', async () => {
  const { desk, screen } = await drawRound(
    form({ paper: { ...aRound().paper, who: 'withoutAddress' } }),
    <div style={{ height: 600 }} className="flex flex-col">
      <RowsTable tools />
    </div>,
  )
  desk.on(routes.putOnPaper, () => ({}))
  await expect.element(screen.getByRole('button', { name: 'on paper' }).nth(1)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'yes' })).toBeVisible()
  await screen.getByRole('gridcell', { name: 'Ada Penrose' }).click()
  await userEvent.keyboard('{Shift>}{ArrowDown}{/Shift}')
  for (const words of ['Put the selected rows on paper', 'Send the selected rows a message again']) {
    await screen.getByRole('button', { name: 'Rows' }).click()
    await screen.getByText(words).click()
  }
  await until(() =>
    expect(desk.bodiesOf(routes.putOnPaper)).toEqual([
      { rows: [1, 2], onPaper: true },
      { rows: [1, 2], onPaper: false },
    ]),
  )
})

const letter = (id: number, parts: Partial<PaperLetter> = {}): PaperLetter => ({
  id,
  rowId: id,
  person: ['', 'Ada Penrose', 'Bram Sloe', 'Cy Tolland'][id],
  lines: [`Name ${id}`, `${id} Quay`],
  state: 'toPrint',
  printedAt: null,
  files: [],
  notPrinted: [],
  version: 1,
  ...parts,
})
const posted = (parts: Partial<Round> = {}) =>
  form({ postedAt: 1, paperLetters: { ...noPaper, toPrint: 2, printed: 1, printedAt: 1_764_000_000_000 }, ...parts })

test('posted letters are printed, and said to be: all that wait at once after asking, or one by one, and back again', async () => {
  const { desk, screen } = await drawRound(posted(), <PaperLetters />)
  desk
    .on(routes.paperLetters, () => [
      letter(1),
      letter(2, { files: ['rules.pdf'], notPrinted: [{ name: 'notes.txt', why: 'is no PDF' }] }),
      letter(3, { state: 'printed', printedAt: 1_764_000_000_000 }),
    ])
    .on(routes.markPaper, ({ body }) => ({ letters: body.letters.length }))
  await expect
    .element(screen.getByText(/2 letters on paper are to be printed\. 1 by paper post, printed on/))
    .toBeVisible()
  await expect
    .element(screen.getByRole('link', { name: '2 letters as PDF' }))
    .toHaveAttribute('href', '/api/rounds/5/paper-letters.pdf?which=toPrint')
  await screen.getByRole('button', { name: 'They are printed' }).click()
  await screen.getByRole('dialog').getByRole('button', { name: 'They are printed' }).click()
  await expect.element(screen.getByText('2 letters noted as printed.')).toBeVisible()
  await screen.getByText('Whose they are').click()
  await expect.element(screen.getByText(/to be put behind it by hand: notes\.txt/)).toBeVisible()
  await screen.getByRole('button', { name: 'Not printed yet' }).click()
  await screen.getByRole('button', { name: 'Withdraw' }).first().click()
  await until(() =>
    expect(desk.bodiesOf(routes.markPaper)).toEqual([
      { letters: [1, 2], to: 'printed' },
      { letters: [3], to: 'toPrint' },
      { letters: [1], to: 'withdrawn' },
    ]),
  )
})

test('while the round is amended nothing is marked; of a posted round the envelope alone can be changed', async () => {
  const { desk, screen } = await drawRound(posted({ amendingSince: 2, held: true }), <PaperLetters />)
  desk.on(routes.paperLetters, () => [letter(1), letter(2)]).on(routes.changePaperForm, () => ({}))
  await expect.element(screen.getByText(/Being amended: what is not printed is made anew/)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'They are printed' })).not.toBeInTheDocument()
  // What is not posted yet is not to be printed as if it were.
  await expect.element(screen.getByRole('link', { name: /as PDF/ })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Envelope…' }).click()
  const sheet = screen.getByRole('dialog', { name: 'Letters on paper' })
  await expect.element(sheet.getByRole('img', { name: /showing: Name 1, 1 Quay/ })).toBeVisible()
  await expect.element(sheet.getByText('Who gets the letter on paper')).not.toBeInTheDocument()
  await sheet.getByRole('combobox', { name: 'Window' }).selectOptions('right')
  await until(() => expect(desk.bodiesOf(routes.changePaperForm)).toEqual([{ window: 'right' }]))
})
