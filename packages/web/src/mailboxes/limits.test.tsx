import { routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, type FakeDesk } from '../testing/fakeDesk.tsx'
import { aMailbox, deskWithHolidays } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import Mailboxes from './Mailboxes.tsx'
import { MailboxForm } from './MailboxForm.tsx'

async function form(parts: Parameters<typeof aMailbox>[0] = {}) {
  const stored = aMailbox(parts)
  const desk = deskWithHolidays().on(routes.changeMailbox, ({ body }) => ({ ...stored, ...body }))
  const done = vi.fn()
  const { screen } = await draw(<MailboxForm mailbox={stored} onDone={done} />)
  const store = async () => {
    await screen.getByRole('button', { name: 'Store' }).click()
    await until(() => expect(done).toHaveBeenCalled())
    return storedBy(desk)
  }
  return { desk, screen, store }
}
const storedBy = (desk: FakeDesk) => desk.bodiesOf(routes.changeMailbox).at(-1)!

test('a ready choice fills in the week; a day can be written otherwise, and then none of them is chosen', async () => {
  const { screen, store } = await form()
  await screen.getByRole('button', { name: 'Afternoons' }).click()
  await expect.element(screen.getByRole('button', { name: 'Afternoons' })).toHaveAttribute('aria-pressed', 'true')
  await expect.element(screen.getByText('Day by day: Mon–Fri 13:00–17:00')).toBeVisible()
  await screen.getByText(/Day by day/).click()
  await screen.getByLabelText('Hours on Wednesday').fill('9am to noon')
  await userEvent.tab()
  await expect
    .element(screen.getByLabelText('Hours on Wednesday'))
    .toHaveAccessibleDescription(/“9am to noon” is not a stretch of hours/)
  await screen.getByLabelText('Hours on Wednesday').fill('9–10:30, 14–16')
  await expect
    .element(screen.getByText('Day by day: Mon–Tue 13:00–17:00; Wed 09:00–10:30, 14:00–16:00; Thu–Fri 13:00–17:00'))
    .toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'As below' })).toHaveAttribute('aria-pressed', 'true')
  const { hours } = await store()
  expect(hours?.week[2]).toEqual([
    { from: 540, to: 630 },
    { from: 840, to: 960 },
  ])
  expect(hours?.week[0]).toEqual(readyWeeks.afternoons[0])
})

test('hours that never open are not stored, and that is said', async () => {
  const { desk, screen } = await form({ hours: { week: readyWeeks.mornings, off: [], holidays: null } })
  await screen.getByText(/Day by day/).click()
  for (const day of ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday'])
    await screen.getByLabelText(`Hours on ${day}`).fill('closed')
  await screen.getByRole('button', { name: 'Store' }).click()
  await expect
    .element(screen.getByLabelText('Hours on Monday'))
    .toHaveAccessibleDescription(/These hours are never open, so nothing would ever leave/)
  expect(desk.asked).toEqual([])
})

test('public holidays of a region are shown, and one of them is worked; other days off are added and taken away', async () => {
  const { screen, store } = await form()
  await screen.getByLabelText('Closed on the public holidays of').selectOptions('GB')
  await screen.getByLabelText('Region').selectOptions('SCT')
  await screen.getByText('2 public holidays in the years to come, all days off: look at them').click()
  await screen.getByLabelText(/Christmas Day/).click()
  await expect
    .element(screen.getByText('1 of 2 public holidays in the years to come are days off: look at them'))
    .toBeVisible()
  const first = screen.getByRole('textbox', { name: 'First day off' })
  const last = screen.getByRole('textbox', { name: 'Last day off' })
  const add = screen.getByRole('button', { name: 'Add', exact: true })
  await add.click()
  await expect.element(screen.getByText('Give the first day off.')).toBeVisible()
  await first.fill('5/1/2099')
  await userEvent.tab()
  await last.fill('2/1/2099')
  await userEvent.tab()
  await add.click()
  await expect.element(screen.getByText('The last day is before the first.')).toBeVisible()
  await last.fill('7/1/2099')
  await userEvent.tab()
  await screen.getByLabelText('Why').fill('Stocktaking')
  await add.click()
  await expect.element(screen.getByText(/Mon 5 Jan 2099 – Wed 7 Jan 2099: Stocktaking/)).toBeVisible()
  await first.fill('1/6/2099')
  await userEvent.tab()
  await add.click()
  await screen.getByRole('button', { name: 'Take away Mon 1 Jun 2099' }).click()
  expect((await store()).hours).toMatchObject({
    off: [{ from: '2099-01-05', to: '2099-01-07', name: 'Stocktaking' }],
    holidays: { country: 'GB', region: 'SCT', worked: ['2098-12-25'] },
  })
})

test('a country without known holidays says so', async () => {
  const { screen } = await form()
  await screen.getByLabelText('Closed on the public holidays of').selectOptions('AQ')
  await expect.element(screen.getByText(/No public holidays are known there/)).toBeVisible()
})

test('usual limits are offered as common practice; further ones may be left out; the host’s day has a zone', async () => {
  const { screen, store } = await form()
  await expect.element(screen.getByText(/Common practice, with no source/)).toBeVisible()
  await screen.getByRole('button', { name: 'An organisation’s: 1,500 a day' }).click()
  await expect.element(screen.getByLabelText('Recipients a day')).toHaveValue(1500)
  await screen.getByLabelText('Recipients an hour').fill('0')
  await userEvent.tab()
  await expect
    .element(screen.getByLabelText('Recipients an hour'))
    .toHaveAccessibleDescription(/At 0 recipients an hour nothing would ever leave/)
  await screen.getByLabelText('Recipients an hour').fill('200')
  await screen.getByLabelText('Recipients of one message').fill('')
  await screen.getByLabelText('A day is').selectOptions('calendar')
  await screen.getByLabelText('The host’s time zone').fill('Europe/Nowhere')
  await userEvent.tab()
  await expect
    .element(screen.getByLabelText('The host’s time zone'))
    .toHaveAccessibleDescription(/no time zone called “Europe\/Nowhere”/)
  await screen.getByLabelText('The host’s time zone').fill('America/New_York')
  expect(await store()).toMatchObject({
    perDay: 1500,
    dayZone: 'America/New_York',
    perHour: 200,
    recipientsPerMinute: null,
    perMessage: null,
  })
})

test('a gentle start is written as its days; one that is none is said', async () => {
  const { screen, store } = await form()
  const days = screen.getByLabelText('Recipients on the first day, the second, and so on')
  await expect.element(days).toHaveValue('20, 40, 80, 160, 320')
  for (const [wrong, words] of [
    ['10, many', /Write whole numbers with commas/],
    ['', /Give at least one day/],
    ['10, 0', /On a day with 0 recipients nothing would leave/],
    [Array(61).fill(5).join(','), /more than 60 days never ends/],
  ] as const) {
    await days.fill(wrong)
    await userEvent.tab()
    await expect.element(days).toHaveAccessibleDescription(words)
  }
  await days.fill('10; 30')
  expect((await store()).gentleStart).toEqual({ wanted: true, days: [10, 30] })
})

test('a mailbox tells its hours, days off and gentle start', async () => {
  const mailbox = aMailbox({
    hours: { week: readyWeeks.office, off: [], holidays: null },
    daysOff: 8,
    allowance: 12,
    used: { ours: 61, other: 14 },
    sentFault: 'The host is away.',
    gentleToday: 20,
  })
  deskWithHolidays()
    .on(routes.mailboxes, () => [mailbox])
    .on(routes.mailboxUse, () => ({
      now: 48 * 3_600_000,
      hours: Array.from({ length: 48 }, (_, i) => ({ at: i * 3_600_000, gone: 0, other: 0, planned: 0 })),
    }))
  const { screen } = await draw(<Mailboxes />)
  await expect
    .element(
      screen.getByText(
        '500 recipients in 24 hours: 61 by Hand Post, 14 by other mail, 12 left; at most 10 messages a minute.',
      ),
    )
    .toBeVisible()
  await expect.element(screen.getByText(/Other mail could not be counted just now.*The host is away/)).toBeVisible()
  await expect.element(screen.getByText(/It starts gently: 20 recipients today/)).toBeVisible()
  await expect
    .element(
      screen.getByText(
        'Letters leave at these hours: Mon–Fri 09:00–12:30, 13:30–17:00 (Europe/London), but not on 8 days off.',
      ),
    )
    .toBeVisible()
})
