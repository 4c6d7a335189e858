import { type ChaserLine, type Proof, type Round, routes } from '@hand-post/contract'
import { type Chaser, usualChaser } from '@hand-post/core'
import { beforeEach, expect, test } from 'vitest'
import { MessagePane } from '../rounds/MessagePane.tsx'
import { OpenRound } from '../rounds/RoundContext.tsx'
import { draw, type FakeDesk, openDesk, Refused } from '../testing/fakeDesk.tsx'
import { aRound, withRound } from '../testing/samples.ts'
import ChaserBar, { Chasers } from './Chasers.tsx'

const none = { waiting: 0, sending: 0, sent: 0, retrying: 0, refused: 0, inDoubt: 0, setAside: 0, withdrawn: 0 }
const aChaser = (parts: Partial<ChaserLine> = {}, chaser: Partial<Chaser> = {}): ChaserLine => ({
  id: 9,
  title: 'Season permits: chaser',
  chaser: { ...usualChaser, ...chaser },
  postedAt: null,
  held: false,
  heldWhy: null,
  amendingSince: null,
  states: none,
  unfit: 0,
  wantsWord: 0,
  from: null,
  until: null,
  ...parts,
})
const settled: Proof = { people: 2, unread: 0, findings: [], stops: 0, asks: 0, mayPost: true }

let desk: FakeDesk
let kept: { round: Round }
/** What the desk knows of the round in the list of all. */
let known: { outcomeWords: string[]; choices: string[] }
beforeEach(() => {
  known = { outcomeWords: [], choices: [] }
  desk = openDesk()
  kept = withRound(desk)
  desk
    .on(routes.proof, () => settled)
    .on(routes.rounds, () => [
      {
        ...known,
        id: 5,
        title: 'Season permits',
        mailboxId: 7,
        listName: 'People',
        rowCount: 2,
        postedAt: null,
        held: false,
        states: none,
        paperLetters: kept.round.paperLetters,
        replied: 0,
        bounced: 0,
        firstAt: null,
        lastAt: null,
        changedAt: 0,
        subject: '',
        inTray: 0,
        life: null,
      },
    ])
    .on(routes.addChaser, ({ body }) => ({
      ...aRound({ id: 9 }),
      chases: { id: 5, title: 'Season permits', postedAt: null },
      chaser: { ...usualChaser, ...body.chaser },
    }))
    .on(routes.changeChaser, ({ body }) => ({ ...aRound({ id: 9 }), chaser: { ...usualChaser, ...body } }))
})
const drawn = async () => {
  const { screen, router } = await draw(
    <OpenRound round={kept.round} goTo={() => {}}>
      <Chasers round={kept.round} />
    </OpenRound>,
  )
  return { screen, router }
}

test('one chaser after five working days is the offer; a number of days is asked for in words', async () => {
  const { screen, router } = await drawn()
  await expect.element(screen.getByText(/nobody who has answered gets it/)).toBeVisible()
  await screen.getByRole('button', { name: 'Add a chaser…' }).click()
  const sheet = screen.getByRole('dialog', { name: 'Add a chaser' })
  const days = sheet.getByRole('textbox', { name: 'How many days' })
  await expect.element(days).toHaveValue('5')
  // Before it is posted, nothing has left that could be chased at once.
  await expect.element(sheet.getByRole('radio', { name: 'At once' })).not.toBeInTheDocument()
  await days.fill('soon')
  await sheet.getByRole('button', { name: 'Add it, and write it' }).click()
  await expect.element(sheet.getByRole('alert')).toHaveTextContent('“soon” is no number of days from 1 to 366.')
  await days.fill('7')
  await sheet.getByRole('combobox', { name: 'Which days' }).selectOptions('days, weekends too')
  await sheet.getByRole('checkbox', { name: 'With what their letter said below' }).click()
  await sheet.getByRole('radio', { name: 'the row as it is when it is posted' }).click()
  await sheet.getByRole('button', { name: 'Add it, and write it' }).click()
  await expect.poll(() => router.state.location.pathname).toBe('/rounds/9/letter')
  const { rows: _, since: __, ...usual } = usualChaser
  expect(desk.bodiesOf(routes.addChaser)).toEqual([
    { chaser: { ...usual, after: { n: 7, of: 'days' }, quote: false, asPosted: true } },
  ])
})

test('to nobody it is none; outcome words and choices of the round can be chosen; what the desk refuses is said', async () => {
  known = { outcomeWords: ['coming', 'later'], choices: ['Yes', 'No'] }
  desk.on(routes.addChaser, () => {
    throw new Refused(409, 'Two chasers would leave on one day. Nothing was changed.')
  })
  const { screen } = await drawn()
  await screen.getByRole('button', { name: 'Add a chaser…' }).click()
  const sheet = screen.getByRole('dialog')
  const tick = (name: string) => sheet.getByRole('checkbox', { name }).click()
  await tick('who have not answered')
  await sheet.getByRole('button', { name: 'Add it' }).click()
  await expect.element(sheet.getByRole('alert')).toHaveTextContent('Choose whom it goes to')
  await tick('who have the outcome word “later”')
  await tick('who have the outcome word “coming”')
  await tick('who have the outcome word “coming”')
  await tick('who have chosen nothing')
  await sheet.getByRole('button', { name: 'Add it' }).click()
  await expect.element(sheet.getByRole('alert')).toHaveTextContent('Two chasers would leave on one day.')
  expect(desk.bodiesOf(routes.addChaser).at(-1)?.chaser).toMatchObject({ who: ['word', 'noChoice'], words: ['later'] })
  // Nothing that was chosen is lost by it.
  await expect.element(sheet.getByRole('checkbox', { name: 'who have chosen nothing' })).toBeChecked()
})

test('how each chaser stands is said in words, and what it has to settle first', async () => {
  const later = { after: { n: 10, of: 'workingDays' as const } }
  kept.round = aRound({
    postedAt: 1,
    chasers: [
      aChaser({ postedAt: 1, states: { ...none, sent: 40, setAside: 20 } }),
      aChaser(
        {
          id: 10,
          postedAt: 1,
          states: { ...none, waiting: 60 },
          unfit: 25,
          wantsWord: 1,
          from: Date.parse('2026-12-03T09:00Z'),
        },
        later,
      ),
      aChaser({
        id: 11,
        postedAt: 1,
        held: true,
        heldWhy: 'The chaser holds itself.',
        states: { ...none, waiting: 3 },
      }),
      aChaser({ id: 12 }, { after: null, who: ['chosen'], rows: [1, 2, 3] }),
    ],
  })
  desk.on(routes.proof, () => ({ ...settled, stops: 2, asks: 4, mayPost: false }))
  const { screen, router } = await drawn()
  const line = (n: number) => screen.getByRole('listitem').nth(n)
  await expect
    .element(line(0))
    .toHaveTextContent('5 working days after the letter, to those who have not answered: 40 sent; 20 not needed.')
  await expect
    .element(line(1))
    .toHaveTextContent(
      /^10 working days .*: 34 to go, from Thu 3 Dec .*; 1 waits for your word in the in-tray on what may be an answer; 25 will not be needed\.$/,
    )
  await expect.element(line(2)).toHaveTextContent(/: 3 held\.The chaser holds itself\.$/)
  await expect
    .element(line(3))
    .toHaveTextContent(
      'at once, to those of 3 people who were chosen on the board: not posted yet. Its proof has 6 to settle first.',
    )
  // What is posted is frozen; what is not can be changed.
  expect(screen.getByRole('button', { name: 'When and to whom…' }).elements()).toHaveLength(1)
  await line(0).getByRole('link').click()
  await expect.poll(() => router.state.location.pathname).toBe('/rounds/9/dispatch')
})

test('over its stages a chaser says what it is, and is changed there', async () => {
  kept.round = aRound({
    id: 9,
    title: 'Season permits: chaser',
    chases: { id: 5, title: 'Season permits', postedAt: 1 },
    chaser: usualChaser,
  })
  const { screen } = await draw(
    <OpenRound round={kept.round} goTo={() => {}}>
      <ChaserBar />
    </OpenRound>,
  )
  await expect
    .element(screen.getByRole('region', { name: 'Chaser' }))
    .toHaveTextContent('A chaser of Season permits: 5 working days after the letter, to those who have not answered.')
  await screen.getByRole('button', { name: 'When and to whom…' }).click()
  const sheet = screen.getByRole('dialog')
  await sheet.getByRole('radio', { name: 'At once, when it is posted' }).click()
  await sheet.getByRole('checkbox', { name: 'In the thread' }).click()
  await sheet.getByRole('button', { name: 'Keep' }).click()
  await expect.poll(() => desk.bodiesOf(routes.changeChaser)).toMatchObject([{ after: null, thread: false }])
  await expect.element(sheet).not.toBeInTheDocument()
})

test('beside it stands the message as it leaves: under the first letter’s subject, with what that said below', async () => {
  kept.round = aRound({
    chases: { id: 4, title: 'Season permits', postedAt: 1 },
    chaser: usualChaser,
    letter: {
      subject: 'Re: Permit of {{Name}}',
      body: { type: 'doc', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Please answer.' }] }] },
    },
  })
  desk.on(routes.message, () => ({
    from: 'Harbour Office <office@quay.example>',
    replyTo: [],
    to: '',
    cc: [],
    bcc: [],
    paper: null,
    subject: 'Permit as it was posted',
    html: '',
    text: 'Dear Ada,\n\nhere it is & ready.',
    files: [],
    size: 1,
    sentAt: Date.parse('2026-11-05T10:00:00Z'),
  }))
  const { screen } = await draw(
    <div style={{ height: 600 }}>
      <OpenRound round={kept.round} goTo={() => {}}>
        <MessagePane />
      </OpenRound>
    </div>,
  )
  await expect.element(screen.getByText('Re: Permit as it was posted')).toBeVisible()
  await screen.getByRole('button', { name: 'Plain text' }).click()
  await expect
    .element(screen.getByText(/On Thu 5 Nov( 2026)? 10:00 Harbour Office <office@quay.example> wrote:/))
    .toBeVisible()
  await expect.element(screen.getByText(/> here it is & ready\./)).toBeVisible()
})
