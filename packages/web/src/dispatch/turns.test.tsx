import { type RoundDispatch, routes } from '@hand-post/contract'
import type { MessageState } from '@hand-post/core'
import { useState } from 'react'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aList, aMailbox, aMessage, othersPost, seenByWriter } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { LetterMenu } from './LetterMenu.tsx'
import { OrderField, OwnTimesFields } from './OwnTimesFields.tsx'
import { Sharing } from './Sharing.tsx'

const letter = (state: MessageState) => aMessage({ state })

test('a letter that waits is sent first or last, or withdrawn when that was asked once more', async () => {
  const desk = openDesk()
    .on(routes.moveLetter, () => ({}))
    .on(routes.withdrawLetter, () => ({}))
  const { screen } = await draw(<LetterMenu message={letter('waiting')} />)
  const menu = screen.getByRole('button', { name: 'What to do with the letter to Ada Penrose' })
  await menu.click()
  await screen.getByRole('menuitem', { name: 'Send it before the others of its round' }).click()
  await menu.click()
  await screen.getByRole('menuitem', { name: 'Send it after the others of its round' }).click()
  await until(() => expect(desk.bodiesOf(routes.moveLetter)).toEqual([{ to: 'first' }, { to: 'last' }]))
  await menu.click()
  await screen.getByRole('menuitem', { name: 'Withdraw it…' }).click()
  expect(desk.bodiesOf(routes.withdrawLetter)).toEqual([])
  await screen.getByRole('button', { name: 'Withdraw it', exact: true }).click()
  await until(() => expect(desk.asked.at(-1)).toMatchObject({ route: routes.withdrawLetter, params: { message: '9' } }))
})

test('whoever may not post may withdraw a letter, and changes neither its turn nor those of rounds', async () => {
  seenByWriter(openDesk())
  const { screen } = await draw(
    <>
      <LetterMenu message={letter('waiting')} />
      <Sharing shared={shared} />
    </>,
  )
  await expect.element(screen.getByText(othersPost)).toBeVisible()
  await expect.element(screen.getByRole('checkbox')).toBeDisabled()
  await expect.element(screen.getByRole('button', { name: 'Open day before the one above' })).toBeDisabled()
  await screen.getByRole('button', { name: 'What to do with the letter to Ada Penrose' }).click()
  await expect.element(screen.getByRole('menuitem')).toHaveTextContent(/^Withdraw it…$/)
})

test.each(['sent', 'sending', 'inDoubt', 'withdrawn'] as const)(
  'of one that is %s nothing is offered',
  async (state) => {
    openDesk()
    const { screen } = await draw(<LetterMenu message={letter(state)} />)
    await expect.element(screen.getByRole('button')).not.toBeInTheDocument()
  },
)

const shared = {
  mailboxId: 7,
  mailbox: 'Harbour office',
  evenly: false,
  rounds: [
    { id: 1, title: 'Permits', waiting: 40, held: false },
    { id: 2, title: 'Lift-out', waiting: 1, held: true },
    { id: 3, title: 'Open day', waiting: 7, held: false },
  ],
}

test('rounds change their turns by buttons and by dragging, and share evenly when that is ticked', async () => {
  const desk = openDesk().on(routes.changeTurns, () => ({}))
  const { screen } = await draw(<Sharing shared={shared} />)
  await expect.element(screen.getByText('2. Lift-out: 1 letter, held')).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Permits before the one above' })).toBeDisabled()
  await expect.element(screen.getByRole('button', { name: 'Open day after the one below' })).toBeDisabled()
  await screen.getByRole('button', { name: 'Open day before the one above' }).click()
  await until(() => expect(desk.bodiesOf(routes.changeTurns)).toEqual([{ rounds: [1, 3, 2], evenly: false }]))
  // Picked up, moved down beyond the next, and put down, all by keyboard.
  const grip = screen.getByRole('button', { name: 'Move Permits' })
  await expect.element(grip).toBeVisible()
  ;(grip.element() as HTMLElement).focus()
  await userEvent.keyboard(' ')
  for (let i = 0; i < 2; i++) await userEvent.keyboard('{ArrowDown}')
  await userEvent.keyboard(' ')
  await until(() => expect(desk.bodiesOf(routes.changeTurns).length).toBe(2))
  expect(desk.bodiesOf(routes.changeTurns)[1].rounds?.[0]).not.toBe(1)
  await screen.getByLabelText('they share the mailbox evenly').click()
  await until(() => expect(desk.bodiesOf(routes.changeTurns).at(-1)).toEqual({ rounds: [1, 2, 3], evenly: true }))
})

test('while they share evenly there is no order to change', async () => {
  openDesk()
  const { screen } = await draw(<Sharing shared={{ ...shared, evenly: true }} />)
  await expect.element(screen.getByText(/whichever of them has waited longest/)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Lift-out before the one above' })).toBeDisabled()
})

test('the order is the list’s, of chance, or a column’s from either end', async () => {
  const told = vi.fn<(order: RoundDispatch['order']) => void>()
  function Field() {
    const [order, setOrder] = useState<RoundDispatch['order']>({ by: 'list' })
    return (
      <OrderField
        order={order}
        list={aList()}
        onChange={(changes) => {
          told(changes.order)
          setOrder(changes.order)
        }}
      />
    )
  }
  const { screen } = await draw(<Field />)
  const field = screen.getByLabelText('Order')
  await field.selectOptions('at random')
  expect(told).toHaveBeenLastCalledWith({ by: 'random' })
  await field.selectOptions('by “Due”')
  expect(told).toHaveBeenLastCalledWith({ by: 'column', column: 'c4', descending: false })
  await screen.getByLabelText('the last of them first').click()
  expect(told).toHaveBeenLastCalledWith({ by: 'column', column: 'c4', descending: true })
  await field.selectOptions('as in the list')
  expect(told).toHaveBeenLastCalledWith({ by: 'list' })
})

test('people’s own times: a column of days has an hour, a column of zones stands alone, none is none', async () => {
  const told = vi.fn<(times: RoundDispatch['times']) => void>()
  const list = aList()
  function Field() {
    const [times, setTimes] = useState<RoundDispatch['times']>(null)
    return (
      <OwnTimesFields
        times={times}
        list={list}
        mailbox={aMailbox()}
        onChange={(changes) => {
          told(changes.times)
          setTimes(changes.times)
        }}
      />
    )
  }
  const { screen } = await draw(<Field />)
  await screen.getByText('Each person at a time of their own').click()
  const column = screen.getByLabelText('When, from the column')
  // Only columns of days and hours are offered.
  expect([...(column.element() as HTMLSelectElement).options].map((o) => o.text)).toEqual([
    'none: all by the pace',
    'Due',
  ])
  await column.selectOptions('Due')
  expect(told).toHaveBeenLastCalledWith({ column: 'c4', zoneColumn: null, hour: 540 })
  await screen.getByLabelText('At this hour').fill('14:30')
  expect(told).toHaveBeenLastCalledWith({ column: 'c4', zoneColumn: null, hour: 870 })
  await column.selectOptions('none: all by the pace')
  expect(told).toHaveBeenLastCalledWith(null)
  await screen.getByLabelText('By the clock at the place in').selectOptions('Name')
  expect(told).toHaveBeenLastCalledWith({ column: null, zoneColumn: 'c1', hour: 540 })
})
