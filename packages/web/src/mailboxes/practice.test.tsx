import { routes } from '@hand-post/contract'
import { expect, test } from 'vitest'
import OutTray from '../dispatch/OutTray.tsx'
import InTray from '../responses/InTray.tsx'
import { RoundLines } from '../rounds/RoundLines.tsx'
import { draw, openDesk } from '../testing/fakeDesk.tsx'
import { aMailbox, anInTray, aTrayEntry, aTrayLine, noPaper } from '../testing/samples.ts'
import Mailboxes from './Mailboxes.tsx'

const two = [aMailbox({ id: 1, name: 'Practice mailbox', practice: true }), aMailbox({ id: 2, name: 'In earnest' })]
const hours = Array.from({ length: 48 }, (_, i) => ({ at: i, gone: 0, other: 0, planned: 0 }))
/** In which of the named parts the mark stands. */
const marked = (elements: Element[]) => elements.map((element) => element.textContent!.includes('practice'))

test('wherever something of a practice mailbox stands, it says so, and of no other', async () => {
  const message = {
    id: 1,
    roundId: 1,
    rowId: 1,
    person: 'Ada',
    address: 'ada@quay.example',
    subject: 'S',
    state: 'waiting' as const,
    plannedAt: 1,
    sentAt: null,
    filedAt: null,
    attempts: 0,
    version: 1,
    reason: null,
    filingFault: null,
    asksWriter: false,
    copies: [],
    round: 'Permits',
    held: false,
    answer: false,
  }
  const answers = [1, 2].map((id) => aTrayLine({ id, mailboxId: id, at: -id }))
  openDesk()
    .on(routes.mailboxes, () => two)
    .on(routes.mailboxUse, () => ({ now: 24, hours }))
    .on(routes.outTray, () => ({
      waiting: 2,
      sharing: [],
      messages: [1, 2].map((n) => ({ ...message, id: n, mailboxId: n })),
    }))
    .on(routes.inTray, () => anInTray(answers))
    .on(routes.trayEntry, ({ params }) => aTrayEntry(answers.find((line) => line.id === Number(params.response))!))
  const mailboxes = await draw(<Mailboxes />)
  await expect.element(mailboxes.screen.getByRole('heading', { name: 'In earnest' })).toBeVisible()
  expect(marked(mailboxes.screen.getByRole('heading', { level: 2, name: /practice|earnest/i }).elements())).toEqual([
    true,
    false,
  ])
  await expect.element(mailboxes.screen.getByText(/made-up people behind it/)).toBeVisible()
  await mailboxes.screen.unmount()

  const line = {
    title: 'Permits',
    listName: null,
    rowCount: 0,
    postedAt: null,
    held: false,
    states: { waiting: 0, sending: 0, sent: 0, retrying: 0, refused: 0, inDoubt: 0, setAside: 0, withdrawn: 0 },
    paperLetters: noPaper,
    replied: 0,
    bounced: 0,
    firstAt: null,
    lastAt: null,
    changedAt: 0,
  }
  const rounds = await draw(<RoundLines lines={[1, 2].map((n) => ({ ...line, id: n, mailboxId: n }))} />)
  expect(marked(rounds.screen.getByRole('listitem').elements().slice(0, 2))).toEqual([true, false])
  await rounds.screen.unmount()

  const out = await draw(<OutTray />)
  await expect.element(out.screen.getByRole('row').nth(2)).toBeVisible()
  expect(marked(out.screen.getByRole('row').elements().slice(1))).toEqual([true, false])
  await out.screen.unmount()

  const inTray = await draw(<InTray />)
  const entries = inTray.screen.getByRole('listbox', { name: 'Entries' }).getByRole('option')
  const reading = inTray.screen.getByRole('article')
  await expect.element(reading).toHaveTextContent('practice')
  await entries.nth(1).click()
  await expect.element(reading).not.toHaveTextContent('practice')
})
