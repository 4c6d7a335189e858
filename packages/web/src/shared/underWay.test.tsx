import { type AccountRole, accountRoles, routes, type Work } from '@hand-post/contract'
import { expect, test } from 'vitest'
import { queries } from '../api.ts'
import { draw, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { keys } from './queries.ts'
import { UnderWay, UnderWayOfOthers } from './UnderWay.tsx'

const [adas, bens] = [
  { id: 1, name: 'Ada Penrose' },
  { id: 2, name: 'Ben Tide' },
]
const aWork = (parts: Partial<Work> = {}): Work => ({
  id: '7c9e6679-7425-40de-944b-e07fc1f90ae7',
  what: 'proof',
  round: { id: 5, name: 'Season permits' },
  list: null,
  by: adas,
  running: 40_400,
  progress: { done: 3000, of: 10_000, words: 'Proofing' },
  stoppedBy: null,
  tooLate: false,
  ...parts,
})

/** A desk at which this is under way, seen by Ben. */
function desk(works: Work[], roles: readonly AccountRole[] = accountRoles) {
  const state = { works }
  const made = openDesk()
    .on(routes.works, () => state.works)
    .on(routes.me, () => ({
      account: { ...bens, address: 'ben@quay.example', code: false },
      roles: [...roles],
      hasPassword: true,
      recoveryLeft: 0,
    }))
  return { made, state }
}

test('what takes long says what it is, of what, whose and how far; stopped, it says who stops it', async () => {
  const { made, state } = desk([
    aWork(),
    aWork({
      id: '00000000-0000-4000-8000-000000000001',
      what: 'backup',
      round: null,
      by: null,
      running: 200_000,
      progress: null,
    }),
  ])
  made.on(routes.stopWork, () => {
    state.works = [aWork({ stoppedBy: 'Ben Tide' }), state.works[1]]
    return {}
  })
  const { screen } = await draw(<UnderWay />)
  const lines = screen.getByRole('listitem')
  await expect
    .element(lines.first())
    .toHaveTextContent('Proof “Season permits”Ada Penrose, for 40 secondsProofing: 3,000 of 10,000Stop')
  await expect.element(lines.nth(1)).toHaveTextContent('Copy of everythingfor 3 minutesUnder way…Stop')
  const bar = screen.getByRole('progressbar', { name: 'How far: Proof of “Season permits”' })
  expect((bar.element() as HTMLProgressElement).position).toBeCloseTo(0.3)
  await expect.element(screen.getByRole('link', { name: '“Season permits”' })).toHaveAttribute('href', '/rounds/5')
  await lines.first().getByRole('button', { name: 'Stop' }).click()
  expect(made.asked.map(({ route, params }) => [route, params])).toEqual([
    [routes.stopWork, { work: '7c9e6679-7425-40de-944b-e07fc1f90ae7' }],
  ])
  await queries.invalidateQueries({ queryKey: keys.works() })
  await expect.element(lines.first()).toHaveTextContent('Ben Tide is stopping it, at its next step')
  await expect.element(lines.first().getByRole('button', { name: 'Stop' })).toBeDisabled()
  state.works = [aWork({ stoppedBy: 'Ben Tide', tooLate: true })]
  await queries.invalidateQueries({ queryKey: keys.works() })
  await expect.element(lines.first()).toHaveTextContent(/It was not stopped: it was done by then\.$/)
  await expect.element(screen.getByRole('button', { name: 'Stop' })).not.toBeInTheDocument()
  await expect.element(screen.getByRole('progressbar')).not.toBeInTheDocument()
  // Nothing under way, nothing shown.
  state.works = []
  await queries.invalidateQueries({ queryKey: keys.works() })
  await expect.element(screen.getByText('Under way now')).not.toBeInTheDocument()
})

test('who may not begin it is not offered to stop it; what the desk says against it is said', async () => {
  const { made } = desk([aWork({ what: 'posting' }), aWork({ id: '00000000-0000-4000-8000-000000000002' })], ['writer'])
  made.on(routes.stopWork, () => {
    throw new Refused(404, 'This is not under way any more: it has ended, or was stopped already.')
  })
  const { screen } = await draw(<UnderWay />)
  const lines = screen.getByRole('listitem')
  await expect.element(lines.first()).toHaveTextContent('Posting “Season permits”')
  expect(lines.first().getByRole('button').elements()).toHaveLength(0)
  await lines.nth(1).getByRole('button', { name: 'Stop' }).click()
  await expect.element(screen.getByText(/This is not under way any more/)).toBeVisible()
})

test('in a round, that of colleagues shows, and neither one’s own nor another round’s', async () => {
  const { state } = desk([
    aWork({ what: 'drafts' }),
    aWork({ id: '00000000-0000-4000-8000-000000000003', what: 'printing', by: bens }),
    aWork({ id: '00000000-0000-4000-8000-000000000004', what: 'archive', round: { id: 6, name: 'Other' } }),
    aWork({ id: '00000000-0000-4000-8000-000000000005', what: 'record', by: null }),
  ])
  const { screen } = await draw(<UnderWayOfOthers round={5} />)
  const lines = screen.getByRole('region', { name: /colleagues have under way/ }).getByRole('listitem')
  await expect.element(lines).toHaveTextContent(/^Putting drafts into the mailboxAda Penrose/)
  expect(lines.elements()).toHaveLength(1)
  state.works = state.works.slice(1)
  await queries.invalidateQueries({ queryKey: keys.works() })
  await expect.element(screen.getByText(/Putting drafts/)).not.toBeInTheDocument()
})
