import { compileName } from '../enclosures/names.ts'
import { eachLine, fieldsOf } from '../letter/document.ts'
import { looseBraces, parseTemplate } from '../letter/field.ts'
import { bodyIsUnwritten } from '../letter/greeting.ts'
import { draftingMarks, marksOf, nearestName } from '../letter/marks.ts'
import { addressFault, bareAddress, sameAddressKey } from '../people/address.ts'
import { shown } from '../people/cell.ts'
import { personName } from '../people/names.ts'
import { nameFault } from '../people/reading.ts'
import { aroundChecks, copyCells } from './aroundChecks.ts'
import type { Check, Found } from './check.ts'
import { fileChecks } from './fileChecks.ts'
import { sheetChecks } from './sheetChecks.ts'
import { wordChecks } from './wordChecks.ts'

/** Every check of the proof, in the order in which findings are shown. */
export const checks: Check[] = [
  {
    name: 'nobody',
    grade: 'stop',
    title: 'Nobody to write to',
    looksAt: 'the people of the round',
    ofRound: ({ people }) =>
      people.length > 0
        ? []
        : [
            {
              place: 'round',
              message: 'The round has no people. Bring in a list, or change the rules.',
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'noAddressColumn',
    grade: 'stop',
    title: 'No column of addresses',
    looksAt: 'the column chosen for the addresses',
    ofRound: ({ addressColumn, people }) =>
      addressColumn !== null || people.length === 0
        ? []
        : [
            {
              place: 'round',
              message: 'No column holds the addresses. Choose it at People.',
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'emptyLetter',
    grade: 'stop',
    title: 'Empty subject or letter',
    looksAt: 'the subject and the body as written',
    ofRound: ({ letter }) => {
      const found: Found[] = []
      if (letter.subject.trim() === '')
        found.push({
          place: 'subject',
          message: 'The letter has no subject.',
          mends: [{ do: 'goTo', stage: 'letter' }],
        })
      let any = letter.body.content.some((block) => block.type === 'rowsTable' || block.type === 'image')
      eachLine(letter.body.content, (line) => {
        if (line.some((i) => i.type === 'field' || (i.type === 'text' && i.text.trim() !== ''))) any = true
      })
      if (!any || bodyIsUnwritten(letter.body))
        found.push({
          place: 'body',
          message: any ? 'The letter has no words but its greeting.' : 'The letter has no words.',
          mends: [{ do: 'goTo', stage: 'letter' }],
        })
      return found
    },
  },
  {
    name: 'unknownField',
    grade: 'stop',
    title: 'Field without a column',
    looksAt: 'every field of the letter, of its copies and of the names of files, against the columns of the list',
    ofRound: ({ compiled, copies, columns, matching }) =>
      [
        ...new Set([
          ...compiled.unknown,
          ...copies.unknown,
          ...[matching.pattern, matching.sentAs, matching.madeName].flatMap((name) =>
            name ? compileName(name, columns).unknown : [],
          ),
        ]),
      ].map((name) => {
        const near = nearestName(
          name,
          columns.map((c) => c.name),
        )
        return {
          place: name,
          message: `The letter has the field “${name}”, but the list has no column of that name.${near ? ` The nearest is “${near}”.` : ''}`,
          mends: [
            ...(near ? [{ do: 'swapField' as const, from: name, to: near }] : []),
            { do: 'goTo', stage: 'letter', find: name },
          ],
        }
      }),
  },
  {
    name: 'halfField',
    grade: 'stop',
    title: 'Half-typed field',
    looksAt: 'braces that make no field in Cc, Bcc, Reply-To, and in the names and patterns of files',
    ofRound: ({ copies, matching }) =>
      [
        ...copies.entries.map((text) => ({ text, where: 'Cc, Bcc or Reply-To', stage: 'letter' as const })),
        { text: matching.pattern, where: 'the pattern by which files are found', stage: 'enclosures' as const },
        { text: matching.sentAs, where: 'the name that files are sent under', stage: 'enclosures' as const },
        { text: matching.madeName, where: 'the name of the files that are made', stage: 'enclosures' as const },
      ].flatMap(({ text, where, stage }) => {
        const loose = looseBraces(text ?? '')
        return loose === null
          ? []
          : [
              {
                place: `${where} ${loose}`,
                message: `“${loose}” in ${where} is no whole field: it would stand there as it is. A field is typed {{like this}}.`,
                mends: [{ do: 'goTo' as const, stage }],
              },
            ]
      }),
  },
  {
    name: 'draftingMark',
    grade: 'stop',
    title: 'Drafting mark left over',
    looksAt: 'the fixed words of subject and body: XXX, [name], <<name>>, ____, TBC, ???, loose braces',
    ofRound: ({ letter, columns }) => {
      const found: Found[] = []
      const offered = new Map(
        marksOf(
          letter,
          columns.map((c) => c.name),
        ).map((m) => [m.mark, m.near]),
      )
      const told = new Set<string>()
      const look = (text: string, place: string) => {
        for (const mark of draftingMarks(text)) {
          if (told.has(`${place} ${mark}`)) continue
          told.add(`${place} ${mark}`)
          const near = offered.get(mark)
          found.push({
            place: `${place} ${mark}`,
            message: `“${mark}” still stands in the ${place}.`,
            mends: [
              ...(near ? [{ do: 'swapMark' as const, mark, to: near }] : []),
              { do: 'goTo' as const, stage: 'letter' as const, find: mark },
            ],
          })
        }
      }
      look(
        parseTemplate(letter.subject)
          .filter((s) => typeof s === 'string')
          .join(' '),
        'subject',
      )
      eachLine(letter.body.content, (line) =>
        look(line.map((i) => (i.type === 'text' ? i.text : ' ')).join(''), 'letter'),
      )
      return found
    },
  },
  {
    name: 'copyAddress',
    grade: 'stop',
    title: 'Copy or answer to no address',
    looksAt: 'what Cc, Bcc and Reply-To come to for each person',
    ofPerson: ({ row }, { copies }) =>
      copies
        .of(row, '')
        .wrong.filter((wrong) => looseBraces(wrong) === null)
        .map((wrong) => ({
          place: wrong,
          message: `“${wrong}” stands in Cc, Bcc or Reply-To, but is no address.`,
          mends: [...copyCells(row, copies), { do: 'goTo', stage: 'letter' }, { do: 'setAside', rowId: row.id }],
        })),
  },
  {
    name: 'address',
    grade: 'stop',
    title: 'Address missing or wrong',
    looksAt: "each person's address, by RFC 5321 and RFC 5322",
    ofPerson: ({ row }, { addressColumn }) => {
      if (addressColumn === null) return []
      const address = bareAddress(shown(row.cells[addressColumn]))
      const fault = addressFault(address)
      if (fault === null) return []
      return [
        {
          place: 'address',
          message:
            address === ''
              ? 'There is no address in this row.'
              : `The address “${address}” cannot be written to: ${fault}.`,
          mends: [
            { do: 'editCell', rowId: row.id, columnId: addressColumn },
            { do: 'setAside', rowId: row.id },
          ],
        },
      ]
    },
  },
  {
    name: 'displayName',
    grade: 'ask',
    title: 'A name that is none',
    looksAt:
      'what would stand beside each address as the person’s name: numbers, addresses, sentences, more than 60 characters',
    ofPerson: ({ row }, { nameColumns }) => {
      const name = personName(row, nameColumns)
      const fault = nameFault(name)
      return fault === null
        ? []
        : [
            {
              place: 'name',
              message: `“${name.length > 80 ? `${name.slice(0, 80)}…` : name}” would stand beside the address as this person’s name, and ${fault}.`,
              mends: [
                ...nameColumns.map((columnId) => ({ do: 'editCell' as const, rowId: row.id, columnId })),
                { do: 'goTo', stage: 'people' },
                { do: 'setAside', rowId: row.id },
              ],
            },
          ]
    },
  },
  {
    name: 'sameName',
    grade: 'ask',
    title: 'One name for many',
    looksAt: 'the names beside the addresses: one that more than three people, and a tenth of all, would bear',
    ofRound: ({ people, nameColumns }) => {
      const count = new Map<string, number>()
      for (const row of people) {
        const name = personName(row, nameColumns)
        if (name !== '') count.set(name, (count.get(name) ?? 0) + 1)
      }
      return [...count]
        .filter(([, n]) => n > 3 && n > people.length / 10)
        .map(([name, n]) => ({
          place: name,
          message: `“${name}” would stand beside the addresses of ${n.toLocaleString('en-GB')} people as their name.`,
          mends: [{ do: 'goTo', stage: 'people' }],
        }))
    },
  },
  {
    name: 'sameAddress',
    grade: 'ask',
    byOthers: true,
    title: 'Same address more than once',
    looksAt: 'the addresses of all people of the round, without regard to case',
    ofPerson: ({ row }, { addressColumn, byAddress, byId, nameOf, sameAddress }) => {
      if (sameAddress !== null) return []
      const address = addressColumn === null ? '' : bareAddress(shown(row.cells[addressColumn]))
      const same = byAddress.get(sameAddressKey(address)) ?? []
      if (address === '' || same.length < 2 || same[0] === row.id) return []
      const first = byId.get(same[0])
      return [
        {
          place: 'address',
          message: `${address} is also the address of ${first ? nameOf(first) : 'another row'}: the same mailbox would get ${same.length} messages.`,
          mends: [
            { do: 'sameAddress', way: 'joined' },
            { do: 'sameAddress', way: 'first' },
            { do: 'sameAddress', way: 'each' },
            { do: 'setAside', rowId: row.id },
            { do: 'editCell', rowId: row.id, columnId: addressColumn! },
          ],
        },
      ]
    },
  },
  {
    name: 'blankField',
    grade: 'stop',
    title: 'Blank without a stand-in',
    looksAt: 'every field of the letter in every row',
    ofPerson: ({ row }, { compiled, columns, letter }) =>
      compiled.blanks(row).map((name) => {
        const column =
          columns.find((c) => c.name === name) ?? columns.find((c) => c.name.toLowerCase() === name.toLowerCase())
        const where = fieldsOf(letter).some((f) => f.field.column === name && f.place === 'subject')
          ? 'the subject'
          : 'the letter'
        return {
          place: name,
          message: `“${name}” is blank here, and ${where} has no stand-in for it.`,
          mends: [
            ...(column ? [{ do: 'editCell' as const, rowId: row.id, columnId: column.id }] : []),
            { do: 'standIn', column: name },
            { do: 'setAside', rowId: row.id },
          ],
        }
      }),
  },
  ...fileChecks,
  ...sheetChecks,
  ...wordChecks,
  ...aroundChecks,
]
