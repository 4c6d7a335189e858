import { routes } from '@hand-post/contract'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { draw, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, deskWithHolidays } from '../testing/samples.ts'
import { until } from '../testing/until.ts'
import Mailboxes from './Mailboxes.tsx'
import { MailboxForm } from './MailboxForm.tsx'

const service = {
  issuer: 'https://sign-in.quay.example',
  authorization: 'https://sign-in.quay.example/auth',
  token: 'https://sign-in.quay.example/token',
  clientId: 'hand-post',
  scope: 'mail offline_access',
}
const hours = Array.from({ length: 48 }, (_, i) => ({ at: i, gone: 0, other: 0, planned: 0 }))
const opened = vi.fn()
beforeEach(() => {
  opened.mockReset()
  vi.spyOn(window, 'open').mockImplementation((...given) => {
    opened(...given)
    return null
  })
})
afterEach(() => void vi.restoreAllMocks())

test('a mailbox is opened by a sign-in service: begun with what was typed, waited for, and stored without a password', async () => {
  const now = { state: 'waits' as 'waits' | 'done' | 'failed', words: '' }
  const desk = deskWithHolidays()
    .on(routes.beginSignIn, () => ({ flow: 'flow-1', url: 'https://sign-in.quay.example/auth?x=1', oauth: service }))
    .on(routes.signInState, () => now)
    .on(routes.addMailbox, () => aMailbox())
  const done = vi.fn()
  const { screen } = await draw(<MailboxForm onDone={done} />)
  await screen.getByRole('textbox', { name: 'Address', exact: true }).fill('office@quay.example')
  await screen.getByRole('button', { name: 'By a sign-in service (OAuth 2.0)' }).click()
  await expect.element(screen.getByLabelText('Password')).not.toBeInTheDocument()
  await screen.getByLabelText('Address of the sign-in service').fill(service.issuer)
  await screen.getByLabelText('Client id').fill('hand-post')
  for (const name of ['Sending host (SMTP)', 'Reading host (IMAP)'])
    await screen.getByRole('group', { name }).getByLabelText('Host').fill('mail.quay.example')
  // Not before one has signed in, which is said where one does.
  await screen.getByRole('button', { name: 'Store' }).click()
  await expect.element(screen.getByText('Sign in first.')).toBeVisible()
  expect(desk.bodiesOf(routes.addMailbox)).toEqual([])

  await screen.getByRole('button', { name: 'Sign in…' }).click()
  await expect.element(screen.getByText('Waiting for you to sign in there.')).toBeVisible()
  await expect
    .element(screen.getByRole('link', { name: 'Open the page' }))
    .toHaveAttribute('href', 'https://sign-in.quay.example/auth?x=1')
  expect(opened).toHaveBeenCalledWith('https://sign-in.quay.example/auth?x=1', '_blank', 'noopener')
  expect(desk.bodiesOf(routes.beginSignIn)).toEqual([
    {
      issuer: service.issuer,
      clientId: 'hand-post',
      clientSecret: '',
      scope: service.scope,
      user: 'office@quay.example',
    },
  ])
  now.state = 'done'
  await expect.element(screen.getByText(/Signed in at sign-in.quay.example/)).toBeVisible()
  await screen.getByRole('button', { name: 'Store' }).click()
  await until(() => expect(done).toHaveBeenCalled())
  const [stored] = desk.bodiesOf(routes.addMailbox)
  expect(stored).toMatchObject({ oauth: service, flow: 'flow-1', user: 'office@quay.example' })
  expect(stored.password).toBeUndefined()
})

test('what the service says no to is said where one signs in, and typed addresses go in the place of its own', async () => {
  const desk = deskWithHolidays()
    .on(routes.beginSignIn, () => {
      throw new Refused(422, 'The sign-in service cannot be reached. Nothing was stored.')
    })
    .on(routes.signInState, () => ({ state: 'failed' as const, words: 'It says no (access_denied).' }))
  const { screen } = await draw(<MailboxForm onDone={() => {}} />)
  await screen.getByRole('button', { name: 'By a sign-in service (OAuth 2.0)' }).click()
  await screen.getByRole('checkbox', { name: /type both of its addresses/ }).click()
  await expect.element(screen.getByLabelText('Address of the sign-in service')).not.toBeInTheDocument()
  await screen.getByLabelText('Address where one signs in').fill(service.authorization)
  await screen.getByLabelText('Address where tokens are had').fill(service.token)
  await screen.getByRole('button', { name: 'Sign in…' }).click()
  await expect.element(screen.getByText(/cannot be reached/).first()).toBeVisible()
  expect(desk.bodiesOf(routes.beginSignIn)[0]).toMatchObject({
    authorization: service.authorization,
    token: service.token,
  })
  desk.on(routes.beginSignIn, () => ({ flow: 'flow-2', url: 'https://x.example', oauth: service }))
  await screen.getByRole('button', { name: 'Sign in…' }).click()
  await expect.element(screen.getByText('It says no (access_denied).')).toBeVisible()
})

test('a mailbox whose permission has ended is signed in again where that is said', async () => {
  const mailbox = aMailbox({ oauth: service, stopped: true, pauseReason: 'The permission was withdrawn.' })
  const desk = deskWithHolidays()
    .on(routes.mailboxes, () => [mailbox])
    .on(routes.mailboxUse, () => ({ now: 24, hours }))
    .on(routes.beginSignIn, () => ({ flow: 'flow-3', url: 'https://sign-in.quay.example/auth', oauth: service }))
    .on(routes.signInState, () => ({ state: 'done' as const, words: '' }))
    .on(routes.signInAgain, () => ({ ...mailbox, stopped: false, pauseReason: null }))
  const { screen } = await draw(<Mailboxes />)
  await expect.element(screen.getByText(/permission was withdrawn/)).toBeVisible()
  await screen.getByRole('button', { name: 'Sign in again…' }).click()
  await expect.element(screen.getByText('Signed in again: the mailbox goes on.')).toBeVisible()
  expect(desk.bodiesOf(routes.beginSignIn)).toEqual([{ mailbox: mailbox.id }])
  expect(desk.bodiesOf(routes.signInAgain)).toEqual([{ flow: 'flow-3' }])
})

test('the hosts that the domain names are filled in, and what was found is said', async () => {
  const host = (name: string, port: number) => ({ host: name, port, security: 'tls' as const, allowSelfSigned: false })
  const desk = deskWithHolidays().on(routes.mailHosts, ({ query }) =>
    query.address === 'office@quay.example'
      ? { smtp: host('send.quay.example', 465), imap: null, words: 'quay.example names send.quay.example to send.' }
      : { smtp: null, imap: null, words: 'It names no mail hosts.' },
  )
  const { screen } = await draw(<MailboxForm onDone={() => {}} />)
  const sending = screen.getByRole('group', { name: 'Sending host (SMTP)' })
  await screen.getByRole('button', { name: 'Look up the hosts' }).click()
  await expect.element(screen.getByText('It names no mail hosts.')).toBeVisible()
  await expect.element(sending.getByLabelText('Host')).toHaveValue('')
  await screen.getByRole('textbox', { name: 'Address', exact: true }).fill('office@quay.example')
  await screen.getByRole('button', { name: 'Look up the hosts' }).click()
  await expect.element(screen.getByText(/names send.quay.example to send/)).toBeVisible()
  await expect.element(sending.getByLabelText('Host')).toHaveValue('send.quay.example')
  await expect.element(sending.getByLabelText('Port')).toHaveValue(465)
  expect(desk.faults).toEqual([])
})

test('what the host said of its limits is offered, and taken or left', async () => {
  const said = { limit: 'perHour' as const, n: 100, at: 1, words: '450 Rate limit of 100 an hour', counted: false }
  const mailbox = aMailbox({ saidLimit: said })
  const desk = deskWithHolidays()
    .on(routes.mailboxes, () => [mailbox])
    .on(routes.mailboxUse, () => ({ now: 24, hours }))
    .on(routes.answerSaidLimit, () => ({ ...mailbox, saidLimit: null }))
  const { screen } = await draw(<Mailboxes />)
  await expect.element(screen.getByText(/“450 Rate limit of 100 an hour”/)).toBeVisible()
  await expect.element(screen.getByText(/100 recipients an hour/)).toBeVisible()
  await screen.getByRole('button', { name: 'Take it as the limit' }).click()
  await screen.getByRole('button', { name: 'Leave the limit as it is' }).click()
  await until(() => expect(desk.bodiesOf(routes.answerSaidLimit)).toEqual([{ take: true }, { take: false }]))
})
