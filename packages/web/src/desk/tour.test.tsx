import { routes } from '@hand-post/contract'
import { Suspense } from 'react'
import { beforeEach, expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { openTour, tourParts, useTour } from '../shared/tour.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aMailbox } from '../testing/samples.ts'
import { Desk } from './Desk.tsx'
import Tour from './Tour.tsx'
import { tourParts as parts } from './tourWords.ts'

beforeEach(() => openTour(null))

function WithTour() {
  const tour = useTour()
  return (
    <Suspense>
      <Desk />
      {tour !== null && <Tour at={tour} />}
    </Suspense>
  )
}
const quietDesk = () =>
  openDesk()
    .on(routes.lists, () => [])
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.rounds, () => [])
    .on(routes.desk, () => ({
      now: 0,
      goingOut: [],
      cameBack: [],
      waits: { drafts: [], toPrint: [], inTray: 0, reminders: [], inDoubt: 0, faults: [], pausedMailboxes: [] },
      finished: [],
    }))

test('the tour is offered once; it opens, is left by Escape, and the focus is back', async () => {
  quietDesk()
  const { screen } = await draw(<WithTour />)
  const show = screen.getByRole('button', { name: 'Show me' })
  await show.click()
  await expect.element(screen.getByRole('heading', { name: 'In short' })).toHaveFocus()
  await userEvent.keyboard('{Escape}')
  await expect.element(screen.getByRole('dialog')).not.toBeInTheDocument()
  await expect.element(show).not.toBeInTheDocument()
  expect(localStorage.getItem('tour-offered')).not.toBeNull()
})

test('it opens at each of its parts, with that part at the top', async () => {
  quietDesk()
  const { screen } = await draw(<WithTour />)
  for (const part of tourParts.slice(0, -1)) {
    openTour(part)
    const heading = screen.getByRole('heading', { name: parts[part].name, exact: true })
    await expect.element(heading).toHaveFocus()
    const page = heading.element().closest('.overflow-auto')!
    const below = heading.element().getBoundingClientRect().top - page.getBoundingClientRect().top
    const atEnd = page.scrollTop + page.clientHeight >= page.scrollHeight - 1
    expect(below >= 0 && (below < 60 || atEnd), `${part} stands ${below} px below the top`).toBe(true)
    openTour(null)
    await expect.element(screen.getByRole('dialog')).not.toBeInTheDocument()
  }
})

test('within it, each part is reached by its name', async () => {
  quietDesk()
  const { screen } = await draw(<WithTour />)
  openTour('beginning')
  await screen.getByRole('button', { name: 'Dispatch' }).click()
  await expect.element(screen.getByRole('heading', { name: 'Dispatch' })).toHaveFocus()
  await expect.element(screen.getByText(/What has left cannot be called back/)).toBeInViewport()
})
