import { passageSelectionSchema } from '@hand-post/contract'
import type { Selection } from '@hand-post/core'
import { useState } from 'react'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList } from '../testing/samples.ts'
import { RulesInPlace } from './RuleSet.tsx'

/** Rules as the round keeps them, and what was put. */
async function drawRules(start: Selection = { match: 'all', rules: [] }) {
  openDesk()
  const put: Selection[] = []
  let change!: (selection: Selection) => void
  function Kept() {
    const [selection, setSelection] = useState(start)
    change = setSelection
    return (
      <RulesInPlace
        selection={selection}
        put={(next) => {
          put.push(next)
          setSelection(next)
        }}
        columns={aList().columns}
        rowNumbers
        groups={false}
        lead="Only people for whom"
        none="Everybody."
      />
    )
  }
  const { screen } = await draw(<Kept />)
  return { screen, put, elsewhere: (selection: Selection) => change(selection) }
}
const filled = { column: 'c1', comparison: 'isFilled', value: '' } as const

test('a rule counts as soon as it is chosen; what is typed counts when it is left or Enter is pressed', async () => {
  const { screen, put } = await drawRules()
  await expect.element(screen.getByText('Everybody.')).toBeVisible()
  await screen.getByRole('button', { name: 'Add a rule' }).click()
  expect(put.at(-1)).toEqual({ match: 'all', rules: [filled] })
  await screen.getByLabelText('Column').selectOptions('Fee')
  await screen.getByLabelText('Comparison').selectOptions('is')
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
  expect(put.at(-1)).toEqual({ match: 'all', rules: [filled, { match: 'any', rules: [filled, filled] }] })
  await screen.getByLabelText('How many rules must hold').first().selectOptions('any')
  await screen.getByLabelText('Column').nth(2).selectOptions('Email')
  await screen.getByRole('button', { name: 'Remove this rule' }).first().click()
  expect(put.at(-1)).toEqual({
    match: 'any',
    rules: [{ match: 'any', rules: [filled, { ...filled, column: 'c2' }] }],
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
  await expect.element(screen.getByLabelText('Values, parted by semicolons')).toHaveValue('2-40; 57')
  await screen.getByLabelText('Column').selectOptions('Due')
  expect(put.at(-1)?.rules[0]).toMatchObject({ column: 'c4' })
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
  expect(put.at(-1)).toEqual({ match: 'all', rules: [{ column: 'Email', comparison: 'isFilled', value: '' }] })
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
  await expect.element(to).toHaveAccessibleDescription(/“soon” is no day of the calendar/)
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
