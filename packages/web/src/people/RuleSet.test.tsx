import { passageSelectionSchema, routes } from '@hand-post/contract'
import type { Selection } from '@hand-post/core'
import { useState } from 'react'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import type { z } from 'zod'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList } from '../testing/samples.ts'
import { RulesInPlace } from './RuleSet.tsx'
import { ColumnValues } from './RuleValue.tsx'

/** What stands in the columns of the list, as the desk tells it. */
const valuesOf: Record<string, (find: string) => z.output<typeof routes.columnValues.answer>> = {
  c1: (find) => {
    const values = [
      { value: 'Ada Penrose', rows: 2 },
      { value: 'Bram Sloe', rows: 1 },
    ].filter((v) => v.value.toLowerCase().includes(find.toLowerCase()))
    return { values, different: values.length, blank: 4 }
  },
  c3: () => ({ values: [{ value: '£120.00', rows: 3 }], different: 212, blank: 0 }),
  c5: () => ({
    values: [
      { value: 'Yes', rows: 41 },
      { value: 'n', rows: 2 },
      { value: 'no', rows: 21 },
    ],
    different: 3,
    blank: 0,
  }),
}
const values = { list: 3, version: 1, idOf: (column: string) => column }

/** Rules as the round keeps them, and what was put. */
async function drawRules(start: Selection = { match: 'all', rules: [] }) {
  const desk = openDesk().on(routes.columnValues, ({ params, query }) => valuesOf[params.column](query.find ?? ''))
  const put: Selection[] = []
  let change!: (selection: Selection) => void
  function Kept() {
    const [selection, setSelection] = useState(start)
    change = setSelection
    return (
      <ColumnValues value={values}>
        <RulesInPlace
          selection={selection}
          put={(next) => {
            put.push(next)
            setSelection(next)
          }}
          columns={[...aList().columns, { id: 'c5', name: 'Paid', kind: 'yesNo' }]}
          rowNumbers
          groups={false}
          lead="Only people for whom"
          none="Everybody."
        />
      </ColumnValues>
    )
  }
  const { screen } = await draw(<Kept />)
  return { desk, screen, put, elsewhere: (selection: Selection) => change(selection) }
}
const filled = { column: 'c1', comparison: 'isFilled', value: '' } as const
/** What a rule begins with. */
const begun = { column: 'c1', comparison: 'is', value: '' } as const

test('a rule counts as soon as it is chosen; what is typed counts when it is left or Enter is pressed', async () => {
  const { screen, put } = await drawRules()
  await expect.element(screen.getByText('Everybody.')).toBeVisible()
  await screen.getByRole('button', { name: 'Add a rule' }).click()
  expect(put.at(-1)).toEqual({ match: 'all', rules: [begun] })
  await expect.element(screen.getByText('This rule is not finished, so it does not count yet.')).toBeVisible()
  await screen.getByLabelText('Column').selectOptions('Fee')
  const before = put.length
  await screen.getByLabelText('Value', { exact: true }).fill('120')
  expect(put).toHaveLength(before)
  await userEvent.keyboard('{Enter}')
  expect(put.at(-1)).toEqual({ match: 'all', rules: [{ column: 'c3', comparison: 'is', value: '120' }] })
  await screen.getByLabelText('Value', { exact: true }).fill('80.50')
  await userEvent.tab()
  expect(put.at(-1)).toEqual({ match: 'all', rules: [{ column: 'c3', comparison: 'is', value: '80.50' }] })
})

test('sets stand within sets, any or all; taking one away leaves the others as they are', async () => {
  const { screen, put } = await drawRules({ match: 'all', rules: [filled] })
  await screen.getByRole('button', { name: 'Add a set of rules' }).click()
  expect(put.at(-1)).toEqual({ match: 'all', rules: [filled, { match: 'any', rules: [begun, begun] }] })
  await screen.getByLabelText('How many rules must hold').first().selectOptions('any')
  await screen.getByLabelText('Column').nth(2).selectOptions('Email')
  await screen.getByRole('button', { name: 'Remove this rule' }).first().click()
  expect(put.at(-1)).toEqual({
    match: 'any',
    rules: [{ match: 'any', rules: [begun, { ...begun, column: 'c2' }] }],
  })
  await screen.getByRole('button', { name: 'Remove this set' }).click()
  expect(put.at(-1)).toEqual({ match: 'any', rules: [] })
  await expect.element(screen.getByText('Everybody.')).toBeVisible()
})

test('a value of another sort is not taken over by another comparison', async () => {
  const { screen, put } = await drawRules({
    match: 'all',
    rules: [{ column: 'row', comparison: 'isOneOf', value: '2-40; 57' }],
  })
  await expect.element(screen.getByLabelText('Values, separated by semicolons')).toHaveValue('2-40; 57')
  await screen.getByLabelText('Column').selectOptions('Due')
  expect(put.at(-1)?.rules[0]).toEqual({ column: 'c4', comparison: 'isOneOf', value: '' })
})

test('the values of a column are offered with their rows, searched and taken with keys', async () => {
  const { screen, put } = await drawRules({ match: 'all', rules: [begun] })
  await screen.getByRole('button', { name: 'Choose a value' }).click()
  await expect.element(screen.getByRole('option', { name: /Ada Penrose/ })).toHaveTextContent('2 rows')
  await expect.element(screen.getByText('Blank in 4 rows.')).toBeVisible()
  await userEvent.keyboard('sloe')
  await expect.element(screen.getByRole('option', { name: /Ada Penrose/ })).not.toBeInTheDocument()
  await userEvent.keyboard('{Enter}')
  expect(put.at(-1)).toEqual({ match: 'all', rules: [{ ...begun, value: 'Bram Sloe' }] })
  await expect.element(screen.getByLabelText('Value', { exact: true })).toHaveValue('Bram Sloe')
  await expect.element(screen.getByText(/not finished/)).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Choose a value' }).click()
  await userEvent.keyboard('zzz')
  await expect.element(screen.getByText('No value contains that.')).toBeVisible()
})

test('several values are ticked one after another, and a tick is taken back', async () => {
  const one = { column: 'c1', comparison: 'isOneOf', value: '' } as const
  const { screen, put } = await drawRules({ match: 'all', rules: [one] })
  await screen.getByRole('button', { name: 'Choose values' }).click()
  await screen.getByRole('option', { name: /Ada/ }).click()
  await screen.getByRole('option', { name: /Bram/ }).click()
  await expect.poll(() => put.at(-1)?.rules[0]).toEqual({ ...one, value: 'Ada Penrose; Bram Sloe' })
  await expect.element(screen.getByRole('option', { name: /Ada/ })).toHaveTextContent('chosen')
  await screen.getByRole('option', { name: /Ada/ }).click()
  await expect.poll(() => put.at(-1)?.rules[0]).toEqual({ ...one, value: 'Bram Sloe' })
  await screen.getByRole('button', { name: 'Done' }).click()
  await expect.element(screen.getByRole('button', { name: 'Choose values' })).toHaveFocus()
})

test('yes and no are chosen, each with the rows that say so in any way', async () => {
  const { screen, put } = await drawRules({ match: 'all', rules: [{ ...begun, column: 'c5' }] })
  const choice = screen.getByLabelText('Value', { exact: true })
  await expect.element(choice).toHaveTextContent('yes, 41 rows')
  await expect.element(choice).toHaveTextContent('no, 23 rows')
  await choice.selectOptions('no, 23 rows')
  expect(put.at(-1)?.rules[0]).toEqual({ ...begun, column: 'c5', value: 'no' })
})

test('a value that cannot be read is said, and does not go along to another column', async () => {
  const { screen, put } = await drawRules({
    match: 'all',
    rules: [{ column: 'c3', comparison: 'above', value: 'much' }],
  })
  await expect
    .element(screen.getByText('“much” does not read as an amount, which “Fee” holds, so nobody fits this rule.'))
    .toBeVisible()
  await screen.getByLabelText('Column').selectOptions('Row number')
  expect(put.at(-1)?.rules[0]).toEqual({ column: 'row', comparison: 'above', value: '' })
  // Of row numbers there is nothing to offer.
  await screen.getByLabelText('Comparison').selectOptions('is')
  await expect.element(screen.getByRole('button', { name: 'Choose a value' })).not.toBeInTheDocument()
})

test('where there are more values than can be shown, that is said', async () => {
  const { screen } = await drawRules({ match: 'all', rules: [{ ...begun, column: 'c3' }] })
  await screen.getByRole('button', { name: 'Choose a value' }).click()
  await expect.element(screen.getByText('The first 1 of 212 values; search for others.')).toBeVisible()
})

test('a column that is gone is called so, and the rule stays as it is', async () => {
  const { screen, put } = await drawRules({ match: 'all', rules: [{ ...filled, column: 'c99' }] })
  await expect.element(screen.getByLabelText('Column')).toHaveTextContent('a column that is gone')
  expect(put).toEqual([])
})

test('what is chosen elsewhere is shown, and not put back', async () => {
  const { screen, put, elsewhere } = await drawRules({ match: 'all', rules: [filled] })
  elsewhere({ match: 'all', rules: [{ column: 'c2', comparison: 'contains', value: 'quay' }] })
  await expect.element(screen.getByLabelText('Value', { exact: true })).toHaveValue('quay')
  await expect.element(screen.getByLabelText('Column')).toHaveValue('c2')
  expect(put).toEqual([])
})

test('the rules of a passage name columns by their headings', async () => {
  openDesk()
  const put: Selection[] = []
  const start: Selection = { match: 'all', rules: [] }
  const { screen } = await draw(
    <RulesInPlace
      selection={start}
      schema={passageSelectionSchema}
      put={(next) => put.push(next)}
      columns={aList().columns.map((c) => ({ ...c, id: c.name }))}
      rowNumbers={false}
      lead="Only for"
    />,
  )
  await screen.getByRole('button', { name: 'Add a rule' }).click()
  await screen.getByLabelText('Column').selectOptions('Email')
  expect(put.at(-1)).toEqual({ match: 'all', rules: [{ column: 'Email', comparison: 'is', value: '' }] })
})

test('days are typed or taken from the calendar, and kept as the column is read; what is no day chooses nobody by mistake', async () => {
  const due = { column: 'c4', comparison: 'between', value: '1/12/2026', to: 'soon' } as const
  const { screen, put } = await drawRules({ match: 'all', rules: [due] })
  const from = screen.getByRole('textbox', { name: 'Value', exact: true })
  const to = screen.getByRole('textbox', { name: 'Value at the other end' })
  await expect.element(from).toHaveValue('01/12/2026')
  await expect.element(screen.getByText('Tuesday')).toBeVisible()
  // What stands there and is no day is shown, and said.
  await expect.element(to).toHaveValue('soon')
  await expect.element(to).toHaveAccessibleDescription(/“soon” is not a day in the calendar/)
  expect(put).toEqual([])
  await to.fill('31 January 2027')
  await userEvent.tab()
  expect(put.at(-1)).toEqual({ match: 'all', rules: [{ ...due, to: '31/01/2027' }] })
  await from.click()
  await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}')
  await expect.element(screen.getByRole('button', { name: 'Tuesday 1 December 2026' })).toHaveFocus()
  await userEvent.keyboard('{ArrowRight}{Enter}')
  await expect.poll(() => put.at(-1)?.rules[0]).toEqual({ ...due, value: '02/12/2026', to: '31/01/2027' })
  await expect.element(screen.getByRole('textbox', { name: 'Value', exact: true })).toHaveValue('02/12/2026')
})
