import { type FileFacts, type FileFault, faultOf } from '../enclosures/fileFacts.ts'
import type { EnclosedFile, RoundFile } from '../enclosures/match.ts'
import { endingOf, namesInCell, swapNameInCell } from '../enclosures/names.ts'
import { sizeWords } from '../enclosures/size.ts'
import { judgeFile } from '../enclosures/tellingValues.ts'
import { isBlank, type Row, shown } from '../people/cell.ts'
import { cellIn } from '../people/packed.ts'
import type { Check, Found, PersonFacts, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'
import { fileChecks as text } from './words.ts'

const toEnclosures: Mend = { do: 'goTo', stage: 'enclosures' }
const aside = (row: Row): Mend => ({ do: 'setAside', rowId: row.id })

/** Whether people are expected to have files of their own. */
const expectsOwn = ({ matching, ownFiles }: RoundFacts) =>
  matching.column !== null || matching.pattern !== null || (ownFiles > 0 && matching.byHand.size > 0)

/** What goes to nobody as it is; what else may be wrong with a file is asked about. */
const stopping: readonly FileFault[] = ['empty', 'executable', 'broken', 'wrongEnding', 'swells']

/**
 * What is to be said of a file before it goes to anybody.
 * @param facts what was found in its content; undefined while it was not examined.
 * @returns whether it may not go at all, and why in words; null when nothing is to be said.
 */
export function fileWarning(
  file: { name: string; size: number },
  facts: FileFacts | undefined,
): { stops: boolean; words: string } | null {
  const wrong = faultOf(file, facts)
  return wrong && { stops: stopping.includes(wrong.fault), words: faultWords[wrong.fault](file, wrong.detail) }
}

/** Files that go to nobody as they are, or with what nobody should get. */
const faultsOf = (stops: boolean) => (facts: RoundFacts) =>
  facts.files.flatMap((file): Found[] => {
    const wrong = fileWarning(file, facts.fileFacts.get(file.hash))
    return wrong?.stops === stops
      ? [
          {
            place: `${file.id} ${file.hash.slice(0, 12)}`,
            message: wrong.words,
            mends: [{ do: 'removeFile', fileId: file.id, name: file.name }, toEnclosures],
          },
        ]
      : []
  })

const because = (detail: string) => (detail === '' ? '' : `: ${detail}`)
const faultWords: Record<FileFault, (file: { name: string }, detail: string) => string> = {
  empty: ({ name }) => text.emptySaveAnewAdd(name),
  executable: ({ name }, detail) => text.runsWhenOpenedMail(name, because(detail)),
  macros: ({ name }, detail) => text.carriesMacrosManyHosts(name, because(detail)),
  locked: ({ name }) => text.lockedPasswordWhoeverGets(name),
  broken: ({ name }, detail) => text.cannotReadAsWhat(name, because(detail)),
  wrongEnding: ({ name }, detail) => text.notWhatEndingSays(name, because(detail)),
  swells: ({ name }, detail) => text.wouldUnpackSizeNothing(name, because(detail)),
}

/** Which people get each own file, found once for a round. */
const owners = new WeakMap<RoundFacts, Map<string, { file: EnclosedFile; rows: Row[] }>>()
function ownersOf(facts: RoundFacts): Map<string, { file: EnclosedFile; rows: Row[] }> {
  let byContent = owners.get(facts)
  if (!byContent) {
    byContent = new Map()
    for (const row of [...facts.people, ...(facts.others ?? [])])
      for (const file of facts.enclosedOf(row).files) {
        if (file.role !== 'own') continue
        const known = byContent.get(file.hash)
        if (known) known.rows.push(row)
        else byContent.set(file.hash, { file, rows: [row] })
      }
    owners.set(facts, byContent)
  }
  return byContent
}

const bareName = ({ name }: RoundFile) => name.slice(0, name.length - endingOf(name).length)

/** What a file says of the people of the round. */
const saidIn = (file: RoundFile, facts: RoundFacts) =>
  facts.saidIn(`${bareName(file)}\n${facts.fileFacts.get(file.hash)?.text ?? ''}`)

const verdicts = (person: PersonFacts, facts: RoundFacts) =>
  person.enclosed.files
    .filter((file) => file.role === 'own' && facts.fileFacts.has(file.hash))
    .map((file) => ({ file, verdict: verdictOf(file, person.row, facts) }))

/** What the guard says of a file that goes to somebody. */
const verdictOf = (file: RoundFile, row: Row, facts: RoundFacts) =>
  judgeFile(facts, { name: bareName(file), text: facts.fileFacts.get(file.hash)?.text ?? null }, [
    row.id,
    ...(facts.rowsOf.get(row.id) ?? []).map((r) => r.id),
  ])

/** The own files that surely speak of one person alone, by the person, found once for a round. */
const ownWords = new WeakMap<RoundFacts, Map<number, RoundFile[]>>()
/** The one other file of the round that is right for a person, or null: what they should have had in the place of a wrong one. */
function rightFileOf(row: Row, wrong: RoundFile, facts: RoundFacts): RoundFile | null {
  let byPerson = ownWords.get(facts)
  if (!byPerson) {
    byPerson = new Map()
    for (const file of facts.files) {
      if (file.role !== 'own') continue
      for (const said of saidIn(file, facts).values())
        if (said.strong.some((value) => value.rowIds.length === 1))
          byPerson.set(said.rowId, [...(byPerson.get(said.rowId) ?? []), file])
    }
    ownWords.set(facts, byPerson)
  }
  // A file that somebody else has by right is not taken from them, though it may name this person.
  const free = (file: RoundFile) =>
    (ownersOf(facts).get(file.hash)?.rows ?? []).every((other) => verdictOf(file, other, facts).says === 'wrong')
  const right = (byPerson.get(row.id) ?? []).filter(
    (file) => file.hash !== wrong.hash && verdictOf(file, row, facts).says === 'right' && free(file),
  )
  return right.length === 1 ? right[0] : null
}

/** Gives the right file in the place of a wrong one, where it can be done by one press. */
function exchange(row: Row, wrong: EnclosedFile, facts: RoundFacts): Mend[] {
  const right = wrong.by === 'column' || wrong.by === 'hand' ? rightFileOf(row, wrong, facts) : null
  if (!right) return []
  if (wrong.by === 'hand') return [{ do: 'match', rowId: row.id, fileId: right.id, name: right.name }]
  const columnId = facts.matching.column!
  const sameName = facts.files.filter((f) => f.name === right.name).length > 1
  const path = ({ folder, name }: RoundFile) => (folder ? `${folder}/${name}` : name)
  const to = sameName ? path(right) : right.name
  const cell = shown(cellIn(row, columnId))
  const from = namesInCell(cell).includes(path(wrong)) ? path(wrong) : wrong.name
  return swapNameInCell(cell, from, to) !== cell ? [{ do: 'renameInCell', rowId: row.id, columnId, from, to }] : []
}

const quoted = (words: { shown: string; column: string }[]) =>
  words.map(({ shown: text, column }) => `“${text}”${column ? ` (${column})` : ''}`).join(', ')

const guard = (wanted: 'wrong' | 'doubtful') => (person: PersonFacts, facts: RoundFacts) =>
  verdicts(person, facts).flatMap(({ file, verdict }): Found[] => {
    if (verdict.says !== wanted) return []
    const { of, words } = verdict as { of: number; words: { shown: string; column: string }[] }
    const other = [...facts.people, ...facts.leftOut].find((p) => p.id === of)
    return [
      {
        place: `${file.hash.slice(0, 12)} ${of}`,
        message: text.mentions(
          file.name,
          other ? facts.nameOf(other) : text.somebodyElse,
          quoted(words),
          wanted === 'wrong' ? text.saysNothingPerson : text.whatSaysPersonMay,
        ),
        mends: [
          ...exchange(person.row, file, facts),
          ...(file.by === 'hand'
            ? [{ do: 'unmatch' as const, rowId: person.row.id, fileId: file.id, name: file.name }]
            : []),
          ...(file.by === 'column'
            ? [{ do: 'editCell' as const, rowId: person.row.id, columnId: facts.matching.column! }]
            : []),
          toEnclosures,
          aside(person.row),
        ],
      },
    ]
  })

/** The checks of files, and of whose they are. */
export const fileChecks: Check[] = [
  {
    name: 'missingFile',
    grade: 'stop',
    title: text.fileNotThere,
    looksAt: text.filesEachPersonS,
    // Where not one of the named files is here, that is said once: the letter may not be one with files at all.
    ofRound: ({ matching, columns, people, ownFiles }) => {
      const { column } = matching
      const naming = column === null || ownFiles > 0 ? [] : people.filter((p) => !isBlank(cellIn(p, column)))
      return naming.length === 0
        ? []
        : [
            {
              place: 'round',
              message: text.namesFilesPeopleNone(columns.find((c) => c.id === column)?.name, naming.length),
              mends: [toEnclosures, { do: 'noOwnFiles' }],
            },
          ]
    },
    ofPerson: ({ row, enclosed }, { matching, ownFiles }) =>
      (ownFiles === 0 ? [] : enclosed.missing).map(({ name, near, by }) => ({
        place: name,
        message: text.noSuchFile(
          by === 'column' ? text.rowNames : text.patternPersonHas,
          name,
          near ? text.there(near.file.name, near.why) : '',
        ),
        mends: [
          ...(near && by === 'column'
            ? [
                {
                  do: 'renameInCell' as const,
                  rowId: row.id,
                  columnId: matching.column!,
                  from: name,
                  to: near.file.name,
                },
              ]
            : []),
          ...(near && by === 'pattern'
            ? [{ do: 'match' as const, rowId: row.id, fileId: near.file.id, name: near.file.name }]
            : []),
          toEnclosures,
          ...(by === 'column' ? [{ do: 'editCell' as const, rowId: row.id, columnId: matching.column! }] : []),
          aside(row),
        ],
      })),
  },
  {
    name: 'withoutForm',
    grade: 'stop',
    byOthers: true,
    title: text.characterCannotDrawn,
    looksAt: text.wordsEachPdfMade,
    ofPerson: ({ row }, { madeFiles, columns }) => {
      const found = madeFiles?.withoutForm.get(row.id)
      if (!found) return []
      const column = columns.find((c) => c.id === found.columnId)
      return [
        {
          place: found.character,
          message: text.withoutForm(found.character, column ? text.stands(column.name) : text.standsWords),
          mends: [
            ...(column ? [{ do: 'editCell' as const, rowId: row.id, columnId: column.id }] : []),
            { do: 'goTo', stage: 'letter' },
            { do: 'setAside', rowId: row.id },
          ],
        },
      ]
    },
  },
  {
    name: 'madeFile',
    grade: 'stop',
    byOthers: true,
    title: text.fileStillMade,
    looksAt: text.filesMadeEachPerson,
    ofPerson: ({ row }, { madeFiles }) => {
      if (!madeFiles || !(madeFiles.lacking.has(row.id) || madeFiles.stale.has(row.id))) return []
      return [
        {
          place: 'made',
          message: madeFiles.lacking.has(row.id) ? text.filePersonNotMade : text.filePersonMadeBefore,
          mends: [{ do: 'makeFiles' }, toEnclosures, aside(row)],
        },
      ]
    },
  },
  {
    name: 'doubtfulName',
    grade: 'stop',
    title: text.severalFilesOneName,
    looksAt: text.namesStandFilesOther,
    ofPerson: ({ row, enclosed }, { matching }) =>
      enclosed.doubtful.map(({ name, files }) => ({
        place: name,
        message: text.thereFilesCalledOther(files.length, name, files.map((f) => text.inFolder(f.folder)).join(', ')),
        mends: [
          ...(matching.column ? [{ do: 'editCell' as const, rowId: row.id, columnId: matching.column }] : []),
          toEnclosures,
          aside(row),
        ],
      })),
  },
  {
    name: 'noOwnFile',
    grade: 'ask',
    byOthers: true,
    title: text.withoutFileTheirOwn,
    looksAt: text.whetherEachPersonHas,
    ofPerson: ({ row, enclosed }, facts) => {
      const { column } = facts.matching
      if (!expectsOwn(facts) || enclosed.missing.length + enclosed.doubtful.length > 0) return []
      if (enclosed.files.some((f) => f.role === 'own')) return []
      const others = facts.ownFiles > 0 || (column !== null && facts.anyNamesFile())
      // Where none is here at all, that is what is said.
      if (!others || (column !== null && facts.ownFiles === 0 && shown(cellIn(row, column)).trim() !== '')) return []
      return [
        {
          place: 'files',
          message: column !== null ? text.rowNamesNoFile : text.personHasNoFile,
          mends: [
            ...(column !== null ? [{ do: 'editCell' as const, rowId: row.id, columnId: column }] : [toEnclosures]),
            aside(row),
          ],
        },
      ]
    },
  },
  {
    name: 'unclaimedFile',
    grade: 'ask',
    title: text.fileGoesNobody,
    looksAt: text.everyOwnFileRound,
    ofRound: (facts) => {
      if (facts.ownFiles === 0) return []
      const claimed = ownersOf(facts)
      const ofOthers = new Set(facts.leftOut.flatMap((row) => facts.enclosedOf(row).files.map((f) => f.hash)))
      const doubtful = new Set(
        facts.people.flatMap((row) => facts.enclosedOf(row).doubtful.flatMap((d) => d.files.map((f) => f.id))),
      )
      return facts.files
        .filter(
          (file) =>
            file.role === 'own' && !claimed.has(file.hash) && !ofOthers.has(file.hash) && !doubtful.has(file.id),
        )
        .map((file) => ({
          place: `${file.id}`,
          message: text.hereAsSomebodyS(file.name),
          mends: [toEnclosures, { do: 'removeFile', fileId: file.id, name: file.name }],
        }))
    },
  },
  {
    name: 'sharedFile',
    grade: 'ask',
    title: text.ownFileSeveralPeople,
    looksAt: text.ownFilesWhoseContent,
    ofRound: (facts) =>
      [...ownersOf(facts).values()]
        .filter(({ rows }) => rows.length > 1 && rows.some((row) => facts.people.includes(row)))
        .map(({ file, rows }) => ({
          place: file.hash.slice(0, 16),
          message: text.goesPeopleAsTheir(file.name, rows.length, rows.slice(0, 3).map(facts.nameOf).join(', ')),
          mends: [toEnclosures],
        })),
  },
  {
    name: 'wrongFile',
    grade: 'stop',
    byOthers: 'files',
    title: text.fileAnotherPerson,
    looksAt: text.nameWordsEachOwn,
    ofPerson: guard('wrong'),
  },
  {
    name: 'doubtfulFile',
    grade: 'ask',
    byOthers: 'files',
    title: text.fileMayAnotherPerson,
    looksAt: text.sameWhereWhatSays,
    ofPerson: guard('doubtful'),
  },
  {
    name: 'speaksOfOne',
    grade: 'ask',
    title: text.fileEverybodySpeaksOne,
    looksAt: text.nameWordsEachCommon,
    ofRound: (facts) =>
      facts.files
        .filter((file) => file.role === 'common')
        .flatMap((file): Found[] => {
          const said = [...saidIn(file, facts).values()].filter((one) => one.strong.length > 0)
          if (said.length !== 1 || facts.people.length < 2) return []
          const of = facts.byId.get(said[0].rowId)
          return [
            {
              place: file.hash.slice(0, 16),
              message: text.everybodyMentions(
                file.name,
                of ? facts.nameOf(of) : text.onePerson,
                quoted(said[0].strong.map((v) => ({ shown: v.shown, column: v.column })).slice(0, 3)),
              ),
              mends: [toEnclosures, { do: 'removeFile', fileId: file.id, name: file.name }],
            },
          ]
        }),
  },
  {
    name: 'noNames',
    grade: 'note',
    title: text.guardKnowsNoNames,
    looksAt: text.whetherColumnNamesChosen,
    ofRound: ({ nameColumns, ownFiles }) =>
      nameColumns.length > 0 || ownFiles === 0
        ? []
        : [
            {
              place: 'round',
              message: text.noColumnNamesChosen,
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'speaksOfNobody',
    grade: 'note',
    title: text.filesSpeakNobody,
    looksAt: text.ownFilesWhoseName,
    // Said once for all: the guard has nothing to go by there, and whoever posts should know.
    ofRound: (facts) => {
      const silent = [...ownersOf(facts).values()].filter(
        ({ file, rows }) => facts.fileFacts.has(file.hash) && verdictOf(file, rows[0], facts).says === 'nobody',
      )
      return silent.length === 0
        ? []
        : [
            {
              place: 'round',
              message: text.saysFilesSayNothing(
                silent.length,
                silent[0].file.name,
                silent
                  .slice(0, 3)
                  .map(({ file }) => `“${file.name}”`)
                  .join(', '),
              ),
              mends: [toEnclosures],
            },
          ]
    },
  },
  {
    name: 'refusedFile',
    grade: 'stop',
    title: text.fileCannotGo,
    looksAt: text.everyFileSContent,
    ofRound: faultsOf(true),
  },
  {
    name: 'riskyFile',
    grade: 'ask',
    title: text.fileMayRefusedOr,
    looksAt: text.everyFileSContent2,
    ofRound: faultsOf(false),
  },
  {
    name: 'tooLarge',
    grade: 'stop',
    about: 'messages',
    title: text.messageTooLarge,
    looksAt: text.eachMessageSEncoded,
    ofPerson: ({ row, size }, { largestMessage }) =>
      size <= largestMessage
        ? []
        : [
            {
              place: 'size',
              message: text.messageComesFilesMailbox(sizeWords(size), sizeWords(largestMessage)),
              mends: [toEnclosures, aside(row)],
            },
          ],
  },
]
