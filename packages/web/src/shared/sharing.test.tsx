import { accountRoles, type Me, routes, type Sharing as SharingFacts } from '@hand-post/contract'
import { beforeEach, expect, test } from 'vitest'
import { Happened } from '../record/Happened.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { until } from '../testing/until.ts'
import { Sharing } from './Sharing.tsx'

const signedIn: Me = {
  account: { id: 1, name: 'Ada Penrose', address: 'ada@quay.example', code: false },
  roles: [...accountRoles],
  hasPassword: true,
  recoveryLeft: 0,
}
let desk: FakeDesk
let me: Me
let facts: SharingFacts
beforeEach(() => {
  me = signedIn
  facts = { shared: 'everybody', owner: null, with: [], mayChange: true }
  desk = openDesk()
    .on(routes.me, () => me)
    .on(routes.sharing, () => facts)
    .on(routes.colleagues, () => [
      { id: 1, name: 'Ada Penrose', mayPost: true },
      { id: 2, name: 'Ben Tide', mayPost: false },
      { id: 3, name: 'Cy Moor', mayPost: false },
    ])
})
const part = <Sharing kind="round" thing={5} name="Winter lift-out" />

test('where nobody signs in nothing of it shows, and nothing is asked', async () => {
  me = { ...signedIn, account: null }
  const { screen } = await draw(
    <>
      {part}
      <p>Here</p>
    </>,
  )
  await expect.element(screen.getByText('Here')).toBeVisible()
  await until(() => expect(screen.getByRole('button').elements()).toHaveLength(0))
})

test('whom it is shared with is said, and changed: to some, who must be chosen, and to oneself alone', async () => {
  desk.on(routes.share, ({ body }) => {
    facts =
      body.with === 'everybody'
        ? { shared: 'everybody', owner: null, with: [], mayChange: true }
        : {
            shared: body.with.length > 0 ? 'chosen' : 'nobody',
            owner: { id: 1, name: 'Ada Penrose' },
            with: body.with,
            mayChange: true,
          }
    return facts
  })
  const { screen } = await draw(part)
  await screen.getByRole('button', { name: 'Seen by everybody' }).click()
  const dialog = screen.getByRole('dialog')
  await dialog.getByRole('radio', { name: 'You, and those who are chosen' }).click()
  const store = dialog.getByRole('button', { name: 'Store' })
  await expect.element(store).toBeDisabled()
  // Oneself is not among those to be chosen.
  await expect.element(dialog.getByRole('checkbox', { name: 'Ada Penrose' })).not.toBeInTheDocument()
  await dialog.getByRole('checkbox', { name: 'Cy Moor' }).click()
  await store.click()
  await screen.getByRole('button', { name: 'Seen by you and 1' }).click()
  await expect.element(dialog.getByRole('checkbox', { name: 'Cy Moor' })).toBeChecked()
  await dialog.getByRole('radio', { name: 'You alone' }).click()
  await store.click()
  await expect.element(screen.getByRole('button', { name: 'Seen by you alone' })).toBeVisible()
  expect(desk.bodiesOf(routes.share)).toEqual([{ with: [3] }, { with: [] }])
})

test('of what belongs to somebody else it is said whose it is, and nothing can be changed', async () => {
  facts = { shared: 'chosen', owner: { id: 2, name: 'Ben Tide' }, with: [1, 3], mayChange: false }
  const { screen } = await draw(part)
  await screen.getByRole('button', { name: 'Seen by some' }).click()
  await expect.element(screen.getByText('It belongs to Ben Tide, who decides this.')).toBeVisible()
  await expect.element(screen.getByRole('radio', { name: 'Ben Tide alone' })).toBeDisabled()
  await expect.element(screen.getByRole('button', { name: 'Store' })).not.toBeInTheDocument()
})

test('a refusal is told, and what was chosen stays', async () => {
  desk.on(routes.share, () => {
    throw new Refused(403, 'Keepers say whom a mailbox is shared with.')
  })
  const { screen } = await draw(part)
  await screen.getByRole('button', { name: 'Seen by everybody' }).click()
  await screen.getByRole('radio', { name: 'You alone' }).click()
  await screen.getByRole('button', { name: 'Store' }).click()
  await expect.element(screen.getByText('Keepers say whom a mailbox is shared with.')).toBeVisible()
  await expect.element(screen.getByRole('radio', { name: 'You alone' })).toBeChecked()
})

test('what happened is shown page by page, with who did it where anybody signs in', async () => {
  const at = Date.UTC(2026, 10, 20, 9)
  desk.on(routes.roundHappened, ({ query: { from } }) =>
    Array.from({ length: from === '0' ? 100 : 3 }, (_, i) => ({
      at,
      by: i < 2 ? null : 'Ada Penrose',
      itself: i === 1,
      words: `Deed ${Number(from) + i}`,
      round:
        i === 2
          ? { id: 9, title: 'Its chaser' }
          : i === 3
            ? { id: 8, title: null }
            : { id: 5, title: 'Winter lift-out' },
    })),
  )
  const { screen } = await draw(<Happened round={5} />)
  await expect.element(screen.getByText('Deed 99')).toBeInTheDocument()
  await expect.element(screen.getByRole('cell', { name: 'Hand Post itself' })).toBeVisible()
  await expect.element(screen.getByRole('link', { name: 'Its chaser' })).toHaveAttribute('href', '/rounds/9')
  await expect.element(screen.getByText('a round that is not there any more')).toBeVisible()
  await expect.element(screen.getByText('Winter lift-out')).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Show earlier' }).click()
  await expect.element(screen.getByText('Deed 102')).toBeInTheDocument()
  await expect.element(screen.getByRole('button', { name: 'Show earlier' })).not.toBeInTheDocument()
})

test('where nobody signs in there is no column for who; nothing at all is said in words', async () => {
  let lines = [{ at: 0, by: null as string | null, itself: false, words: 'Posted: 3 letters.', round: null }]
  desk.on(routes.happened, () => lines)
  const { screen } = await draw(<Happened />)
  await expect.element(screen.getByText('Posted: 3 letters.')).toBeVisible()
  await expect.element(screen.getByRole('columnheader', { name: 'Who' })).not.toBeInTheDocument()
  await screen.unmount()
  lines = []
  const { queries } = await import('../api.ts')
  queries.clear()
  const empty = await draw(<Happened />)
  await expect.element(empty.screen.getByText('Nothing was noted yet')).toBeVisible()
})
