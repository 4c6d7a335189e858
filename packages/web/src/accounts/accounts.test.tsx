import { type Account, accountRoles, type Me, routes } from '@hand-post/contract'
import { beforeEach, expect, test } from 'vitest'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { until } from '../testing/until.ts'
import AccountScreen from './AccountScreen.tsx'
import Colleagues from './Colleagues.tsx'
import Join from './Join.tsx'
import SignIn from './SignIn.tsx'

const ada: Account = {
  id: 1,
  name: 'Ada Penrose',
  address: 'ada@brindlequay.example',
  mayPost: true,
  keeps: true,
  state: 'active',
  invitedUntil: null,
  code: false,
  seenAt: Date.UTC(2026, 10, 20, 9),
}
const ben: Account = {
  ...ada,
  id: 2,
  name: 'Ben Tide',
  address: 'ben@brindlequay.example',
  mayPost: false,
  keeps: false,
}
const inTheMorning = Date.UTC(2026, 10, 27, 9)
const token = 'T'.repeat(32)

let desk: FakeDesk
let me: Me
let all: Account[]
let accounts: boolean
beforeEach(() => {
  me = {
    account: { id: 1, name: ada.name, address: ada.address, code: false },
    roles: [...accountRoles],
    hasPassword: true,
    recoveryLeft: 0,
  }
  all = [ada, ben]
  accounts = true
  desk = openDesk()
    .on(routes.me, () => me)
    .on(routes.accounts, () => all)
    .on(routes.colleagues, () => all.map(({ id, name, mayPost }) => ({ id, name, mayPost })))
    .on(routes.sessions, () => [
      {
        id: 7,
        own: true,
        begun: inTheMorning,
        used: inTheMorning,
        program: 'Firefox',
        device: 'computer' as const,
        from: '127.0.0.1',
      },
      { id: 8, own: false, begun: inTheMorning, used: inTheMorning, program: null, device: null, from: '192.0.2.7' },
    ])
    .on(routes.health, () => ({
      ready: true,
      publicAddress: '',
      publicIsLocal: true,
      asksPassword: true,
      accounts,
      service: 'Harbour sign-in',
    }))
})

test('with accounts the address is asked for too, then the code where there is one; what is wrong stands at its field', async () => {
  desk.on(routes.signIn, ({ body }) => {
    if (body.password !== 'seven grey gulls') throw new Refused(401, 'Address and password do not belong together.')
    if (body.code === '') return { wants: 'code' as const }
    if (body.code !== '123456') throw new Refused(401, 'That is not the code of this moment.')
    return { wants: null }
  })
  const { screen } = await draw(<SignIn />)
  const sign = screen.getByRole('button', { name: 'Sign in', exact: true })
  await expect.element(screen.getByLabelText('Your address')).toBeVisible()
  await sign.click()
  await expect.element(screen.getByText('Type your address.')).toBeVisible()
  await screen.getByLabelText('Your address').fill('ada@brindlequay.example')
  await screen.getByLabelText('Password').fill('no idea')
  await sign.click()
  await expect.element(screen.getByLabelText('Password')).toHaveAccessibleDescription(/do not belong together/)
  await screen.getByLabelText('Password').fill('seven grey gulls')
  await sign.click()
  const code = screen.getByLabelText('One-time code')
  await expect.element(code).toHaveFocus()
  await sign.click()
  await expect.element(code).toHaveAccessibleDescription(/Type the code/)
  await code.fill('000000')
  await sign.click()
  await expect.element(code).toHaveAccessibleDescription(/not the code/)
  await screen.getByRole('button', { name: 'Back' }).click()
  await expect.element(screen.getByLabelText('Password')).toHaveValue('seven grey gulls')
  await sign.click()
  await code.fill('123456')
  await sign.click()
  await until(() => expect(desk.bodiesOf(routes.signIn).at(-1)?.code).toBe('123456'))
})

test('an invitation says whom it is for; a slip in the second password is seen; one that is over is said', async () => {
  location.hash = token
  let over = false
  desk.on(routes.lookAtInvitation, ({ body }) => {
    expect(body.token).toBe(token)
    return { name: ben.name, address: ben.address, until: inTheMorning }
  })
  desk.on(routes.takeInvitation, () => {
    over = true
    throw new Refused(410, 'This invitation was taken already.')
  })
  const { screen } = await draw(<Join />)
  await expect.element(screen.getByText(/for Ben Tide\. You will sign in as ben@/)).toBeVisible()
  await screen.getByLabelText('Choose a password').fill('nine wet')
  const take = screen.getByRole('button', { name: 'Choose it and sign in' })
  await take.click()
  await expect.element(screen.getByText(/at least 12 characters: four/)).toBeVisible()
  await screen.getByLabelText('Choose a password').fill('nine wet ropes')
  await screen.getByLabelText('Once more').fill('nine wet rope')
  await take.click()
  await expect.element(screen.getByText('This is not the same password.')).toBeVisible()
  expect(over).toBe(false)
  await screen.getByLabelText('Once more').fill('nine wet ropes')
  await take.click()
  await expect.element(screen.getByText('This invitation was taken already.')).toBeVisible()
  expect(desk.bodiesOf(routes.takeInvitation)).toEqual([{ token, password: 'nine wet ropes' }])
  location.hash = ''
})
test('a link without its end is said, and nothing is asked of the desk', async () => {
  location.hash = ''
  const { screen } = await draw(<Join />)
  await expect.element(screen.getByText(/The link is not whole/)).toBeVisible()
  expect(desk.asked).toEqual([])
})

test('inviting somebody shows the link once, and what was wrong at its field', async () => {
  let taken = true
  desk.on(routes.invite, ({ body }) => {
    if (taken) throw new Refused(409, 'ben@brindlequay.example has an account already.')
    const account = { ...ben, ...body, id: 3, state: 'invited' as const, invitedUntil: inTheMorning }
    all = [...all, account]
    return { account, token, until: inTheMorning }
  })
  const { screen } = await draw(<Colleagues />)
  await screen.getByRole('button', { name: 'Invite a colleague' }).click()
  const make = screen.getByRole('button', { name: 'Make the link' })
  await make.click()
  await expect.element(screen.getByText('Type a name.')).toBeVisible()
  await screen.getByLabelText('Name').fill(' Cy Moor ')
  await screen.getByLabelText('Address').fill('cy at quay')
  await make.click()
  await expect.element(screen.getByText(/Type an address like/)).toBeVisible()
  await screen.getByLabelText('Address').fill('cy@brindlequay.example')
  await screen.getByRole('checkbox', { name: /^post/ }).click()
  await make.click()
  await expect.element(screen.getByText(/has an account already/)).toBeVisible()
  taken = false
  await make.click()
  await expect
    .element(screen.getByRole('textbox', { name: 'The link' }))
    .toHaveValue(`${location.origin}/join#${token}`)
  expect(desk.bodiesOf(routes.invite).at(-1)).toEqual({
    name: 'Cy Moor',
    address: 'cy@brindlequay.example',
    mayPost: true,
    keeps: false,
  })
  await screen.getByRole('button', { name: 'Done' }).click()
  await expect.element(screen.getByText(/invited until/)).toBeVisible()
  expect(document.body.textContent).not.toContain(token)
})

test('a new link for somebody who is there is asked about first; ending an account too, and not of one’s own', async () => {
  desk
    .on(routes.inviteAgain, () => ({ account: ben, token, until: inTheMorning }))
    .on(routes.endAccount, () => {
      all = [ada, { ...ben, state: 'ended' }]
      return {}
    })
  const { screen } = await draw(<Colleagues />)
  await screen.getByRole('button', { name: 'New link' }).nth(1).click()
  await expect.element(screen.getByText(/Make a new link for Ben Tide\?/)).toBeVisible()
  expect(desk.asked).toEqual([])
  await screen.getByRole('dialog').getByRole('button', { name: 'New link' }).click()
  await expect.element(screen.getByRole('textbox', { name: 'The link' })).toBeVisible()
  await screen.getByRole('button', { name: 'Done' }).click()
  await screen.getByRole('button', { name: 'Change', exact: true }).nth(0).click()
  await expect.element(screen.getByLabelText('Name')).toHaveValue('Ada Penrose')
  await expect.element(screen.getByRole('button', { name: 'End the account' })).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Not now' }).click()
  await screen.getByRole('button', { name: 'Change', exact: true }).nth(1).click()
  await screen.getByRole('button', { name: 'End the account' }).click()
  await expect.element(screen.getByText(/signed out everywhere, at once/)).toBeVisible()
  await screen.getByRole('button', { name: 'End the account' }).last().click()
  await expect.element(screen.getByText('Accounts that have ended')).toBeVisible()
})

test('who is no keeper is told so; where there are no accounts, the first step is shown', async () => {
  me = { ...me, roles: ['writer'] }
  const writer = await draw(<Colleagues />)
  await expect.element(writer.screen.getByText('This is for keepers')).toBeVisible()
  await writer.screen.unmount()
  const { queries } = await import('../api.ts')
  queries.clear()
  me = { account: null, roles: [...accountRoles], hasPassword: false, recoveryLeft: 0 }
  accounts = false
  const { screen } = await draw(<Colleagues />)
  await expect.element(screen.getByText('There are no accounts yet')).toBeVisible()
})

test('one’s own account: what one may do and who may do more, a changed password, and the other sessions', async () => {
  me = { ...me, roles: ['writer'] }
  desk
    .on(routes.changePassword, ({ body }) => {
      if (body.before !== 'seven grey gulls') throw new Refused(403, 'That is not your password. Nothing was changed.')
      return {}
    })
    .on(routes.endSession, () => ({}))
  const { screen } = await draw(<AccountScreen />)
  await expect.element(screen.getByText('You may not post: Ada Penrose may.')).toBeVisible()
  await expect.element(screen.getByText('You are a keeper')).not.toBeInTheDocument()
  await screen.getByLabelText('Your password until now').fill('no idea')
  await screen.getByLabelText('New password').fill('three green lamps')
  await screen.getByLabelText('Once more').fill('three green lamps')
  const change = screen.getByRole('button', { name: 'Change the password' })
  await change.click()
  await expect.element(screen.getByText(/That is not your password/)).toBeVisible()
  await screen.getByLabelText('Your password until now').fill('seven grey gulls')
  await change.click()
  await expect.element(screen.getByText(/Your password is changed/)).toBeVisible()
  await expect.element(screen.getByLabelText('New password')).toHaveValue('')
  await expect.element(screen.getByText('Firefox on a computer')).toBeVisible()
  await screen.getByRole('button', { name: 'End it' }).click()
  await until(() => expect(desk.asked.at(-1)).toMatchObject({ route: routes.endSession, params: { session: '8' } }))
})

test('a one-time code is set up by a picture and the first code; the recovery codes are shown once', async () => {
  const secret = 'GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ'
  desk
    .on(routes.beginCode, ({ body }) => {
      if (body.password !== 'seven grey gulls') throw new Refused(403, 'That is not your password.')
      return { secret, uri: `otpauth://totp/Hand%20Post:ada?secret=${secret}` }
    })
    .on(routes.confirmCode, ({ body }) => {
      if (body.code !== '123456') throw new Refused(422, 'That is not the code of this moment.')
      me = { ...me, account: { ...me.account!, code: true }, recoveryLeft: 2 }
      return { recovery: ['abcde-23456', 'fghjk-78923'] }
    })
  const { screen } = await draw(<AccountScreen />)
  await screen.getByRole('button', { name: 'Ask for a code too' }).click()
  await screen.getByLabelText(/Your password, to be sure/).fill('no idea')
  await screen.getByRole('button', { name: 'Go on' }).click()
  await expect.element(screen.getByText('That is not your password.')).toBeVisible()
  await screen.getByLabelText(/Your password, to be sure/).fill('seven grey gulls')
  await screen.getByRole('button', { name: 'Go on' }).click()
  const picture = screen.getByRole('img', { name: 'A picture for an authenticator app' })
  await expect.element(picture).toBeVisible()
  await until(() => expect((picture.element() as HTMLImageElement).naturalWidth).toBeGreaterThan(0))
  await expect.element(screen.getByText(/GEZD GNBV GY3T/)).toBeVisible()
  await screen.getByLabelText('The code that it shows now').fill('000000')
  await screen.getByRole('button', { name: 'Ask for it from now on' }).click()
  await expect.element(screen.getByText('That is not the code of this moment.')).toBeVisible()
  await screen.getByLabelText('The code that it shows now').fill('123456')
  await screen.getByRole('button', { name: 'Ask for it from now on' }).click()
  await expect.element(screen.getByText('abcde-23456')).toBeVisible()
  await screen.getByRole('button', { name: 'I have kept them' }).click()
  await expect.element(screen.getByText(/2 recovery codes left/)).toBeVisible()
  expect(document.body.textContent).not.toContain('abcde-23456')
  expect(document.body.textContent).not.toContain('GEZD')
})

test('where everybody uses one password, accounts are set up here', async () => {
  me = { account: null, roles: [...accountRoles], hasPassword: false, recoveryLeft: 0 }
  accounts = false
  desk.on(routes.setUpAccounts, () => ({}))
  const { screen } = await draw(<AccountScreen />)
  await screen.getByLabelText('Your name').fill('Ada Penrose')
  await screen.getByLabelText('Your address').fill('ada@brindlequay.example')
  await screen.getByLabelText('Your password', { exact: true }).fill('seven grey gulls')
  await screen.getByLabelText('Once more').fill('seven grey gull')
  const act = screen.getByRole('button', { name: 'Set up accounts' })
  await act.click()
  await expect.element(screen.getByText('This is not the same password.')).toBeVisible()
  await screen.getByLabelText('Once more').fill('seven grey gulls')
  await act.click()
  await until(() =>
    expect(desk.bodiesOf(routes.setUpAccounts)).toEqual([
      { name: 'Ada Penrose', address: 'ada@brindlequay.example', password: 'seven grey gulls' },
    ]),
  )
})
