import { accountRoles, type SecondEyes as Facts, type Me, routes } from '@hand-post/contract'
import { beforeEach, expect, test, vi } from 'vitest'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk } from '../testing/fakeDesk.tsx'
import { aMailbox, aRound, withRound } from '../testing/samples.ts'
import { SecondEyes } from './SecondEyes.tsx'

const draft = aRound()
let desk: FakeDesk
let me: Me
let eyes: Facts
beforeEach(() => {
  me = {
    account: { id: 2, name: 'Ben Tide', address: 'ben@quay.example', code: false },
    roles: [...accountRoles],
    hasPassword: true,
    recoveryLeft: 0,
  }
  eyes = { by: null, lastChanged: null, own: false, unread: 0, of: 0, changedSince: [] }
  desk = openDesk()
  withRound(desk, draft)
  desk
    .on(routes.me, () => me)
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.secondEyes, () => eyes)
})
const part = (goTo = vi.fn()) =>
  draw(
    <OpenRound round={draft} goTo={goTo}>
      <SecondEyes />
      <p>Here</p>
    </OpenRound>,
  )

test('where nobody signs in nothing of it shows', async () => {
  me = { ...me, account: null }
  const { screen } = await part()
  await expect.element(screen.getByText('Here')).toBeVisible()
  expect(screen.getByRole('button').elements()).toHaveLength(0)
})

test('it is wanted by a click, and said whose turn it is', async () => {
  desk.on(routes.wantSecondEyes, ({ body }) => {
    eyes = body.wanted
      ? { by: 'round', lastChanged: { id: 2, name: 'Ben Tide', at: 0 }, own: true, unread: 3, of: 3, changedSince: [] }
      : { ...eyes, by: null }
    return {}
  })
  const { screen } = await part()
  await screen.getByRole('button', { name: 'Want a second pair of eyes' }).click()
  await expect.element(screen.getByText(/You changed it last: somebody else/)).toBeVisible()
  // Reading it oneself would not help.
  await expect.element(screen.getByRole('button', { name: 'Read them at Proof' })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'No second pair of eyes' }).click()
  await expect.element(screen.getByRole('button', { name: 'Want a second pair of eyes' })).toBeVisible()
  expect(desk.bodiesOf(routes.wantSecondEyes)).toEqual([{ wanted: true }, { wanted: false }])
})

test('the reader is told what is still to be read, and what was changed since; a mailbox’s wish stays', async () => {
  eyes = {
    by: 'mailbox',
    lastChanged: { id: 1, name: 'Ada Penrose', at: 0 },
    own: false,
    unread: 2,
    of: 5,
    changedSince: ['Person 1', 'Person 2'],
  }
  const goTo = vi.fn()
  const { screen } = await part(goTo)
  await expect.element(screen.getByText(/Ada Penrose changed it last\. You have read 3 of the 5 letters/)).toBeVisible()
  await expect
    .element(screen.getByText('Changed since you read it: the letter to Person 1 and Person 2.'))
    .toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'No second pair of eyes' })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Read them at Proof' }).click()
  expect(goTo).toHaveBeenCalledWith('proof')
})

test('once all is read it says so; who is no keeper is not offered to do without', async () => {
  me = { ...me, roles: ['writer', 'poster'] }
  eyes = {
    by: 'round',
    lastChanged: { id: 1, name: 'Ada Penrose', at: 0 },
    own: false,
    unread: 0,
    of: 4,
    changedSince: [],
  }
  const { screen } = await part()
  await expect.element(screen.getByText(/You have read the reading set as it stands/)).toBeVisible()
  expect(screen.getByRole('button').elements()).toHaveLength(0)
})
