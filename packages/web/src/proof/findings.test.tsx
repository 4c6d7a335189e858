import { type FindingEntry, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { expect, test } from 'vitest'
import LettersScreen from '../letter/LettersScreen.tsx'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import ProofStage from './ProofStage.tsx'

function InRound({ id, children }: { id: number; children: ReactNode }) {
  const round = useQuery(query.round(id)).data
  return (
    round && (
      <OpenRound round={round} goTo={() => {}}>
        <div style={{ height: 500 }}>{children}</div>
      </OpenRound>
    )
  )
}
const findingOf = (n: number, words: string): FindingEntry => ({
  key: `k${n}`,
  check: n % 2 ? 'sameName' : 'blank',
  title: n % 2 ? 'Two people of one name' : 'Something is blank',
  grade: 'ask',
  rowId: n,
  person: `Person ${n}`,
  message: words,
  mends: [],
  accepted: null,
})

test('findings are searched by person and words; what is accepted together is what was found, and the search is there again', async () => {
  const desk = openDesk()
  withRound(desk, aRound({ id: 31 }))
  const findings = Array.from({ length: 40 }, (_, i) =>
    findingOf(i, i % 10 === 3 ? 'The berth is blank' : 'Look at it'),
  )
  desk
    .on(routes.proof, () => ({ people: 40, findings, stops: 0, asks: 40, unread: 0, mayPost: false }))
    .on(routes.readingSet, () => ({ people: 40, set: [], read: [] }))
    .on(routes.drafts, () => ({ people: 0, sent: 0, changed: 0, at: null }) as never)
    .on(routes.accept, () => ({}))
  const stage = (
    <InRound id={31}>
      <ProofStage />
    </InRound>
  )
  const { screen } = await draw(stage)
  const search = screen.getByRole('searchbox', { name: 'Search the findings' })
  await search.fill('berth blank')
  await expect.element(screen.getByRole('button', { name: 'Person 13' })).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Person 12' })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Accept these 4' }).click()
  await screen.getByLabelText('Why is it right as it is?').fill('They share it')
  await screen.getByRole('button', { name: 'Accept', exact: true }).click()
  await expect
    .poll(() => desk.bodiesOf(routes.accept))
    .toEqual([{ keys: ['k3', 'k13', 'k23', 'k33'], reason: 'They share it' }])
  await search.fill('nobody has this')
  await expect.element(screen.getByText('Nothing has “nobody has this” in it.')).toBeVisible()
  // Another stage, and back.
  await search.fill('person 1')
  await screen.unmount()
  const again = await draw(stage)
  await expect.element(again.screen.getByRole('searchbox')).toHaveValue('person 1')
  await expect.element(again.screen.getByRole('button', { name: 'Person 12' })).toBeVisible()
  await expect.element(again.screen.getByRole('button', { name: 'Person 22' })).not.toBeInTheDocument()
})

test('few findings need no search', async () => {
  const desk = openDesk()
  withRound(desk, aRound({ id: 32 }))
  desk
    .on(routes.proof, () => ({
      people: 2,
      findings: [findingOf(1, 'x')],
      stops: 0,
      asks: 1,
      unread: 0,
      mayPost: false,
    }))
    .on(routes.readingSet, () => ({ people: 2, set: [], read: [] }))
    .on(routes.drafts, () => ({ people: 0, sent: 0, changed: 0, at: null }) as never)
  const { screen } = await draw(
    <InRound id={32}>
      <ProofStage />
    </InRound>,
  )
  await expect.element(screen.getByRole('button', { name: 'Person 1' })).toBeVisible()
  await expect.element(screen.getByRole('searchbox')).not.toBeInTheDocument()
})

test('the shelf keeps its search, its place and the letter that was looked at', async () => {
  const lines = Array.from({ length: 60 }, (_, i) => ({
    id: i + 1,
    name: `Letter ${i + 1}`,
    tags: [],
    subject: 'S',
    beginning: '',
    createdAt: 0,
    changedAt: 1,
  }))
  openDesk()
    .on(routes.mailboxes, () => [])
    .on(routes.lists, () => [])
    .on(routes.shelf, ({ query }) => lines.filter((l) => l.name.includes(query.find ?? '')))
    .on(routes.shelfVersions, () => [])
    .on(routes.shelfLetter, ({ params }) => ({
      ...lines[Number(params.letter) - 1],
      letter: { subject: `Subject ${params.letter}`, body: { type: 'doc' as const, content: [] } },
    }))
  const shelf = (
    <div style={{ height: 500 }}>
      <LettersScreen />
    </div>
  )
  const { screen } = await draw(shelf)
  await screen.getByRole('button', { name: 'Letter 40' }).click()
  await expect.element(screen.getByText('Subject 40')).toBeVisible()
  const at = screen.getByRole('navigation', { name: 'Letters' }).element().scrollTop
  expect(at).toBeGreaterThan(0)
  await screen.unmount()
  const again = await draw(shelf)
  await expect.element(again.screen.getByText('Subject 40')).toBeVisible()
  expect(again.screen.getByRole('navigation', { name: 'Letters' }).element().scrollTop).toBe(at)
  await again.screen.getByRole('searchbox').fill('Letter 1')
  await expect.element(again.screen.getByRole('button', { name: 'Letter 2', exact: true })).not.toBeInTheDocument()
})
