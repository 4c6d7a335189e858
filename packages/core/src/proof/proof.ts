import { type Enclosed, encloser } from '../enclosures/match.ts'
import { messageSize } from '../enclosures/size.ts'
import { type TellingIndex, tellingIndex } from '../enclosures/tellingValues.ts'
import { type CompiledLetter, compileLetter, type Merged } from '../letter/merge.ts'
import { type Copies, compileCopies } from '../letter/sender.ts'
import { compileForPaper } from '../paper/letter.ts'
import { sameAddressKey } from '../people/address.ts'
import { isBlank, type Row, shown } from '../people/cell.ts'
import { displayName } from '../people/names.ts'
import { cellIn } from '../people/packed.ts'
import { type Check, type GivenOfRound, none, type PersonFacts, type RoundFacts, toFindings } from './check.ts'
import { checks } from './checks.ts'
import type { Finding } from './finding.ts'
import { readingSet, type ToRead } from './readingSet.ts'
import { proof as say } from './words.ts'

/** A round as the proof reads it. */
export interface RoundToProof extends GivenOfRound {
  /** The exact encoded sizes of messages, in octets, by row id, where they are known. */
  exactSizes?: ReadonlyMap<number, number>
  /** People's personal notes, by row id. */
  notes: ReadonlyMap<number, string>
  copies: Copies
  /** Octets of the letter's pictures, which go with every message. */
  pictureSizes: number[]
}

/** Of how many people it is remembered what goes with their messages: several checks ask for it. */
const maxEnclosed = 100_000
/** Up to how many people the guard knows those of the list who are not in the round, too. */
const maxTold = 20_000

/**
 * What a proof remembers of each person, so that the next one makes anew only what changed. A memory is of one round; it is
 * empty at first, and filled by the proof itself.
 */
export interface ProofMemory {
  /** What all messages depend on, as it was. */
  key: string
  people: Map<number, { print: string; findings: Map<string, readonly Finding[]> }>
}
/** The memory that the first proof of a round begins with. */
export const emptyMemory = (): ProofMemory => ({ key: '', people: new Map() })

/**
 * Makes and checks every message of a round.
 * @param onProgress called now and then with the number of people checked; throwing from it stops the proof.
 * @param memory what the proof before remembered, or null to remember nothing; checks that look at one message alone are not run again where it is the same.
 */
export function proofRound(
  round: RoundToProof,
  onProgress?: (checked: number) => void,
  memory: ProofMemory | null = null,
): Finding[] {
  const factsFor = factsBy(round)
  const byCheck = new Map<string, Finding[]>(checks.map((check) => [check.name, []]))
  for (const check of checks) {
    if (!check.ofRound || (check.about === 'paper' && round.paper === null)) continue
    const facts = factsFor(check)
    byCheck.set(check.name, [...toFindings(check, check.ofRound(facts), null, facts)])
  }
  const letters = round.people.length + (round.paper?.people.length ?? 0)

  if (memory) {
    const key = keyOf(round)
    if (memory.key !== key) memory.people.clear()
    memory.key = key
  }
  const ofPeople = checks.flatMap((check) =>
    check.ofPerson && check.about !== 'paper'
      ? [{ check, find: check.ofPerson.bind(check), facts: factsFor(check), all: byCheck.get(check.name)! }]
      : [],
  )
  round.people.forEach((row, i) => {
    const print = memory ? printOf(round, row) : ''
    const before = memory?.people.get(row.id)
    const known = before?.print === print ? before.findings : null
    const person = personFacts(round, factsFor.all, row)
    const alone = memory && !known ? new Map<string, readonly Finding[]>() : null
    for (const { check, find, facts, all } of ofPeople) {
      const found =
        (check.byOthers ? null : known && (known.get(check.name) ?? none)) ??
        toFindings(check, find(person, facts), row, facts)
      if (found.length === 0) continue
      all.push(...found)
      if (!check.byOthers) alone?.set(check.name, found)
    }
    if (alone) memory!.people.set(row.id, { print, findings: alone })
    if (i % 500 === 499) onProgress?.(i + 1)
  })
  round.paper?.people.forEach((row, i) => {
    for (const check of checks) byCheck.get(check.name)!.push(...foundOnPaper(round, check, factsFor.all, row))
    if (i % 500 === 499) onProgress?.(round.people.length + i + 1)
  })
  return checks.flatMap(({ name, about }) =>
    saidOnce(byCheck.get(name)!, about === 'messages' ? round.people.length : letters),
  )
}

/** What a check finds of a letter on paper. */
function foundOnPaper(round: RoundToProof, check: Check, facts: RoundFacts, row: Row): readonly Finding[] {
  if (!check.ofPerson || check.about === 'messages') return none
  return toFindings(check, check.ofPerson(personFacts(round, facts, row, facts.compiledForPaper), facts), row, facts)
}

/** What each check looks at about the round: those of messages at whoever gets one, all others at everybody. */
function factsBy(round: RoundToProof): { (check: Check): RoundFacts; all: RoundFacts } {
  const messages = factsOf(round)
  const all = round.paper === null ? messages : factsOf({ ...round, people: [...round.people, ...round.paper.people] })
  return Object.assign((check: Check) => (check.about === 'messages' ? messages : all), { all })
}

/**
 * What is found of some people of a round, at once: for who has just changed a cell.
 * @returns their findings, and the names of the checks that were left to the whole proof, as they read through files.
 */
export function proofPeople(round: RoundToProof, rowIds: ReadonlySet<number>): { findings: Finding[]; left: string[] } {
  const factsFor = factsBy(round)
  const people = round.people.filter((row) => rowIds.has(row.id))
  const onPaper = round.paper?.people.filter((row) => rowIds.has(row.id)) ?? []
  return {
    findings: checks.flatMap((check) => {
      if (!check.ofPerson || check.byOthers === 'files') return []
      const facts = factsFor(check)
      return [
        ...(check.about === 'paper' ? [] : people).flatMap((row) =>
          toFindings(check, check.ofPerson!(personFacts(round, factsFor.all, row), facts), row, facts),
        ),
        ...onPaper.flatMap((row) => foundOnPaper(round, check, facts, row)),
      ]
    }),
    left: checks.filter((check) => check.byOthers === 'files').map((check) => check.name),
  }
}

/** What the checks look at about the round as a whole. */
function factsOf(round: RoundToProof): RoundFacts {
  const compiled = compileLetter(round.letter, round.columns, round.making)
  const copies = compileCopies(round.copies, round.columns)
  const encloseRows = encloser(round.files, round.columns, round.matching)
  const enclosedBefore = new Map<number, Enclosed>()
  let enclosedLast: { row: Row; enclosed: Enclosed } | null = null
  const enclosedOf = (row: Row) => {
    if (enclosedLast?.row === row) return enclosedLast.enclosed
    let enclosed = enclosedBefore.get(row.id)
    if (!enclosed) {
      enclosed = encloseRows(row, round.rowsOf.get(row.id))
      if (enclosedBefore.size < maxEnclosed) enclosedBefore.set(row.id, enclosed)
    }
    enclosedLast = { row, enclosed }
    return enclosed
  }
  const nameOf = (row: Row) => displayName(row, round.nameColumns, round.addressColumn)
  let byId: Map<number, Row> | null = null
  let forPaper: CompiledLetter | null = null
  const ownFiles = round.files.filter((f) => f.role === 'own').length
  const fileColumn = round.matching.column
  // Asked for each person, and looked for once.
  let namesFile: boolean | null = null
  let telling: TellingIndex | null = null
  const tell = () => {
    // Everybody who has a row in a message, not only the first of those who share it.
    const everybody = [...round.people, ...[...round.rowsOf.values()].flatMap((rows) => rows.slice(1))]
    if (everybody.length + round.leftOut.length <= maxTold) everybody.push(...round.leftOut)
    const without = new Set(round.matching.column === null ? [] : [round.matching.column])
    return tellingIndex(everybody, round.columns, round.nameColumns, without)
  }
  const said = new Map<string, ReturnType<TellingIndex['saidIn']>>()
  return {
    ...round,
    ownFiles,
    compiled,
    get compiledForPaper() {
      forPaper ??= compileForPaper(round.letter, round.columns, round.making)
      return forPaper
    },
    copies,
    shared: sharedAddresses(round),
    get byId() {
      byId ??= new Map(round.people.map((row) => [row.id, row]))
      return byId
    },
    anyNamesFile() {
      namesFile ??= fileColumn !== null && round.people.some((row) => !isBlank(cellIn(row, fileColumn)))
      return namesFile
    },
    enclosedOf,
    nameOf,
    saidIn(text) {
      let known = said.get(text)
      if (!known) {
        telling ??= tell()
        known = telling.saidIn(text)
        said.set(text, known)
      }
      return known
    },
  }
}

/** The addresses that several people have, where the writer has not said yet what is done about them. */
function sharedAddresses({ people, addressColumn, sameAddress, anyDoubled }: RoundToProof): RoundFacts['shared'] {
  const shared = new Map<string, { first: Row; rows: number }>()
  if (addressColumn === null || sameAddress !== null || !anyDoubled) return shared
  const first = new Map<string, Row>()
  for (const row of people) {
    const key = sameAddressKey(shown(cellIn(row, addressColumn)))
    const before = first.get(key)
    if (before === undefined) first.set(key, row)
    else shared.set(key, { first: before, rows: (shared.get(key)?.rows ?? 1) + 1 })
  }
  return shared
}

/** What the checks look at about one person; the message is made when the first of them asks for it. */
function personFacts(round: RoundToProof, facts: RoundFacts, row: Row, compiled = facts.compiled): PersonFacts {
  const rows = round.rowsOf.get(row.id)
  let merged: Merged | null = null
  return {
    row,
    get merged() {
      merged ??= compiled.merge(row, rows, round.notes.get(row.id))
      return merged
    },
    get enclosed() {
      return facts.enclosedOf(row)
    },
    get size() {
      return (
        round.exactSizes?.get(row.id) ??
        messageSize(this.merged.html, this.merged.text, [
          ...this.enclosed.files.map((f) => f.size),
          ...round.pictureSizes,
        ])
      )
    },
  }
}

/** What all messages of a round depend on. */
function keyOf(round: RoundToProof): string {
  const { letter, columns, addressColumn, nameColumns, matching, files, making, copies, pictureSizes, around } = round
  return JSON.stringify([
    letter,
    columns,
    addressColumn,
    nameColumns,
    { ...matching, byHand: [...matching.byHand], made: [...matching.made] },
    files,
    making,
    copies,
    pictureSizes,
    round.largestMessage,
    round.byRule?.columnIds,
    round.byRule?.faults,
    around.perDay,
    [...around.doNotWrite],
    [...around.had.keys()],
    [...around.dead.keys()],
  ])
}

/** What one person's message depends on. */
function printOf(round: RoundToProof, row: Row): string {
  const rows = round.rowsOf.get(row.id)
  return JSON.stringify([
    row.cells,
    row.number,
    rows?.map((one) => one.cells),
    round.notes.get(row.id),
    round.exactSizes?.get(row.id),
  ])
}

/** How a fault that every message has is said. */
export const inEvery = (message: string): string => say.everyMessage(message)

/** What is found in every message in the same words is a fault of the letter, and said once. */
function saidOnce(found: Finding[], people: number): Finding[] {
  const times = new Map<string, number>()
  for (const f of found) if (f.rowId !== null) times.set(f.message, (times.get(f.message) ?? 0) + 1)
  const told = new Set<string>()
  return found.flatMap((f) => {
    if (f.rowId === null || people < 3 || times.get(f.message) !== people) return [f]
    if (told.has(f.message)) return []
    told.add(f.message)
    return [
      {
        ...f,
        key: f.key.replace(`:${f.rowId}:`, '::'),
        rowId: null,
        person: null,
        message: inEvery(f.message),
        mends: f.mends.filter((mend) => !('rowId' in mend)),
      },
    ]
  })
}

/** The people whose messages are to be read, so that every variation of a round is seen. */
export function readingSetOf(round: RoundToProof): ToRead[] {
  return readingSet({
    ...round,
    compiled: compileLetter(round.letter, round.columns, round.making),
    copies: compileCopies(round.copies, round.columns),
    enclose: encloser(round.files, round.columns, round.matching),
  })
}

/** Whether a round may be posted: no stop, and every ask accepted. */
export function mayPost(findings: Finding[], accepted: ReadonlySet<string>): boolean {
  return findings.every((f) => f.grade === 'note' || (f.grade === 'ask' && accepted.has(f.key)))
}
