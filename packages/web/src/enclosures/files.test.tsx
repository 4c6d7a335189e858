import { type Enclosures, routes } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import EnclosuresStage from './EnclosuresStage.tsx'

const file = (id: number, name: string, folder = '') => ({
  id,
  name,
  folder,
  hash: String(id).repeat(64).slice(0, 64),
  size: 1000,
  type: 'application/pdf',
  role: 'own' as const,
})
const found = (parts: Partial<Enclosures> = {}): Enclosures =>
  ({
    people: [1, 2].map((rowId) => ({
      rowId,
      person: rowId === 1 ? 'Ada Penrose' : 'Bram Sloe',
      files: rowId === 1 ? [{ id: 11, by: 'column', sentAs: 'permit.pdf' }] : [],
      missing: [],
      doubtful: [],
      size: 2000,
      exact: false,
    })),
    unclaimed: [12, 13],
    shared: [],
    proposed: [],
    pattern: null,
    faults: [],
    unread: 0,
    toMake: 0,
    ...parts,
  }) as unknown as Enclosures

async function drawFiles(parts: Parameters<typeof aRound>[0] = {}) {
  const desk = openDesk()
  const kept = withRound(
    desk,
    aRound({
      files: [file(11, 'permit.pdf', 'north'), file(12, 'permit.pdf'), file(13, 'notes.pdf', 'old')],
      filesColumn: 'c1',
      ...parts,
    }),
  )
  desk.on(routes.enclosures, () => found()).on(routes.shelf, () => [])
  function Stage() {
    const round = useQuery(query.round(5)).data
    return (
      round && (
        <OpenRound round={round} goTo={() => {}}>
          <div style={{ height: 700, width: 900 }}>
            <EnclosuresStage />
          </div>
        </OpenRound>
      )
    )
  }
  const { screen } = await draw(<Stage />)
  await expect.element(screen.getByRole('button', { name: 'Files 3' })).toBeVisible()
  return { desk, kept, screen }
}

test('files that nobody gets are taken out together', async () => {
  const { desk, screen } = await drawFiles()
  desk.on(routes.removeFiles, ({ body }) => ({ removed: body.files.length }))
  await screen.getByRole('button', { name: 'Nobody’s 2' }).click()
  await expect.element(screen.getByText('These files go to nobody.')).toBeVisible()
  await screen.getByRole('button', { name: 'Take all 2 out' }).click()
  await expect.element(screen.getByText('2 files were taken out.')).toBeVisible()
  expect(desk.bodiesOf(routes.removeFiles)).toEqual([{ files: [12, 13] }])
})

test('where several files have one name the folder of each stands beside it, and only there', async () => {
  const { screen } = await drawFiles()
  await screen.getByRole('button', { name: 'Files 3' }).click()
  await expect.element(screen.getByRole('link', { name: 'permit.pdf in north' })).toBeVisible()
  await expect.element(screen.getByRole('link', { name: 'permit.pdf in no folder' })).toBeVisible()
  await expect.element(screen.getByRole('link', { name: 'notes.pdf', exact: true })).toBeVisible()
})

test('the name of made files takes fields by the menu of the letter, and counts when it is left', async () => {
  const { kept, screen } = await drawFiles({ made: { of: 'letter', name: 'Permit {{Name}}' } })
  const name = screen.getByRole('textbox', { name: 'Name of each file' })
  await expect.element(name.getByRole('button', { name: 'Name' })).toBeVisible()
  await expect.element(screen.getByText('For the person in hand: Permit Ada Penrose', { exact: false })).toBeVisible()
  await name.click()
  await userEvent.keyboard('{End} to {{{{Fe')
  await expect.element(screen.getByRole('listbox').getByRole('option', { name: /Fee/ })).toBeVisible()
  await userEvent.keyboard('{Enter}')
  expect(kept.round.made?.name).toBe('Permit {{Name}}')
  await userEvent.keyboard('{Enter}')
  await expect.poll(() => kept.round.made?.name).toBe('Permit {{Name}} to {{Fee}}')
  // A name must stand there: without one the name of before stands again.
  await name.click()
  await userEvent.keyboard('{Control>}a{/Control}{Delete}')
  await userEvent.tab()
  await expect.element(name).toHaveTextContent('Permit Name to Fee')
  expect(kept.round.made?.name).toBe('Permit {{Name}} to {{Fee}}')
})

test('a pattern that names no column of the list is said as it is typed', async () => {
  const { kept, screen } = await drawFiles()
  const pattern = screen.getByRole('textbox', { name: 'or by the pattern' })
  await pattern.click()
  await userEvent.keyboard('a-{{{{Berth}}.pdf')
  await expect.element(screen.getByText('The list has no column “Berth”.')).toBeVisible()
  await userEvent.keyboard('{Enter}')
  await expect.poll(() => kept.round.filePattern).toBe('a-{{Berth}}.pdf')
})
