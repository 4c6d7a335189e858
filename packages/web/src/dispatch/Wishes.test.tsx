import { routes, usualDispatch } from '@hand-post/contract'
import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { query } from '../shared/queries.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aMailbox, aRound, withRound } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { Wishes } from './Wishes.tsx'

function Round({ zone }: { zone: string }) {
  const mailbox = useMemo(() => aMailbox({ timeZone: zone }), [zone])
  const round = useQuery(query.round(5)).data
  return (
    round && (
      <OpenRound round={round} goTo={() => {}}>
        <Wishes mailbox={mailbox} />
      </OpenRound>
    )
  )
}
async function drawWishes(parts: Parameters<typeof aRound>[0] = {}, zone = 'Asia/Tokyo') {
  const desk = openDesk()
  const kept = withRound(desk, aRound(parts))
  const { screen } = await draw(<Round zone={zone} />)
  return { desk, kept, screen, pace: screen.getByLabelText('Letters a minute') }
}

test.each([
  ['0', /^At 0 letters a minute nothing would ever leave/],
  ['0.001', /^At 0 letters a minute nothing would ever leave/],
  ['', /^Enter a number/],
  ['100001', /^At most 100,000/],
])('the pace “%s” is none: the one before stays, and that is said', async (typed, words) => {
  const { desk, screen, pace } = await drawWishes()
  await pace.fill(typed)
  await expect.element(pace).toHaveAccessibleDescription(words)
  await expect.element(screen.getByText('Until that is mended it stays at 10.')).toBeVisible()
  // Left, it is neither forgotten nor sent.
  await userEvent.tab()
  await expect.element(pace).toHaveAttribute('aria-invalid', 'true')
  expect(desk.bodiesOf(routes.changeRound)).toEqual([])
})

test.each([
  ['20', 20, 'A careful pace is 10 or fewer.'],
  ['0.5', 0.5, 'One letter every 2 minutes.'],
  ['0.017', 0.017, 'One letter every 59 minutes.'],
])('the pace %s counts at once, and what it means is said', async (typed, perMinute, words) => {
  const { kept, screen, pace } = await drawWishes()
  await pace.fill(typed)
  await expect.element(screen.getByText(words)).toBeVisible()
  await until(() => expect(kept.round.dispatch.perMinute).toBe(perMinute))
  await expect.element(pace).toHaveValue(Number(typed))
})

test('who follows links is not counted where the letter has none, and that is said', async () => {
  const { screen, kept } = await drawWishes({ letter: { subject: '', body: { type: 'doc', content: [] } } })
  const words = screen.getByText(/There is no link in the letter/)
  await expect.element(screen.getByLabelText('who follows its links')).toBeVisible()
  await expect.element(words).not.toBeInTheDocument()
  await screen.getByLabelText('who follows its links').click()
  await expect.element(words).toBeVisible()
  expect(kept.round.tracking.clicks).toBe(true)
})

test('of a letter in plain text, opens and links are not offered, and that is said; a receipt can be asked for', async () => {
  const letter = { subject: '', plain: true, body: { type: 'doc' as const, content: [] } }
  const { screen } = await drawWishes({ letter })
  await expect.element(screen.getByText(/opens and followed links cannot be seen/)).toBeVisible()
  await expect.element(screen.getByLabelText(/who opens it/)).toBeDisabled()
  await expect.element(screen.getByLabelText('who follows its links')).toBeDisabled()
  await expect.element(screen.getByLabelText(/asking for a receipt/)).toBeEnabled()
})

test.each(['https://quay.example', '{{Link}}'])('where it has one (%s), nothing is said', async (href) => {
  const letter = {
    subject: '',
    body: { type: 'doc' as const, content: [{ type: 'button' as const, attrs: { href }, content: [] }] },
  }
  const tracking = { opens: false, clicks: true, receipts: false, optOut: false }
  const { screen } = await drawWishes({ letter, tracking })
  await expect.element(screen.getByLabelText('who follows its links')).toBeChecked()
  await expect.element(screen.getByText(/There is no link in the letter/)).not.toBeInTheDocument()
})

test('the first letter leaves on a day and hour of the mailbox’s zone', async () => {
  const { kept, screen } = await drawWishes()
  await screen.getByLabelText('on a day and hour').click()
  await until(() => expect(kept.round.dispatch.startAt).toBeGreaterThan(Date.now()))
  // The next full hour that is at least an hour away.
  expect(kept.round.dispatch.startAt! % 3_600_000).toBe(0)
  expect(kept.round.dispatch.startAt! - Date.now()).toBeLessThanOrEqual(2 * 3_600_000)
  const field = screen.getByRole('textbox', { name: 'Day and hour of the first letter' })
  await field.fill('1/7/2030 09:00')
  await userEvent.tab()
  // Tokyo is nine hours ahead of UTC all the year round (IANA Time Zone Database, asia).
  await until(() => expect(kept.round.dispatch.startAt).toBe(Date.UTC(2030, 6, 1, 0, 0)))
  await expect.element(screen.getByText('Monday', { exact: true })).toBeVisible()
  await field.fill('soon')
  await userEvent.tab()
  await expect.element(field).toHaveAccessibleDescription(/not a day and an hour/)
  expect(kept.round.dispatch.startAt).toBe(Date.UTC(2030, 6, 1, 0, 0))
  await screen.getByLabelText('as soon as the round is posted').click()
  await until(() => expect(kept.round.dispatch.startAt).toBeNull())
  await expect.element(field).not.toBeInTheDocument()
})

test.each([
  // The clocks in Britain go forward at 01:00 UTC on 31 March 2030, and back at 01:00 UTC on 27 October (Summer Time Order 2002).
  ['30/03/2030 09:00', Date.UTC(2030, 2, 30, 9)],
  ['31/03/2030 09:00', Date.UTC(2030, 2, 31, 8)],
  ['27/10/2030 09:00', Date.UTC(2030, 9, 27, 9)],
  ['26/10/2030 09:00', Date.UTC(2030, 9, 26, 8)],
])('%s in London is the same hour of the wall clock, summer and winter', async (typed, at) => {
  const { kept, screen } = await drawWishes(
    { dispatch: { ...usualDispatch, startAt: Date.UTC(2029, 0, 1) } },
    'Europe/London',
  )
  const field = screen.getByRole('textbox', { name: 'Day and hour of the first letter' })
  await field.fill(typed)
  await userEvent.tab()
  await until(() => expect(kept.round.dispatch.startAt).toBe(at))
  await expect.element(field).toHaveValue(typed)
})

test('a time that is past is said, and a public address that nobody else can reach', async () => {
  const { screen } = await drawWishes({
    dispatch: { ...usualDispatch, startAt: Date.UTC(2020, 0, 1) },
    tracking: { opens: true, clicks: false, receipts: false, optOut: false },
  })
  await expect.element(screen.getByText('That is past: the first letter leaves at once.')).toBeVisible()
  await expect.element(screen.getByText(/The public address is on this machine only/)).toBeVisible()
})
