import { type PostingRecord, routes } from '@hand-post/contract'
import { chained, mboxEntry, mboxSeparator, type RecordEntry, type Seal } from '@hand-post/core'
import { sha256 as noble } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import { beforeEach, expect, test } from 'vitest'
import { page, userEvent } from 'vitest/browser'
import type { z } from 'zod'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import CheckRecord from './CheckRecord.tsx'
import { EndedLine } from './Ended.tsx'
import { ForgettingLine } from './Forgetting.tsx'
import { RecordSheet } from './RecordSheet.tsx'

const sha256 = (data: string | Uint8Array) => bytesToHex(noble(typeof data === 'string' ? utf8ToBytes(data) : data))
// FIPS 180-4 as NIST prints it in its examples: the hash of "abc".
test('the hashes of the page are SHA-256', () =>
  expect(sha256('abc')).toBe('ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'))

const posted = aRound({ postedAt: 1 })
let desk: FakeDesk
let about: { unfinished: string[]; sent: number; answers: number; records: PostingRecord[] }
let forgetting: z.output<typeof routes.forgetting.answer>
beforeEach(() => {
  forgetting = { months: null, at: null, waits: [], forgottenAt: null, opened: 40, answers: 20, files: 3 }
  about = { unfinished: [], sent: 58, answers: 20, records: [] }
  desk = openDesk()
  withRound(desk, posted)
  desk.on(routes.postingRecords, () => about)
  desk.on(routes.forgetting, () => forgetting)
  desk.on(routes.roundHappened, () => [])
})
const openSheet = async () => {
  const { screen } = await draw(
    <OpenRound round={posted} goTo={() => {}}>
      <RecordSheet onClose={() => {}} />
    </OpenRound>,
  )
  return screen.getByRole('dialog', { name: 'After the round' })
}
const aRecord = { id: 3, madeAt: Date.UTC(2026, 10, 20, 9), end: 'ab'.repeat(32), letters: 58, entries: 64 }

test('a record is made, and stands among those that were; one that is not sealed says so', async () => {
  desk.on(routes.makePostingRecord, () => {
    about = { ...about, records: [aRecord, { ...aRecord, id: 2, end: null }] }
    return aRecord
  })
  const sheet = await openSheet()
  await expect.element(sheet.getByText('None was made yet.')).toBeVisible()
  await sheet.getByRole('button', { name: 'Make a posting record' }).click()
  const lines = sheet.getByRole('list', { name: 'Records that were made' }).getByRole('listitem')
  await expect.element(lines.nth(0)).toHaveTextContent(/58 letters.*sealed.*PDF.*Seal/)
  await expect.element(lines.nth(1)).toHaveTextContent(/not sealed.*PDF$/)
  await expect
    .element(lines.nth(0).getByRole('link', { name: 'Seal (.json)' }))
    .toHaveAttribute('href', '/api/records/3/seal')
})

test('what keeps a round from being finished is said before', async () => {
  about = { ...about, unfinished: ['2 letters are in doubt: say at Dispatch whether it went.'] }
  const sheet = await openSheet()
  await expect.element(sheet.getByText('The round is not finished, so a record of it is not sealed:')).toBeVisible()
  await expect.element(sheet.getByText(/2 letters are in doubt/)).toBeVisible()
})

test('an archive is made as it was chosen, and lies ready to be saved; what keeps it from being made is said', async () => {
  let say = ''
  desk.on(routes.makeArchive, () => {
    if (say) throw new Refused(502, say)
    return { archive: 'c'.repeat(32), name: 'Permits, archive.zip', size: 2_500_000 }
  })
  const sheet = await openSheet()
  await sheet.getByRole('checkbox', { name: /With the 20 answers/ }).click()
  await sheet.getByRole('button', { name: 'Make the archive' }).click()
  await expect.element(sheet.getByText(/“Permits, archive.zip” is ready, 2.5 MB/)).toBeVisible()
  await expect
    .element(sheet.getByRole('link', { name: 'Save it' }))
    .toHaveAttribute('href', `/api/archives/${'c'.repeat(32)}`)
  // Of an .mbox file there are no answers.
  await sheet.getByRole('radio', { name: /one mailbox file/ }).click()
  await expect.element(sheet.getByRole('checkbox', { name: /With the 20 answers/ })).toBeDisabled()
  say = 'The answers could not be fetched from the mailbox.'
  await sheet.getByRole('button', { name: 'Make the archive' }).click()
  await expect.element(sheet.getByText(say)).toBeVisible()
  expect(desk.bodiesOf(routes.makeArchive)).toEqual([
    { as: 'zip', answers: true },
    { as: 'mbox', answers: false },
  ])
})

test('with nothing sent there is nothing to archive; what is being made can be stopped', async () => {
  about = { ...about, sent: 0 }
  desk.on(routes.makePostingRecord, () => new Promise(() => {}))
  const sheet = await openSheet()
  await expect.element(sheet.getByText('No letter has gone yet, so there is nothing to archive.')).toBeVisible()
  await expect.element(sheet.getByRole('button', { name: 'Make the archive' })).not.toBeInTheDocument()
  await sheet.getByRole('button', { name: 'Make a posting record' }).click()
  await sheet.getByRole('button', { name: 'Stop' }).click()
  await expect.element(sheet.getByText('Stopped. Nothing was made.')).toBeVisible()
})

test('a finished round is ended, and opened again; one that is not finished cannot be', async () => {
  let round = posted
  desk.on(routes.round, () => round)
  desk.on(routes.endRound, ({ body: { ended } }) => {
    round = { ...round, endedAt: ended ? Date.UTC(2026, 10, 20, 9) : null }
    return {}
  })
  const sheet = await openSheet()
  await sheet.getByRole('button', { name: 'End this round' }).click()
  expect(desk.bodiesOf(routes.endRound)).toEqual([{ ended: true }])
})

test('a round that is not finished is not ended; one that is ended says since when', async () => {
  about = { ...about, unfinished: ['1 letter is still to leave.'] }
  const sheet = await openSheet()
  await expect.element(sheet.getByText(/A round is ended when it is finished/)).toBeVisible()
  await expect.element(sheet.getByRole('button', { name: 'End this round' })).not.toBeInTheDocument()
})

const forgotten = Date.UTC(2026, 10, 20, 9)
test('what is kept of people is forgotten after a time that is chosen, which is said as a day', async () => {
  desk.on(routes.setForgetting, ({ body: { months } }) => {
    forgetting = { ...forgetting, months, at: Date.UTC(2027, 1, 20, 9) }
    return {}
  })
  const sheet = await openSheet()
  const choice = sheet.getByRole('combobox', { name: 'Forget it' })
  await expect.element(choice).toHaveDisplayValue('never')
  await choice.selectOptions('after 3 months')
  expect(desk.bodiesOf(routes.setForgetting)).toEqual([{ months: 3 }])
})

test('it is forgotten at once only after it was asked what that means; what holds it up is said', async () => {
  desk.on(routes.forgetNow, () => {
    forgetting = { ...forgetting, opened: 0, answers: 0, files: 0, forgottenAt: forgotten }
    return forgetting
  })
  const sheet = await openSheet()
  await sheet.getByRole('button', { name: 'Forget it now…' }).click()
  const asked = page.getByRole('dialog', { name: 'Forget what “Season permits” keeps of people?' })
  await expect
    .element(asked.getByText(/^Of 40 letters who opened or followed links, the words of 20 answers, and 3 files/))
    .toBeVisible()
  await asked.getByRole('button', { name: 'Keep it' }).click()
  expect(desk.bodiesOf(routes.forgetNow)).toEqual([])
  await sheet.getByRole('button', { name: 'Forget it now…' }).click()
  await asked.getByRole('button', { name: 'Forget it for good' }).click()
  await expect.element(sheet.getByText(/^Forgotten on Fri 20 Nov/)).toBeVisible()
  expect(desk.bodiesOf(routes.forgetNow)).toEqual([{ sure: true }])
})

test('while something of it is to be done, it is not forgotten, and this is said', async () => {
  const waits = ['2 entries of it lie in the in-tray, to be done or put by.']
  forgetting = { ...forgetting, months: 12, at: null, waits }
  const sheet = await openSheet()
  await expect.element(sheet.getByText(waits[0])).toBeVisible()
  await expect.element(sheet.getByText('It is counted from when the last letter leaves.')).toBeVisible()
  await expect.element(sheet.getByRole('button', { name: 'Forget it now…' })).toBeDisabled()
})

test.each([
  ['that it comes soon', 3, [], /is forgotten on/],
  [
    'what holds it up when its day has come',
    -3,
    ['1 letter is in doubt.'],
    /It is kept until .*: 1 letter is in doubt/,
  ],
] as const)('the board says %s', async (_, days, waits, words) => {
  forgetting = { ...forgetting, months: 12, at: Date.now() + days * 86_400_000, waits: [...waits] }
  const { screen } = await draw(
    <OpenRound round={{ ...posted, forgetAfter: 12 }} goTo={() => {}}>
      <ForgettingLine />
    </OpenRound>,
  )
  await expect.element(screen.getByText(words)).toBeVisible()
})

test('what is far away, or was not wanted, is no line of the board', async () => {
  let asked = 0
  desk.on(routes.forgetting, () => {
    asked++
    return { ...forgetting, months: 12, at: Date.now() + 100 * 86_400_000 }
  })
  const { screen } = await draw(
    <OpenRound round={{ ...posted, forgetAfter: 12 }} goTo={() => {}}>
      <ForgettingLine />
      <p>the board</p>
    </OpenRound>,
  )
  await expect.poll(() => asked).toBe(1)
  await expect.element(screen.getByText('the board')).toBeVisible()
  expect(screen.container.textContent).toBe('the board')
})

test('a round whose people are forgotten says so on its board, and is not opened again', async () => {
  const { screen } = await draw(
    <OpenRound round={{ ...posted, endedAt: forgotten, forgottenAt: forgotten }} goTo={() => {}}>
      <EndedLine />
    </OpenRound>,
  )
  await expect.element(screen.getByText(/^What this round kept of people was forgotten on/)).toBeVisible()
  await expect.element(screen.getByRole('button', { name: 'Open it again' })).not.toBeInTheDocument()
})

test('an ended round says so on its board, and is opened again there', async () => {
  desk.on(routes.endRound, () => ({}))
  const { screen } = await draw(
    <OpenRound round={{ ...posted, endedAt: Date.UTC(2026, 10, 20, 9) }} goTo={() => {}}>
      <EndedLine />
    </OpenRound>,
  )
  await expect.element(screen.getByText(/^Ended on .*: nothing more is counted or read for it\.$/)).toBeVisible()
  await screen.getByRole('button', { name: 'Open it again' }).click()
  expect(desk.bodiesOf(routes.endRound)).toEqual([{ ended: false }])
})

test('for the next time the days of the letter are asked for, each with an offer', async () => {
  desk
    .on(routes.nextTime, () => ({
      title: 'Permits 2028',
      list: 'People',
      days: [{ words: '31 January 2027', day: '2027-01-31', next: '31 January 2028' }],
      people: null,
    }))
    .on(routes.beginNextTime, () => ({ round: 9 }))
    .on(routes.rounds, () => [])
  const sheet = await openSheet()
  await sheet.getByRole('button', { name: 'Begin a round like this one…' }).click()
  await expect.element(sheet.getByLabelText('Its name')).toHaveValue('Permits 2028')
  const day = sheet.getByLabelText('In the place of “31 January 2027”')
  await expect.element(day).toHaveValue('31 January 2028')
  await sheet.getByLabelText('Its name').fill('')
  await sheet.getByRole('button', { name: 'Begin it' }).click()
  await expect.element(sheet.getByText('A round needs a name.')).toBeVisible()
  await sheet.getByLabelText('Its name').fill('Permits, next season')
  await day.fill('1 February 2028')
  await sheet.getByRole('button', { name: 'Begin it' }).click()
  await expect
    .poll(() => desk.bodiesOf(routes.beginNextTime))
    .toEqual([
      {
        title: 'Permits, next season',
        days: [{ words: '31 January 2027', to: '1 February 2028' }],
        people: { who: 'everybody', reached: false },
      },
    ])
  await expect.element(sheet.getByRole('combobox', { name: 'To whom' })).not.toBeInTheDocument()
})

/** What can be chosen for the next time, where so many were not reached. */
const offering = (notReached: number) =>
  desk
    .on(routes.nextTime, () => ({
      title: 'Permits 2028',
      list: 'People',
      days: [],
      people: {
        answered: 20,
        notAnswered: 38,
        notReached,
        words: [{ word: 'insured', people: 15 }],
        choices: [{ choice: 'I shall come', people: 7 }],
      },
    }))
    .on(routes.beginNextTime, () => ({ round: 9 }))
    .on(routes.rounds, () => [])

test('for the next time people are chosen by what came of this one', async () => {
  offering(6)
  const sheet = await openSheet()
  await sheet.getByRole('button', { name: 'Begin a round like this one…' }).click()
  const whom = sheet.getByRole('combobox', { name: 'To whom' })
  await expect.element(whom).toHaveDisplayValue('everybody whom its rules choose')
  await whom.selectOptions('who did not answer (38)')
  await expect.element(sheet.getByText(/^The list gets columns/)).toBeVisible()
  await sheet.getByRole('checkbox', { name: /^Leave out the 6 whose letter came back/ }).click()
  await sheet.getByRole('button', { name: 'Begin it' }).click()
  await expect
    .poll(() => desk.bodiesOf(routes.beginNextTime))
    .toEqual([{ title: 'Permits 2028', days: [], people: { who: 'notAnswered', reached: true } }])
})

test.each([
  ['who chose “I shall come” (7)', { who: 'choice', word: 'I shall come', reached: false }],
  ['your word for them was “insured” (15)', { who: 'word', word: 'insured', reached: false }],
])('of those for the next time: %s', async (option, people) => {
  offering(0)
  const sheet = await openSheet()
  await sheet.getByRole('button', { name: 'Begin a round like this one…' }).click()
  await sheet.getByRole('combobox', { name: 'To whom' }).selectOptions(option)
  await expect.element(sheet.getByRole('checkbox', { name: /^Leave out/ })).not.toBeInTheDocument()
  await sheet.getByRole('button', { name: 'Begin it' }).click()
  await expect.poll(() => desk.bodiesOf(routes.beginNextTime)).toMatchObject([{ people }])
})

// The page that checks: over a seal and an .mbox file made here.
const office = { name: 'Harbour Office', address: 'office@brindlequay.example' }
const sent = Date.UTC(2026, 10, 12, 9)
const raw = utf8ToBytes(`From: ${office.address}\r\nMessage-ID: <m@brindlequay.example>\r\n\r\nDear Ada,\r\n`)
const message: RecordEntry = {
  kind: 'message',
  round: 'Permits',
  row: 2,
  person: 'Ada Quay',
  to: 'ada@village.example',
  from: office,
  subject: 'Your permit',
  messageId: '<m@brindlequay.example>',
  version: 1,
  state: 'sent',
  at: new Date(sent).toISOString(),
  answer: '250 OK',
  sha256: sha256(raw),
  files: [],
  copies: [],
  came: [],
}
const seal: Seal = {
  ...chained(
    {
      format: 'hand-post-record',
      version: 1,
      round: 'Permits',
      number: 5,
      mailbox: office,
      list: null,
      postedAt: null,
      madeAt: null,
      zone: 'Europe/London',
      entries: 1,
    },
    [message],
    sha256,
  ),
  pdf: sha256('%PDF'),
}
const mbox = mboxEntry(mboxSeparator(office.address, sent), raw)
const file = (name: string, content: BlobPart) => new File([content], name)
const check = async (files: { seal?: BlobPart; archive?: Uint8Array; pdf?: string }) => {
  const { screen } = await draw(<CheckRecord />)
  const button = screen.getByRole('button', { name: 'Check', exact: true })
  await expect.element(button).toBeDisabled()
  await userEvent.upload(screen.getByLabelText('The seal'), file('record.json', files.seal ?? JSON.stringify(seal)))
  await userEvent.upload(
    screen.getByLabelText('The archive'),
    file('permits.mbox', (files.archive ?? mbox) as Uint8Array<ArrayBuffer>),
  )
  if (files.pdf) await userEvent.upload(screen.getByLabelText('The record itself'), file('record.pdf', files.pdf))
  await button.click()
  return screen
}

test('a record that holds is said to hold, with the end of its chain', async () => {
  const screen = await check({ pdf: '%PDF' })
  const found = screen.getByRole('region', { name: 'The record holds' })
  await expect.element(found.getByText('1 of 1 letter is in the archive exactly as it was sent.')).toBeVisible()
  await expect.element(found.getByText('The PDF is the one that was made with this seal.')).toBeVisible()
  await expect.element(found.getByText(seal.end)).toBeVisible()
})

test('one octet changed, and it does not hold; what cannot be checked says why', async () => {
  const screen = await check({ archive: mbox.map((octet, i) => (i === mbox.length - 6 ? octet ^ 1 : octet)) })
  const found = screen.getByRole('region', { name: 'The record does not hold' })
  await expect.element(found.getByText(/The letter to Ada Quay is not the one that was sent/)).toBeVisible()
  await userEvent.upload(screen.getByLabelText('The seal'), file('x.json', 'no JSON'))
  await expect.element(found).not.toBeInTheDocument()
  await screen.getByRole('button', { name: 'Check', exact: true }).click()
  await expect.element(screen.getByText(/It cannot be checked/)).toBeVisible()
  await expect.element(screen.getByText(/This file is not JSON/)).toBeVisible()
})
