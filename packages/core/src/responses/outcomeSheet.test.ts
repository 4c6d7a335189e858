import fc from 'fast-check'
import Papa from 'papaparse'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, test } from 'vitest'
import { asBeforeDefusing, csvText } from './csv.ts'
import { outcomes, outcomeWords, responseKinds } from './outcome.ts'
import {
  type OutcomeColumn,
  outcomeCells,
  outcomeColumns,
  outcomeHeadings,
  outcomeKind,
  type SheetCell,
  type SheetLetter,
  type SheetRow,
  usualOutcomeColumns,
  zonedIso,
} from './outcomeSheet.ts'

const sentAt = Date.UTC(2026, 10, 3, 9)
const aLetter = (parts: Partial<SheetLetter> = {}): SheetLetter => ({
  rowId: 1,
  state: 'sent',
  outcome: 'sent',
  sentAt,
  address: 'ada@village.example',
  from: 'Office <office@quay.example>',
  subject: 'Berth',
  files: ['a.pdf', 'b.pdf'],
  answer: '250 OK',
  version: 1,
  choice: null,
  word: null,
  responses: [],
  fetched: { opens: 0, clicks: 0, links: [] },
  returned: [],
  awayUntil: null,
  ...parts,
})
const came = (kind: SheetLetter['responses'][number]['kind'], minutes: number, more: object = {}) => ({
  kind,
  at: sentAt + minutes * 60_000,
  automatic: false,
  words: '',
  ...more,
})
const cell = (name: OutcomeColumn, row: Partial<SheetRow>): SheetCell =>
  outcomeCells([name], { letters: [], chased: [], paper: null, ...row })[0]

const text = fc.oneof(
  fc.string({ unit: 'grapheme' }),
  fc.constantFrom('', '=1+1', '-5', '"', 'a,b', 'two\nlines', "'=x"),
)
const letter = fc.record({
  outcome: fc.constantFrom(...outcomes),
  sentAt: fc.option(fc.constant(sentAt)),
  answer: fc.option(text),
  version: fc.constantFrom(1, 2),
  choice: fc.option(text),
  word: fc.option(text),
  responses: fc.array(
    fc.record({
      kind: fc.constantFrom(...responseKinds),
      at: fc.integer({ min: sentAt, max: sentAt + 1e9 }),
      of: fc.constantFrom('person' as const, 'other' as const),
      automatic: fc.boolean(),
      words: text,
    }),
    { maxLength: 4 },
  ),
  fetched: fc.record({ opens: fc.nat(9), clicks: fc.nat(9), links: fc.array(text, { maxLength: 2 }) }),
})
const row: fc.Arbitrary<SheetRow> = fc.record({
  letters: fc.array(letter.map(aLetter), { maxLength: 3 }),
  chased: fc.array(fc.record({ sentAt: fc.integer({ min: sentAt, max: sentAt + 1e9 }) }), { maxLength: 3 }),
  paper: fc.constant(null),
})

describe('the outcome sheet', () => {
  test('has a heading of its own for each column, and each cell is of the kind that its column says', () => {
    expect(new Set(Object.values(outcomeHeadings)).size).toBe(outcomeColumns.length)
    expect(usualOutcomeColumns.every((name) => outcomeColumns.includes(name))).toBe(true)
    const kinds = { text: 'text', number: 'number', dateTime: 'at' }
    fc.assert(
      fc.property(row, (given) => {
        for (const [i, one] of outcomeCells(outcomeColumns, given).entries())
          if (one !== null) expect(Object.keys(one)).toEqual([kinds[outcomeKind(outcomeColumns[i])]])
      }),
    )
  })

  test('calls each outcome as it is called, and tells only of what people did', () => {
    fc.assert(
      fc.property(row, (given) => {
        const outcome = cell('outcome', given)
        expect(['not in this round', ...Object.values(outcomeWords)]).toContain((outcome as { text: string }).text)
        const own = given.letters.flatMap((l) => l.responses).filter((r) => r.of === 'person' && !r.automatic)
        const at = (kinds: string[]) => own.filter((r) => kinds.includes(r.kind)).map((r) => r.at)
        const first = (name: OutcomeColumn, kinds: string[]) =>
          expect(cell(name, given)).toEqual(at(kinds).length > 0 ? { at: Math.min(...at(kinds)) } : null)
        first('opened', ['open', 'click'])
        first('repliedAt', ['reply'])
        first('bouncedAt', ['bounce'])
        first('optedOut', ['optOut'])
        expect(cell('openedTimes', given) === null).toBe(at(['open']).length === 0)
      }),
    )
  })

  test('tells what was sent, how often it was opened and chased, and what came back', () => {
    const letters = [
      aLetter({ sentAt: sentAt - 60_000, subject: 'First' }),
      aLetter({
        version: 2,
        choice: 'Yes',
        word: 'coming',
        returned: ['form.pdf', 'photo.jpg'],
        awayUntil: '2026-11-20',
        fetched: { opens: 7, clicks: 3, links: ['quay.example/rules'] },
        responses: [
          came('open', 1, { automatic: true }),
          came('open', 5),
          came('open', 90),
          came('click', 6),
          came('reply', 10, { words: 'Yes.' }),
          came('reply', 20, { words: 'And more.' }),
          came('reply', 2, { words: 'Not me.', of: 'copy' }),
        ],
      }),
    ]
    const chased = [{ sentAt: sentAt + 5 }, { sentAt: sentAt + 9 }]
    const all = Object.fromEntries(outcomeColumns.map((name) => [name, cell(name, { letters, chased })]))
    expect(all).toMatchObject({
      sentAt: { at: sentAt - 60_000 },
      subject: { text: 'Berth' },
      files: { text: 'a.pdf, b.pdf' },
      answer: { text: '250 OK' },
      opened: { at: sentAt + 5 * 60_000 },
      openedLast: { at: sentAt + 90 * 60_000 },
      openedTimes: { number: 6 },
      clickedTimes: { number: 3 },
      links: { text: 'quay.example/rules' },
      repliedAt: { at: sentAt + 10 * 60_000 },
      words: { text: 'Yes.' },
      choice: { text: 'Yes' },
      word: { text: 'coming' },
      returned: { text: 'form.pdf, photo.jpg' },
      awayUntil: { text: '2026-11-20' },
      chasedTimes: { number: 2 },
      chasedLast: { at: sentAt + 9 },
      version: { text: '1, 2' },
      bouncedAt: null,
      optedOut: null,
      paperAt: null,
    })
  })

  test('has who got the letter on paper', () => {
    const paper = { state: 'printed' as const, printedAt: sentAt }
    expect(outcomeCells(['outcome', 'sentAt', 'paperAt'], { letters: [], chased: [], paper })).toEqual([
      { text: 'by paper post' },
      null,
      { at: sentAt },
    ])
  })
})

test('as CSV it is read back by another reader as it was (RFC 4180, Papa Parse)', () => {
  fc.assert(
    fc.property(fc.array(fc.array(text, { minLength: 2, maxLength: 4 }), { minLength: 1, maxLength: 6 }), (rows) => {
      const file = csvText(rows)
      const read = Papa.parse<string[]>(file.replace(/^\ufeff/, '').replace(/\r\n$/, ''), { newline: '\r\n' })
      expect(read.errors.filter((e) => e.type !== 'Delimiter')).toEqual([])
      expect(read.data.map((line) => line.map(asBeforeDefusing))).toEqual(rows)
    }),
  )
})

test('times are those of the mailbox’s zone, by the offset that it had then (ISO 8601), as Temporal writes them', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: Date.UTC(1980, 0), max: Date.UTC(2035, 0) }).map((ms) => Math.floor(ms / 1000) * 1000),
      fc.constantFrom('Europe/London', 'Asia/Kolkata', 'America/St_Johns', 'Pacific/Chatham', 'UTC'),
      (at, zone) => {
        const zoned = Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone)
        expect(zonedIso(at, zone)).toBe(zoned.toString({ timeZoneName: 'never' }))
      },
    ),
  )
})
