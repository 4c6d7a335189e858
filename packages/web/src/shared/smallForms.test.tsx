import { type Route, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import SignIn from '../accounts/SignIn.tsx'
import { RefuseDialog, RefuseForm } from '../people/RefuseForm.tsx'
import { NewAddress } from '../rounds/NewAddress.tsx'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { Rules } from '../rounds/Rules.tsx'
import { StartRound } from '../rounds/StartRound.tsx'
import { draw, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, aRound, othersPost, seenByWriter, someRows, withRound, withRows } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { query } from './queries.ts'

/** A form with one field that must be filled in: how it is drawn, and what it sends. */
interface Small {
  name: string
  part: ReactNode
  route: Route
  /** How the field and the button are called. */
  field: string
  button: string
  /** What stands in the field, if anything, is none; each with the words that are said. */
  wrong: [string, RegExp][]
  right: string
  sent: object
}

function InRound({ children }: { children: ReactNode }) {
  const round = useQuery(query.round(5)).data
  return (
    round && (
      <OpenRound round={round} goTo={() => {}}>
        {children}
      </OpenRound>
    )
  )
}

const forms: Small[] = [
  {
    name: 'starting a round',
    part: <StartRound opened />,
    route: routes.startRound,
    field: 'What is this round about?',
    button: 'Start with the people',
    wrong: [
      ['', /This must be filled in/],
      ['   ', /This must be filled in/],
      ['x'.repeat(201), /At most 200 characters/],
    ],
    right: ' Winter lift-out ',
    sent: { title: 'Winter lift-out' },
  },
  {
    name: 'signing in',
    part: <SignIn />,
    route: routes.signIn,
    field: 'Password',
    button: 'Sign in',
    wrong: [['', /Type the password/]],
    right: ' low water ',
    sent: { address: '', password: ' low water ', code: '' },
  },
  {
    name: 'writing no more to somebody',
    part: <RefuseDialog address="ada@quay.example" onClose={() => {}} />,
    route: routes.refuseAddress,
    field: 'Why',
    button: 'Put on the do-not-write list',
    wrong: [
      ['', /This must be filled in/],
      ['x'.repeat(501), /At most 500 characters/],
    ],
    right: 'asked on the quay',
    sent: { address: 'ada@quay.example', reason: 'asked on the quay' },
  },
]

function desk() {
  const made = openDesk()
  withRound(made)
  return made
    .on(routes.startRound, () => aRound({ id: 8 }))
    .on(routes.signIn, () => ({ wants: null }))
    .on(routes.refuseAddress, () => ({ setAside: 0 }))
    .on(routes.doNotWrite, () => [])
}

test.each(forms)('$name: what is wrong is said at the field and sends nothing; what is right is sent', async (form) => {
  const made = desk()
  const { screen } = await draw(form.part)
  const field = screen.getByLabelText(form.field)
  const button = screen.getByRole('button', { name: form.button, exact: true })
  for (const [typed, words] of form.wrong) {
    await field.fill(typed)
    await button.click()
    await expect.element(field).toHaveAccessibleDescription(words)
    await expect.element(field).toHaveAttribute('aria-invalid', 'true')
    await expect.element(field).toHaveValue(typed)
  }
  expect(made.asked).toEqual([])
  await field.fill(form.right)
  await field.click()
  await userEvent.keyboard('{Enter}')
  await until(() => expect(made.bodiesOf(form.route)).toEqual([form.sent]))
})

test.each(forms)('$name: what the desk says against it stands in the form, and what was typed stays', async (form) => {
  const made = desk().on(form.route, () => {
    throw new Refused(409, 'Not while a letter is being posted. Wait a minute.')
  })
  const { screen } = await draw(form.part)
  const field = screen.getByLabelText(form.field)
  await field.fill(form.right)
  await screen.getByRole('button', { name: form.button, exact: true }).click()
  await expect.element(screen.getByText('Not while a letter is being posted. Wait a minute.')).toBeVisible()
  await expect.element(field).toHaveValue(form.right)
  expect(made.bodiesOf(form.route)).toHaveLength(1)
})

test('an address that is none is not put on the do-not-write list; one that is empties the form', async () => {
  const made = desk().on(routes.refuseAddress, () => ({ setAside: 2 }))
  const then = vi.fn()
  const { screen } = await draw(<RefuseForm then={then} />)
  const address = screen.getByLabelText('Address')
  await address.fill('nobody')
  await screen.getByLabelText('Why').fill('asked by letter')
  await screen.getByRole('button', { name: 'Put on the list' }).click()
  await expect.element(address).toHaveAccessibleDescription(/It is not an address/)
  await expect.element(address).toHaveFocus()
  await address.fill('ada@quay.example')
  await userEvent.keyboard('{Enter}')
  await until(() => expect(then).toHaveBeenCalled())
  await expect.element(address).toHaveValue('')
  await expect.element(screen.getByText('2 letters waiting for it were set aside.')).toBeVisible()
  expect(made.bodiesOf(routes.refuseAddress)).toEqual([{ address: 'ada@quay.example', reason: 'asked by letter' }])
})

test('whoever may not post is told who may, and sends nothing to a new address', async () => {
  seenByWriter(desk())
  const { screen } = await draw(<NewAddress roundId={5} rowId={1} person="Ada Penrose" address="ada@quay.example" />)
  await expect.element(screen.getByText(othersPost)).toBeVisible()
  await expect.element(screen.getByRole('textbox')).not.toBeInTheDocument()
})

test('a letter goes to a new address only when it is another one', async () => {
  const made = desk()
    .on(routes.editList, () => {
      throw new Refused(409, 'Somebody else changes the list.')
    })
    .on(routes.sendToNew, () => ({}) as never)
  const { screen } = await draw(<NewAddress roundId={5} rowId={1} person="Ada Penrose" address="ada@quay.example" />)
  const field = screen.getByLabelText('Another address')
  const send = screen.getByRole('button', { name: 'Send to the new address' })
  for (const [typed, words] of [
    ['', /this must be filled in/i],
    ['ada at quay', /“ada at quay” will not do/],
    ['ADA@quay.example', /it is the one that did not take the letter/],
  ] as const) {
    await field.fill(typed)
    await send.click()
    await expect.element(field).toHaveAccessibleDescription(words)
  }
  await field.fill('ada.penrose@quay.example')
  await send.click()
  await expect.element(screen.getByText('Somebody else changes the list.')).toBeVisible()
  // Not in the list, it is not sent to either.
  expect(made.bodiesOf(routes.sendToNew)).toEqual([])
  await expect.element(field).toHaveValue('ada.penrose@quay.example')
  made.on(routes.editList, () => ({
    edits: [],
    list: { ...aRound().list!, version: 2 },
    words: 'New address',
    said: [],
  }))
  await send.click()
  await until(() => expect(made.bodiesOf(routes.sendToNew)).toHaveLength(1))
  expect(made.bodiesOf(routes.editList).at(-1)?.wishes).toEqual([
    { do: 'cells', cells: [[1, 'c2', 'ada.penrose@quay.example']] },
  ])
})

test('a new address that stands in the list already is only sent to', async () => {
  const made = withRows(desk(), () => ({
    version: 2,
    rows: [{ ...someRows[0], cells: { ...someRows[0].cells, c2: 'ada.penrose@quay.example' } }],
  })).on(routes.sendToNew, () => ({}) as never)
  const { screen } = await draw(<NewAddress roundId={5} rowId={1} person="Ada Penrose" address="ada@quay.example" />)
  await expect.element(screen.getByLabelText('New address in the list')).toHaveValue('ada.penrose@quay.example')
  await screen.getByRole('button', { name: 'Send to the new address' }).click()
  await until(() => expect(made.bodiesOf(routes.sendToNew)).toHaveLength(1))
  expect(made.bodiesOf(routes.editList)).toEqual([])
})

test('rules are saved under a name, with the columns they speak of, and the name must stand there', async () => {
  const selection = { match: 'all', rules: [{ column: 'c3', comparison: 'isFilled', value: '' }] } as const
  const made = openDesk()
  withRound(made, aRound({ selection: { match: 'all', rules: [...selection.rules] } }))
  made.on(routes.saveRules, () => ({ id: 1 }) as never)
  const { screen } = await draw(
    <InRound>
      <Rules />
    </InRound>,
  )
  await screen.getByRole('button', { name: 'Saved rules' }).click()
  const name = screen.getByLabelText('Name for these rules')
  await screen.getByRole('button', { name: 'Save', exact: true }).click()
  await expect.element(name).toHaveAccessibleDescription(/This must be filled in/)
  await name.fill('Who pays')
  await userEvent.keyboard('{Enter}')
  await until(() =>
    expect(made.bodiesOf(routes.saveRules)).toEqual([{ name: 'Who pays', selection, columns: { c3: 'Fee' } }]),
  )
  await expect.element(name).toHaveValue('')
})

test('from several mailboxes the one that is chosen writes the round', async () => {
  const made = desk().on(routes.mailboxes, () => [aMailbox(), aMailbox({ id: 9, name: 'Berths' })])
  const { screen } = await draw(<StartRound opened />)
  await screen.getByLabelText('What is this round about?').fill('Tolls')
  await screen.getByLabelText('From which mailbox?').selectOptions('Berths, office@brindlequay.example')
  await screen.getByRole('button', { name: 'Start with the people' }).click()
  await until(() => expect(made.bodiesOf(routes.startRound)).toEqual([{ title: 'Tolls', mailboxId: 9 }]))
})
