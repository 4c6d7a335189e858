import { useState } from 'react'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw } from '../testing/fakeDesk.tsx'
import { DateEntry } from './dates.tsx'

function Kept({ kind, start, told }: { kind: 'date' | 'dateTime'; start: string; told: (value: string) => void }) {
  const [value, setValue] = useState(start)
  return (
    <DateEntry
      label="Due"
      kind={kind}
      value={value}
      onChange={(next) => {
        setValue(next)
        told(next)
      }}
    />
  )
}

/** How days are typed, with what they are read as (ISO 8601), the day first as in a British office. */
const typedDays: [string, string][] = [
  ['31/12/2026', '2026-12-31'],
  ['1/2/2027', '2027-02-01'],
  ['2027-03-04', '2027-03-04'],
  ['4 March 2027', '2027-03-04'],
  ['29/02/2028', '2028-02-29'],
]

test.each(typedDays)('%s is read as %s, and shown the usual way with its weekday', async (typed, iso) => {
  const told = vi.fn()
  const { screen } = await draw(<Kept kind="date" start="" told={told} />)
  const field = screen.getByRole('textbox', { name: 'Due' })
  await field.fill(typed)
  await userEvent.tab()
  expect(told.mock.calls).toEqual([[iso]])
  const [y, m, d] = iso.split('-')
  await expect.element(field).toHaveValue(`${d}/${m}/${y}`)
  // The weekday by another way than the program's: Intl's own calendar.
  const weekday = new Intl.DateTimeFormat('en-GB', { weekday: 'long', timeZone: 'UTC' }).format(
    new Date(`${iso}T00:00Z`),
  )
  await expect.element(screen.getByText(weekday, { exact: true })).toBeVisible()
})

test.each(['31/02/2027', '29/02/2027', '32/01/2027', 'Friday', '12', '<b>'])(
  '%s is no day: that is said, it stays to be mended, and nothing is taken for it',
  async (typed) => {
    const told = vi.fn()
    const { screen } = await draw(<Kept kind="date" start="2026-12-25" told={told} />)
    const field = screen.getByRole('textbox', { name: 'Due' })
    await field.fill(typed)
    await userEvent.keyboard('{Enter}')
    await expect
      .element(field)
      .toHaveAccessibleDescription(`“${typed}” is not a day in the calendar. Write it as 31/12/2026.`)
    await expect.element(field).toHaveValue(typed)
    expect(told).not.toHaveBeenCalled()
    await field.fill('26/12/2026')
    await userEvent.keyboard('{Enter}')
    await expect.element(field).not.toHaveAttribute('aria-invalid', 'true')
    expect(told.mock.calls).toEqual([['2026-12-26']])
  },
)

test('of a day and hour both are wanted', async () => {
  const told = vi.fn()
  const { screen } = await draw(<Kept kind="dateTime" start="2026-12-25T09:00" told={told} />)
  const field = screen.getByRole('textbox', { name: 'Due' })
  await expect.element(field).toHaveValue('25/12/2026 09:00')
  await field.fill('26/12/2026')
  await userEvent.tab()
  await expect.element(field).toHaveAccessibleDescription(/not a day and an hour/)
  await field.fill('26/12/2026 14:30')
  await userEvent.keyboard('{Enter}')
  expect(told.mock.calls).toEqual([['2026-12-26T14:30']])
})

test('cleared, there is none', async () => {
  const told = vi.fn()
  const { screen } = await draw(<Kept kind="date" start="2026-12-25" told={told} />)
  const field = screen.getByRole('textbox', { name: 'Due' })
  await field.fill('')
  await userEvent.tab()
  expect(told.mock.calls).toEqual([['']])
})

test('the calendar opens by key at the day that stands there, keeps the hour, and gives the focus back', async () => {
  const told = vi.fn()
  const { screen } = await draw(<Kept kind="dateTime" start="2026-12-25T14:30" told={told} />)
  const field = screen.getByRole('textbox', { name: 'Due' })
  // The round's own keys are listened for at the window: there Alt ↓ is the way to the next person.
  const atWindow = vi.fn()
  const hear = (event: KeyboardEvent) => event.key === 'ArrowDown' && atWindow()
  addEventListener('keydown', hear)
  await field.click()
  await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}')
  removeEventListener('keydown', hear)
  expect(atWindow).not.toHaveBeenCalled()
  await expect.element(screen.getByRole('button', { name: 'Friday 25 December 2026' })).toHaveFocus()
  // Down is a week on, Home the week's first day: Monday.
  await userEvent.keyboard('{ArrowDown}{Home}{Enter}')
  expect(told.mock.calls).toEqual([['2026-12-28T14:30']])
  await expect.element(field).toHaveFocus()
  await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}')
  await expect.element(screen.getByRole('button', { name: 'Monday 28 December 2026' })).toHaveFocus()
  await userEvent.keyboard('{Escape}')
  await expect.element(field).toHaveFocus()
  expect(told).toHaveBeenCalledTimes(1)
})
