import { compileName } from '../enclosures/names.ts'
import { eachLine, fieldsOf } from '../letter/document.ts'
import { looseBraces, parseTemplate } from '../letter/field.ts'
import { bodyIsUnwritten } from '../letter/greeting.ts'
import { draftingMarks, marksOf, nearestName } from '../letter/marks.ts'
import { addressFault, bareAddress, sameAddressKey } from '../people/address.ts'
import { shown } from '../people/cell.ts'
import { personName } from '../people/names.ts'
import { cellIn } from '../people/packed.ts'
import { nameFault } from '../people/reading.ts'
import { aroundChecks, copyCells } from './aroundChecks.ts'
import type { Check, Found } from './check.ts'
import { fileChecks } from './fileChecks.ts'
import { paperChecks } from './paperChecks.ts'
import { sheetChecks } from './sheetChecks.ts'
import { wordChecks } from './wordChecks.ts'
import { checks as say } from './words.ts'

/** Every check of the proof, in the order in which findings are shown. */
export const checks: Check[] = [
  {
    name: 'nobody',
    grade: 'stop',
    title: say.nobodyWrite,
    looksAt: say.peopleRound,
    ofRound: ({ people }) =>
      people.length > 0
        ? []
        : [
            {
              place: 'round',
              message: say.roundHasNoPeople,
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'noAddressColumn',
    grade: 'stop',
    about: 'messages',
    title: say.noColumnAddresses,
    looksAt: say.columnChosenAddresses,
    ofRound: ({ addressColumn, people }) =>
      addressColumn !== null || people.length === 0
        ? []
        : [
            {
              place: 'round',
              message: say.noColumnHoldsAddresses,
              mends: [{ do: 'goTo', stage: 'people' }],
            },
          ],
  },
  {
    name: 'emptyLetter',
    grade: 'stop',
    title: say.emptySubjectOrLetter,
    looksAt: say.subjectBodyAsWritten,
    ofRound: ({ letter }) => {
      const found: Found[] = []
      if (letter.subject.trim() === '')
        found.push({
          place: 'subject',
          message: say.letterHasNoSubject,
          mends: [{ do: 'goTo', stage: 'letter' }],
        })
      let any = letter.body.content.some((block) => block.type === 'rowsTable' || block.type === 'image')
      eachLine(letter.body.content, (line) => {
        if (line.some((i) => i.type === 'field' || (i.type === 'text' && i.text.trim() !== ''))) any = true
      })
      if (!any || bodyIsUnwritten(letter.body))
        found.push({
          place: 'body',
          message: any ? say.letterHasNoWords : say.letterHasNoWords2,
          mends: [{ do: 'goTo', stage: 'letter' }],
        })
      return found
    },
  },
  {
    name: 'unknownField',
    grade: 'stop',
    title: say.fieldWithoutColumn,
    looksAt: say.everyFieldLetterCopies,
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
          message: say.letterHasFieldBut(name, near),
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
    title: say.halfTypedField,
    looksAt: say.bracesMakeNoField,
    ofRound: ({ copies, matching }) =>
      [
        ...copies.entries.map((text) => ({ text, where: say.ccBccOrReply, stage: 'letter' as const })),
        { text: matching.pattern, where: say.patternWhichFilesFound, stage: 'enclosures' as const },
        { text: matching.sentAs, where: say.nameFilesSentUnder, stage: 'enclosures' as const },
        { text: matching.madeName, where: say.nameFilesMade, stage: 'enclosures' as const },
      ].flatMap(({ text, where, stage }) => {
        const loose = looseBraces(text ?? '')
        return loose === null
          ? []
          : [
              {
                place: `${where} ${loose}`,
                message: say.noWholeFieldWould(loose, where),
                mends: [{ do: 'goTo' as const, stage }],
              },
            ]
      }),
  },
  {
    name: 'draftingMark',
    grade: 'stop',
    title: say.draftingMarkLeftOver,
    looksAt: say.fixedWords,
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
            message: say.stillStands(mark, place),
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
    about: 'messages',
    title: say.copyOrAnswerNo,
    looksAt: say.whatCcBccReply,
    ofPerson: ({ row }, { copies }) =>
      copies
        .of(row, '')
        .wrong.filter((wrong) => looseBraces(wrong) === null)
        .map((wrong) => ({
          place: wrong,
          message: say.standsCcBccOr(wrong),
          mends: [...copyCells(row, copies), { do: 'goTo', stage: 'letter' }, { do: 'setAside', rowId: row.id }],
        })),
  },
  {
    name: 'address',
    grade: 'stop',
    about: 'messages',
    title: say.addressMissingOrWrong,
    looksAt: say.eachPersonSAddress,
    ofPerson: ({ row }, { addressColumn }) => {
      if (addressColumn === null) return []
      const address = bareAddress(shown(cellIn(row, addressColumn)))
      const fault = addressFault(address)
      if (fault === null) return []
      return [
        {
          place: 'address',
          message: address === '' ? say.thereNoAddressRow : say.addressCannotWritten(address, fault),
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
    about: 'messages',
    title: say.nameNone,
    looksAt: say.whatWouldStandBeside,
    ofPerson: ({ row }, { nameColumns }) => {
      const name = personName(row, nameColumns)
      const fault = nameFault(name)
      return fault === null
        ? []
        : [
            {
              place: 'name',
              message: say.wouldStandBesideAddress(name.length, name.slice(0, 80), name, fault),
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
    about: 'messages',
    title: say.oneNameMany,
    looksAt: say.namesBesideAddressesOne,
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
          message: say.wouldStandBesideAddresses(name, n),
          mends: [{ do: 'goTo', stage: 'people' }],
        }))
    },
  },
  {
    name: 'sameAddress',
    grade: 'ask',
    about: 'messages',
    byOthers: true,
    title: say.sameAddressMoreThan,
    looksAt: say.addressesAllPeopleRound,
    ofPerson: ({ row }, { addressColumn, shared, nameOf, sameAddress }) => {
      if (sameAddress !== null) return []
      const address = addressColumn === null ? '' : bareAddress(shown(cellIn(row, addressColumn)))
      const same = shared.get(sameAddressKey(address))
      if (address === '' || same === undefined || same.first.id === row.id) return []
      return [
        {
          place: 'address',
          message: say.alsoAddressOf(address, nameOf(same.first), same.rows),
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
    title: say.blankWithoutStand,
    looksAt: say.everyFieldLetterEvery,
    ofPerson: ({ row }, { compiled, columns, letter }) =>
      compiled.blanks(row).map((name) => {
        const column =
          columns.find((c) => c.name === name) ?? columns.find((c) => c.name.toLowerCase() === name.toLowerCase())
        const where = fieldsOf(letter).some((f) => f.field.column === name && f.place === 'subject')
          ? say.subject
          : say.letter
        return {
          place: name,
          message: say.blankHereHasNo(name, where),
          mends: [
            ...(column ? [{ do: 'editCell' as const, rowId: row.id, columnId: column.id }] : []),
            { do: 'standIn', column: name },
            { do: 'setAside', rowId: row.id },
          ],
        }
      }),
  },
  ...paperChecks,
  ...fileChecks,
  ...sheetChecks,
  ...wordChecks,
  ...aroundChecks,
]
