import { type FileFault, faultOf } from '../enclosures/fileFacts.ts'
import type { EnclosedFile, RoundFile } from '../enclosures/match.ts'
import { endingOf, namesInCell, swapNameInCell } from '../enclosures/names.ts'
import { sizeWords } from '../enclosures/size.ts'
import { judgeFile } from '../enclosures/tellingValues.ts'
import { isBlank, type Row, shown } from '../people/cell.ts'
import type { Check, Found, PersonFacts, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'

const toEnclosures: Mend = { do: 'goTo', stage: 'enclosures' }
const aside = (row: Row): Mend => ({ do: 'setAside', rowId: row.id })

/** Whether people are expected to have files of their own. */
const expectsOwn = ({ matching, ownFiles }: RoundFacts) =>
  matching.column !== null || matching.pattern !== null || (ownFiles > 0 && matching.byHand.size > 0)

/** Files that go to nobody as they are, or with what nobody should get. */
const faultsOf = (wanted: FileFault[]) => (facts: RoundFacts) =>
  facts.files.flatMap((file): Found[] => {
    const wrong = faultOf(file, facts.fileFacts.get(file.hash))
    return wrong !== null && wanted.includes(wrong.fault)
      ? [
          {
            place: `${file.id} ${file.hash.slice(0, 12)}`,
            message: faultWords[wrong.fault](file, wrong.detail),
            mends: [{ do: 'removeFile', fileId: file.id, name: file.name }, toEnclosures],
          },
        ]
      : []
  })

const because = (detail: string) => (detail === '' ? '' : `: ${detail}`)
const faultWords: Record<FileFault, (file: RoundFile, detail: string) => string> = {
  empty: ({ name }) => `“${name}” is empty. Save it anew and add it again, or take it out.`,
  executable: ({ name }, detail) =>
    `“${name}” runs when it is opened${because(detail)}. Mail hosts refuse such files; the message would come back.`,
  macros: ({ name }, detail) =>
    `“${name}” carries macros${because(detail)}. Many hosts refuse such files, and few people should open them.`,
  locked: ({ name }) =>
    `“${name}” is locked with a password. Whoever gets it cannot read it without, and nor could the guard.`,
  broken: ({ name }, detail) =>
    `“${name}” cannot be read as what it says it is${because(detail)}. Save it anew, or take it out.`,
  wrongEnding: ({ name }, detail) =>
    `“${name}” is not what its ending says${because(detail)}. Give it the right ending, or add the right file.`,
  swells: ({ name }, detail) =>
    `“${name}” would unpack to a size that nothing in an office has${because(detail)}. Take it out.`,
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
  const cell = shown(row.cells[columnId])
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
        message: `“${file.name}” speaks of ${other ? facts.nameOf(other) : 'somebody else'}: ${quoted(words)}. ${
          wanted === 'wrong'
            ? 'It says nothing of this person.'
            : 'What it says of this person may stand there by chance.'
        }`,
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
    title: 'File not there',
    looksAt: "the files that each person's row or the pattern names, against the files of the round",
    // Where not one of the named files is here, that is said once: the letter may not be one with files at all.
    ofRound: ({ matching, columns, people, ownFiles }) => {
      const { column } = matching
      const naming = column === null || ownFiles > 0 ? [] : people.filter((p) => !isBlank(p.cells[column]))
      return naming.length === 0
        ? []
        : [
            {
              place: 'round',
              message: `“${columns.find((c) => c.id === column)?.name}” names files for ${naming.length === 1 ? 'one person' : `${naming.length} people`}, and none of them is here.`,
              mends: [toEnclosures, { do: 'noOwnFiles' }],
            },
          ]
    },
    ofPerson: ({ row, enclosed }, { matching, ownFiles }) =>
      (ownFiles === 0 ? [] : enclosed.missing).map(({ name, near, by }) => ({
        place: name,
        message: `${by === 'column' ? 'The row names' : 'By the pattern this person has'} “${name}”, and there is no such file.${near ? ` There is “${near.file.name}”: ${near.why}.` : ''}`,
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
    title: 'A character that cannot be drawn',
    looksAt: 'the words of each PDF that is made, against the characters that the typefaces here have',
    ofPerson: ({ row }, { madeFiles, columns }) => {
      const found = madeFiles?.withoutForm.get(row.id)
      if (!found) return []
      const column = columns.find((c) => c.id === found.columnId)
      return [
        {
          place: found.character,
          message: `${found.character} ${column ? `stands in “${column.name}”` : 'stands in the words'}, and no typeface here has a form for it: in the PDF that is made it would be missing.`,
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
    title: 'File still to be made',
    looksAt: 'the files made for each person, against the letter or model and the row as they are now',
    ofPerson: ({ row }, { madeFiles }) => {
      if (!madeFiles || !(madeFiles.lacking.has(row.id) || madeFiles.stale.has(row.id))) return []
      return [
        {
          place: 'made',
          message: madeFiles.lacking.has(row.id)
            ? 'The file for this person is not made yet.'
            : 'The file for this person was made before something it is made of changed.',
          mends: [{ do: 'makeFiles' }, toEnclosures, aside(row)],
        },
      ]
    },
  },
  {
    name: 'doubtfulName',
    grade: 'stop',
    title: 'Several files of one name',
    looksAt: 'names that stand for files with other contents in several folders',
    ofPerson: ({ row, enclosed }, { matching }) =>
      enclosed.doubtful.map(({ name, files }) => ({
        place: name,
        message: `There are ${files.length} files called “${name}”, with other contents: ${files.map((f) => `in ${f.folder || 'no folder'}`).join(', ')}. Which is meant nobody can tell.`,
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
    title: 'Without a file of their own',
    looksAt: 'whether each person has or names a file of their own, where others do',
    ofPerson: ({ row, enclosed }, facts) => {
      const { column } = facts.matching
      if (!expectsOwn(facts) || enclosed.missing.length + enclosed.doubtful.length > 0) return []
      if (enclosed.files.some((f) => f.role === 'own')) return []
      const others = facts.ownFiles > 0 || (column !== null && facts.anyNamesFile())
      // Where none is here at all, that is what is said.
      if (!others || (column !== null && facts.ownFiles === 0 && shown(row.cells[column]).trim() !== '')) return []
      return [
        {
          place: 'files',
          message:
            column !== null ? 'This row names no file, while others do.' : 'This person has no file, while others do.',
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
    title: 'File that goes to nobody',
    looksAt: 'every own file of the round, against what each person gets',
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
          message: `“${file.name}” is here as somebody’s own, and nobody gets it.`,
          mends: [toEnclosures, { do: 'removeFile', fileId: file.id, name: file.name }],
        }))
    },
  },
  {
    name: 'sharedFile',
    grade: 'ask',
    title: 'Own file for several people',
    looksAt: 'own files whose content goes to more than one person',
    ofRound: (facts) =>
      [...ownersOf(facts).values()]
        .filter(({ rows }) => rows.length > 1 && rows.some((row) => facts.people.includes(row)))
        .map(({ file, rows }) => ({
          place: file.hash.slice(0, 16),
          message: `“${file.name}” goes to ${rows.length} people as their own: ${rows.slice(0, 3).map(facts.nameOf).join(', ')}${rows.length > 3 ? ' and others' : ''}.`,
          mends: [toEnclosures],
        })),
  },
  {
    name: 'wrongFile',
    grade: 'stop',
    byOthers: 'files',
    title: 'File of another person',
    looksAt:
      'the name and the words of each own file (PDF, DOCX, XLSX, HTML, text): names, numbers and addresses of others, and none of whom it goes to',
    ofPerson: guard('wrong'),
  },
  {
    name: 'doubtfulFile',
    grade: 'ask',
    byOthers: 'files',
    title: 'File that may be another person’s',
    looksAt: 'the same, where what it says of whom it goes to may stand there by chance',
    ofPerson: guard('doubtful'),
  },
  {
    name: 'speaksOfOne',
    grade: 'ask',
    title: 'File for everybody that speaks of one person',
    looksAt: 'the name and the words of each common file',
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
              message: `“${file.name}” goes to everybody, and speaks of ${of ? facts.nameOf(of) : 'one person'}: ${quoted(said[0].strong.map((v) => ({ shown: v.shown, column: v.column })).slice(0, 3))}.`,
              mends: [toEnclosures, { do: 'removeFile', fileId: file.id, name: file.name }],
            },
          ]
        }),
  },
  {
    name: 'noNames',
    grade: 'note',
    title: 'The guard knows no names',
    looksAt: 'whether a column of names is chosen, where people have files of their own',
    ofRound: ({ nameColumns, ownFiles }) =>
      nameColumns.length > 0 || ownFiles === 0
        ? []
        : [
            {
              place: 'round',
              message:
                'No column of names is chosen, so whose a file is can be told only by what else few people share: addresses, numbers, and words that read as a name. Messages go to the bare address.',
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'speaksOfNobody',
    grade: 'note',
    title: 'Files that speak of nobody',
    looksAt: 'own files whose name and words have nothing of anybody in the round',
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
              message: `${silent.length === 1 ? `“${silent[0].file.name}” says` : `${silent.length} files say`} nothing of anybody, so the guard cannot tell whose ${silent.length === 1 ? 'it is' : 'they are'}${
                silent.length > 1
                  ? `: ${silent
                      .slice(0, 3)
                      .map(({ file }) => `“${file.name}”`)
                      .join(', ')}${silent.length > 3 ? ' and others' : ''}`
                  : ''
              }.`,
              mends: [toEnclosures],
            },
          ]
    },
  },
  {
    name: 'refusedFile',
    grade: 'stop',
    title: 'File that cannot go',
    looksAt: 'every file’s content and ending: empty, run when opened, damaged, of another kind than its ending says',
    ofRound: faultsOf(['empty', 'executable', 'broken', 'wrongEnding', 'swells']),
  },
  {
    name: 'riskyFile',
    grade: 'ask',
    title: 'File that may be refused or not be opened',
    looksAt: 'every file’s content: macros, and locks with a password',
    ofRound: faultsOf(['macros', 'locked']),
  },
  {
    name: 'tooLarge',
    grade: 'stop',
    title: 'Message too large',
    looksAt: "each message's encoded size against what the mailbox takes",
    ofPerson: ({ row, size }, { largestMessage }) =>
      size <= largestMessage
        ? []
        : [
            {
              place: 'size',
              message: `The message comes to ${sizeWords(size)} with its files; the mailbox takes ${sizeWords(largestMessage)}.`,
              mends: [toEnclosures, aside(row)],
            },
          ],
  },
]
