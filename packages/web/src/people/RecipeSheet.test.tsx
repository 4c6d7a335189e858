import { routes } from '@hand-post/contract'
import { type Recipe, type RecipeName, recipeNames, recipeSchema, recipes } from '@hand-post/core'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, held, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aList, someRows } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import RecipeSheet from './RecipeSheet.tsx'
import type { TableWork } from './useTable.ts'

const list = aList()
const table = {
  list,
  rows: someRows,
  derive: (row) => row,
} as Partial<TableWork> as TableWork

async function drawSheet(recipe?: Recipe) {
  const desk = openDesk()
    .on(
      routes.lists,
      () =>
        [
          {
            ...list,
            rounds: [
              { id: 3, title: 'Not posted', posted: false },
              { id: 4, title: 'Permits', posted: true },
            ],
            usedAt: null,
          },
          {
            ...aList({
              id: 9,
              name: 'Pontoons',
              columns: [
                { id: 'c1', name: 'Pontoon', kind: 'text' },
                { id: 'c2', name: 'Warden', kind: 'text' },
              ],
            }),
            rounds: [],
            usedAt: null,
          },
        ] as never,
    )
    .on(routes.tryRecipe, ({ body }) => ({
      cells: [
        { shown: `by ${body.recipe.do}`, fault: null },
        { shown: '', fault: 'it is blank' },
      ],
      faults: 1,
    }))
  const done = vi.fn()
  const close = vi.fn()
  const column = recipe ? { id: 'c9', name: 'Worked out', kind: 'text' as const, recipe } : null
  const { screen } = await draw(<RecipeSheet table={table} column={column} onClose={close} onDone={done} />)
  return {
    desk,
    done,
    close,
    screen,
    add: screen.getByRole('button', { name: column ? 'Change the column' : 'Add the column' }),
  }
}

/** A recipe of every kind, other than what each begins with. */
const samples: { [Name in RecipeName]: Extract<Recipe, { do: Name }> } = {
  joined: { do: 'joined', parts: [{ column: 'c1' }, { text: 'of' }, { column: 'c2' }], between: '-' },
  byRule: {
    do: 'byRule',
    cases: [
      { when: { match: 'any', rules: [{ column: 'c3', comparison: 'isFilled', value: '' }] }, write: { column: 'c1' } },
    ],
    otherwise: { text: 'none' },
  },
  workedOut: { do: 'workedOut', left: { column: 'c3' }, sign: '÷', right: { number: 2.5 }, decimals: 1 },
  dateMoved: { do: 'dateMoved', column: 'c4', by: -10, unit: 'workingDays', daysOff: ['2026-12-25', '2026-12-28'] },
  partOf: { do: 'partOf', column: 'c2', part: 'after', count: 1, mark: '@' },
  case: { do: 'case', column: 'c1', case: 'upper' },
  lookedUp: { do: 'lookedUp', column: 'c1', list: 9, key: 'c1', value: 'c2' },
  cameOf: { do: 'cameOf', round: 4, what: 'word' },
}

test.each(recipeNames)('a recipe of the kind “%s” is shown as it is, and given back unchanged', async (name) => {
  const { screen, done, add } = await drawSheet(samples[name])
  // Where a list is looked into, its columns are shown when the lists are here.
  if (name === 'lookedUp') await expect.element(screen.getByLabelText('What is written')).toHaveValue('c2')
  if (name === 'cameOf') await expect.element(screen.getByLabelText('Round', { exact: true })).toHaveValue('4')
  await expect.element(screen.getByText('it is blank')).toBeVisible()
  await add.click()
  await until(() => expect(done).toHaveBeenCalledWith('Worked out', samples[name]))
})

test('each kind begins with something whole, but a list or a round that is still to be chosen, and that is said', async () => {
  const { screen, done, add } = await drawSheet()
  await screen.getByLabelText('Name of the column').fill('New')
  for (const name of recipeNames) {
    await screen.getByLabelText('What is done').selectOptions(recipes[name].words[0])
    await expect.element(screen.getByText(`For example: ${recipes[name].words[1]}.`)).toBeVisible()
    done.mockClear()
    await add.click()
    const toChoose = { lookedUp: ['List', 'Choose a list.'], cameOf: ['Round', 'Choose a round.'] }[name as string]
    if (toChoose) {
      await expect.element(screen.getByLabelText(toChoose[0], { exact: true })).toHaveAccessibleDescription(toChoose[1])
      await expect.element(screen.getByText(/Nothing yet: something above/)).toBeVisible()
      expect(done).not.toHaveBeenCalled()
    } else {
      await until(() => expect(done).toHaveBeenCalledTimes(1))
      expect(done.mock.calls[0]).toEqual(['New', recipes[name].begun(list.columns)])
    }
  }
  // Only a round that was posted to this list can be chosen.
  const round = screen.getByLabelText('Round', { exact: true })
  expect([...(round.element() as HTMLSelectElement).options].map((one) => one.text)).toEqual(['choose one', 'Permits'])
  await round.selectOptions('Permits')
  await add.click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(done.mock.calls[0][1]).toEqual({ do: 'cameOf', round: 4, what: 'outcome' })
  done.mockClear()
  await screen.getByLabelText('What is done').selectOptions(recipes.lookedUp.words[0])
  await screen.getByLabelText('List', { exact: true }).selectOptions('Pontoons')
  await add.click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(done.mock.calls[0][1]).toEqual({ do: 'lookedUp', column: 'c1', list: 9, key: 'c1', value: 'c2' })
})

test('a name that is missing or taken is said at the field, and nothing is added', async () => {
  const { screen, done, add } = await drawSheet()
  const name = screen.getByLabelText('Name of the column')
  await add.click()
  await expect.element(name).toHaveAccessibleDescription('This must be filled in.')
  await expect.element(name).toHaveFocus()
  await name.fill('eMAIL ')
  await expect.element(name).toHaveAccessibleDescription('Another column already has this name.')
  await name.fill('x'.repeat(201))
  await expect.element(name).toHaveAccessibleDescription('At most 200 characters.')
  await add.click()
  expect(done).not.toHaveBeenCalled()
})

test('a figure that is none is said, and never taken for nothing', async () => {
  const { screen, done, add } = await drawSheet(samples.workedOut)
  const figure = screen.getByLabelText('Second figure: figure')
  await figure.fill('')
  await userEvent.tab()
  await expect.element(figure).toHaveAccessibleDescription('Enter a number.')
  await add.click()
  expect(done).not.toHaveBeenCalled()
  await figure.fill('-0.5')
  await add.click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(done.mock.calls[0][1]).toEqual({ ...samples.workedOut, right: { number: -0.5 } })
})

test('what was typed does not come back when a column takes its place', async () => {
  const { screen, done, add } = await drawSheet(samples.joined)
  await screen.getByLabelText('Part 2: words').fill('left behind')
  await screen.getByLabelText('Part 2', { exact: true }).selectOptions('Fee')
  await screen.getByRole('button', { name: 'Take part 1 away' }).click()
  await screen.getByRole('button', { name: 'Add a part' }).click()
  await add.click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(done.mock.calls[0][1]).toEqual({
    do: 'joined',
    parts: [{ column: 'c3' }, { column: 'c2' }, { column: 'c1' }],
    between: '-',
  })
})

test('days off are days of the calendar, each once, in order', async () => {
  const { screen, done, add } = await drawSheet(samples.dateMoved)
  const day = screen.getByLabelText('Add a day off', { exact: true })
  await day.fill('31/02/2027')
  await userEvent.keyboard('{Enter}')
  await expect.element(day).toHaveAccessibleDescription(/not a day in the calendar/)
  // It is not passed over in silence.
  await add.click()
  await expect.element(day).toHaveValue('31/02/2027')
  expect(done).not.toHaveBeenCalled()
  for (const typed of ['1/1/2027', '24 December 2026', '28/12/2026']) {
    await day.fill(typed)
    await userEvent.keyboard('{Enter}')
  }
  await screen.getByRole('button', { name: 'Take Fri 25 Dec 2026 away' }).click()
  await screen.getByLabelText('How many').fill('3')
  await screen.getByLabelText('Which way').selectOptions('later')
  await add.click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(done.mock.calls[0][1]).toEqual({
    ...samples.dateMoved,
    by: 3,
    daysOff: ['2026-12-24', '2026-12-28', '2027-01-01'],
  })
})

test('the sample says why when it cannot be made, and is asked for only of what is whole', async () => {
  const { screen, desk } = await drawSheet(samples.partOf)
  await expect.element(screen.getByText('by partOf')).toBeVisible()
  desk.on(routes.tryRecipe, () => {
    throw new Refused(422, 'The column is gone.')
  })
  await screen.getByLabelText('The character').fill(';')
  await expect.element(screen.getByText('The column is gone.')).toBeVisible()
  for (const { recipe } of desk.bodiesOf(routes.tryRecipe)) expect(recipeSchema.safeParse(recipe).success).toBe(true)
})

test('a sheet with changes asks before it is shut, by every way of shutting it', async () => {
  const { screen, close } = await drawSheet(samples.case)
  const question = screen.getByRole('dialog', { name: 'Leave without storing?' })
  await screen.getByLabelText('Capitals', { exact: true }).selectOptions('ALL CAPITALS')
  await screen.getByLabelText('Capitals', { exact: true }).selectOptions('all small letters')
  for (const shut of [
    () => userEvent.keyboard('{Escape}'),
    () => screen.getByRole('button', { name: 'Close' }).click(),
    () => screen.getByRole('button', { name: 'Not now' }).click(),
  ]) {
    await shut()
    await question.getByRole('button', { name: 'Stay here' }).click()
    await expect.element(question).not.toBeInTheDocument()
    expect(close).not.toHaveBeenCalled()
  }
  await userEvent.keyboard('{Escape}')
  await question.getByRole('button', { name: 'Leave it' }).click()
  expect(close).toHaveBeenCalledTimes(1)
})

test('while a column is being stored it cannot be stored again; refused, everything stays to be mended', async () => {
  const { screen, done, add } = await drawSheet(samples.case)
  const answer = held<void>()
  done.mockImplementation(() => answer.answer)
  await screen.getByLabelText('Name of the column').fill('Again')
  await add.click()
  await expect.element(add).toBeDisabled()
  answer.give()
  await expect.element(add).toBeEnabled()
  await expect.element(screen.getByLabelText('Name of the column')).toHaveValue('Again')
  expect(done).toHaveBeenCalledTimes(1)
})
