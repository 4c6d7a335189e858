import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { encloser, noMatching, type RoundFile } from '../enclosures/match.ts'
import { namesInCell, swapNameInCell } from '../enclosures/names.ts'
import { base64Size, messageSize } from '../enclosures/size.ts'
import type { Block } from '../letter/document.ts'
import { plainField } from '../letter/field.ts'
import { readHtml } from '../letter/html.ts'
import { Openings, OpenTogether, readyWeeks } from '../mailboxes/hours.ts'
import type { Cell, Row } from '../people/cell.ts'
import type { Column } from '../people/column.ts'
import type { OwnTime } from '../people/ownTimes.ts'
import { selectionFaults } from '../people/rules.ts'
import { hadKey } from './aroundChecks.ts'
import { type Around, nothingAround } from './check.ts'
import { checks } from './checks.ts'
import { emptyMemory, inEvery, mayPost, proofPeople, proofRound, type RoundToProof } from './proof.ts'

const columns: Column[] = [
  { id: 'c1', name: 'First name', kind: 'text' },
  { id: 'c2', name: 'Email', kind: 'address' },
  { id: 'c3', name: 'Permit', kind: 'files' },
]
const row = (id: number, name: string, email: string, file: string): Row => ({
  id,
  position: '',
  number: id,
  cells: Object.fromEntries(
    [
      ['c1', name],
      ['c2', email],
      ['c3', file],
    ].filter(([, v]) => v !== ''),
  ),
})
const file = (id: number, name: string, size = 1000, role: RoundFile['role'] = 'own'): RoundFile => ({
  id,
  name,
  folder: '',
  hash: `hash of ${name}`,
  size,
  role,
})
/** Noon on a Friday, in a mailbox that is open on weekdays until five. */
const noon = Date.parse('2026-11-27T12:00:00Z')
const timesOf = (of: (row: number) => OwnTime): Around['ownTimes'] => ({
  of: (row) => of(row.id),
  column: 'c1',
  now: noon,
  zone: 'UTC',
  open: new OpenTogether([new Openings({ week: readyWeeks.office, off: [] }, 'UTC')]),
})

const good: RoundToProof = {
  letter: { subject: 'Permit for {{First name}}', body: readHtml('<p>Dear {{First name}}</p>').body },
  columns,
  people: [row(1, 'Ada', 'ada@quay.example', 'a.pdf'), row(2, 'Bram', 'bram@quay.example', 'b.pdf')],
  rowsOf: new Map(),
  leftOut: [],
  paper: null,
  madeFiles: null,
  sameAddress: null,
  anyDoubled: true,
  addressColumn: 'c2',
  nameColumns: ['c1'],
  matching: { ...noMatching, column: 'c3' },
  fileFacts: new Map(),
  around: nothingAround,
  files: [file(1, 'a.pdf'), file(2, 'b.pdf')],
  making: { today: '2026-11-02' },
  notes: new Map(),
  copies: { cc: [], bcc: [], replyTo: [] },
  pictureSizes: [],
  largestMessage: 25_000_000,
}
/** The good letter with further blocks. */
const withBlocks = (...blocks: Block[]) => ({
  ...good.letter,
  body: { type: 'doc' as const, content: [...good.letter.body.content, ...blocks] },
})
/** The round as it is when a file has been found to hold some words. */
const told = (name: string, text: string, people = good.people): Partial<RoundToProof> => ({
  people,
  fileFacts: new Map([[`hash of ${name}`, { kind: 'pdf', fault: null, detail: '', text }]]),
})
const found = (changes: Partial<RoundToProof>) =>
  proofRound({ ...good, ...changes }).map((f) => [f.check, f.grade, f.rowId])
/** These people, with the files that their rows name. */
const people = (...rows: Row[]) => ({
  people: rows,
  files: good.files.filter((f) => rows.some((r) => r.cells.c3 === f.name)),
})

/** People with more cells in their rows, among them a fourth column, "Figure". */
const sheet = (...cells: Record<string, Cell>[]): Partial<RoundToProof> => ({
  columns: [...columns, { id: 'c4', name: 'Figure', kind: 'text' }],
  people: cells.map((more, i) => ({
    ...row(i + 1, `Person ${'ABCDEF'[i]}`, `p${i}@quay.example`, `${i}.pdf`),
    cells: { ...row(i + 1, `Person ${'ABCDEF'[i]}`, `p${i}@quay.example`, `${i}.pdf`).cells, ...more },
  })),
  files: cells.map((_, i) => file(i + 1, `${i}.pdf`)),
})
/** People with these figures, of which the letter speaks. */
const figures = (...cells: Cell[]): Partial<RoundToProof> => ({
  ...sheet(...cells.map((c4) => ({ c4 }))),
  letter: { subject: 'Permit for {{First name}}', body: readHtml('<p>{{First name}}: {{Figure}}.</p>').body },
})

describe('the proof', () => {
  const written = (html: string, subject = 'Permit') => ({ letter: { subject, body: readHtml(html).body } })
  test('finds nothing in a good round, which may be posted', () => {
    expect(proofRound(good)).toEqual([])
    expect(mayPost([], new Set())).toBe(true)
  })
  const both = (check: string, grade: string): [string, string, number | null][] => [
    [check, grade, 1],
    [check, grade, 2],
  ]
  const cases: [string, Partial<RoundToProof>, [string, string, number | null][]][] = [
    ['nobody', people(), [['nobody', 'stop', null]]],
    [
      'a formula that failed, in the letter, in a copy, in the name of a file and beside the address',
      {
        ...sheet({ c1: '#N/A', c4: 'Err:502' }, { c4: 'ref@quay.example' }),
        copies: { cc: ['{{Figure}}'], bcc: [], replyTo: [] },
        matching: { ...good.matching, sentAs: '{{First name}}.pdf' },
      },
      [
        ['copyAddress', 'stop', 1],
        ['failedFormula', 'stop', 1],
        ['failedFormula', 'stop', 1],
      ],
    ],
    [
      'a formula that failed where a rule looks',
      {
        ...sheet({ c4: '1' }, { c4: '#VALUE!' }),
        byRule: {
          columnIds: ['c4'],
          leftOut: [{ ...row(3, 'Cora', 'cora@quay.example', ''), cells: { c1: 'Cora', c4: '#REF!' } }],
          faults: [],
        },
      },
      [
        ['failedFormula', 'stop', null],
        ['failedFormula', 'stop', 2],
      ],
    ],
    [
      'a rule of the round, and one of a passage, that cannot be followed',
      {
        byRule: {
          columnIds: ['c4'],
          leftOut: [],
          faults: selectionFaults({ match: 'all', rules: [{ column: 'c4', comparison: 'is', value: '' }] }, [
            { id: 'c4', name: 'Due', kind: 'date' },
          ]),
        },
        ...sheet({ c4: '1' }, { c4: '2' }),
        letter: {
          subject: 'Permit for {{First name}}',
          body: {
            type: 'doc',
            content: [
              {
                type: 'passage',
                attrs: {
                  selection: { match: 'any', rules: [{ column: 'First name', comparison: 'contains', value: '' }] },
                },
                content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Pay.' }] }],
              },
              { type: 'paragraph', content: [{ type: 'text', text: 'Dear all' }] },
            ],
          },
        },
      },
      [
        ['unclearRule', 'stop', null],
        ['unclearRule', 'stop', null],
      ],
    ],
    ['a long number cut short', figures('4.47701E+11', '447700900122'), [['shortened', 'stop', 1]]],
    [
      'a time shown as a day',
      figures('00/01/1900 10:00', { shown: '31/12/1899', value: '1899-12-31' }),
      both('dayNought', 'stop'),
    ],
    [
      'a small number shown as a day',
      figures({ shown: '12/03/1900', value: '1900-03-12' }, '3 May'),
      [['oldYear', 'ask', 1]],
    ],
    [
      'a currency sign in the letter and in the list',
      { ...figures('£1,235.50', '1,235.50'), ...written('<p>Dear {{First name}}, £{{Figure}}.</p>') },
      [['twiceCurrency', 'stop', 1]],
    ],
    [
      'a currency sign before and another behind',
      { ...figures('£12 €', '£12 to €15'), ...written('<p>Dear {{First name}}, {{Figure}}.</p>') },
      [['twiceCurrency', 'stop', 1]],
    ],
    ['a fraction where others are percentages', figures('0.125', '13 %', '14 %', '0.5 %'), [['fraction', 'ask', 1]]],
    ['TRUE in the letter', figures('TRUE', 'yes'), [['truthWord', 'ask', 1]]],
    [
      'dates in several languages',
      figures('3 March 2026', '4 mars 2026', '5 May 2026'),
      [['mixedLanguages', 'ask', null]],
    ],
    ['no address column', { addressColumn: null }, [['noAddressColumn', 'stop', null]]],
    ['unknown field', { letter: { ...good.letter, subject: '{{Frist name}}' } }, [['unknownField', 'stop', null]]],
    ['drafting mark', { letter: { ...good.letter, subject: 'By [date]' } }, [['draftingMark', 'stop', null]]],
    [
      'one mark in several places once',
      { letter: { ...good.letter, body: readHtml('<p>XXX and XXX</p><p>XXX</p>').body } },
      [['draftingMark', 'stop', null]],
    ],
    ['loose braces', { letter: { ...good.letter, subject: 'Dear {{First name' } }, [['draftingMark', 'stop', null]]],
    ['no subject', { letter: { ...good.letter, subject: ' ' } }, [['emptyLetter', 'stop', null]]],
    ['blank without stand-in', people(row(1, '', 'ada@quay.example', 'a.pdf')), [['blankField', 'stop', 1]]],
    ['unknown field in Cc', { copies: { cc: ['{{Deputy}}'], bcc: [], replyTo: [] } }, [['unknownField', 'stop', null]]],
    [
      'copy to no address',
      { copies: { cc: ['{{First name}}'], bcc: [], replyTo: [] }, ...people(good.people[0]) },
      [['copyAddress', 'stop', 1]],
    ],
    [
      'a half-typed field in Bcc',
      { copies: { cc: [], bcc: ['{{Pup'], replyTo: [] }, ...people(good.people[0]) },
      [['halfField', 'stop', null]],
    ],
    [
      'a half-typed field in what files are called',
      { matching: { ...good.matching, sentAs: 'Permit {{Pup' } },
      [['halfField', 'stop', null]],
    ],
    [
      'a half-typed field in what made files are called',
      { matching: { ...good.matching, madeName: 'Pup}}' } },
      [['halfField', 'stop', null]],
    ],
    ['a number for a name', people(row(1, '4711', 'ada@quay.example', 'a.pdf')), [['displayName', 'ask', 1]]],
    [
      'an address for a name',
      people(row(1, 'bram@quay.example', 'ada@quay.example', 'a.pdf')),
      [['displayName', 'ask', 1]],
    ],
    [
      'a sentence for a name',
      people(row(1, 'Please ring before noon.', 'ada@quay.example', 'a.pdf')),
      [['displayName', 'ask', 1]],
    ],
    [
      'a very long name',
      people(row(1, 'Ada '.repeat(20).trim(), 'ada@quay.example', 'a.pdf')),
      [['displayName', 'ask', 1]],
    ],
    [
      'one name for many',
      {
        people: [1, 2, 3, 4].map((n) => row(n, 'Member', `p${n}@quay.example`, `${n}.pdf`)),
        files: [1, 2, 3, 4].map((n) => file(n, `${n}.pdf`)),
      },
      [
        ['sameName', 'ask', null],
        ['sameSubject', 'note', null],
      ],
    ],
    ['no names, where files are people’s own', { nameColumns: [] }, [['noNames', 'note', null]]],
    [
      'the wrong file, told without a column of names',
      {
        nameColumns: [],
        ...told('a.pdf', 'Permit of Bram Tolland', [
          row(1, 'Ada Penrose', 'ada@quay.example', 'a.pdf'),
          row(2, 'Bram Tolland', 'bram@quay.example', 'b.pdf'),
        ]),
      },
      [
        ['wrongFile', 'stop', 1],
        ['noNames', 'note', null],
      ],
    ],
    ['missing address', people(row(1, 'Ada', '', 'a.pdf')), [['address', 'stop', 1]]],
    ['bad address', people(row(1, 'Ada', 'ada.quay.example', 'a.pdf')), [['address', 'stop', 1]]],
    [
      'same address',
      people(row(1, 'Ada', 'ada@quay.example', 'a.pdf'), row(2, 'A', 'ADA@quay.example', 'b.pdf')),
      [['sameAddress', 'ask', 2]],
    ],
    [
      'missing file',
      people(row(1, 'Ada', 'ada@quay.example', 'c.pdf'), row(2, 'B', 'b@quay.example', 'b.pdf')),
      [['missingFile', 'stop', 1]],
    ],
    [
      'missing file by the pattern',
      { matching: { ...noMatching, pattern: '{{First name}}.pdf' }, files: [file(1, 'Ada.pdf')] },
      [['missingFile', 'stop', 2]],
    ],
    [
      'several files of one name',
      {
        people: [row(1, 'Ada', 'ada@quay.example', 'a.pdf')],
        files: [file(1, 'a.pdf'), { ...file(2, 'a.pdf'), hash: 'another', folder: 'north' }],
      },
      [['doubtfulName', 'stop', 1]],
    ],
    [
      'files still to be made',
      { madeFiles: { lacking: new Set([1]), stale: new Set([2]), withoutForm: new Map() } },
      both('madeFile', 'stop'),
    ],
    [
      'a character that no typeface has',
      {
        madeFiles: {
          lacking: new Set(),
          stale: new Set(),
          withoutForm: new Map([[2, { character: '“𓀀” (U+13000)', columnId: 'c1' }]]),
        },
      },
      [['withoutForm', 'stop', 2]],
    ],
    ['a file of nobody', { files: [...good.files, file(3, 'c.pdf')] }, [['unclaimedFile', 'ask', null]]],
    [
      'an own file for several',
      people(row(1, 'Ada', 'ada@quay.example', 'a.pdf'), row(2, 'Bram', 'bram@quay.example', 'a.pdf')),
      [['sharedFile', 'ask', null]],
    ],
    ['a file of another person', told('a.pdf', 'For bram@quay.example'), [['wrongFile', 'stop', 1]]],
    [
      'a file that may be of another person',
      told('a.pdf', 'Dear Hesper, see bram@quay.example', [
        row(1, 'Hesper', 'ada@quay.example', 'a.pdf'),
        row(2, 'Bram', 'bram@quay.example', 'b.pdf'),
      ]),
      [['doubtfulFile', 'ask', 1]],
    ],
    [
      'a common file that speaks of one',
      {
        files: [...good.files, file(3, 'c.pdf', 9, 'common')],
        fileFacts: new Map([
          ['hash of c.pdf', { kind: 'pdf', fault: null, detail: '', text: 'For bram@quay.example' }],
        ]),
      },
      [['speaksOfOne', 'ask', null]],
    ],
    ['a file that speaks of nobody', told('a.pdf', 'Harbour rules'), [['speaksOfNobody', 'note', null]]],
    ['an empty file', { files: [file(1, 'a.pdf', 0), good.files[1]] }, [['refusedFile', 'stop', null]]],
    [
      'a file that runs, by its name',
      { files: [...good.files, file(3, 'setup.exe', 9, 'common')] },
      [['refusedFile', 'stop', null]],
    ],
    [
      'a file that is not what its ending says',
      {
        fileFacts: new Map([['hash of a.pdf', { kind: 'png', fault: null, detail: '', text: 'Ada ada@quay.example' }]]),
      },
      [['refusedFile', 'stop', null]],
    ],
    [
      'a file with macros',
      { files: [...good.files, file(3, 'Rules.docm', 9, 'common')] },
      [['riskyFile', 'ask', null]],
    ],
    ['no file here at all', { files: [] }, [['missingFile', 'stop', null]]],
    [
      'no own file',
      people(row(1, 'Ada', 'ada@quay.example', ''), row(2, 'B', 'b@quay.example', 'b.pdf')),
      [['noOwnFile', 'ask', 1]],
    ],
    ['too large', { files: [file(1, 'a.pdf', 30_000_000), file(2, 'b.pdf')] }, [['tooLarge', 'stop', 1]]],
  ]
  const around = (changes: Partial<RoundToProof['around']>, more: Partial<RoundToProof> = {}) => ({
    ...more,
    around: { ...nothingAround, ...changes },
  })
  cases.push(
    [
      'a subject of which nothing is left',
      {
        letter: { ...good.letter, subject: '{{Nickname, or ""}}' },
        columns: [...columns, { id: 'c4', name: 'Nickname', kind: 'text' }],
        people: [good.people[0], { ...good.people[1], cells: { ...good.people[1].cells, c4: 'B' } }],
      },
      [['emptySubject', 'stop', 1]],
    ],
    [
      'a subject with fields that is the same for all',
      {
        people: [1, 2, 3].map((n) => row(n, 'Ada', `p${n}@quay.example`, `${n}.pdf`)),
        files: [1, 2, 3].map((n) => file(n, `${n}.pdf`)),
      },
      [['sameSubject', 'note', null]],
    ],
    [
      'no words as plain text',
      {
        letter: {
          ...good.letter,
          body: { type: 'doc', content: [{ type: 'image', attrs: { src: 'data:', alt: '' } }] },
        },
      },
      [
        ['pictureWords', 'ask', null],
        ['noPlainText', 'ask', 1],
        ['noPlainText', 'ask', 2],
      ],
    ],
    [
      'choices that cannot be told apart',
      { letter: withBlocks({ type: 'choices', attrs: { choices: ['Yes', 'yes'] } }) },
      [['choicesUnclear', 'stop', null]],
    ],
    [
      'a choice alone',
      { letter: withBlocks({ type: 'choices', attrs: { choices: ['Yes', ' '] } }) },
      [['choicesUnclear', 'stop', null]],
    ],
    [
      'more choices than can be told apart',
      {
        letter: withBlocks(
          ...Array.from(
            { length: 11 },
            (_, i): Block => ({
              type: 'passage',
              attrs: {
                selection: { match: 'all', rules: [{ column: 'First name', comparison: 'is', value: `N${i}` }] },
              },
              content: [{ type: 'choices', attrs: { choices: ['a', 'b', 'c', 'd', 'e', 'f'] } }],
            }),
          ),
        ),
      },
      [['choicesUnclear', 'stop', null]],
    ],
    [
      'two sets of choices in one message',
      {
        letter: withBlocks(
          { type: 'choices', attrs: { choices: ['Yes', 'No'] } },
          { type: 'choices', attrs: { choices: ['Tea', 'Coffee'] } },
        ),
      },
      [
        ['choicesTogether', 'stop', 1],
        ['choicesTogether', 'stop', 2],
      ],
    ],
    [
      'choices where no page can be reached',
      {
        letter: withBlocks({ type: 'choices', attrs: { choices: ['Yes', 'No'] } }),
        around: { ...nothingAround, preparedAnswers: true },
      },
      [['choicesByMail', 'note', null]],
    ],
    [
      'choices as plain text',
      { letter: { ...withBlocks({ type: 'choices', attrs: { choices: ['Yes', 'No'] } }), plain: true } },
      [['plainLoses', 'note', null]],
    ],
    [
      'a letter in plain text that loses its looks',
      {
        letter: {
          ...good.letter,
          plain: true,
          body: {
            type: 'doc',
            content: [
              ...good.letter.body.content,
              { type: 'paragraph', content: [{ type: 'text', text: 'Soon', marks: [{ type: 'bold' }] }] },
            ],
          },
        },
      },
      [['plainLoses', 'note', null]],
    ],
    [
      'a copy to who is not to be written to',
      around(
        { doNotWrite: new Set(['office@quay.example']) },
        { copies: { cc: ['Office@quay.example'], bcc: [], replyTo: [] }, ...people(good.people[0]) },
      ),
      [['copyRefused', 'stop', 1]],
    ],
    [
      'a copy to the person themself',
      { copies: { cc: [], bcc: ['ada@quay.example'], replyTo: [] } },
      [['copyToThemself', 'note', null]],
    ],
    [
      'a letter of a subject that somebody has had',
      around({ had: new Map([[hadKey('ADA@quay.example', 'Permit for Ada'), { at: 0, title: 'Permits' }]]) }),
      [['hadAlready', 'ask', 1]],
    ],
    [
      'a late-comer whose address has the letter',
      around({ inRound: { addresses: new Map([['ada@quay.example', 'Ada Penrose']]), names: new Map() } }),
      [['hadThisRound', 'ask', 1]],
    ],
    [
      'a late-comer whose namesake has the letter',
      around({ inRound: { addresses: new Map(), names: new Map([['bram', 'bram@elsewhere.example']]) } }),
      [['hadThisRound', 'ask', 2]],
    ],
    [
      'a late-comer whose name is that of somebody who had the letter of this round on paper',
      around({ inRound: { addresses: new Map(), names: new Map([['bram', null]]) } }),
      [['hadThisRound', 'ask', 2]],
    ],
    [
      'an address that bounced before',
      around({
        dead: new Map([
          ['ada@quay.example', { at: 0, title: 'Permits', how: 'bounced', why: 'There is no such mailbox.' }],
        ]),
      }),
      [['deadAddress', 'ask', 1]],
    ],
    ['a person sent to from the drafts', around({ drafts: new Map([[2, 86_400_000]]) }), [['draftSent', 'stop', 2]]],
    ['a draft that lies in the mailbox', around({ drafts: new Map([[2, null]]) }), [['draftLies', 'ask', null]]],
    ['people of the do-not-write list', around({ leftOut: 2 }), [['doNotWrite', 'note', null]]],
    ['people outside', around({ ownDomains: ['harbour.example'] }), [['outside', 'note', null]]],
    [
      'more recipients than a day allows',
      around(
        { perDay: 2 },
        { copies: { cc: ['a@x.example', 'b@x.example'], bcc: [], replyTo: [] }, ...people(good.people[0]) },
      ),
      [['beyondAllowance', 'stop', 1]],
    ],
    ['more recipients than just now', around({ allowance: 1 }), [['allowance', 'note', null]]],
    [
      'a time of their own that is none',
      around({
        ownTimes: timesOf((id) => (id === 1 ? { wrong: 'time', columnId: 'c1', text: 'soon' } : { at: null })),
      }),
      [['ownTimeUnread', 'stop', 1]],
    ],
    [
      'a time zone that there is not',
      around({
        ownTimes: timesOf((id) => (id === 2 ? { wrong: 'zone', columnId: 'c1', text: 'Quay' } : { at: null })),
      }),
      [['ownTimeUnread', 'stop', 2]],
    ],
    [
      'a time of their own that is past',
      around({ ownTimes: timesOf((id) => ({ at: id === 1 ? noon - 1 : noon + 1 })) }),
      [['ownTimePast', 'ask', 1]],
    ],
    [
      'a time of their own outside the hours',
      around({ ownTimes: timesOf((id) => ({ at: id === 1 ? noon + 7 * 3_600_000 : null })) }),
      [['ownTimeClosed', 'ask', 1]],
    ],
  )
  test('a time of somebody’s own is mended in its cell, or by other hours', () => {
    const past = around({ ownTimes: timesOf((id) => ({ at: id === 1 ? noon - 1 : null })) })
    const [found] = proofRound({ ...good, ...past }).filter((f) => f.check === 'ownTimePast')
    expect(found.mends).toEqual([
      { do: 'editCell', rowId: 1, columnId: 'c1' },
      { do: 'goTo', stage: 'dispatch' },
    ])
  })

  const withCell = (name: string, kind: Column['kind'], cell: Cell): Partial<RoundToProof> => ({
    columns: [...columns, { id: 'c4', name, kind }],
    people: [{ ...good.people[0], cells: { ...good.people[0].cells, c4: cell } }],
    files: [good.files[0]],
    ...written(`<p>By {{${name}}}.</p>`),
  })
  const one = (check: string, grade: string): [string, string, number | null][] => [[check, grade, 1]]
  const ofRound = (check: string, grade: string): [string, string, number | null][] => [[check, grade, null]]
  const five = [1, 2, 3, 4, 5].map((n) => row(n, `P${n}`, `p${n}@quay.example`, `${n}.pdf`))
  const filesOfFive = [good.files[0], ...[1, 2, 3, 4, 5].map((n) => file(n + 10, `${n}.pdf`))]
  cases.push(
    [
      'a domain one slip away',
      {
        people: [row(9, 'Ada', 'ada@quai.example', 'a.pdf'), ...five],
        files: filesOfFive,
      },
      [['nearDomain', 'ask', 9]],
    ],
    [
      'a weekday in the letter that does not fit',
      written('<p>On Monday 3 December 2026.</p>'),
      ofRound('weekday', 'stop'),
    ],
    [
      'a weekday that does not fit for one',
      {
        ...sheet({ c4: 'Monday 3 December 2026' }, { c4: 'Thursday 3 December 2026' }),
        ...written('<p>On {{Figure}}.</p>'),
      },
      one('weekday', 'stop'),
    ],
    ['a date serial', withCell('Due date', 'number', '46115'), one('dateSerial', 'stop')],
    ['float noise', withCell('Fee', 'number', '12.300000000000001'), one('floatNoise', 'stop')],
    ['a day that is past', withCell('Due', 'date', '01/11/2026'), ofRound('datePast', 'note')],
    [
      'dates in two spellings',
      {
        columns: [...columns, { id: 'c4', name: 'Due', kind: 'date' }],
        people: good.people.map((r, i) => ({ ...r, cells: { ...r.cells, c4: ['03/12/2026', '3 December 2026'][i] } })),
        ...written('<p>By {{Due}}.</p>'),
      },
      ofRound('mixedDates', 'ask'),
    ],
    ['a name in capitals', { ...people(row(1, 'ADA PENROSE', 'ada@quay.example', 'a.pdf')) }, one('capitals', 'note')],
    [
      'a doubled space',
      {
        letter: {
          subject: 'S',
          body: { type: 'doc', content: [{ type: 'paragraph', content: [{ type: 'text', text: 'Dear  all' }] }] },
        },
      },
      ofRound('spacing', 'ask'),
    ],
    ['a doubled space of which one is hard', written('<p>Dear&nbsp; all</p>'), ofRound('spacing', 'ask')],
    ['a stray comma', written('<p>Ada , you</p>'), ofRound('spacing', 'ask')],
    [
      'a comma at a line’s beginning in the letter, and two of a cell',
      {
        ...figures('in,, port', 'in port'),
        letter: {
          subject: 'Permit for {{First name}}',
          body: {
            type: 'doc',
            content: [
              {
                type: 'paragraph',
                content: [
                  { type: 'text', text: 'Ada' },
                  { type: 'hardBreak' },
                  { type: 'text', text: ' , you are ' },
                  { type: 'field', attrs: plainField('Figure') },
                  { type: 'text', text: ' now, and so on.' },
                ],
              },
            ],
          },
        },
      },
      [
        ['spacing', 'ask', null],
        ['spacing', 'ask', 1],
      ],
    ],
    [
      'a doubled space that comes of a cell, beside one of the letter',
      { ...figures('in  port', 'in port'), ...written('<p>Ada , you are {{Figure}} now.</p>') },
      [
        ['spacing', 'ask', null],
        ['spacing', 'ask', 1],
      ],
    ],
    ['a long subject', written('<p>x</p>', 'word '.repeat(30)), both('longSubject', 'note')],
    [
      'an enclosure spoken of',
      { ...written('<p>Please find it attached.</p>'), matching: noMatching, files: [] },
      both('speaksOfFile', 'ask'),
    ],
    ['a link without https', written('<p><a href="http://quay.example/x">x</a></p>'), ofRound('link', 'ask')],
    ['a link to nowhere', written('<p><a href="https://">x</a></p>'), ofRound('link', 'ask')],
    [
      'a picture without words',
      written('<p>x</p><img src="data:image/png;base64,AA=="><p>y</p>'),
      ofRound('pictureWords', 'ask'),
    ],
  )
  test('and not where all is as it should be', () => {
    for (const fine of [
      written('<p>On Thursday 3 December 2026, or <a href="https://quay.example/x?y={{First name}}">here</a>.</p>'),
      withCell('Permit no', 'number', '46115'),
      withCell('Due date', 'number', '20261203'),
      withCell('Fee', 'number', '12.3'),
      withCell('Due', 'date', '02/11/2026'),
      // Written in one form by the letter, however the list does; or in one form by the list.
      {
        columns: [...columns, { id: 'c4', name: 'Due', kind: 'date' as const }],
        people: good.people.map((r, i) => ({ ...r, cells: { ...r.cells, c4: ['03/12/2026', '3 December 2026'][i] } })),
        ...written('<p>By {{Due, as "d MMMM yyyy"}}.</p>'),
      },
      {
        columns: [...columns, { id: 'c4', name: 'Due', kind: 'date' as const }],
        people: good.people.map((r, i) => ({ ...r, cells: { ...r.cells, c4: ['3/12/2026', '14/12/2026'][i] } })),
        ...written('<p>By {{Due}}.</p>'),
      },
      { people: [row(9, 'Ada', 'ada@quai.example', 'a.pdf'), ...five.slice(0, 4)], files: filesOfFive.slice(0, 5) },
      people(row(1, 'Al-Bo', 'ada@quay.example', 'a.pdf')),
      people(row(1, 'Dr. J. O’Neill & Son (deputy)', 'ada@quay.example', 'a.pdf')),
      written('<table><tr><th>a<th>b<tr><td>c<td>d</table><p>The sheet is attached (see above), “so”.</p>'),
      around({
        had: new Map([[hadKey('ada@quay.example', 'Another'), { at: 0, title: 'Permits' }]]),
        ownDomains: ['example'],
        allowance: 2,
        perDay: 2,
        doNotWrite: new Set(['x@quay.example']),
      }),
      told('a.pdf', 'For ada@quay.example, copied to bram@quay.example'),
      { matching: { ...noMatching, pattern: '{{First name}}.pdf' }, files: [file(1, 'Ada.pdf'), file(2, 'Bram.pdf')] },
      // Given by hand; one name in two folders told apart by the folder; the same content twice under one name.
      {
        matching: {
          ...noMatching,
          byHand: new Map([
            [1, [1]],
            [2, [2]],
          ]),
        },
      },
      {
        people: [
          row(1, 'Ada', 'ada@quay.example', 'north/a.pdf'),
          row(2, 'Bram', 'bram@quay.example', 'C:\\x\\south\\a.pdf'),
        ],
        files: ['north', 'south'].map((folder, i) => ({ ...file(i + 1, 'a.pdf'), folder, hash: folder })),
      },
      {
        people: [row(1, 'Ada', 'ada@quay.example', 'a.pdf')],
        files: ['north', 'south'].map((folder, i) => ({ ...file(i + 1, 'a.pdf'), folder })),
      },
      {
        fileFacts: new Map([['hash of a.pdf', { kind: 'pdf', fault: null, detail: '', text: 'To ada@quay.example' }]]),
      },
      figures('4E', '1E5-12', 'E+11'),
      figures('01/01/1901', { shown: '2 Jan 1904', value: '1904-01-02' }, 'born 1900'),
      figures('£12', '£12–£15', '€5, £6'),
      figures('0.5', '0.25', '13 %'),
      figures('True', 'TRUEMAN'),
      figures('3 mars 2026', '4 janvier 2026', '5 mai 2026'),
      figures('3 May 2026', '4 Jan 2026'),
      // An error that nothing uses, and one by which people were left out for another reason.
      { ...sheet({ c4: '#N/A' }, { c4: '2' }) },
      {
        ...sheet({ c4: '1' }, { c4: '2' }),
        byRule: { columnIds: ['c4'], leftOut: [row(3, 'Cora', 'c@quay.example', '')], faults: [] },
      },
    ] satisfies Partial<RoundToProof>[])
      expect(found(fine), JSON.stringify(fine).slice(0, 300)).toEqual([])
  })
  test.each(cases)('finds: %s', (_, changes, expected) => expect(found(changes)).toEqual(expected))
  test('a drafting mark that is nearly a column is offered its field', () => {
    const [{ mends }] = proofRound({ ...good, letter: { ...good.letter, subject: 'For [fist name]' } })
    expect(mends[0]).toEqual({ do: 'swapMark', mark: '[fist name]', to: 'First name' })
  })
  test('files exchanged among people in any way: each is stopped and offered the right one, and taking these settles all', () => {
    const six = Array.from({ length: 6 }, (_, i) => i + 1)
    const files = six.map((n) => file(n, `sheet ${n}.pdf`))
    const fileFacts = new Map(
      files.map((f) => [f.hash, { kind: 'pdf', fault: null, detail: '', text: `For person${f.id}@quay.example` }]),
    )
    fc.assert(
      fc.property(fc.shuffledSubarray(six, { minLength: 6 }), (order) => {
        const rows = six.map((n, i) => row(n, `Person ${n}`, `person${n}@quay.example`, `sheet ${order[i]}.pdf`))
        const round = { ...good, people: rows, files, fileFacts }
        const findings = proofRound(round)
        const wrong = six.filter((n, i) => order[i] !== n)
        expect(findings.map((f) => [f.check, f.rowId])).toEqual(wrong.map((n) => ['wrongFile', n]))
        const mended = rows.map((r) => {
          const mend = findings.find((f) => f.rowId === r.id)?.mends[0]
          if (!mend) return r
          if (mend.do !== 'renameInCell') throw new Error(`offers ${mend.do} first`)
          return row(
            r.id,
            `Person ${r.id}`,
            `person${r.id}@quay.example`,
            swapNameInCell(String(r.cells.c3), mend.from, mend.to),
          )
        })
        expect(proofRound({ ...round, people: mended })).toEqual([])
      }),
    )
  })
  test('a cell that is worked out is not offered to be typed in', () => {
    const worked: Column[] = [
      {
        id: 'c1',
        name: 'First name',
        kind: 'text',
        recipe: { do: 'case', of: { column: 'c2' }, to: 'upper' } as never,
      },
      ...columns.slice(1),
    ]
    const blank = { columns: worked, ...people(row(1, '', 'ada@quay.example', 'a.pdf')) }
    const [blankField] = proofRound({ ...good, ...blank })
    expect(blankField.mends.map((m) => m.do)).toEqual(['goTo', 'standIn', 'setAside'])
  })
  test('every check is one that some case here sets off', () => {
    const set = new Set(cases.flatMap(([, , expected]) => expected.map(([check]) => check)))
    expect(
      checks
        .filter((c) => c.about !== 'paper')
        .map((c) => c.name)
        .filter((name) => !set.has(name)),
    ).toEqual([])
  })
  test('stops cannot be accepted, asks can, and each finding says what can be done', () => {
    const asks = proofRound({ ...good, people: [good.people[0], row(3, 'A', 'ada@quay.example', 'b.pdf')] })
    expect(mayPost(asks, new Set())).toBe(false)
    expect(mayPost(asks, new Set(asks.map((f) => f.key)))).toBe(true)
    const stops = proofRound({ ...good, addressColumn: null })
    expect(mayPost(stops, new Set(stops.map((f) => f.key)))).toBe(false)
    for (const f of [...asks, ...stops]) expect(f.mends.length).toBeGreaterThan(0)
  })
})

// What is remembered or renewed must be what a proof from the beginning says.
describe('a proof made anew for what changed', () => {
  const cell = fc.constantFrom('', 'Ada', 'ADA PENROSE', 'ada@quay.example', 'a.pdf', 'b.pdf', 'x.pdf', 'no address')
  const cells = fc.record({ c1: cell, c2: cell, c3: cell })
  const list = fc.array(cells, { minLength: 1, maxLength: 6 })
  const roundOf = (rows: { c1: string; c2: string; c3: string }[]): RoundToProof => ({
    ...good,
    people: rows.map(({ c1, c2, c3 }, i) => row(i + 1, c1, c2, c3)),
  })
  test('finds the same after any edits as one from the beginning', () => {
    fc.assert(
      fc.property(list, fc.array(fc.tuple(fc.nat(5), cells), { maxLength: 5 }), (first, edits) => {
        const memory = emptyMemory()
        const rows = [...first]
        expect(proofRound(roundOf(rows), undefined, memory)).toEqual(proofRound(roundOf(rows)))
        for (const [at, changed] of edits) {
          rows[at % rows.length] = changed
          expect(proofRound(roundOf(rows), undefined, memory)).toEqual(proofRound(roundOf(rows)))
        }
        // Another letter concerns everybody.
        const other = { ...roundOf(rows), letter: { subject: 'By [date]', body: good.letter.body } }
        expect(proofRound(other, undefined, memory)).toEqual(proofRound(other))
      }),
      { numRuns: 60 },
    )
  })
  test('for some people finds what the whole finds of them, but for what is said once of all', () => {
    fc.assert(
      fc.property(list, fc.nat(5), (rows, at) => {
        const round = roundOf(rows)
        const rowId = (at % rows.length) + 1
        const whole = proofRound(round)
        const everywhere = new Set(whole.filter((f) => f.rowId === null).map((f) => f.message))
        const renewed = proofPeople(round, new Set([rowId]))
        expect(renewed.findings.filter((f) => !everywhere.has(inEvery(f.message)))).toEqual(
          whole.filter((f) => f.rowId === rowId && !renewed.left.includes(f.check)),
        )
      }),
      { numRuns: 60 },
    )
  })
})

describe('enclosures', () => {
  test('are taken by exact name only; near ones are proposed, never taken', () => {
    const files = [file(1, 'Permit é.pdf'), file(2, 'b.pdf'), file(3, 'rules.pdf', 1, 'common')]
    const enclose = encloser(files, columns, { ...noMatching, column: 'c3' })
    // The same name composed and decomposed (Unicode normalisation forms C and D) looks alike and is alike.
    expect(enclose(row(1, 'x', 'x', 'Permit e\u0301.pdf')).files.map((f) => f.id)).toEqual([3, 1])
    expect(enclose(row(1, 'x', 'x', 'B.PDF'))).toEqual({
      files: [expect.objectContaining({ id: 3 })],
      missing: [{ name: 'B.PDF', by: 'column', near: { file: files[1], why: 'it differs in capitals only' } }],
      doubtful: [],
    })
    expect(namesInCell('C:\\permits\\a.pdf; /tmp/b.pdf\nc.pdf')).toEqual(['C:/permits/a.pdf', '/tmp/b.pdf', 'c.pdf'])
  })
  test('a text counts an octet for each character of ASCII and six for each unit beyond, whatever its length', () => {
    const piece = fc.constantFrom('a', ' ', '~', '\0', '\x7f', '\x80', 'é', '€', '🙂', '\ud83d')
    fc.assert(
      fc.property(
        fc.array(piece, { maxLength: 12 }),
        fc.constantFrom(0, 1, 21_845, 65_530, 65_536, 70_000),
        (pieces, more) => {
          const text = pieces.join('') + 'x'.repeat(more)
          const counted = text.split('').reduce((sum, unit) => sum + (unit.charCodeAt(0) < 128 ? 1 : 6), 0)
          expect(messageSize(text, '', []) - messageSize('', '', [])).toBe(Math.ceil(counted * 1.06))
        },
      ),
    )
  })

  // RFC 4648, section 4: three octets become four; RFC 2045, section 6.8: lines of at most 76 with CRLF.
  test('sizes are those of base64 in lines', () => {
    for (const n of [0, 1, 2, 3, 57, 58, 1000, 123_457]) {
      const text = Buffer.alloc(n)
        .toString('base64')
        .replace(/.{1,76}/g, '$&\r\n')
      expect(base64Size(n)).toBe(text.length)
    }
    expect(messageSize('<p>é</p>', 'é', [3])).toBeGreaterThan(base64Size(3) + 9)
  })
})

test('people with addresses in pairs and an empty column of files take no square of their number', () => {
  const pairs = (n: number): RoundToProof => ({
    ...good,
    people: Array.from({ length: n }, (_, i) => row(i + 1, `P${i}`, `p${i >> 1}@quay.example`, '')),
    files: [],
  })
  // How often cells are looked at, and not how long that takes: the same for each person, however many there are.
  const looks = (n: number) => {
    let count = 0
    const round = pairs(n)
    const people = round.people.map((one) => ({
      ...one,
      get cells() {
        count++
        return one.cells
      },
    }))
    proofRound({ ...round, people })
    return count / n
  }
  expect(looks(2000)).toBeLessThan(1.5 * looks(500))
  expect(proofRound(pairs(2000)).filter((f) => f.check === 'sameAddress')).toHaveLength(1000)
})

describe('letters on paper', () => {
  const postal = (...lines: string[]) => ({ ...row(9, 'Cora', '', ''), cells: { c1: 'Cora', c4: lines.join('\n') } })
  const proofed = (person: Row, changes: Partial<RoundToProof> = {}, tooWide = new Map<number, string[]>()) => ({
    ...good,
    columns: [...columns, { id: 'c4', name: 'Address', kind: 'text' as const }],
    paper: {
      people: [person],
      columns: ['c1', 'c4'].map((column) => ({ column, sameLine: false })),
      tooWide,
    },
    ...changes,
  })
  const of = (round: RoundToProof) =>
    proofRound(round).flatMap((f) => (f.rowId === 9 || f.rowId === null ? [[f.check, f.grade]] : []))
  const complete = postal('1 Quay', 'Brindle')
  const withFile = { ...complete, cells: { ...complete.cells, c3: 'c.xlsx' } }
  const itsFile = { files: [...good.files, file(3, 'c.xlsx')] }

  test('nothing is found where all is well, but that others have a file of their own: no address is asked for', () => {
    expect(of(proofed(complete))).toEqual([['noOwnFile', 'ask']])
    expect(of(proofed({ ...complete, cells: { ...complete.cells, c3: 'a.pdf' } }))).toEqual([['sharedFile', 'ask']])
  })
  const cases: [string, RoundToProof, [string, string]][] = [
    ['no postal address', proofed({ ...row(9, '', '', ''), cells: {} }), ['postalAddress', 'stop']],
    ['nine lines of it', proofed(postal(...'12345678')), ['postalAddress', 'stop']],
    ['a line wider than the window', proofed(complete, {}, new Map([[9, ['1 Quay']]])), ['postalAddress', 'stop']],
    ['a formula that failed in it', proofed(postal('#REF!', 'Brindle')), ['postalAddress', 'stop']],
    ['one line only', proofed(postal()), ['postalShort', 'ask']],
    ['a file that cannot be printed', proofed(withFile, itsFile), ['notPrinted', 'ask']],
    [
      'no columns chosen',
      { ...proofed(complete), paper: { people: [complete], columns: [], tooWide: new Map() } },
      ['noPostalColumns', 'stop'],
    ],
    ['a field that is blank', proofed({ ...complete, cells: { c4: '1 Quay\nBrindle' } }), ['blankField', 'stop']],
  ]
  test.each(cases)('%s', (_, round, expected) => {
    expect(of(round)).toContainEqual(expected)
    expect(proofPeople(round, new Set([9])).findings.map((f) => f.check)).toEqual(
      expected[0] === 'noPostalColumns' ? expect.anything() : expect.arrayContaining([expected[0]]),
    )
  })
  test('every check of paper is one that some case here sets off', () => {
    const set = new Set(cases.map(([, , [check]]) => check))
    expect(checks.filter((c) => c.about === 'paper' && !set.has(c.name))).toEqual([])
  })
  test('the first line that would be hidden is named', () => {
    const [{ message }] = proofRound(proofed(postal(...'12345678'))).filter((f) => f.check === 'postalAddress')
    expect(message).toBe(
      'The postal address has 9 lines, and 6 can be seen in the window. From “6” on they would be hidden.',
    )
  })
  test('a round that is all on paper has people, and wants no column of addresses', () => {
    expect(of(proofed(complete, { people: [], addressColumn: null, files: [] }))).toEqual([])
  })
  test('what checks look at of messages they do not look for on paper', () => {
    const refused = { ...complete, cells: { ...complete.cells, c2: 'not an address' } }
    expect(of(proofed(refused)).map(([check]) => check)).not.toContain('address')
  })
})
