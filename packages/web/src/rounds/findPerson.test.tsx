import { routes } from '@hand-post/contract'
import type { Row } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { query } from '../shared/queries.ts'
import { draw, held, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aRound, someRows, withRound, withRows } from '../testing/samples.ts'
import { FindPerson } from './FindPerson.tsx'
import { PeopleStage } from './PeopleStage.tsx'
import { OpenRound, usePerson } from './RoundContext.tsx'

const rows: Row[] = [
  ...someRows,
  { id: 3, position: 'a2', cells: { c1: 'Cy Penrose', c2: 'cy@quay.example' } },
  { id: 4, position: 'a3', cells: { c4: '1/1/2027' } },
]

function Found() {
  const { person } = usePerson()
  return <p>In hand: {person?.id}</p>
}
async function drawRound(parts: Parameters<typeof aRound>[0] = {}) {
  const desk = openDesk()
  const kept = withRound(desk, aRound({ counts: { ...aRound().counts, list: 4, byRule: 2 }, ...parts }))
  withRows(desk, () => ({ version: 1, rows }))
    .on(routes.lists, () => [])
    .on(routes.book, () => ({ list: aList({ book: true }), groups: [{ id: 9, name: 'Crew', members: [] }] }))
    .on(routes.leftOut, () => [
      { row: 3, person: 'Cy Penrose', why: 'left out by rule: it is not so that “Fee” is filled in' },
      { row: 4, person: 'row 5', why: 'set aside: by hand' },
    ])
  function InRound() {
    const round = useQuery(query.round(5)).data
    return (
      round && (
        <OpenRound round={round} goTo={() => {}}>
          <div style={{ height: 700 }} className="flex flex-col">
            <FindPerson />
            <Found />
            <PeopleStage lateComers={<p>Late-comers</p>} />
          </div>
        </OpenRound>
      )
    )
  }
  const { screen } = await draw(<InRound />)
  return { desk, kept, screen }
}

test('people are found by anything in their rows; those left out too, with why, behind those in the round', async () => {
  const { screen } = await drawRound()
  const field = screen.getByRole('combobox', { name: 'Find a person' })
  await expect.element(field).toHaveValue('Ada Penrose')
  await expect.element(field).toHaveAttribute('aria-expanded', 'false')
  await field.click()
  await userEvent.keyboard('penrose')
  await expect.element(field).toHaveAttribute('aria-expanded', 'true')
  const options = screen.getByRole('listbox').getByRole('option')
  await expect.element(options).toHaveLength(2)
  await expect.element(options.nth(1)).toHaveTextContent('Left out: by rule: it is not so that “Fee” is filled in')
  await userEvent.keyboard('{ArrowDown}{Enter}')
  await expect.element(screen.getByText('In hand: 3')).toBeVisible()
  await field.click()
  await userEvent.keyboard('nobody here')
  await expect.element(screen.getByText('Nobody in the list has “nobody here” in their row.')).toBeVisible()
  await userEvent.keyboard('{Escape}')
  await expect.element(field).toHaveValue('Cy Penrose')
})

test('Enter before it is known who fits waits for that, and takes nobody whom other words found', async () => {
  const { desk, screen } = await drawRound()
  const field = screen.getByRole('combobox', { name: 'Find a person' })
  await field.click()
  await userEvent.keyboard('bram')
  const options = screen.getByRole('listbox').getByRole('option')
  await expect.element(options).toHaveLength(1)
  const answer = held<{ rows: Row[] }>()
  desk.on(routes.rowsWith, () => answer.answer)
  await field.fill('cy@')
  // Those of the words before stand there still.
  await expect.element(options).toHaveLength(1)
  await userEvent.keyboard('{Enter}')
  await new Promise((done) => setTimeout(done, 50))
  await expect.element(screen.getByText('In hand: 1')).toBeVisible()
  answer.give({ rows: [rows[2]] })
  await expect.element(screen.getByText('In hand: 3')).toBeVisible()
  await expect.element(field).toHaveValue('Cy Penrose')
})

test('whoever has neither name nor address is called by the number of their row', async () => {
  const { screen } = await drawRound({
    list: aList({ source: { fileName: 'x.xlsx', sheet: null, firstRow: 3, said: [] } }),
  })
  await screen.getByRole('combobox', { name: 'Find a person' }).click()
  await userEvent.keyboard('1/1/2027{Enter}')
  await expect.element(screen.getByRole('combobox', { name: 'Find a person' })).toHaveValue('row 6')
})

test('of several columns of addresses one is asked for, where it is seen', async () => {
  const { desk, screen } = await drawRound({ perhapsAddresses: ['c2', 'c1'] })
  await expect.element(screen.getByText('2 columns hold addresses. Which one are the letters sent to?')).toBeVisible()
  await screen.getByRole('button', { name: /^Email \(ada@quay.example\), used until you say/ }).click()
  await expect.poll(() => desk.bodiesOf(routes.changeRound)).toEqual([{ addressColumn: 'c2' }])
})

test('a posted round says by which rules its people were chosen', async () => {
  const { screen } = await drawRound({
    postedAt: 1,
    selection: {
      match: 'all',
      rules: [
        { column: 'c3', comparison: 'above', value: '£50' },
        { column: 'c2', comparison: 'inGroup', value: '9' },
      ],
    },
  })
  await expect
    .element(screen.getByText('Chosen: people for whom “Fee” is above £50 and “Email” is in the group “Crew”.'))
    .toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Add a rule' })).not.toBeInTheDocument()
})
