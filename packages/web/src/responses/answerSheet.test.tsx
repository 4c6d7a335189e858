import { routes, type SavedAnswer, type SentAnswer } from '@hand-post/contract'
import { beforeEach, expect, test } from 'vitest'
import { userEvent } from 'vitest/browser'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aMailbox, anInTray, aTrayEntry, aTrayLine, othersPost, seenByWriter } from '../testing/samples.ts'
import { inMailProgram } from './AnswerSheet.tsx'
import InTray from './InTray.tsx'

let desk: FakeDesk
let saved: SavedAnswer[]
let refused: string | null
let answers: SentAnswer[]
/** A number of its own for each test: what was written to an entry is kept while the page is open. */
let id = 500
beforeEach(() => {
  id++
  refused = null
  answers = []
  saved = [
    { id: 1, name: 'Berth', text: 'Berth {{Berth}} is yours.', filled: 'Berth B12 is yours.', blank: [], unknown: [] },
    { id: 2, name: 'Away', text: '{{Boat}} on {{Day}}', filled: ' on ', blank: ['Boat'], unknown: ['Day'] },
  ]
  const line = aTrayLine({ id, person: 'Ada', words: 'May I bring the dinghy?' })
  desk = openDesk()
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.inTray, () => anInTray([line]))
    .on(routes.trayEntry, () => aTrayEntry(line, { answers }))
    .on(routes.beginAnswer, () => ({
      from: 'Harbour Office <office@quay.example>',
      to: 'ada@village.example',
      subject: 'Re: Your berth',
      quoted: 'On Monday Ada wrote:\n> May I bring the dinghy?\n',
      signature: 'The Harbour Office',
      refused,
      saved,
    }))
    .on(routes.draftAnswer, () => ({ folder: 'Drafts' }))
    .on(routes.saveAnswer, ({ body }) => {
      saved = [...saved, { id: 9, name: body.name, text: body.text, filled: body.text, blank: [], unknown: [] }]
      return { id: 9 }
    })
    .on(routes.forgetAnswer, ({ params }) => {
      saved = saved.filter((one) => one.id !== Number(params.answer))
      return {}
    })
})
const open = async () => {
  const { screen } = await draw(<InTray />)
  await expect.element(screen.getByRole('option', { name: /Ada/ })).toBeVisible()
  await userEvent.keyboard('a')
  const sheet = screen.getByRole('dialog', { name: 'Answer Ada' })
  const field = sheet.getByLabelText('Your answer')
  await expect.element(field).toHaveFocus()
  return { screen, sheet, field }
}

test('A opens it: to whom it goes stands over it, its words go into Drafts with what they wrote, and the page says where it lies', async () => {
  const { screen, sheet } = await open()
  await expect.element(sheet).toHaveTextContent('ada@village.example')
  await expect.element(sheet).toHaveTextContent('Harbour Office <office@quay.example>')
  await expect.element(sheet.getByRole('button', { name: 'Put into Drafts' })).toBeDisabled()
  await userEvent.keyboard('Yes, you may.')
  await sheet.getByRole('button', { name: 'Put into Drafts' }).click()
  await expect.element(screen.getByText(/^The answer lies in the folder “Drafts” of the mailbox\./)).toBeVisible()
  await expect.element(sheet).not.toBeInTheDocument()
  expect(desk.bodiesOf(routes.draftAnswer)).toEqual([{ words: 'Yes, you may.', quote: true, files: [] }])
})
test('what was written is there again when it was closed by mistake, and gone when it was put into Drafts', async () => {
  const { sheet, field } = await open()
  await userEvent.keyboard('Half a sentence')
  await userEvent.keyboard('{Escape}')
  await expect.element(sheet).not.toBeInTheDocument()
  await userEvent.keyboard('a')
  await expect.element(field).toHaveValue('Half a sentence')
  await sheet.getByRole('checkbox', { name: /quoted below/ }).click()
  await sheet.getByRole('button', { name: 'Put into Drafts' }).click()
  await expect.element(sheet).not.toBeInTheDocument()
  expect(desk.bodiesOf(routes.draftAnswer)).toEqual([{ words: 'Half a sentence', quote: false, files: [] }])
  await userEvent.keyboard('a')
  await expect.element(field).toHaveValue('')
})
test('a saved answer stands where the caret is, as it reads for the row; what is missing in it is said', async () => {
  const { sheet, field } = await open()
  await userEvent.keyboard('Dear Ada, ')
  await sheet.getByText('Saved answers (2)').click()
  await sheet.getByRole('button', { name: 'Berth', exact: true }).click()
  await expect.element(field).toHaveValue('Dear Ada, Berth B12 is yours.')
  await expect.element(sheet.getByText(/Read the answer through\./)).not.toBeInTheDocument()
  await sheet.getByRole('button', { name: 'Away', exact: true }).click()
  await expect
    .element(sheet.getByText('Blank in this row: Boat. No column of the list: Day. Read the answer through.'))
    .toBeVisible()
})
test('what is written is saved under a name; a saved one is forgotten, and brought back', async () => {
  const { sheet } = await open()
  await userEvent.keyboard('Come any day.')
  await sheet.getByText('Saved answers (2)').click()
  await expect.element(sheet.getByRole('button', { name: 'Save', exact: true })).toBeDisabled()
  await userEvent.fill(sheet.getByLabelText('Save what is written under the name'), 'Any day')
  await sheet.getByRole('button', { name: 'Save', exact: true }).click()
  await expect.element(sheet.getByRole('button', { name: 'Any day', exact: true })).toBeVisible()
  await sheet.getByRole('button', { name: 'Forget Berth' }).click()
  await expect.element(sheet.getByRole('button', { name: 'Berth', exact: true })).not.toBeInTheDocument()
  await expect.element(sheet.getByText('“Berth” is forgotten.')).toBeVisible()
  await sheet.getByRole('button', { name: 'Undo' }).click()
  await expect.element(sheet.getByRole('button', { name: 'Berth', exact: true })).toBeVisible()
  expect(desk.bodiesOf(routes.saveAnswer)).toEqual([
    { name: 'Any day', text: 'Come any day.' },
    { name: 'Berth', text: 'Berth {{Berth}} is yours.' },
  ])
})
test('what the mailbox refuses is said in the sheet, and nothing written is lost', async () => {
  desk.on(routes.draftAnswer, () => {
    throw new Refused(502, 'The mailbox has no folder for drafts. Make one in your mail program. No draft was made.')
  })
  const { sheet, field } = await open()
  await userEvent.keyboard('Yes.')
  await sheet.getByRole('button', { name: 'Put into Drafts' }).click()
  await expect.element(sheet.getByText(/^The mailbox has no folder for drafts\./)).toBeVisible()
  await expect.element(field).toHaveValue('Yes.')
})
/** An answer as the desk tells of it. */
const aSent = (parts: Partial<SentAnswer> = {}): SentAnswer => ({
  id: 71,
  state: 'waiting',
  plannedAt: Date.parse('2026-11-03T12:00:10Z'),
  sentAt: null,
  reason: null,
  asksWriter: false,
  subject: 'Re: Your berth',
  at: Date.parse('2026-11-03T12:00:00Z'),
  words: 'Yes.',
  files: [],
  ...parts,
})
test('Ctrl+Enter sends it, under one name however often it is tried; then it can be withdrawn, and stands there again', async () => {
  let times = 0
  desk
    .on(routes.sendAnswer, ({ body }) => {
      if (times++ === 0) throw new Refused(502, 'The line broke off.')
      return aSent({ words: body.words })
    })
    .on(routes.withdrawLetter, () => ({}))
  const { screen, sheet, field } = await open()
  await userEvent.keyboard('Yes.')
  await userEvent.keyboard('{Control>}{Enter}{/Control}')
  await expect.element(sheet.getByText('The line broke off.')).toBeVisible()
  await sheet.getByRole('button', { name: 'Send', exact: true }).click()
  await expect.element(screen.getByText('The answer to Ada leaves in ten seconds.')).toBeVisible()
  await expect.element(sheet).not.toBeInTheDocument()
  const [first, second, ...more] = desk.bodiesOf(routes.sendAnswer) as { askedAs: string; words: string }[]
  expect(more).toEqual([])
  expect(first).toEqual(second)
  expect(first).toMatchObject({
    words: 'Yes.',
    quote: true,
    files: [],
    askedAs: expect.stringMatching(/^[\w-]{8,64}$/),
  })
  await screen.getByRole('button', { name: 'Withdraw' }).click()
  await expect.element(screen.getByText('Withdrawn: it does not go. What you wrote is kept.')).toBeVisible()
  await screen
    .getByRole('article')
    .getByRole('button', { name: /^Answer/ })
    .click()
  await expect.element(field).toHaveValue('Yes.')
  // It is another answer now.
  await sheet.getByRole('button', { name: 'Send', exact: true }).click()
  await expect.element(sheet).not.toBeInTheDocument()
  const third = (desk.bodiesOf(routes.sendAnswer) as { askedAs: string }[]).at(-1)!
  expect(third.askedAs).not.toBe(first.askedAs)
})
test('what went while the line was down went as it was first written, and that is said', async () => {
  desk.on(routes.sendAnswer, () => aSent({ words: 'Yes.', state: 'sent' }))
  const { screen, sheet } = await open()
  await userEvent.keyboard('Yes. And more.')
  await sheet.getByRole('button', { name: 'Send', exact: true }).click()
  await expect.element(screen.getByText(/was on its way already, as you first wrote it/)).toBeVisible()
})
test('files are brought, said of what they are, and taken out; with a program nothing can be sent', async () => {
  desk
    .on(routes.answerFile, ({ query }) => ({
      hash: query.name === 'setup.pdf' ? 'b'.repeat(64) : 'a'.repeat(64),
      name: query.name,
      size: 21,
      warning: query.name === 'setup.pdf' ? { stops: true, words: '“setup.pdf” runs when it is opened.' } : null,
    }))
    .on(routes.sendAnswer, () => aSent())
  const { sheet } = await open()
  await userEvent.keyboard('Yes.')
  await userEvent.upload(sheet.getByLabelText(/Add files/).last(), [
    new File(['A pontoon, a bollard.'], 'plan.txt'),
    new File(['MZ'], 'setup.pdf'),
  ])
  await expect.element(sheet.getByText('“setup.pdf” runs when it is opened.')).toBeVisible()
  await expect.element(sheet.getByRole('button', { name: 'Send', exact: true })).toBeDisabled()
  await sheet.getByRole('button', { name: 'Take out setup.pdf' }).click()
  await sheet.getByRole('button', { name: 'Send', exact: true }).click()
  await expect.element(sheet).not.toBeInTheDocument()
  expect(desk.bodiesOf(routes.sendAnswer)).toMatchObject([{ files: [{ hash: 'a'.repeat(64), name: 'plan.txt' }] }])
})
test('to an address that is not to be written to, nothing is sent, and the sheet says why; a draft can be put there', async () => {
  refused = 'ada@village.example is on the do-not-write list (Moved).'
  const { sheet } = await open()
  await userEvent.keyboard('Yes.')
  await expect.element(sheet.getByText(/on the do-not-write list/)).toBeVisible()
  await expect.element(sheet.getByRole('button', { name: 'Send', exact: true })).toBeDisabled()
  await userEvent.keyboard('{Control>}{Enter}{/Control}')
  await expect.element(sheet.getByRole('button', { name: 'Put into Drafts' })).toBeEnabled()
  expect(desk.bodiesOf(routes.sendAnswer)).toEqual([])
})
test('the entry shows each answer with what has become of it; one that did not go is written again', async () => {
  answers = [
    aSent({ id: 1, state: 'sent', sentAt: Date.parse('2026-11-03T12:00:12Z'), words: 'The first.' }),
    aSent({ id: 2, state: 'refused', reason: '550 no such mailbox', words: 'The second.' }),
    aSent({ id: 3, state: 'inDoubt', asksWriter: true, words: 'The third.' }),
    aSent({ id: 4, state: 'retrying', reason: 'Greylisted.', words: 'The fourth.' }),
    aSent({ id: 5, state: 'waiting', plannedAt: null, words: 'The fifth.' }),
  ]
  const { screen } = await draw(<InTray />)
  const section = screen.getByRole('region', { name: 'Your answers' })
  await expect.element(section.getByText(/^Sent on /)).toBeVisible()
  await expect.element(section.getByText('Did not go: 550 no such mailbox')).toBeVisible()
  await expect.element(section.getByRole('link', { name: 'out-tray' })).toHaveAttribute('href', '/out-tray')
  await expect.element(section.getByText(/^Put off until .*: Greylisted\.$/)).toBeVisible()
  await expect.element(section.getByText(/nothing leaves this mailbox just now/)).toBeVisible()
  await section.getByRole('button', { name: 'Write it again…' }).click()
  await expect.element(screen.getByRole('dialog').getByLabelText('Your answer')).toHaveValue('The second.')
})
test('whoever may not post writes an answer as a draft, and is told who may send it', async () => {
  seenByWriter(desk)
  const { sheet, field } = await open()
  await expect.element(sheet.getByText(othersPost)).toBeVisible()
  await expect.element(sheet.getByRole('button', { name: 'Send' })).not.toBeInTheDocument()
  await field.fill('You may.')
  await userEvent.keyboard('{Control>}{Enter}{/Control}')
  await sheet.getByRole('button', { name: /Drafts/ }).click()
  await expect.poll(() => desk.bodiesOf(routes.draftAnswer)).toMatchObject([{ words: 'You may.' }])
  expect(desk.bodiesOf(routes.sendAnswer)).toEqual([])
})

test('an entry that cannot be answered says so', async () => {
  desk.on(routes.beginAnswer, () => {
    throw new Refused(404, 'There is no such answer.')
  })
  const { screen } = await draw(<InTray />)
  await expect.element(screen.getByRole('option', { name: /Ada/ })).toBeVisible()
  await userEvent.keyboard('a')
  await expect.element(screen.getByText('This cannot be answered here')).toBeVisible()
})
test('the mail program is given an address and a subject, and the words where they are few; nothing else, whatever they wrote', () => {
  const to = 'ada.home@village.example'
  expect(inMailProgram({ to, subject: 'Re: Your berth & boat' }, '')).toBe(
    'mailto:ada.home@village.example?subject=Re%3A%20Your%20berth%20%26%20boat',
  )
  expect(inMailProgram({ to, subject: 'x' }, 'One\ntwo')).toBe(
    'mailto:ada.home@village.example?subject=x&body=One%0D%0Atwo',
  )
  expect(inMailProgram({ to, subject: 'x' }, 'long '.repeat(1000))).toBe('mailto:ada.home@village.example?subject=x')
  // RFC 6068, section 5: what separates header fields of the address is encoded, and so separates none.
  const hostile = new URL(
    inMailProgram({ to: 'eve@x.example?bcc=mallory@x.example', subject: 'Hello&bcc=m@x.example' }, ''),
  )
  expect([hostile.protocol, [...hostile.searchParams.keys()]]).toEqual(['mailto:', ['subject']])
})
