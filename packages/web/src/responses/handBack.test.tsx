import { routes } from '@hand-post/contract'
import type { OutcomeColumn } from '@hand-post/core'
import { beforeEach, expect, test } from 'vitest'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import { HandBack } from './HandBack.tsx'

const posted = aRound({ postedAt: 1 })
let desk: FakeDesk
let kept: { original: string | null; said: string[]; columns: OutcomeColumn[] }
beforeEach(() => {
  kept = { original: 'berths.xlsx', said: ['2 rows came to the list later.'], columns: ['outcome', 'sentAt'] }
  desk = openDesk()
  withRound(desk, posted)
  desk
    .on(routes.outcomeSheetAbout, () => kept)
    .on(routes.rememberOutcomeColumns, ({ body }) => {
      kept = { ...kept, columns: body.columns }
      return {}
    })
})
const open = async () => {
  const { screen } = await draw(
    <OpenRound round={posted} goTo={() => {}}>
      <HandBack onClose={() => {}} />
    </OpenRound>,
  )
  const sheet = screen.getByRole('dialog', { name: 'Hand back the list with its outcomes' })
  const href = () =>
    new URL(sheet.getByRole('link', { name: 'Download' }).element().getAttribute('href')!, location.href)
  return { sheet, href }
}

test('the workbook that was brought in is the offer, with what is to be said of it; other formats say nothing of it', async () => {
  const { sheet, href } = await open()
  await expect.element(sheet.getByRole('radio', { name: /“berths.xlsx”, as it was/ })).toBeChecked()
  await expect.element(sheet.getByText('2 rows came to the list later.')).toBeVisible()
  expect(href().pathname).toBe('/api/rounds/5/outcome-sheet')
  expect(Object.fromEntries(href().searchParams)).toEqual({ as: 'original', columns: 'outcome,sentAt' })
  await sheet.getByRole('radio', { name: 'text (.csv)' }).click()
  await expect.element(sheet.getByText('2 rows came to the list later.')).not.toBeInTheDocument()
  expect(href().searchParams.get('as')).toBe('csv')
})

test('columns are chosen and put in order, and kept for the list; with none there is nothing to download', async () => {
  const { sheet, href } = await open()
  await sheet.getByRole('checkbox', { name: 'Their words' }).click()
  await sheet.getByRole('button', { name: 'Their words: further to the left' }).click()
  await expect.poll(() => href().searchParams.get('columns')).toBe('outcome,words,sentAt')
  await expect
    .poll(() => desk.bodiesOf(routes.rememberOutcomeColumns).at(-1)?.columns)
    .toEqual(['outcome', 'words', 'sentAt'])
  await expect.element(sheet.getByRole('button', { name: 'Outcome: further to the left' })).toBeDisabled()
  await expect.element(sheet.getByRole('button', { name: 'Sent: further to the right' })).toBeDisabled()
  for (const name of ['Outcome', 'Their words', 'Sent'])
    await sheet.getByRole('checkbox', { name, exact: true }).click()
  await expect.element(sheet.getByText('Choose one column at least.')).toBeVisible()
  await expect.element(sheet.getByRole('link', { name: 'Download' })).not.toBeInTheDocument()
})

test('a list that was made of no workbook has a new one made', async () => {
  kept = { original: null, said: ['“berths.ods” is not of the format .xlsx.'], columns: ['outcome'] }
  const { sheet, href } = await open()
  await expect.element(sheet.getByRole('radio', { name: 'a new workbook (.xlsx)' })).toBeChecked()
  await expect.element(sheet.getByText('“berths.ods” is not of the format .xlsx.')).toBeVisible()
  expect(href().searchParams.get('as')).toBe('xlsx')
})

test('what the desk cannot tell is said', async () => {
  desk.on(routes.outcomeSheetAbout, () => {
    throw new Refused(404, 'There is no such round.')
  })
  const { sheet } = await open()
  await expect.element(sheet.getByText('There is no such round.')).toBeVisible()
})
