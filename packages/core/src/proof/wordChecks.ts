import { addressesOf, eachBlock, fieldsOf, fixedTexts, type Letter } from '../letter/document.ts'
import { parseTemplate } from '../letter/field.ts'
import { slips } from '../letter/marks.ts'
import { bareAddress, domainOf } from '../people/address.ts'
import { type Row, shown } from '../people/cell.ts'
import { isDay, parsedValue } from '../people/kinds.ts'
import { cellIn } from '../people/packed.ts'
import type { Check, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'
import { atCell, usedColumns } from './sheetChecks.ts'
import { wordChecks as say } from './words.ts'

const toLetter: Mend[] = [{ do: 'goTo', stage: 'letter' }]
const toWords = (find: string): Mend => ({ do: 'goTo', stage: 'letter', find })

/** The words of a message's html, with tags as line ends: what is set apart there is not read together. */
const wordsOf = (html: string) =>
  html
    .replace(/^[\s\S]*?<div class="words"[^>]*>/, '')
    .replace(/<\/?(strong|em|u|span|a)\b[^>]*>/g, '')
    .replace(/<[^>]*>/g, '\n')
    .replace(/&nbsp;/g, ' ')
    .replace(/&amp;/g, '&')

const months = 'January|February|March|April|May|June|July|August|September|October|November|December'
const days = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']
const dayAndDate = new RegExp(
  `\\b(${days.join('|')}),? (?:the )?(\\d{1,2})(?:st|nd|rd|th)? (?:of )?(${months}),? (\\d{4})\\b`,
  'g',
)
const numbersOfMonths = new Map(months.split('|').map((name, i) => [name, i]))

// Day 1 of 2000 and the last of 2049 in the 1900 system of ECMA-376.
const serials: [number, number] = [36_526, 54_788]
const aboutDays = /date|due|\bday\b|until|expir|\bon\b|\bby\b|from|since|birth|\bend|start|valid/i

/** How often each domain stands among the people, found once for a round. */
const domainCounts = new WeakMap<Row[], Map<string, number>>()
function domainsOf({ people, addressColumn }: RoundFacts): Map<string, number> {
  let counts = domainCounts.get(people)
  if (!counts) {
    counts = new Map()
    for (const row of people) {
      const address = addressColumn ? bareAddress(shown(cellIn(row, addressColumn))) : ''
      if (address.includes('@')) counts.set(domainOf(address), (counts.get(domainOf(address)) ?? 0) + 1)
    }
    domainCounts.set(people, counts)
  }
  return counts
}
/** From how many people on a domain counts as common in the list. Common practice, no source. */
const common = 5

/** A space (a hard one too, which a browser does not fold away) between words, or a character, too many. */
const tooMany = /[ \u00a0]{2,200}(?=\S)| [,;](?=\s|$)|,,|\( {0,60}\)/gm
/** How many characters of the words around it are shown. */
const around = 60

/** Where a text has a space or a character too many: it with the words around it; null where it has none. */
export function findTooMany(text: string): string | null {
  tooMany.lastIndex = 0
  let found = tooMany.exec(text)
  // Spaces at the beginning of a line are not between words. (To look behind in the pattern takes several times as long.)
  while (found && /^[ \u00a0]{2}/.test(found[0]) && (found.index === 0 || /\s/.test(text[found.index - 1]))) {
    // The last of them may stand before a comma.
    tooMany.lastIndex--
    found = tooMany.exec(text)
  }
  if (!found) return null
  // A pair of brackets with nothing in it is shown by itself.
  if (found[0].startsWith('(')) return found[0]
  const end = found.index + found[0].length
  const before = /\S{0,60}$/.exec(text.slice(Math.max(0, found.index - around), found.index))![0]
  const after =
    found[0].startsWith(' ') && /[,;]$/.test(found[0]) ? '' : /^\S{0,60}/.exec(text.slice(end, end + around))![0]
  return before + found[0] + after
}

/** The weekdays in some texts that do not fit the dates behind them, each once. */
function wrongDaysIn(texts: readonly string[]): { said: string; right: string }[] {
  const wrong = new Map<string, string>()
  for (const text of texts)
    for (const [said, day, date, month, year] of text.matchAll(dayAndDate)) {
      const right = days[new Date(Date.UTC(Number(year), numbersOfMonths.get(month)!, Number(date))).getUTCDay()]
      if (right !== day) wrong.set(said, right)
    }
  return [...wrong].map(([said, right]) => ({ said, right }))
}

/** What is found once for a letter. */
function ofLetter<T>(find: (letter: Letter) => T): (letter: Letter) => T {
  const known = new WeakMap<Letter, { found: T }>()
  return (letter) => {
    let kept = known.get(letter)
    if (!kept) {
      kept = { found: find(letter) }
      known.set(letter, kept)
    }
    return kept.found
  }
}
/** Whether a letter has tables. */
const hasTables = ofLetter((letter) => {
  let has = false
  eachBlock(letter.body.content, (part) => {
    if (part.type === 'table' || part.type === 'rowsTable') has = true
  })
  return has
})
/** The weekdays that the letter itself has wrong, whoever gets it. */
const wrongDays = ofLetter((letter) => wrongDaysIn(fixedTexts(letter)))
/** The spaces and characters too many that the letter itself has, whoever gets it: each with the words around it. */
const tooManyIn = ofLetter((letter) => [
  ...new Set(
    fixedTexts(letter).flatMap((text) => {
      const found: string[] = []
      let rest = text.trim()
      // A text has few; what is found once is taken out before the next is looked for.
      for (let one = findTooMany(rest); one !== null && found.length < 20; one = findTooMany(rest)) {
        found.push(one)
        rest = rest.split(one).join('x')
      }
      return found
    }),
  ),
])

const stray = /\d\.\d{9,}/
const speaksOf = /\b(attached|attachment|enclosed|enclosure|find attached|I enclose|we enclose)\b/i

/** The checks of what the words say, once they are filled in. */
/** How a date is written, whatever day it is: figures by how many there are of a year, words as words. */
const spelling = (text: string) =>
  text
    .replace(/\p{L}+/gu, 'word')
    .replace(/\d{4}/g, 'year')
    .replace(/\d+/g, 'n')
    .replace(/\s+/g, ' ')

export const wordChecks: Check[] = [
  {
    name: 'nearDomain',
    grade: 'ask',
    about: 'messages',
    byOthers: true,
    title: say.addressOneSlipFrom,
    looksAt: say.partEachAddressAfter,
    ofPerson: ({ row }, facts) => {
      if (facts.addressColumn === null) return []
      const address = bareAddress(shown(cellIn(row, facts.addressColumn)))
      const counts = domainsOf(facts)
      const own = domainOf(address)
      if (!address.includes('@') || counts.get(own)! >= common) return []
      const near = [...counts].find(([other, n]) => n >= common && other !== own && slips(own, other, 1) <= 1)
      return near
        ? [
            {
              place: own,
              message: say.oneSlipAwayFrom(own, near[0], near[1]),
              mends: [
                { do: 'editCell', rowId: row.id, columnId: facts.addressColumn },
                { do: 'setAside', rowId: row.id },
              ],
            },
          ]
        : []
    },
  },
  {
    name: 'weekday',
    grade: 'stop',
    title: say.weekdayDoesNotFit,
    looksAt: say.everyDateWeekdayWords,
    // What the letter itself says wrong is said once, as the letter's.
    ofRound: ({ letter }) =>
      wrongDays(letter).map(({ said, right }) => ({
        place: said,
        message: say.letterSaysDay(said, right),
        mends: [toWords(said)],
      })),
    ofPerson: ({ row, merged }, { letter }) =>
      wrongDaysIn([merged.subject, merged.text])
        .filter(({ said }) => !wrongDays(letter).some((own) => own.said === said))
        .map(({ said, right }) => ({
          place: said,
          message: say.day(said, right),
          mends: [toWords(said), { do: 'goTo', stage: 'people' }, { do: 'setAside', rowId: row.id }],
        })),
  },
  {
    name: 'dateSerial',
    grade: 'stop',
    title: say.numberLooksLikeDate,
    looksAt: say.wholeNumbersFiveFigures,
    ofPerson: ({ row }, facts) =>
      usedColumns(facts).flatMap((column) => {
        const text = shown(cellIn(row, column.id)).trim()
        const value = Number(text)
        const isSerial = /^\d{5}(\.\d+)?$/.test(text) && value >= serials[0] && value <= serials[1]
        if (!isSerial || !aboutDays.test(column.name)) return []
        const day = new Date(Date.UTC(1899, 11, 30) + Math.floor(value) * 86_400_000)
        const words = new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeZone: 'UTC' }).format(day)
        return [
          {
            place: column.id,
            message: say.asWorkbookCountsDays(column.name, text, words),
            mends: atCell(row, column),
          },
        ]
      }),
  },
  {
    name: 'floatNoise',
    grade: 'stop',
    title: say.figureStrayDecimals,
    looksAt: say.figuresNineDecimalsMore,
    ofPerson: ({ row, merged }, facts) => {
      const noise = (stray.exec(merged.subject) ?? stray.exec(merged.text))?.[0]
      if (!noise) return []
      const column = usedColumns(facts).find((c) => shown(cellIn(row, c.id)).includes(noise))
      return [
        {
          place: column?.id ?? 'text',
          message: say.shownRounded(
            column ? say.columnIs(column.name, shown(cellIn(row, column.id)).trim()) : say.standsLetter(noise),
          ),
          mends: [...toLetter, ...(column ? atCell(row, column) : [])],
        },
      ]
    },
  },
  {
    name: 'datePast',
    grade: 'note',
    title: say.dayPast,
    looksAt: say.datesColumnsLetterUses,
    ofRound: (facts) =>
      usedColumns(facts).flatMap((column) => {
        const { today } = facts.making
        if (!isDay(column) || !today) return []
        const past = facts.people.filter((row) => {
          const day = parsedValue(cellIn(row, column.id), column)
          return typeof day === 'string' && day.slice(0, 10) < today
        }).length
        return past === 0
          ? []
          : [
              {
                place: column.id,
                message: say.pastPeople(column.name, past),
                mends: [{ do: 'goTo', stage: 'people' } as Mend],
              },
            ]
      }),
  },
  {
    name: 'mixedDates',
    grade: 'ask',
    title: say.datesWrittenSeveralWays,
    looksAt: say.howDatesEachColumn,
    ofRound: (facts) =>
      usedColumns(facts)
        .filter(isDay)
        .filter(({ name }) =>
          fieldsOf(facts.letter).some(
            ({ field }) => field.format === null && field.column.trim().toLowerCase() === name.trim().toLowerCase(),
          ),
        )
        .flatMap((column) => {
          const ways = new Map<string, { example: string; row: Row; n: number }>()
          for (const row of facts.people) {
            const text = shown(cellIn(row, column.id)).trim()
            if (text === '') continue
            const way = ways.get(spelling(text))
            if (way) way.n++
            else ways.set(spelling(text), { example: text, row, n: 1 })
          }
          if (ways.size < 2) return []
          const sorted = [...ways.values()].sort((a, b) => b.n - a.n)
          return [
            {
              place: column.id,
              message: say.letterWritesAsList(
                column.name,
                ways.size,
                sorted
                  .slice(0, 3)
                  .map(
                    ({ example, n, row }) =>
                      `“${example}” ${n === 1 ? `for ${facts.nameOf(row)}` : `for ${n.toLocaleString('en-GB')}`}`,
                  )
                  .join(', '),
              ),
              mends: [
                { do: 'goTo', stage: 'letter', find: column.name } as Mend,
                ...atCell(sorted.at(-1)!.row, column),
              ],
            },
          ]
        }),
  },
  {
    name: 'capitals',
    grade: 'note',
    title: say.nameAllCapitals,
    looksAt: say.namesPeopleColumnsLetter,
    ofPerson: ({ row }, facts) =>
      usedColumns(facts)
        .filter((column) => facts.nameColumns.includes(column.id))
        .flatMap((column) => {
          const name = shown(cellIn(row, column.id)).trim()
          return /^\p{Lu}[\p{Lu}\s'’-]{3,}$/u.test(name)
            ? [
                {
                  place: column.id,
                  message: say.writtenCapitals(name),
                  mends: [...atCell(row, column), ...toLetter],
                },
              ]
            : []
        }),
  },
  {
    name: 'spacing',
    grade: 'ask',
    title: say.doubledSpaceOrStray,
    looksAt: say.spacesPunctuationWordsEach,
    ofRound: ({ letter }) =>
      tooManyIn(letter).map((found) => ({
        place: found.trim().slice(0, 60),
        message: say.letterHasSpaceOr(found.trim().slice(0, 60)),
        mends: [toWords(found.trim())],
      })),
    ofPerson: ({ row, merged }, { letter }) => {
      // The plain text pads its tables; where there are some, the html is read instead.
      const words = hasTables(letter) && !letter.plain ? wordsOf(merged.html) : merged.text
      // What the letter itself has was said of it; what comes of filling it in is the person's.
      const without = (text: string) => tooManyIn(letter).reduce((rest, own) => rest.split(own).join('x'), text)
      const found = (findTooMany(without(merged.subject)) ?? findTooMany(without(words)) ?? '').trim()
      return found !== ''
        ? [
            {
              place: found.slice(0, 60),
              message: say.spaceOrCharacterToo(found.slice(0, 60)),
              mends: [toWords(found), { do: 'goTo', stage: 'people' }, { do: 'setAside', rowId: row.id }],
            },
          ]
        : []
    },
  },
  {
    name: 'longSubject',
    grade: 'note',
    about: 'messages',
    title: say.longSubject,
    looksAt: say.howManyCharactersLongest,
    ofPerson: ({ merged }) =>
      merged.subject.length <= 100
        ? []
        : [
            {
              place: 'subject',
              message: say.subjectHasCharactersInboxes(merged.subject.length),
              mends: toLetter,
            },
          ],
  },
  {
    name: 'speaksOfFile',
    grade: 'ask',
    title: say.speaksEnclosureWhereThere,
    looksAt: say.wordsAttachedEnclosedTheir,
    ofPerson: ({ row, merged, enclosed }) => {
      const word = enclosed.files.length > 0 ? null : speaksOf.exec(merged.text)
      return word
        ? [
            {
              place: word[0].toLowerCase(),
              message: say.letterSaysNoFile(word[0]),
              mends: [{ do: 'goTo', stage: 'enclosures' }, toWords(word[0]), { do: 'setAside', rowId: row.id }],
            },
          ]
        : []
    },
  },
  {
    name: 'link',
    grade: 'ask',
    title: say.linkNotSafe,
    looksAt: say.addressesLinksButtonsWhether,
    ofRound: ({ letter }) =>
      addressesOf(letter).flatMap((href) => {
        const fixed = parseTemplate(href).every((s) => typeof s === 'string')
        const why = /^http:/i.test(href)
          ? say.notHttpsCanRead
          : fixed && !/^(https:\/\/[^\s/]+\.[^\s/]|mailto:[^\s@]+@|tel:\+?[\d\s-]+)/i.test(href.trim())
            ? say.leadsNowhere
            : null
        return why ? [{ place: href, message: say.link(href, why), mends: [toWords(href)] }] : []
      }),
  },
  {
    name: 'pictureWords',
    grade: 'ask',
    title: say.pictureWithoutWords,
    looksAt: say.whetherEachPictureHas,
    ofRound: ({ letter }) => {
      let without = 0
      eachBlock(letter.body.content, (part) => {
        if (part.type === 'image' && !part.attrs.alt?.trim()) without++
      })
      return without === 0
        ? []
        : [
            {
              place: 'letter',
              message: say.picturesHaveNoWords(without),
              mends: toLetter,
            },
          ]
    },
  },
]
