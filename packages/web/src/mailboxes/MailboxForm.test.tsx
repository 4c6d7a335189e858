import { routes } from '@hand-post/contract'
import { readyWeeks } from '@hand-post/core'
import { expect, test, vi } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, deskWithHolidays } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import { MailboxForm } from './MailboxForm.tsx'

const stored = aMailbox()

test('an empty form says at each field what is missing, sends nothing, and puts the cursor into the first', async () => {
  const desk = deskWithHolidays().on(routes.addMailbox, () => stored)
  const { screen } = await draw(<MailboxForm onDone={() => {}} />)
  await screen.getByRole('button', { name: 'Store' }).click()
  for (const field of [
    screen.getByRole('textbox', { name: 'Address', exact: true }),
    screen.getByLabelText('Password'),
    screen.getByRole('group', { name: 'Sending host (SMTP)' }).getByLabelText('Host'),
    screen.getByRole('group', { name: 'Reading host (IMAP)' }).getByLabelText('Host'),
  ]) {
    await expect.element(field).toHaveAttribute('aria-invalid', 'true')
    // Said in words, and named by the field for those who do not see it.
    await expect.element(field).toHaveAccessibleDescription(/missing|filled in|At least/)
  }
  await expect.element(screen.getByRole('textbox', { name: 'Address', exact: true })).toHaveFocus()
  expect(desk.asked).toEqual([])
})

test('each fault is said at its field when it is left, and goes when it is mended', async () => {
  deskWithHolidays()
  const { screen } = await draw(<MailboxForm onDone={() => {}} />)
  const hosts = screen.getByRole('group', { name: 'Sending host (SMTP)' })
  const cases: [ReturnType<typeof screen.getByLabelText>, string, RegExp, string][] = [
    [
      screen.getByRole('textbox', { name: 'Address', exact: true }),
      'office at quay',
      /cannot be the mailbox's address/,
      'office@quay.example',
    ],
    [
      screen.getByLabelText('Further addresses'),
      'nobody',
      /“nobody” cannot be/,
      'berths@quay.example; tolls@quay.example',
    ],
    [screen.getByLabelText('Time zone'), 'Europe/Brindle', /no time zone called “Europe\/Brindle”/, 'Europe/Vienna'],
    [hosts.getByLabelText('Port'), '70000', /At most 65,535/, '465'],
    [hosts.getByLabelText('Port'), '', /Enter a number/, '587'],
    [screen.getByLabelText('Recipients a day'), '0', /At 0 recipients a day nothing would ever leave/, '300'],
    [screen.getByLabelText('Recipients a day'), '10.5', /whole number/, '300'],
    [screen.getByLabelText('Messages a minute'), '0', /At least 0\.1/, '2'],
    [screen.getByLabelText('Largest message, in MB'), '0', /Between 0\.01 and 500 MB/, '20'],
  ]
  for (const [field, wrong, words, right] of cases) {
    await field.fill(wrong)
    await userEvent.tab()
    await expect.element(field).toHaveAccessibleDescription(words)
    await field.fill(right)
    await expect.element(field).not.toHaveAttribute('aria-invalid', 'true')
  }
})

test('what is stored is what was filled in; names left empty are the address', async () => {
  const desk = deskWithHolidays().on(routes.addMailbox, () => stored)
  const done = vi.fn()
  const { screen } = await draw(<MailboxForm onDone={done} />)
  await screen.getByRole('textbox', { name: 'Address', exact: true }).fill(' office@quay.example ')
  await screen.getByLabelText('Password').fill(' a pass word ')
  await screen.getByLabelText('Further addresses').fill('berths@quay.example; tolls@quay.example')
  await screen.getByLabelText('Time zone').fill('Europe/London')
  await screen.getByRole('group', { name: 'Sending host (SMTP)' }).getByLabelText('Host').fill('mail.quay.example')
  await screen.getByRole('button', { name: 'There is no reading host' }).click()
  await screen.getByLabelText('Largest message, in MB').fill('0.5')
  await screen.getByRole('button', { name: 'Store' }).click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(desk.bodiesOf(routes.addMailbox)).toEqual([
    {
      name: 'office@quay.example',
      oauth: null,
      tell: { done: true, held: true, doubt: true },
      address: 'office@quay.example',
      senderName: '',
      aliases: ['berths@quay.example', 'tolls@quay.example'],
      signature: '',
      user: 'office@quay.example',
      password: ' a pass word ',
      smtp: { host: 'mail.quay.example', port: 587, security: 'starttls', allowSelfSigned: false },
      imap: null,
      hours: { week: readyWeeks.anyTime, off: [], holidays: null },
      perDay: 500,
      dayZone: null,
      perHour: null,
      recipientsPerMinute: null,
      secondEyes: false,
      perMessage: null,
      gentleStart: { wanted: true, days: [20, 40, 80, 160, 320] },
      perMinute: 10,
      largestMessage: 500_000,
      hostFilesSent: false,
      timeZone: 'Europe/London',
      folders: [],
      junk: true,
    },
  ])
})

test('further folders are asked for when they are wanted; those that hold no answers are not offered, one that is gone is said', async () => {
  const folders = [
    { path: 'INBOX', use: '\\Inbox' },
    { path: 'Sent', use: '\\Sent' },
    { path: 'Junk', use: '\\Junk' },
    { path: 'Forms', use: null },
    { path: 'Forms/Old', use: null },
  ]
  const desk = deskWithHolidays()
    .on(routes.mailFolders, () => ({ folders }))
    .on(routes.changeMailbox, () => stored)
  const done = vi.fn()
  const { screen } = await draw(<MailboxForm mailbox={{ ...stored, folders: ['Gone'] }} onDone={done} />)
  await expect.element(screen.getByText('Also looked into: Gone.')).toBeVisible()
  await screen.getByRole('button', { name: 'Choose further folders…' }).click()
  const list = screen.getByRole('list', { name: 'Further folders' })
  await expect.element(list.getByRole('checkbox', { name: 'Forms', exact: true })).toBeVisible()
  expect(
    list
      .getByRole('listitem')
      .elements()
      .map((e) => e.textContent),
  ).toEqual(['Forms', 'Forms/Old', 'Gone (is not there any more)'])
  await list.getByRole('checkbox', { name: 'Forms', exact: true }).click()
  await list.getByRole('checkbox', { name: /^Gone/ }).click()
  await screen.getByRole('checkbox', { name: /^Look into Junk too/ }).click()
  await screen.getByRole('button', { name: 'Store' }).click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(desk.bodiesOf(routes.changeMailbox).map(({ folders, junk }) => ({ folders, junk }))).toEqual([
    { folders: ['Forms'], junk: false },
  ])
})

test('folders that cannot be had are said in words, and the rest of the form goes on', async () => {
  deskWithHolidays().on(routes.mailFolders, () => {
    throw new Refused(502, 'The folders could not be had: nothing answers there.')
  })
  const { screen } = await draw(<MailboxForm mailbox={stored} onDone={() => {}} />)
  await screen.getByRole('button', { name: 'Choose further folders…' }).click()
  await expect.element(screen.getByText('The folders could not be had: nothing answers there.')).toBeVisible()
})

test('what the desk refuses is said where it belongs, and everything typed stays', async () => {
  let times = 0
  const desk = deskWithHolidays().on(routes.changeMailbox, () => {
    times++
    if (times === 1) throw new Refused(422, 'Does not fit.', [{ at: 'smtp.port', fault: 'Nothing listens there.' }])
    if (times === 2) throw new Refused(409, 'A round of it is being posted just now. Wait until it is.')
    return stored
  })
  const done = vi.fn()
  const { screen } = await draw(<MailboxForm mailbox={stored} onDone={done} />)
  await screen.getByLabelText('What you call it').fill('The office')
  const store = screen.getByRole('button', { name: 'Store' })
  await store.click()
  const port = screen.getByRole('group', { name: 'Sending host (SMTP)' }).getByLabelText('Port')
  await expect.element(port).toHaveAccessibleDescription('Nothing listens there.')
  await store.click()
  await expect.element(screen.getByText('A round of it is being posted just now.')).toBeVisible()
  await expect.element(screen.getByLabelText('What you call it')).toHaveValue('The office')
  expect(done).not.toHaveBeenCalled()
  await store.click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(desk.bodiesOf(routes.changeMailbox).map((body) => [body.name, body.password])).toEqual([
    ['The office', undefined],
    ['The office', undefined],
    ['The office', undefined],
  ])
})

test('a stored password is asked for again as soon as it would go elsewhere', async () => {
  const desk = deskWithHolidays().on(routes.testMailbox, () => ({ steps: [], ok: true, hostFilesSent: null }))
  const { screen } = await draw(<MailboxForm mailbox={stored} onDone={() => {}} />)
  const port = screen.getByRole('group', { name: 'Sending host (SMTP)' }).getByLabelText('Port')
  await port.fill('2525')
  await screen.getByRole('button', { name: 'Test it' }).click()
  await expect
    .element(screen.getByLabelText('Password'))
    .toHaveAccessibleDescription(/Type it again: .*the port of the sending host is another now/)
  expect(desk.asked).toEqual([])
  await port.fill('587')
  await screen.getByRole('button', { name: 'Test it' }).click()
  await until(() => expect(desk.bodiesOf(routes.testMailbox)).toHaveLength(1))
  expect(desk.bodiesOf(routes.testMailbox)[0]).toMatchObject({ id: 7, selfMessage: false })
})

test('what a test found is not said of settings that were changed since', async () => {
  deskWithHolidays().on(routes.testMailbox, () => ({
    steps: [{ step: 'Sending host', ok: true, words: 'It answers.' }],
    ok: true,
    hostFilesSent: true,
  }))
  const { screen } = await draw(<MailboxForm mailbox={stored} onDone={() => {}} />)
  await screen.getByRole('button', { name: 'Test it' }).click()
  await expect.element(screen.getByText('It answers.')).toBeVisible()
  await expect.element(screen.getByLabelText(/The host itself keeps/)).toBeChecked()
  await screen.getByLabelText('Messages a minute').fill('20')
  await expect.element(screen.getByText('It answers.')).not.toBeInTheDocument()
})

test('changes that are not stored are said, and asked for before they are left, by the button and by going elsewhere', async () => {
  deskWithHolidays()
  const done = vi.fn()
  const { screen, router } = await draw(<MailboxForm mailbox={stored} onDone={done} />)
  const question = screen.getByRole('dialog', { name: 'Leave without storing?' })
  const name = screen.getByLabelText('What you call it')
  const notNow = screen.getByRole('button', { name: 'Not now' })
  await expect.element(screen.getByText('Changed, and not stored yet.')).not.toBeInTheDocument()
  await name.fill('The office')
  await expect.element(screen.getByText('Changed, and not stored yet.')).toBeVisible()
  await notNow.click()
  await question.getByRole('button', { name: 'Stay here' }).click()
  await expect.element(notNow).toHaveFocus()
  await expect.element(name).toHaveValue('The office')
  expect(done).not.toHaveBeenCalled()

  void router.navigate('/elsewhere')
  await question.getByRole('button', { name: 'Stay here' }).click()
  // Until the focus is back, what is typed could go elsewhere.
  await expect.element(notNow).toHaveFocus()
  await expect.element(name).toHaveValue('The office')
  // The browser asks in its own words when the window is shut.
  const shut = new Event('beforeunload', { cancelable: true })
  window.dispatchEvent(shut)
  expect(shut.defaultPrevented).toBe(true)

  // Typed back, there is nothing to store.
  await name.fill('Harbour office')
  await expect.element(screen.getByText('Changed, and not stored yet.')).not.toBeInTheDocument()
  await notNow.click()
  expect(done).toHaveBeenCalledTimes(1)

  await name.fill('The office')
  void router.navigate('/elsewhere')
  await question.getByRole('button', { name: 'Leave it' }).click()
  await expect.element(screen.getByText('Elsewhere')).toBeVisible()
})

test('of the practice mailbox, limits and signature can be changed; its hosts stay, and it is not removed', async () => {
  const practice = aMailbox({ practice: true, builtIn: true, signature: 'Harbour Office' })
  const desk = deskWithHolidays().on(routes.changeMailbox, ({ body }) => ({ ...practice, ...body }))
  const done = vi.fn()
  const { screen } = await draw(<MailboxForm mailbox={practice} onDone={done} />)
  await expect.element(screen.getByText(/Its hosts are on this machine and stay as they are/)).toBeVisible()
  await expect.element(screen.getByLabelText('Host', { exact: true })).not.toBeInTheDocument()
  await expect.element(screen.getByRole('button', { name: 'Remove this mailbox' })).not.toBeInTheDocument()
  await screen.getByLabelText('Recipients a day').fill('40')
  await screen.getByLabelText('Signature').fill('The Harbour Office\nBrindle Quay')
  await screen.getByRole('button', { name: 'Store' }).click()
  await until(() => expect(done).toHaveBeenCalled())
  expect(desk.bodiesOf(routes.changeMailbox)[0]).toMatchObject({
    perDay: 40,
    signature: 'The Harbour Office\nBrindle Quay',
    smtp: practice.smtp,
    imap: practice.imap,
  })
})
