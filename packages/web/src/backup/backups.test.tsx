import { routes } from '@hand-post/contract'
import { beforeEach, expect, test } from 'vitest'
import type { z } from 'zod'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import Backups from './Backups.tsx'

let desk: FakeDesk
let about: z.input<typeof routes.backups.answer>
beforeEach(() => {
  about = { cannot: null, last: null, restored: null }
  desk = openDesk()
  desk.on(routes.backups, () => about)
})
const passphrase = 'seven grey gulls on the mole'

test('a passphrase is asked for twice, and long enough; what is wrong stands at its field', async () => {
  desk.on(routes.makeBackup, () => ({ backup: 'a'.repeat(32), name: 'Hand Post.zip', size: 5_500_000, damaged: [] }))
  const { screen } = await draw(<Backups />)
  await expect.element(screen.getByText('None was made yet.')).toBeVisible()
  const make = screen.getByRole('button', { name: 'Make a copy' })
  await screen.getByLabelText('Passphrase', { exact: true }).fill('short')
  await make.click()
  await expect.element(screen.getByText('A passphrase must have at least 12 characters.')).toBeVisible()
  await screen.getByLabelText('Passphrase', { exact: true }).fill(passphrase)
  await screen.getByLabelText('Once more').fill(`${passphrase}.`)
  await make.click()
  await expect.element(screen.getByText('This is not the same passphrase.')).toBeVisible()
  expect(desk.bodiesOf(routes.makeBackup)).toEqual([])
  await screen.getByLabelText('Once more').fill(passphrase)
  await make.click()
  await expect.element(screen.getByText(/“Hand Post.zip” is ready, 5.5 MB/)).toBeVisible()
  await expect
    .element(screen.getByRole('link', { name: 'Save it' }))
    .toHaveAttribute('href', `/api/backups/${'a'.repeat(32)}`)
  expect(desk.bodiesOf(routes.makeBackup)).toEqual([{ passphrase }])
})

test('without the key no passphrase is asked for; what could not be copied is named, and a refusal said', async () => {
  let refuse = false
  desk.on(routes.makeBackup, () => {
    if (refuse) throw new Refused(507, 'There is no room left on the disk.')
    return { backup: 'b'.repeat(32), name: 'Hand Post.zip', size: 10, damaged: ['map.pdf'] }
  })
  const { screen } = await draw(<Backups />)
  await screen.getByRole('radio', { name: /kept apart/ }).click()
  await expect.element(screen.getByLabelText('Passphrase', { exact: true })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Make a copy' }).click()
  await expect.element(screen.getByText(/1 file could not be copied/)).toBeVisible()
  await expect.element(screen.getByText('map.pdf')).toBeVisible()
  expect(desk.bodiesOf(routes.makeBackup)).toEqual([{ passphrase: null }])
  refuse = true
  await screen.getByRole('button', { name: 'Make a copy' }).click()
  await expect.element(screen.getByText('There is no room left on the disk.')).toBeVisible()
})

test('what was put back is said, with what waited in it', async () => {
  const at = Date.UTC(2026, 10, 20, 9)
  about = {
    cannot: null,
    last: { madeAt: at, size: 2_500_000, withKey: false },
    restored: { madeAt: at, restoredAt: at + 3_600_000, letters: 12, copies: 1 },
  }
  const { screen } = await draw(<Backups />)
  await expect.element(screen.getByText(/12 letters and 1 copy waited then\./)).toBeVisible()
  await expect.element(screen.getByText(/2.5 MB, the key kept apart/)).toBeVisible()
})

test('of a database on a server no copy is made from here, and it says what is done instead', async () => {
  about = { ...about, cannot: 'The PostgreSQL server is copied by its own tools (pg_dump), and not from here.' }
  const { screen } = await draw(<Backups />)
  await expect.element(screen.getByText(/by its own tools \(pg_dump\)/)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Make a copy' })).not.toBeInTheDocument()
})
