import { type CallInput, type DeskEvent, type Round, routes, type Shareable, type TrayShow } from '@hand-post/contract'
import type { Recipe, Selection } from '@hand-post/core'
import { keepPreviousData, queryOptions, replaceEqualDeep, useQuery } from '@tanstack/react-query'
import { ask } from '../api.ts'

/** What the interface has fetched goes by these keys, from the general to the particular: all of a round is under its own. */
export const keys = {
  health: () => ['health'] as const,
  rounds: () => ['rounds'] as const,
  anyRound: () => ['round'] as const,
  round: (id: number) => ['round', id] as const,
  ofRound: (id: number, what: string, ...more: unknown[]) => ['round', id, what, ...more] as const,
  company: (id: number) => ['round', id, 'company'] as const,
  anyPerson: () => ['round', 'person'] as const,
  rehearsed: (id: number, at: number, ...more: unknown[]) => ['rehearsed', id, at, ...more] as const,
  mailboxes: () => ['mailboxes'] as const,
  letters: () => ['letters'] as const,
  outTray: () => ['out-tray'] as const,
  inTray: () => ['in-tray'] as const,
  lists: () => ['lists'] as const,
  anyList: () => ['list'] as const,
  list: (id: number) => ['list', id] as const,
  anyRows: () => ['rows'] as const,
  rows: (listId: number) => ['rows', listId] as const,
  /** All rows of a list, for whatever looks into it; and some of them, by their ids. */
  wholeRows: (listId: number | null) =>
    listId === null ? (['whole-rows'] as const) : (['whole-rows', listId] as const),
  someRows: (listId: number | null) => (listId === null ? (['some-rows'] as const) : (['some-rows', listId] as const)),
  anyOrder: () => ['order'] as const,
  book: () => ['book'] as const,
  rules: () => ['rules'] as const,
  doNotWrite: () => ['do-not-write'] as const,
  backups: () => ['backups'] as const,
  accounts: () => ['accounts'] as const,
  happened: (account: number | null) => ['happened', account] as const,
  works: () => ['works'] as const,
  progress: (id: number | null) => ['progress', id] as const,
}

/** How each thing is fetched, and under which key. */
export const query = {
  desk: () =>
    queryOptions({
      queryKey: [...keys.rounds(), 'desk'],
      queryFn: () => ask(routes.desk),
      // A disk that fills, or a process that is gone, tells nobody.
      refetchInterval: 30_000,
    }),
  works: () =>
    queryOptions({
      queryKey: keys.works(),
      queryFn: () => ask(routes.works),
      // What ends with its process tells nobody.
      refetchInterval: ({ state }) => ((state.data?.length ?? 0) > 0 ? 5000 : false),
    }),
  health: () =>
    queryOptions({
      queryKey: keys.health(),
      queryFn: () => ask(routes.health),
      // While the desk is being filled it is asked again and again, so that the page goes on by itself.
      refetchInterval: ({ state }) => (state.data?.ready === false ? 2000 : false),
    }),
  rounds: () => queryOptions({ queryKey: [...keys.rounds(), 'lines'], queryFn: () => ask(routes.rounds) }),
  mailboxes: () => queryOptions({ queryKey: keys.mailboxes(), queryFn: () => ask(routes.mailboxes) }),
  mailFolders: (id: number) =>
    queryOptions({
      queryKey: [...keys.mailboxes(), 'folders', id],
      queryFn: () => ask(routes.mailFolders, { params: { mailbox: id } }),
      retry: false,
    }),
  round: (id: number) =>
    queryOptions({
      queryKey: keys.round(id),
      queryFn: () => ask(routes.round, { params: { round: id } }),
      // An answer that was on its way while the round was changed must not put the older state back.
      structuralSharing: (before, next) =>
        before && (before as Round).version > (next as Round).version ? before : replaceEqualDeep(before, next),
    }),
  people: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'people'),
      queryFn: ({ signal }) => ask(routes.people, { params: { round: id }, signal }),
    }),
  leftOut: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'left-out'),
      queryFn: () => ask(routes.leftOut, { params: { round: id } }),
    }),
  company: (id: number) =>
    queryOptions({
      queryKey: keys.company(id),
      queryFn: ({ signal }) => ask(routes.company, { params: { round: id }, signal }),
    }),
  notes: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'notes'),
      queryFn: () => ask(routes.notes, { params: { round: id } }),
    }),
  message: (id: number, row: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'message', row),
      queryFn: () => ask(routes.message, { params: { round: id, row } }),
    }),
  /** What the letter was before; `written` waits until what stands here is written. */
  versions: (id: number, written: () => Promise<void>) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'versions'),
      queryFn: async () => {
        await written()
        return ask(routes.letterVersions, { params: { round: id } })
      },
    }),
  enclosures: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'enclosures'),
      queryFn: ({ signal }) => ask(routes.enclosures, { params: { round: id }, signal }),
      placeholderData: keepPreviousData,
    }),
  /** How far a signing in is. */
  signIn: (flow: string) =>
    queryOptions({
      queryKey: ['sign-in', flow] as const,
      queryFn: ({ signal }) => ask(routes.signInState, { params: { flow }, signal }),
    }),
  /** What is said before an amendment is posted: asked anew each time. */
  amendment: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'amendment'),
      queryFn: ({ signal }) => ask(routes.amendment, { params: { round: id }, signal }),
      gcTime: 0,
    }),
  /** The letters that wait and fit rules. */
  waitingBy: (id: number, selection: Selection) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'waiting-by', selection),
      queryFn: async ({ signal }) =>
        (await ask(routes.waitingBy, { params: { round: id }, body: { selection }, signal })).letters,
    }),
  proof: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'proof'),
      queryFn: ({ signal }) => ask(routes.proof, { params: { round: id }, signal }),
      placeholderData: keepPreviousData,
    }),
  /** What is found of the first people, before the whole proof is there. */
  firstFindings: (id: number, rowIds: number[]) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'first-findings'),
      queryFn: ({ signal }) => ask(routes.proofPeople, { params: { round: id }, body: { rowIds }, signal }),
    }),
  paperLetters: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'paper-letters'),
      queryFn: ({ signal }) => ask(routes.paperLetters, { params: { round: id }, signal }),
    }),
  lateProof: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'late-proof'),
      queryFn: () => ask(routes.lateProof, { params: { round: id } }),
    }),
  readingSet: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'reading-set'),
      queryFn: ({ signal }) => ask(routes.readingSet, { params: { round: id }, signal }),
      placeholderData: keepPreviousData,
    }),
  drafts: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'drafts'),
      queryFn: ({ signal }) => ask(routes.drafts, { params: { round: id }, signal }),
    }),
  timetable: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'timetable'),
      queryFn: ({ signal }) => ask(routes.timetable, { params: { round: id }, signal }),
      placeholderData: keepPreviousData,
    }),
  planGiven: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'plan-given'),
      queryFn: ({ signal }) => ask(routes.planGiven, { params: { round: id }, signal }),
      placeholderData: keepPreviousData,
      structuralSharing: false,
    }),
  /** What is said before a round is posted: asked anew whenever it is wanted, and whenever the round changes meanwhile. */
  lastWord: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'last-word'),
      queryFn: ({ signal }) => ask(routes.lastWord, { params: { round: id }, signal }),
      staleTime: 0,
      gcTime: 0,
    }),
  /** The messages of one row of a round's list, or those that wait. */
  messages: (id: number, which: { row: number } | { waiting: 'yes' }) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'messages', which),
      queryFn: ({ signal }) => ask(routes.messages, { params: { round: id }, query: which, signal }),
    }),
  messageLines: (id: number, which: CallInput<typeof routes.messageLines>['query']) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'message-lines', which),
      queryFn: ({ signal }) => ask(routes.messageLines, { params: { round: id }, query: which, signal }),
    }),
  outcomeSheet: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'outcome-sheet'),
      queryFn: () => ask(routes.outcomeSheetAbout, { params: { round: id } }),
    }),
  me: () => queryOptions({ queryKey: [...keys.accounts(), 'me'], queryFn: () => ask(routes.me) }),
  colleagues: () =>
    queryOptions({ queryKey: [...keys.accounts(), 'colleagues'], queryFn: () => ask(routes.colleagues) }),
  sharing: (kind: Shareable, thing: number) =>
    queryOptions({
      queryKey: [...keys.accounts(), 'sharing', kind, thing],
      queryFn: () => ask(routes.sharing, { params: { kind, thing } }),
      retry: false,
    }),
  accounts: () => queryOptions({ queryKey: [...keys.accounts(), 'all'], queryFn: () => ask(routes.accounts) }),
  sessions: () => queryOptions({ queryKey: [...keys.accounts(), 'sessions'], queryFn: () => ask(routes.sessions) }),
  backups: () => queryOptions({ queryKey: keys.backups(), queryFn: () => ask(routes.backups) }),
  nextTime: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'next-time'),
      queryFn: () => ask(routes.nextTime, { params: { round: id } }),
    }),
  forgetting: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'forgetting'),
      queryFn: () => ask(routes.forgetting, { params: { round: id } }),
    }),
  postingRecords: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'records'),
      queryFn: () => ask(routes.postingRecords, { params: { round: id } }),
    }),
  secondEyes: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'second-eyes'),
      queryFn: ({ signal }) => ask(routes.secondEyes, { params: { round: id }, signal }),
    }),
  board: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'board'),
      queryFn: ({ signal }) => ask(routes.board, { params: { round: id }, signal }),
    }),
  boardCharts: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'board-charts'),
      queryFn: ({ signal }) => ask(routes.boardCharts, { params: { round: id }, signal }),
    }),
  boardSeen: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'board-seen'),
      queryFn: ({ signal }) => ask(routes.boardSeen, { params: { round: id }, signal }),
    }),
  boardLines: (id: number, which: CallInput<typeof routes.boardLines>['query']) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'board-lines', which),
      queryFn: ({ signal }) => ask(routes.boardLines, { params: { round: id }, query: which, signal }),
    }),
  /** What came of a round, for the columns of its list. */
  cameOf: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'came-of'),
      queryFn: ({ signal }) => ask(routes.cameOf, { params: { round: id }, signal }),
      structuralSharing: false,
      retry: false,
    }),
  beginAnswer: (id: number) =>
    queryOptions({
      queryKey: [...keys.inTray(), 'answer', id],
      queryFn: ({ signal }) => ask(routes.beginAnswer, { params: { response: id }, signal }),
    }),
  returnedFiles: (id: number, pattern: string) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'returned-files', pattern),
      queryFn: ({ signal }) => ask(routes.returnedFiles, { params: { round: id }, query: { pattern }, signal }),
      placeholderData: keepPreviousData,
    }),
  heardFrom: (id: number, row: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'heard-from', row),
      queryFn: ({ signal }) => ask(routes.heardFrom, { params: { round: id, row }, signal }),
      placeholderData: keepPreviousData,
    }),
  rehearsal: (id: number) =>
    queryOptions({
      queryKey: keys.ofRound(id, 'rehearsal'),
      queryFn: ({ signal }) => ask(routes.rehearsal, { params: { round: id }, signal }),
    }),
  // What a rehearsal has delivered stays as it is.
  rehearsedInbox: (id: number, at: number, address: string) =>
    queryOptions({
      queryKey: keys.rehearsed(id, at, address),
      staleTime: Number.POSITIVE_INFINITY,
      queryFn: ({ signal }) => ask(routes.rehearsedInbox, { params: { round: id }, query: { address }, signal }),
    }),
  rehearsedMessage: (id: number, at: number, which: { address: string; uid: number }) =>
    queryOptions({
      queryKey: keys.rehearsed(id, at, which.address, which.uid),
      staleTime: Number.POSITIVE_INFINITY,
      queryFn: ({ signal }) => ask(routes.rehearsedMessage, { params: { round: id }, query: which, signal }),
    }),
  person: (address: string) =>
    queryOptions({
      queryKey: [...keys.anyPerson(), address],
      queryFn: () => ask(routes.person, { query: { address } }),
      retry: false,
    }),
  shelf: (find: string) =>
    queryOptions({
      queryKey: [...keys.letters(), 'found', find],
      queryFn: () => ask(routes.shelf, { query: { find } }),
      placeholderData: keepPreviousData,
    }),
  shelfLetter: (letter: number, changedAt: number) =>
    queryOptions({
      queryKey: [...keys.letters(), 'one', letter, changedAt],
      queryFn: () => ask(routes.shelfLetter, { params: { letter } }),
    }),
  shelfVersions: (letter: number, changedAt: number) =>
    queryOptions({
      queryKey: [...keys.letters(), 'versions', letter, changedAt],
      queryFn: () => ask(routes.shelfVersions, { params: { letter } }),
    }),
  outTray: () => queryOptions({ queryKey: keys.outTray(), queryFn: () => ask(routes.outTray) }),
  inTray: (show: TrayShow) =>
    queryOptions({
      queryKey: [...keys.inTray(), 'lines', show],
      queryFn: () => ask(routes.inTray, { query: { show } }),
    }),
  inTrayOpen: () => queryOptions({ queryKey: [...keys.inTray(), 'open'], queryFn: () => ask(routes.inTrayOpen) }),
  trayEntry: (id: number) =>
    queryOptions({
      queryKey: [...keys.inTray(), 'entry', id],
      queryFn: () => ask(routes.trayEntry, { params: { response: id } }),
    }),
  roundsOfList: (id: number) =>
    queryOptions({
      queryKey: [...keys.rounds(), 'of-list', id],
      queryFn: ({ signal }) => ask(routes.roundsOfList, { params: { list: id }, signal }),
    }),
  lists: () => queryOptions({ queryKey: keys.lists(), queryFn: () => ask(routes.lists) }),
  list: (id: number) =>
    queryOptions({ queryKey: keys.list(id), queryFn: () => ask(routes.list, { params: { list: id } }) }),
  /** The order of a list's rows as they are sorted, at a version of the list. */
  order: (id: number | null, version: number | undefined) =>
    queryOptions({
      queryKey: [...keys.anyOrder(), id, version],
      queryFn: () => ask(routes.order, { params: { list: id! } }),
      placeholderData: keepPreviousData,
      structuralSharing: false,
    }),
  /** The first rows of a list in which words stand; those of the words before stay until they are known. */
  rowsWith: (list: number, version: number | undefined, words: string) =>
    queryOptions({
      queryKey: [...keys.someRows(list), 'with', version, words],
      queryFn: ({ signal }) => ask(routes.rowsWith, { params: { list }, query: { words, count: 200 }, signal }),
      placeholderData: keepPreviousData,
    }),
  columnValues: (list: number, version: number, column: string, find: string) =>
    queryOptions({
      queryKey: ['column-values', list, version, column, find],
      queryFn: ({ signal }) => ask(routes.columnValues, { params: { list, column }, query: { find }, signal }),
    }),
  contactsPlan: (version: number, body: CallInput<typeof routes.planContacts>['body']) =>
    queryOptions({
      queryKey: ['contacts-plan', version, body],
      queryFn: ({ signal }) => ask(routes.planContacts, { body, signal }),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  doubles: (id: number, version: number) =>
    queryOptions({
      queryKey: ['doubles', id, version],
      queryFn: () => ask(routes.doubles, { params: { list: id } }),
    }),
  recipe: (id: number, version: number, recipe: Recipe) =>
    queryOptions({
      queryKey: ['recipe', id, version, recipe],
      queryFn: () => ask(routes.tryRecipe, { params: { list: id }, body: { recipe } }),
      placeholderData: keepPreviousData,
    }),
  compare: (id: number, version: number, body: CallInput<typeof routes.compareList>['body']) =>
    queryOptions({
      queryKey: ['compare', id, version, body],
      queryFn: () => ask(routes.compareList, { params: { list: id }, body }),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  table: (reading: string, options: CallInput<typeof routes.readTable>['query']) =>
    queryOptions({
      queryKey: ['reading', reading, options],
      queryFn: () => ask(routes.readTable, { params: { reading }, query: options }),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  book: () => queryOptions({ queryKey: keys.book(), queryFn: () => ask(routes.book) }),
  rules: () => queryOptions({ queryKey: keys.rules(), queryFn: () => ask(routes.savedRules) }),
  doNotWrite: () => queryOptions({ queryKey: keys.doNotWrite(), queryFn: () => ask(routes.doNotWrite) }),
  senders: (mailbox: number | undefined, days: number) =>
    queryOptions({
      queryKey: ['senders', mailbox, days],
      queryFn: () => ask(routes.senders, { params: { mailbox: mailbox! }, query: { days } }),
      retry: false,
    }),
}

/** How far the long work of a round is, or, with null, of a list being brought in; null before it says so. */
export const useProgress = (id: number | null) =>
  useQuery<DeskEvent['progress'] | null>({ queryKey: keys.progress(id), queryFn: () => null, enabled: false }).data ??
  null
