import { type Round, type RoundDispatch, routes, type Timetable, usualDispatch } from '@hand-post/contract'
import { type Lane, type PlanGiven, readyWeeks } from '@hand-post/core'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aMailbox, aRound, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { PaceFields } from './PaceFields.tsx'
import { PaceSheet } from './PaceSheet.tsx'
import { TimetableChart } from './TimetableChart.tsx'

const mailbox = aMailbox({ hours: { week: readyWeeks.office, off: [], holidays: null } })

/** A Friday morning. */
const now = Date.parse('2026-11-27T08:00:00Z')
const given = (n: number, more: Partial<Lane> = {}): PlanGiven => ({
  now,
  paused: false,
  limits: {
    zone: 'Europe/London',
    hours: { week: readyWeeks.office, off: [{ from: '2026-11-30', to: '2026-11-30', name: 'Staff day' }] },
    perDay: 500,
    dayZone: null,
    perHour: null,
    recipientsPerMinute: null,
    perMinute: 10,
    perMessage: null,
    gentle: null,
  },
  history: [],
  lanes: [
    {
      id: 5,
      letters: Array.from({ length: n }, (_, i) => ({ id: i + 1, recipients: 1, copies: 0, notBefore: null, seed: i })),
      copies: [],
      pace: usualDispatch,
      gone: 0,
      last: null,
      lastByPace: null,
      ...more,
    },
  ],
  evenly: false,
  round: 5,
})

function Fields({ told }: { told: (pace: RoundDispatch) => void }) {
  const [pace, setPace] = useState<RoundDispatch>(usualDispatch)
  return (
    <PaceFields
      pace={pace}
      mailbox={mailbox}
      onChange={(changes) => {
        told({ ...pace, ...changes })
        setPace({ ...pace, ...changes })
      }}
    />
  )
}

test('a limit a day and groups count as soon as they are whole; half a group is said', async () => {
  const told = vi.fn<(pace: RoundDispatch) => void>()
  const { screen } = await draw(<Fields told={told} />)
  await screen.getByLabelText('At most a day').fill('100')
  await until(() => expect(told).toHaveBeenLastCalledWith(expect.objectContaining({ perDay: 100 })))
  await screen.getByLabelText('At most a day').fill('0')
  await expect
    .element(screen.getByLabelText('At most a day'))
    .toHaveAccessibleDescription(/At 0 recipients a day nothing would ever leave/)
  await screen.getByLabelText('At most a day').fill('')
  await until(() => expect(told).toHaveBeenLastCalledWith(expect.objectContaining({ perDay: null })))
  told.mockClear()
  await screen.getByLabelText('In groups of').fill('50')
  await expect
    .element(screen.getByLabelText('Minutes of rest'))
    .toHaveAccessibleDescription('Give both figures, or neither.')
  expect(told).not.toHaveBeenCalled()
  await screen.getByLabelText('Minutes of rest').fill('20')
  await until(() => expect(told).toHaveBeenLastCalledWith(expect.objectContaining({ groups: { of: 50, rest: 20 } })))
  await screen.getByLabelText(/uneven gaps/).click()
  expect(told).toHaveBeenLastCalledWith(expect.objectContaining({ uneven: true, groups: { of: 50, rest: 20 } }))
})

test('a moment by which all are done is in the mailbox’s zone; before the first it is said', async () => {
  const told = vi.fn<(pace: RoundDispatch) => void>()
  const { screen } = await draw(<Fields told={told} />)
  await screen.getByLabelText(/spread evenly/).click()
  const done = screen.getByRole('textbox', { name: 'Day and hour by which the last has left' })
  await done.fill('1/7/2099 12:00')
  await userEvent.tab()
  // It stands below what it belongs to, and above the next wish.
  const brake = screen.getByLabelText(/hold the round when/).element()
  expect(done.element().compareDocumentPosition(brake)).toBe(Node.DOCUMENT_POSITION_FOLLOWING)
  // Summer time in London is an hour ahead of UTC (tz database).
  await until(() => expect(told).toHaveBeenLastCalledWith(expect.objectContaining({ until: Date.UTC(2099, 6, 1, 11) })))
  await done.fill('1/7/2020 12:00')
  await userEvent.tab()
  await expect.element(screen.getByText('That is before the first may leave.')).toBeVisible()
  await screen.getByLabelText(/spread evenly/).click()
  expect(told).toHaveBeenLastCalledWith(expect.objectContaining({ until: null }))
})

test('hours of the round’s own are within the mailbox’s, or instead of them', async () => {
  const told = vi.fn<(pace: RoundDispatch) => void>()
  const { screen } = await draw(<Fields told={told} />)
  await expect.element(screen.getByText('the mailbox’s hours (Mon–Fri 09:00–12:30, 13:30–17:00)')).toBeVisible()
  await screen.getByLabelText('some of these hours only').click()
  expect(told.mock.lastCall?.[0].hours).toEqual({ week: readyWeeks.afternoons, off: [], instead: false })
  await screen.getByRole('button', { name: 'Mornings' }).click()
  await until(() => expect(told.mock.lastCall?.[0].hours?.week).toEqual(readyWeeks.mornings))
  await screen.getByLabelText('other hours, whatever the mailbox’s are').click()
  expect(told.mock.lastCall?.[0].hours).toMatchObject({ week: readyWeeks.mornings, instead: true })
  await screen.getByLabelText(/the mailbox’s hours/).click()
  expect(told.mock.lastCall?.[0].hours).toBeNull()
})

function Sheet({ onClose }: { onClose: () => void }) {
  const round = useQuery(query.round(5)).data
  return round && <PaceSheet round={round} mailbox={mailbox} waiting={40} onClose={onClose} />
}

async function sheet(parts: Partial<Round> = {}) {
  const desk = openDesk()
  const kept = withRound(desk, aRound({ postedAt: now, ...parts }))
  desk
    .on(routes.planGiven, () => given(40))
    .on(routes.changePace, ({ body }) => ({ ...kept.round, dispatch: { ...kept.round.dispatch, ...body } }))
  const closed = vi.fn()
  const { screen } = await draw(<Sheet onClose={closed} />)
  return { desk, screen, closed }
}

test('another pace for what waits is drawn before it is applied, and nothing is applied until it is', async () => {
  const { desk, screen, closed } = await sheet()
  await expect.element(screen.getByText(/^40 letters to 40 recipients/)).toBeVisible()
  await expect.element(screen.getByText('This is the pace as it is.')).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Apply to 40 letters' })).toBeDisabled()
  await screen.getByLabelText('At most a day').fill('15')
  await expect
    .element(screen.getByText(/on 3 days\. 25 letters wait for a later day: your own limit of 15 recipients a day/))
    .toBeVisible()
  expect(desk.bodiesOf(routes.changePace)).toEqual([])
  await screen.getByRole('button', { name: 'Apply to 40 letters' }).click()
  await until(() => expect(closed).toHaveBeenCalled())
  expect(desk.bodiesOf(routes.changePace)).toEqual([expect.objectContaining({ perDay: 15, perMinute: 10 })])
})

test('a thread that fails says so, and does not leave the writer waiting', async () => {
  const real = globalThis.Worker
  globalThis.Worker = class {
    onerror: ((event: Event) => void) | null = null
    postMessage() {
      setTimeout(() => this.onerror?.(new Event('error', { cancelable: true })))
    }
    terminate() {}
  } as unknown as typeof Worker
  try {
    const { screen } = await sheet()
    await expect.element(screen.getByText(/It could not be worked out here. Load the page again/)).toBeVisible()
  } finally {
    globalThis.Worker = real
  }
})

test('of a held round it is said how it would go if it were carried on', async () => {
  const { screen } = await sheet({ held: true })
  await expect.element(screen.getByText('The round is held: so it would go if you carried on now.')).toBeVisible()
  await expect.element(screen.getByText(/^40 letters to 40 recipients/)).toBeVisible()
})

test('the brake has a share, or is off', async () => {
  const told = vi.fn<(pace: RoundDispatch) => void>()
  const { screen } = await draw(<Fields told={told} />)
  const share = screen.getByLabelText('Share at which the round holds itself')
  await expect.element(share).toHaveValue('8')
  await share.selectOptions('15')
  expect(told.mock.lastCall?.[0].brake).toBe(15)
  await screen.getByLabelText(/hold the round when/).click()
  expect(told.mock.lastCall?.[0].brake).toBeNull()
  await expect.element(share).toBeDisabled()
})

const table = (parts: Partial<Timetable> = {}): Timetable => ({
  departures: [
    { at: now + 3_600_000, recipients: 1, rowId: 1, gone: true, by: null },
    { at: now + 2 * 3_600_000, recipients: 2, rowId: 2, gone: false, by: 'pace' },
    { at: Date.parse('2026-12-01T09:00:00Z'), recipients: 1, rowId: 3, gone: false, by: 'gentle' },
  ],
  others: [{ at: now + 2 * 3_600_000, recipients: 1 }],
  never: [],
  limits: given(1).limits,
  pace: usualDispatch,
  allowance: 500,
  sentence: '3 letters.',
  ...parts,
})

test('the chart has a row for each day, closed ones too, and says what the next day waits for', async () => {
  const { screen } = await draw(<TimetableChart table={table()} zone="Europe/London" now={now} />)
  for (const day of ['Fri 27 Nov', 'Sat 28 Nov', 'Sun 29 Nov', 'Mon 30 Nov', 'Tue 1 Dec'])
    await expect.element(screen.getByText(day).first()).toBeVisible()
  // At the weekend, and on the staff day.
  expect(screen.getByText('closed', { exact: true }).all().length).toBeGreaterThanOrEqual(3)
  await expect.element(screen.getByText('1 gone', { exact: true })).toBeVisible()
  await expect.element(screen.getByText('other rounds of the mailbox')).toBeVisible()
  await screen.getByText('As a table').click()
  const rows = screen.getByRole('row').all()
  expect(rows).toHaveLength(3)
  await expect.element(rows[1]).toHaveTextContent(/Fri 27 Nov.*09:00.*10:00.*2.*3.*1.*1.*the gentle start/)
})

test('twenty days are drawn as far as they fit, and said', async () => {
  const departures = Array.from({ length: 20 }, (_, i) => ({
    at: now + i * 24 * 3_600_000,
    recipients: 1,
    rowId: i,
    gone: false,
    by: 'day' as const,
  }))
  const { screen } = await draw(
    <TimetableChart table={table({ departures, others: [] })} zone="Europe/London" now={now} />,
  )
  await expect.element(screen.getByText('And 6 further days, in the table.')).toBeVisible()
  await expect.element(screen.getByText('then: the day’s limit').first()).toBeVisible()
})
