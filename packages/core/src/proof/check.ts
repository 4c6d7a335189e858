import type { FileFacts } from '../enclosures/fileFacts.ts'
import type { Enclosed, Matching, RoundFile } from '../enclosures/match.ts'
import type { TellingIndex } from '../enclosures/tellingValues.ts'
import type { Letter } from '../letter/document.ts'
import type { CompiledLetter, Merged, MergeOptions } from '../letter/merge.ts'
import type { compileCopies } from '../letter/sender.ts'
import type { OpenTogether } from '../mailboxes/hours.ts'
import type { PostalColumn } from '../paper/postal.ts'
import type { Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import type { OwnTime } from '../people/ownTimes.ts'
import type { SameAddress } from '../people/selection.ts'
import type { Finding, Grade, Mend } from './finding.ts'

/** How the files stand that are made for each person, by row id. */
export interface MadeFiles {
  lacking: ReadonlySet<number>
  stale: ReadonlySet<number>
  /** For whom a character stands in the file that no typeface has, named for people; and the column it is in, null for the letter itself. */
  withoutForm: ReadonlyMap<number, { character: string; columnId: string | null }>
}

/** Whose letters go on paper, and how. */
export interface ToPaper {
  people: Row[]
  /** What makes the postal address. */
  columns: readonly PostalColumn[]
  /** Lines of addresses that are wider than the window, by row id. */
  tooWide: ReadonlyMap<number, string[]>
}

/** What a round gives to its proof and the proof to its checks, just as it is. */
export interface GivenOfRound {
  letter: Letter
  columns: Column[]
  /**
   * The people of the round who get a message, after rules and setting aside. To a check that is not about messages alone it gives whoever
   * gets the letter on paper, too.
   */
  people: Row[]
  /** Whoever gets the letter on paper; null where nobody does. */
  paper: ToPaper | null
  /** For a person whose message is for several rows: all of them. */
  rowsOf: ReadonlyMap<number, Row[]>
  /** People of the round who are not proofed now, but have had their files: for whom came late to a posted round. */
  others?: Row[]
  /** People of the list who are not in the round: a file of theirs is not nobody's, and must go to nobody else. */
  leftOut: Row[]
  /** The columns by which the rules choose, who is left out by them, and what keeps some of them from being followed. */
  byRule?: { columnIds: string[]; leftOut: Row[]; faults: string[] }
  addressColumn: string | null
  nameColumns: string[]
  matching: Matching
  files: RoundFile[]
  /** What is known of the files' contents, by hash; a file that was not examined yet is checked by its name only. */
  fileFacts: ReadonlyMap<string, FileFacts>
  /** How the letter is made besides its people: today, the signature, the line for opting out. */
  making: MergeOptions
  /** For whom a file is still to be made, or was made of other words; null when none are made. */
  madeFiles: MadeFiles | null
  around: Around
  /** Octets the mailbox takes in one message. */
  largestMessage: number
  /** What the writer wants done where an address stands on several rows; null while not asked. */
  sameAddress: SameAddress | null
  /** Whether any address may have more than one message; where it is sure that none has, none is looked for. */
  anyDoubled: boolean
}

/** What the checks may look at about the round as a whole. */
export interface RoundFacts extends GivenOfRound {
  compiled: CompiledLetter
  /** The letter as it is put on paper: see `compileForPaper`. */
  compiledForPaper: CompiledLetter
  copies: ReturnType<typeof compileCopies>
  /** What a text says of the people of the list. */
  saidIn: TellingIndex['saidIn']
  /** What goes with a person's message. */
  enclosedOf: (row: Row) => Enclosed
  /** How many own files were added to the round. */
  ownFiles: number
  /** The addresses that several people of this round have, as {@link sameAddressKey} makes them: who has each first, and how many have it. */
  shared: ReadonlyMap<string, { first: Row; rows: number }>
  /** People of this round by their rows. */
  byId: ReadonlyMap<number, Row>
  /** Whether anybody's row names a file. */
  anyNamesFile: () => boolean
  nameOf: (row: Row) => string
}

/** What the checks may look at about one person. */
export interface PersonFacts {
  row: Row
  merged: Merged
  enclosed: Enclosed
  /** Octets of the message as encoded: exact where it comes near to what the mailbox takes, else estimated from above. */
  size: number
}

export type Found = { place: string; message: string; mends: Mend[] }

/** One check of the proof: a row in the table below. `ofRound` runs once, `ofPerson` for every message. */
export interface Check {
  name: string
  grade: Grade
  title: string
  looksAt: string
  /** Where it is about messages, or about letters on paper, alone: it looks at no other. */
  about?: 'messages' | 'paper'
  /** What it finds of one person depends on others too; with `files`, on the words of files, which takes its time. */
  byOthers?: true | 'files'
  ofRound?(round: RoundFacts): Found[]
  ofPerson?(person: PersonFacts, round: RoundFacts): Found[]
}

/** What a check found, as findings. Cells that are worked out cannot be typed in: where they come from can. */
export function toFindings(
  check: Check,
  found: Found[],
  row: Row | null,
  { nameOf, columns }: Pick<RoundFacts, 'nameOf' | 'columns'>,
): readonly Finding[] {
  // As it is for nearly every check of nearly everybody.
  if (found.length === 0) return none
  const workable = (mend: Mend): Mend =>
    (mend.do === 'editCell' || mend.do === 'renameInCell') && columns.find((c) => c.id === mend.columnId)?.recipe
      ? { do: 'goTo', stage: 'people' }
      : mend
  return found.map(({ place, message, mends }) => ({
    key: `${check.name}:${row?.id ?? ''}:${place}`,
    check: check.name,
    grade: check.grade,
    rowId: row?.id ?? null,
    person: row ? nameOf(row) : null,
    message,
    mends: mends.map(workable),
  }))
}

/** That nothing was found. */
export const none: readonly Finding[] = []

/** What lies around a round: its mailbox, and what was sent before. */
export interface Around {
  /** The domains of the mailbox's own addresses, in small letters. */
  ownDomains: string[]
  /** Recipients the mailbox may write to in any 24 hours, and just now. */
  perDay: number
  allowance: number
  /** Addresses that no round may write to, as {@link sameAddressKey} gives them. */
  doNotWrite: ReadonlySet<string>
  /** How many people of the list are left out for that. */
  leftOut: number
  /** Messages sent lately by other rounds, as {@link hadKey} names them: when, and of which round. */
  had: ReadonlyMap<string, { at: number; title: string }>
  /** Who has a letter of this very round, when it is posted: by address and by name, as {@link sameAddressKey} and small letters give them. */
  inRound: { addresses: ReadonlyMap<string, string>; names: ReadonlyMap<string, string | null> }
  /**
   * Addresses that a letter to came back from for good, or that were refused, and that nothing was delivered to since; as
   * {@link sameAddressKey} gives them.
   */
  dead: ReadonlyMap<string, { at: number; title: string; how: 'bounced' | 'refused'; why: string }>
  /** Choices of the letter are answered by prepared messages: there is no public address that could be reached. */
  preparedAnswers: boolean
  /** Who has a draft of this round in the mailbox: when it was sent from there, null while it lies there. By row id. */
  drafts: ReadonlyMap<number, number | null>
  /** When each letter is to leave by a time of its person's own, and when anything may leave; null where there are no such times. */
  ownTimes: {
    of: (row: Row) => OwnTime
    /** The column that they stand in; null where there is none, but only a column of zones. */
    column: string | null
    now: number
    zone: string
    open: Pick<OpenTogether, 'next'>
  } | null
}

export const nothingAround: Around = {
  ownDomains: [],
  perDay: Number.POSITIVE_INFINITY,
  allowance: Number.POSITIVE_INFINITY,
  doNotWrite: new Set(),
  leftOut: 0,
  had: new Map(),
  dead: new Map(),
  inRound: { addresses: new Map(), names: new Map() },
  preparedAnswers: false,
  drafts: new Map(),
  ownTimes: null,
}
