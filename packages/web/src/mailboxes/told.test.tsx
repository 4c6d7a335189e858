import { routes } from '@hand-post/contract'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { tellNotice } from '../shared/told.ts'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { ToldHere } from './ToldHere.tsx'

/** The browser's notifications, as a test lets them be allowed or not. */
class Shown {
  static permission: NotificationPermission = 'default'
  static answer: NotificationPermission = 'granted'
  static all: Shown[] = []
  static async requestPermission() {
    Shown.permission = Shown.answer
    return Shown.answer
  }
  onclick: (() => void) | null = null
  constructor(
    readonly title: string,
    readonly options: { body: string; tag: string },
  ) {
    Shown.all.push(this)
  }
}
const real = globalThis.Notification
beforeEach(() => {
  Object.assign(Shown, { permission: 'default', answer: 'granted', all: [] })
  globalThis.Notification = Shown as unknown as typeof Notification
  localStorage.removeItem('notify')
})
afterEach(() => {
  globalThis.Notification = real
  vi.restoreAllMocks()
})

const notice = {
  id: 7,
  roundId: 5,
  kind: 'done' as const,
  at: 1,
  subject: 'Hand Post: “Permits” is done',
  words: '60 letters sent.\n\nThe round: here',
}
const asked: string[] = []
const desk = () =>
  openDesk().on(routes.notices, ({ query }) => {
    asked.push(query.after)
    return [notice]
  })

test('a notice stands on the screen with the way to its round; by the browser only where that is wanted and the page is not looked at', async () => {
  desk()
  const open = vi.fn()
  const { screen } = await draw(<ToldHere />)
  await tellNotice(7, open)
  expect(asked.at(-1)).toBe('6')
  await expect.element(screen.getByText(notice.subject)).toBeVisible()
  await expect.element(screen.getByText('60 letters sent.')).toBeVisible()
  await screen.getByRole('button', { name: 'See it' }).click()
  expect(open).toHaveBeenCalledWith('/rounds/5/dispatch')
  expect(Shown.all).toEqual([])

  await screen.getByRole('checkbox', { name: 'Notifications of this browser' }).click()
  await expect.element(screen.getByRole('checkbox')).toBeChecked()
  vi.spyOn(document, 'hasFocus').mockReturnValue(true)
  await tellNotice(7, open)
  expect(Shown.all).toEqual([])
  vi.spyOn(document, 'hasFocus').mockReturnValue(false)
  await tellNotice(7, open)
  expect(Shown.all).toMatchObject([{ title: notice.subject, options: { body: notice.words, tag: 'hand-post-7' } }])
  Shown.all[0].onclick?.()
  expect(open).toHaveBeenCalledTimes(2)
  await screen.getByRole('checkbox').click()
  await tellNotice(7, open)
  expect(Shown.all).toHaveLength(1)
})

test('a browser that does not allow them says so, and what to do', async () => {
  desk()
  Shown.answer = 'denied'
  const { screen } = await draw(<ToldHere />)
  await screen.getByRole('checkbox').click()
  await expect.element(screen.getByText(/does not allow notifications for Hand Post/)).toBeVisible()
  await expect.element(screen.getByRole('checkbox')).toBeDisabled()
  await expect.element(screen.getByRole('checkbox')).not.toBeChecked()
})
