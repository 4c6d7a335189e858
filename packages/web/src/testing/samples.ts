import {
  type Board,
  type BoardCharts,
  type BoardLine,
  type BoardSeen,
  type Edited,
  type List,
  type Mailbox,
  type MessageLine,
  type Reminder,
  type ResponseEntry,
  type Round,
  routes,
  type TrayEntry,
  type TrayLine,
  usualDispatch,
  usualPaper,
} from '@hand-post/contract'
import { applyEdits, editsFor, findCells, type Row, readyWeeks, rowsWith, startingLetters } from '@hand-post/core'
import { type FakeDesk, openDesk } from './fakeDesk.tsx'

/** A mailbox as it is stored, with what a test needs otherwise. */
export const aMailbox = (parts: Partial<Mailbox> = {}): Mailbox => ({
  id: 7,
  name: 'Harbour office',
  address: 'office@brindlequay.example',
  senderName: 'Harbour Office',
  aliases: ['berths@brindlequay.example'],
  signature: '',
  user: 'office',
  smtp: { host: 'mail.brindlequay.example', port: 587, security: 'starttls', allowSelfSigned: false },
  imap: { host: 'mail.brindlequay.example', port: 993, security: 'tls', allowSelfSigned: false },
  hours: { week: readyWeeks.anyTime, off: [], holidays: null },
  perDay: 500,
  dayZone: null,
  perHour: null,
  recipientsPerMinute: null,
  perMessage: null,
  gentleStart: { wanted: true, days: [20, 40, 80, 160, 320] },
  gentleToday: null,
  daysOff: 0,
  used: { ours: 0, other: 0 },
  sentFault: null,
  oauth: null,
  saidLimit: null,
  tellFault: null,
  tell: { done: false, held: false, doubt: false },
  perMinute: 10,
  largestMessage: 25_000_000,
  secondEyes: false,
  hostFilesSent: false,
  timeZone: 'Europe/London',
  folders: [],
  junk: true,
  practice: false,
  builtIn: false,
  allowance: 500,
  pausedUntil: null,
  stopped: false,
  pauseReason: null,
  foundFiling: null,
  notFiled: null,
  readingFault: null,
  unreadMail: { count: 0, newest: [] },
  ...parts,
})

/** An answer in the in-tray. */
export const aTrayLine = (parts: Partial<TrayLine> = {}): TrayLine => ({
  id: 1,
  kind: 'reply',
  pile: 'answer',
  sorted: 'answer',
  choice: null,
  why: 'It asks nothing, and is more than thanks.',
  foundBy: 'header',
  at: Date.parse('2026-11-03T10:00:00Z'),
  of: 'person',
  roundId: 1,
  round: 'Permits',
  mailboxId: 7,
  rowId: 1,
  person: 'Ada Penrose',
  address: 'ada@village.example',
  from: 'Ada Penrose <ada@village.example>',
  fromAddress: 'ada@village.example',
  subject: 'Re: Your permit',
  words: 'I shall come by on Thursday.',
  junk: null,
  backDay: null,
  word: null,
  state: 'open',
  doneAt: null,
  answeredAt: null,
  backAt: null,
  backWhen: null,
  files: 0,
  ...parts,
})

/** An entry with all its words, beside its letter. */
export const aTrayEntry = (line: TrayLine, parts: Partial<TrayEntry> = {}): TrayEntry => ({
  ...line,
  newText: line.words,
  text: `${line.words}\n\n> Dear Ada`,
  days: [],
  letter: { subject: 'Your permit', html: '', text: 'Dear Ada', sentAt: Date.parse('2026-11-02T10:00:00Z') },
  row: [{ column: 'Berth', shown: 'B12' }],
  outcomeWords: [],
  tracksOpens: false,
  timeZone: 'Europe/London',
  returned: [],
  fetching: false,
  answers: [],
  ...parts,
})

/** The in-tray with some entries to be looked at. */
export const anInTray = (lines: TrayLine[], reminders: Reminder[] = []) => ({
  counts: { open: lines.length, putBy: 0, done: 0 },
  lines,
  reminders,
  now: Date.parse('2026-11-03T12:00:00Z'),
})

/** A list of berth holders. */
export const aList = (parts: Partial<List> = {}): List => ({
  id: 3,
  name: 'Holders',
  columns: [
    { id: 'c1', name: 'Name', kind: 'text' },
    { id: 'c2', name: 'Email', kind: 'address' },
    { id: 'c3', name: 'Fee', kind: 'amount' },
    { id: 'c4', name: 'Due', kind: 'date' },
  ],
  rowCount: 2,
  sort: [],
  version: 1,
  source: { fileName: 'holders.csv', sheet: null, said: [] },
  nameColumns: ['c1'],
  addressColumn: null,
  postalColumns: null,
  book: false,
  undo: null,
  redo: null,
  createdAt: 0,
  ...parts,
})
export const someRows: Row[] = [
  { id: 1, position: 'a0', cells: { c1: 'Ada Penrose', c2: 'ada@quay.example', c3: '£120.00', c4: '25/12/2026' } },
  { id: 2, position: 'a1', cells: { c1: 'Bram Sloe', c2: 'bram@quay.example', c3: '£80.50', c4: '26/12/2026' } },
]

/** Of a round without letters on paper. */
export const noPaper = { toPrint: 0, printed: 0, withdrawn: 0, printedAt: null }

/** A round that is being prepared. */
export const aRound = (parts: Partial<Round> = {}): Round => ({
  id: 5,
  title: 'Season permits',
  mailboxId: 7,
  list: aList(),
  letter: startingLetters[0].letter,
  selection: { match: 'all', rules: [] },
  sameAddress: null,
  addressColumn: 'c2',
  nameColumns: ['c1'],
  perhapsAddresses: null,
  perhapsNames: null,
  filesColumn: null,
  filePattern: null,
  sentAs: null,
  made: null,
  madeFiles: [],
  fileMatches: [],
  sender: { address: null, name: null, replyTo: null },
  cc: [],
  bcc: [],
  files: [],
  dispatch: usualDispatch,
  paper: usualPaper,
  onPaperByHand: [],
  tracking: { opens: false, clicks: false, receipts: false, optOut: false },
  postedAt: null,
  amendingSince: null,
  endedAt: null,
  forgetAfter: null,
  forgottenAt: null,
  late: null,
  versions: [],
  held: false,
  heldWhy: null,
  slowed: null,
  counts: {
    list: 2,
    round: 2,
    onPaper: 0,
    byRule: 0,
    setAside: 0,
    doNotWrite: 0,
    joined: 0,
    sameAddress: 0,
    notChased: 0,
  },
  chases: null,
  chaser: null,
  chasers: [],
  setAside: [],
  states: { waiting: 0, sending: 0, sent: 0, retrying: 0, refused: 0, inDoubt: 0, setAside: 0, withdrawn: 0 },
  paperLetters: noPaper,
  createdAt: 0,
  changedAt: 0,
  version: 1,
  letterVersion: 1,
  ...parts,
})

/** A letter of round 5 that waits. */
export const aMessage = (parts: Partial<MessageLine> = {}): MessageLine => ({
  id: 9,
  roundId: 5,
  rowId: 1,
  person: 'Ada Penrose',
  address: 'ada@quay.example',
  subject: 'Permit',
  state: 'waiting',
  plannedAt: 1,
  sentAt: null,
  filedAt: null,
  attempts: 0,
  version: 1,
  reason: null,
  asksWriter: false,
  filingFault: null,
  copies: [],
  ...parts,
})

/** A letter of round 5 on its board. */
export const aBoardLine = (parts: Partial<BoardLine> = {}): BoardLine => ({
  messageId: 1,
  rowId: 1,
  person: 'Ada Penrose',
  address: 'ada@quay.example',
  outcome: 'sent',
  sentAt: Date.parse('2026-11-02T09:00:00Z'),
  lastAt: null,
  reason: null,
  said: '',
  word: null,
  choice: null,
  version: 1,
  ...parts,
})

/** The board of a round: nothing has been heard of it, where nothing else is said. */
export const aBoard = ({
  counts,
  ...parts
}: Partial<Omit<Board, 'counts'>> & { counts?: Partial<Board['counts']> } = {}): Board => ({
  counts: {
    messages: 2,
    sent: 2,
    waiting: 0,
    inDoubt: 0,
    refused: 0,
    withdrawn: 0,
    bounced: 0,
    arrived: 2,
    replied: 0,
    automatic: 0,
    opened: 0,
    openedByMachine: 0,
    clicked: 0,
    receipts: 0,
    optedOut: 0,
    delayed: 0,
    files: 0,
    unanswered: 2,
    ...counts,
  },
  tracking: { opens: false, clicks: false, receipts: false, optOut: false },
  outcomeWords: [],
  words: [],
  choices: [],
  choseNothing: 0,
  peopleReached: 0,
  forgotten: false,
  paper: [],
  ...parts,
})

/** What a board draws: nothing, where nothing else is said. */
export const someCharts = (parts: Partial<BoardCharts> = {}): BoardCharts => ({
  overTime: { from: 0, step: 60_000, lines: [] },
  byHour: { timeZone: 'Europe/London', opened: Array(24).fill(0), replied: Array(24).fill(0) },
  returned: [],
  compared: [],
  ...parts,
})

/** A thing that came back of a letter: an open by nobody knows what, where nothing else is said. */
export const aResponse = (parts: Partial<ResponseEntry> = {}): ResponseEntry => ({
  id: 1,
  kind: 'open',
  at: Date.parse('2026-11-02T10:00:00Z'),
  automatic: false,
  machine: null,
  client: null,
  country: null,
  from: '',
  subject: '',
  words: '',
  of: 'person',
  status: '',
  forgotten: false,
  ...parts,
})

/** Who looked at letters: ten of twenty, with two programs, where nothing else is said. */
export const aSeen = (parts: Partial<BoardSeen> = {}): BoardSeen => ({
  tracking: { opens: true, clicks: true, receipts: false, optOut: false },
  arrived: 20,
  opened: 10,
  proxied: 2,
  programs: [
    { program: 'Gullmail', letters: 5 },
    { program: null, letters: 3 },
  ],
  devices: [
    { device: 'computer', letters: 5 },
    { device: null, letters: 3 },
  ],
  countries: null,
  machines: [{ why: 'quick', letters: 3 }],
  links: [
    { address: 'https://quay.example/rules', letters: 4 },
    { address: 'https://quay.example/map', letters: 0 },
  ],
  moreLinks: 0,
  ...parts,
})

/** A desk that gives the rows of a list as the true one does: by pages and by ids, in order, and those in which words stand. */
export const withRows = (desk: FakeDesk, now: () => { version: number; rows: Row[] }): FakeDesk =>
  desk
    .on(routes.rows, ({ query: { from, count } }) => {
      const { version, rows } = now()
      return { version, rows: rows.slice(Number(from ?? 0), Number(from ?? 0) + Number(count ?? 500)) }
    })
    .on(routes.order, () => {
      const { version, rows } = now()
      return { version, rows: rows.map(({ id }) => id) }
    })
    .on(routes.someRows, ({ body }) => {
      const { version, rows } = now()
      const wanted = new Set(body.rows)
      return { version, rows: rows.filter(({ id }) => wanted.has(id)) }
    })
    .on(routes.findCells, ({ body: { from, back, most, ...sought } }) =>
      findCells(now().rows, sought, from, back, most),
    )
    .on(routes.rowsWith, ({ query: { words, count } }) => ({ rows: rowsWith(now().rows, words, Number(count)) }))

/** A desk that has a round lie on it, keeps what is changed of it, and gives it back. */
export function withRound(desk: FakeDesk, start: Round = aRound()): { round: Round } {
  const kept = { round: start }
  withRows(desk, () => ({ version: 1, rows: someRows }))
    .on(routes.round, () => kept.round)
    .on(routes.changeRound, ({ body }) => {
      const { dispatch, paper, tracking, sender, listId: _, letterHtml: _html, keepBefore: _keep, ...plain } = body
      kept.round = {
        ...kept.round,
        ...(plain as Partial<Round>),
        dispatch: { ...kept.round.dispatch, ...dispatch },
        paper: { ...kept.round.paper, ...paper },
        tracking: { ...kept.round.tracking, ...tracking },
        sender: { ...kept.round.sender, ...sender },
        version: kept.round.version + 1,
      }
      return { ...kept.round, said: [] }
    })
    .on(routes.mailboxes, () => [aMailbox()])
    .on(routes.notes, () => [])
    .on(routes.savedRules, () => [])
    .on(routes.health, () => ({
      ready: true,
      publicAddress: 'http://127.0.0.1',
      publicIsLocal: true,
      asksPassword: false,
      accounts: false,
      service: null,
    }))
    .on(routes.people, () => ({
      counts: kept.round.counts,
      sentence: '',
      chosen: [1, 2],
      onPaper: [],
      withoutAddress: 0,
      byRule: [],
      setAside: [],
      doNotWrite: [],
      joined: [],
      notChased: [],
      together: [],
      sameAddress: [],
      doubled: 0,
      lateComers: [],
    }))
  return kept
}

/** A desk that keeps a list, and changes it as it is asked to by the same core as the true one. */
export function withList(desk: FakeDesk, start: List = aList(), rows: Row[] = someRows): { list: List; rows: Row[] } {
  const kept = { list: start, rows }
  const next = { row: 1 + Math.max(99, ...rows.map(({ id }) => id)), column: 100 }
  withRows(desk, () => ({ version: kept.list.version, rows: kept.rows }))
    .on(routes.list, () => kept.list)
    .on(routes.editList, ({ body }) => {
      const state = { columns: kept.list.columns, rows: kept.rows, sort: kept.list.sort }
      const edits = editsFor(state, body.wishes, next)
      for (const edit of edits) if (edit.do === 'addRows') next.row += edit.rows.length
      next.column++
      const after = applyEdits(state, edits)
      kept.rows = after.rows
      kept.list = {
        ...kept.list,
        columns: after.columns,
        sort: after.sort,
        rowCount: after.rows.length,
        version: kept.list.version + 1,
      }
      return { list: kept.list, edits, words: body.words, said: [] } as Edited
    })
  return kept
}

/** A desk that knows the public holidays of two places. */
export const deskWithHolidays = (): FakeDesk =>
  openDesk().on(routes.holidays, ({ query: { country, region } }) => ({
    countries: [
      { code: 'GB', name: 'United Kingdom' },
      { code: 'AQ', name: 'Antarctica' },
    ],
    regions: country === 'GB' ? [{ code: 'SCT', name: 'Scotland' }] : [],
    days:
      country === 'GB'
        ? [
            { from: '2098-12-25', to: '2098-12-25', name: 'Christmas Day' },
            ...(region === 'SCT' ? [{ from: '2098-11-30', to: '2098-11-30', name: 'Saint Andrew’s Day' }] : []),
          ]
        : [],
  }))

/** A desk at which Ben sits, who may not post; Ada and Cy may. */
export const seenByWriter = (desk: FakeDesk): FakeDesk =>
  desk
    .on(routes.me, () => ({
      account: { id: 2, name: 'Ben Tide', address: 'ben@quay.example', code: false },
      roles: ['writer' as const],
      hasPassword: true,
      recoveryLeft: 0,
    }))
    .on(routes.colleagues, () => [
      { id: 1, name: 'Ada Penrose', mayPost: true },
      { id: 2, name: 'Ben Tide', mayPost: false },
      { id: 3, name: 'Cy Moor', mayPost: true },
    ])
/** What stands for them in the place of a button that has letters leave. */
export const othersPost = /not have them leave\. Ask Ada Penrose and Cy Moor\./
