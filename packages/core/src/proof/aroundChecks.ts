import { choiceOf, choiceSets, fewestChoices, mostNumbered, offeredChoices } from '../letter/choices.ts'
import { parseTemplate } from '../letter/field.ts'
import { lostInPlain } from '../letter/plain.ts'
import { momentWords } from '../mailboxes/zone.ts'
import { bareAddress, domainOf, sameAddressKey } from '../people/address.ts'
import { type Row, shown } from '../people/cell.ts'
import { personName } from '../people/names.ts'
import { cellIn } from '../people/packed.ts'
import { listed, sentence, some, verb } from '../words.ts'
import type { Check, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'
import { aroundChecks as say } from './words.ts'

/** How a message sent before is found: by its address and its subject. */
export const hadKey = (address: string, subject: string): string => `${sameAddressKey(address)}\n${subject.trim()}`

const day = (at: number) =>
  new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' })
const toLetter: Mend = { do: 'goTo', stage: 'letter' }
/** The cells that a person's copies come from. */
export const copyCells = (row: Row, { columnIds }: RoundFacts['copies']): Mend[] =>
  columnIds.map((columnId) => ({ do: 'editCell', rowId: row.id, columnId }))
const toPeople: Mend = { do: 'goTo', stage: 'people' }
const toDispatch: Mend = { do: 'goTo', stage: 'dispatch' }
const addressOf = ({ addressColumn }: RoundFacts, row: RoundFacts['people'][number]) =>
  addressColumn === null ? '' : bareAddress(shown(cellIn(row, addressColumn)))

/** Whether an address belongs to the writer's own organisation: its domain, or one below it. */
export const isOwn = (address: string, ownDomains: readonly string[]): boolean =>
  ownDomains.some((own) => domainOf(address) === own || domainOf(address).endsWith(`.${own}`))

/** How many recipients a round's messages have in all, and one message at most. */
function recipientsOf(facts: RoundFacts): { all: number; most: number } {
  let all = 0
  let most = 0
  for (const row of facts.people) {
    const { cc, bcc } = facts.copies.of(row, addressOf(facts, row))
    const n = 1 + cc.length + bcc.length
    all += n
    most = Math.max(most, n)
  }
  return { all, most }
}

/** A time of somebody's own is mended in its cell, where it has one, or by other hours. */
const mendsOfTime = (row: Row, column: string | null): Mend[] => [
  ...(column === null ? [] : [{ do: 'editCell' as const, rowId: row.id, columnId: column }]),
  toDispatch,
]

/** The checks of what lies around the round: to whom it goes, what was sent before, what the mailbox may send. */
export const aroundChecks: Check[] = [
  {
    name: 'unclearRule',
    grade: 'stop',
    title: say.ruleCannotFollowed,
    looksAt: say.rulesChoosePeoplePassages,
    ofRound: ({ byRule, compiled }) => [
      ...(byRule?.faults ?? []).map((words, i) => ({ place: `people ${i}`, message: words, mends: [toPeople] })),
      ...compiled.ruleFaults.map((words, i) => ({
        place: `letter ${i}`,
        message: say.passageLetter(words),
        mends: [toLetter],
      })),
    ],
  },
  {
    name: 'emptySubject',
    grade: 'stop',
    title: say.subjectEmptySomebody,
    looksAt: say.subjectEachMessageOnce,
    ofPerson: ({ row, merged }, { letter }) =>
      merged.subject.trim() !== '' || letter.subject.trim() === ''
        ? []
        : [
            {
              place: 'subject',
              message: say.nothingLeftSubjectAs,
              mends: [toLetter, { do: 'setAside', rowId: row.id }],
            },
          ],
  },
  {
    name: 'sameSubject',
    grade: 'note',
    title: say.subjectFieldsSameAll,
    looksAt: say.subjectsAllMessagesWhere,
    ofRound: ({ letter, people, compiled }) => {
      if (people.length < 3 || parseTemplate(letter.subject).every((part) => typeof part === 'string')) return []
      const first = compiled.merge(people[0]).subject
      return people.every((row) => compiled.merge(row).subject === first)
        ? [
            {
              place: 'subject',
              message: say.subjectHasFieldsComes(first),
              mends: [toLetter],
            },
          ]
        : []
    },
  },
  {
    name: 'noPlainText',
    grade: 'ask',
    about: 'messages',
    title: say.nothingReadAsPlain,
    looksAt: say.plainTextEachMessage,
    ofPerson: ({ row, merged }) =>
      /[\p{L}\p{N}]/u.test(merged.text)
        ? []
        : [
            {
              place: 'text',
              message: say.asPlainTextMessage,
              mends: [toLetter, { do: 'setAside', rowId: row.id }],
            },
          ],
  },
  {
    name: 'choicesUnclear',
    grade: 'stop',
    about: 'messages',
    title: say.choicesUnclear,
    looksAt: say.looksAtChoices,
    ofRound: ({ letter }) => {
      const sets = choiceSets(letter)
      const all = sets.flat().length
      if (all > mostNumbered)
        return [{ place: 'choices', message: say.tooManyChoices(all, mostNumbered), mends: [toLetter] }]
      return sets.flatMap((choices, i) => {
        const keys = choices.map((choice) => choice.toLocaleLowerCase())
        const twice = choices.find((_, n) => keys.indexOf(keys[n]) < n)
        const message =
          choices.length < fewestChoices
            ? say.tooFewChoices(choices.length)
            : twice !== undefined
              ? say.choiceTwice(twice)
              : null
        return message === null ? [] : [{ place: `choices ${i}`, message, mends: [toLetter] }]
      })
    },
  },
  {
    name: 'choicesTogether',
    grade: 'stop',
    about: 'messages',
    title: say.choicesTogether,
    looksAt: say.looksAtChoicesTogether,
    ofPerson: ({ merged }, { letter }) => {
      const sets = choiceSets(letter)
      if (sets.length < 2) return []
      const seen = new Set(offeredChoices(`${merged.html}${merged.text}`).map((n) => choiceOf(sets, n)?.set))
      return seen.size > 1 ? [{ place: 'choices', message: say.severalSets(seen.size), mends: [toLetter] }] : []
    },
  },
  {
    name: 'choicesByMail',
    grade: 'note',
    about: 'messages',
    title: say.choicesByMail,
    looksAt: say.looksAtChoicesByMail,
    ofRound: ({ letter, around }) =>
      around.preparedAnswers && choiceSets(letter).some((choices) => choices.length > 0)
        ? [{ place: 'choices', message: say.preparedAnswers, mends: [toLetter] }]
        : [],
  },
  {
    name: 'plainLoses',
    grade: 'note',
    about: 'messages',
    title: say.lostPlainText,
    looksAt: say.letterSentAsPlain,
    ofRound: ({ letter }) => {
      const lost = letter.plain ? lostInPlain(letter) : []
      return lost.length === 0
        ? []
        : [
            {
              place: 'letter',
              message: say.goesPlain(listed(lost)),
              mends: [toLetter],
            },
          ]
    },
  },
  {
    name: 'copyRefused',
    grade: 'stop',
    about: 'messages',
    title: say.copyAddressNotWritten,
    looksAt: say.ccBccEachMessage,
    ofPerson: ({ row }, facts) => {
      const { cc, bcc } = facts.copies.of(row, addressOf(facts, row))
      return [...cc, ...bcc]
        .filter((address) => facts.around.doNotWrite.has(sameAddressKey(address)))
        .map((address) => ({
          place: address,
          message: say.getsCopyDoNot(address),
          mends: [...copyCells(row, facts.copies), toLetter, { do: 'setAside', rowId: row.id }],
        }))
    },
  },
  {
    name: 'copyToThemself',
    grade: 'note',
    about: 'messages',
    title: say.copyPersonThemself,
    looksAt: say.ccBccAgainstAddress,
    ofRound: (facts) => {
      const same = facts.people.filter((row) => facts.copies.of(row, addressOf(facts, row)).left.length > 0)
      return same.length === 0
        ? []
        : [
            {
              place: 'round',
              message: say.ccOrBccAddress(same.length, facts.nameOf(same[0])),
              mends: [toLetter],
            },
          ]
    },
  },
  {
    name: 'hadAlready',
    grade: 'ask',
    about: 'messages',
    title: say.hasHadLetterSubject,
    looksAt: say.eachAddressSubjectAgainst,
    ofPerson: ({ row, merged }, facts) => {
      const had = facts.around.had.get(hadKey(addressOf(facts, row), merged.subject))
      return had
        ? [
            {
              place: 'had',
              message: say.personSentRound(merged.subject, day(had.at), had.title),
              mends: [{ do: 'setAside', rowId: row.id }, toPeople],
            },
          ]
        : []
    },
  },
  {
    name: 'hadThisRound',
    grade: 'ask',
    title: say.hasLetterUnderAnother,
    looksAt: say.lateComersPostedRound,
    ofPerson: ({ row }, facts) => {
      const address = addressOf(facts, row)
      const name = personName(row, facts.nameColumns)
      const byAddress = facts.around.inRound.addresses.get(sameAddressKey(address))
      const byName = name === '' ? undefined : facts.around.inRound.names.get(name.toLowerCase())
      const message =
        byAddress !== undefined
          ? say.hasLetterRoundAlready(address, byAddress)
          : byName !== undefined
            ? say.somebodyCalledHasLetter(name, byName)
            : null
      return message === null
        ? []
        : [
            {
              place: 'round',
              message,
              mends: [
                { do: 'setAside', rowId: row.id },
                ...(facts.addressColumn === null
                  ? []
                  : [{ do: 'editCell' as const, rowId: row.id, columnId: facts.addressColumn }]),
              ],
            },
          ]
    },
  },
  {
    name: 'deadAddress',
    grade: 'ask',
    about: 'messages',
    title: say.addressDidNotTake,
    looksAt: say.eachAddressAgainstWhat,
    ofPerson: ({ row }, facts) => {
      const address = addressOf(facts, row)
      const dead = facts.around.dead.get(sameAddressKey(address))
      return dead
        ? [
            {
              place: 'address',
              message: say.round(address, dead.how, day(dead.at), dead.title, dead.why),
              mends: [
                { do: 'editCell', rowId: row.id, columnId: facts.addressColumn! },
                { do: 'setAside', rowId: row.id },
              ],
            },
          ]
        : []
    },
  },
  {
    name: 'draftSent',
    grade: 'stop',
    byOthers: true,
    title: say.sentHandAlready,
    looksAt: say.draftsRoundWereSent,
    ofPerson: ({ row }, { around }) => {
      const at = around.drafts.get(row.id)
      return at
        ? [
            {
              place: 'draft',
              message: say.personSentLetterFrom(day(at)),
              mends: [{ do: 'setAside', rowId: row.id }],
            },
          ]
        : []
    },
  },
  {
    name: 'draftLies',
    grade: 'ask',
    about: 'messages',
    title: say.draftsRoundMailbox,
    looksAt: say.draftsRoundWereNot,
    ofRound: ({ around, people }) => {
      const lying = people.filter((row) => around.drafts.get(row.id) === null).length
      return lying === 0
        ? []
        : [
            {
              place: 'round',
              message: say.mailboxWhoeverPostedSent(lying),
              mends: [],
            },
          ]
    },
  },
  {
    name: 'doNotWrite',
    grade: 'note',
    title: say.leftOutDoNot,
    looksAt: say.addressesListAgainstThose,
    ofRound: ({ around }) =>
      around.leftOut === 0
        ? []
        : [
            {
              place: 'round',
              message: say.doNotWriteList(around.leftOut),
              mends: [toPeople],
            },
          ],
  },
  {
    name: 'outside',
    grade: 'note',
    about: 'messages',
    title: say.outsideOrganisation,
    looksAt: say.domainEveryAddressCopies,
    ofRound: (facts) => {
      const { ownDomains } = facts.around
      if (ownDomains.length === 0 || facts.addressColumn === null) return []
      const outside = facts.people.filter((row) => {
        const { cc, bcc } = facts.copies.of(row, addressOf(facts, row))
        return [addressOf(facts, row), ...cc, ...bcc].some((a) => a.includes('@') && !isOwn(a, ownDomains))
      })
      return outside.length === 0
        ? []
        : [
            {
              place: 'round',
              message: `${sentence(some(outside.length, facts.people.length, 'message'))} ${verb(outside.length, 'goes', 'go')} outside ${ownDomains.join(' and ')}.`,
              mends: [toPeople],
            },
          ]
    },
  },
  {
    name: 'beyondAllowance',
    grade: 'stop',
    about: 'messages',
    title: say.moreCopiesThanMailbox,
    looksAt: say.recipientsEachMessageCc,
    ofPerson: ({ row }, facts) => {
      const { cc, bcc } = facts.copies.of(row, addressOf(facts, row))
      const n = 1 + cc.length + bcc.length
      return n <= facts.around.perDay
        ? []
        : [
            {
              place: 'recipients',
              message: say.messageHasRecipientsMailbox(n, facts.around.perDay),
              mends: [...copyCells(row, facts.copies), toLetter, { do: 'setAside', rowId: row.id }],
            },
          ]
    },
  },
  {
    name: 'allowance',
    grade: 'note',
    about: 'messages',
    title: say.moreThanTodayS,
    looksAt: say.allRecipientsRoundAgainst,
    ofRound: (facts) => {
      const { allowance, perDay } = facts.around
      const { all } = recipientsOf(facts)
      return all <= allowance
        ? []
        : [
            {
              place: 'round',
              message: say.roundHasMailboxMay(all, allowance, perDay),
              mends: [toDispatch],
            },
          ]
    },
  },
  {
    name: 'ownTimeUnread',
    grade: 'stop',
    about: 'messages',
    byOthers: true,
    title: say.ownTimeUnread,
    looksAt: say.ownTimeUnreadLooks,
    ofPerson: ({ row }, { around, columns }) => {
      const time = around.ownTimes?.of(row)
      if (!time || !('wrong' in time)) return []
      const name = columns.find((c) => c.id === time.columnId)?.name ?? ''
      return [
        {
          place: 'time',
          message: time.wrong === 'zone' ? say.noZone(time.text, name) : say.noTime(time.text, name),
          mends: [
            { do: 'editCell', rowId: row.id, columnId: time.columnId },
            { do: 'setAside', rowId: row.id },
          ],
        },
      ]
    },
  },
  {
    name: 'ownTimePast',
    grade: 'ask',
    about: 'messages',
    byOthers: true,
    title: say.ownTimePast,
    looksAt: say.ownTimePastLooks,
    ofPerson: ({ row }, { around: { ownTimes } }) => {
      const time = ownTimes?.of(row)
      if (!ownTimes || !time || !('at' in time) || time.at === null || time.at >= ownTimes.now) return []
      const message = say.isPast(momentWords(time.at, ownTimes.zone))
      return [{ place: 'past', message, mends: mendsOfTime(row, ownTimes.column) }]
    },
  },
  {
    name: 'ownTimeClosed',
    grade: 'ask',
    about: 'messages',
    byOthers: true,
    title: say.ownTimeClosed,
    looksAt: say.ownTimeClosedLooks,
    ofPerson: ({ row }, { around: { ownTimes } }) => {
      const time = ownTimes?.of(row)
      if (!ownTimes || !time || !('at' in time) || time.at === null || time.at < ownTimes.now) return []
      const opens = ownTimes.open.next(time.at)?.from
      if (opens !== undefined && opens <= time.at) return []
      const at = momentWords(time.at, ownTimes.zone)
      const message = opens === undefined ? say.neverOpens(at) : say.isClosed(at, momentWords(opens, ownTimes.zone))
      return [{ place: 'closed', message, mends: mendsOfTime(row, ownTimes.column) }]
    },
  },
]
