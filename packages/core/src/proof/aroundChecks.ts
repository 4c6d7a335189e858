import { parseTemplate } from '../letter/field.ts'
import { lostInPlain } from '../letter/plain.ts'
import { bareAddress, domainOf, sameAddressKey } from '../people/address.ts'
import { type Row, shown } from '../people/cell.ts'
import { personName } from '../people/names.ts'
import { listed, sentence, some, times, verb } from '../words.ts'
import type { Check, RoundFacts } from './check.ts'
import type { Mend } from './finding.ts'

/** How a message sent before is found: by its address and its subject. */
export const hadKey = (address: string, subject: string): string => `${sameAddressKey(address)}\n${subject.trim()}`

const day = (at: number) =>
  new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' })
const toLetter: Mend = { do: 'goTo', stage: 'letter' }
/** The cells that a person's copies come from. */
export const copyCells = (row: Row, { columnIds }: RoundFacts['copies']): Mend[] =>
  columnIds.map((columnId) => ({ do: 'editCell', rowId: row.id, columnId }))
const toPeople: Mend = { do: 'goTo', stage: 'people' }
const addressOf = ({ addressColumn }: RoundFacts, row: RoundFacts['people'][number]) =>
  addressColumn === null ? '' : bareAddress(shown(row.cells[addressColumn]))

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

/** The checks of what lies around the round: to whom it goes, what was sent before, what the mailbox may send. */
export const aroundChecks: Check[] = [
  {
    name: 'unclearRule',
    grade: 'stop',
    title: 'A rule that cannot be followed',
    looksAt: 'the rules that choose the people and the passages: those not finished, and values that cannot be read',
    ofRound: ({ byRule, compiled }) => [
      ...(byRule?.faults ?? []).map((words, i) => ({ place: `people ${i}`, message: words, mends: [toPeople] })),
      ...compiled.ruleFaults.map((words, i) => ({
        place: `letter ${i}`,
        message: `In a passage of the letter, ${words}`,
        mends: [toLetter],
      })),
    ],
  },
  {
    name: 'emptySubject',
    grade: 'stop',
    title: 'Subject empty for somebody',
    looksAt: 'the subject of each message, once it is filled in',
    ofPerson: ({ row, merged }, { letter }) =>
      merged.subject.trim() !== '' || letter.subject.trim() === ''
        ? []
        : [
            {
              place: 'subject',
              message: 'Nothing is left of the subject, as its fields are blank here.',
              mends: [toLetter, { do: 'setAside', rowId: row.id }],
            },
          ],
  },
  {
    name: 'sameSubject',
    grade: 'note',
    title: 'Subject with fields, the same for all',
    looksAt: 'the subjects of all messages, where the subject has fields',
    ofRound: ({ letter, people, compiled }) => {
      if (people.length < 3 || parseTemplate(letter.subject).every((part) => typeof part === 'string')) return []
      const first = compiled.merge(people[0]).subject
      return people.every((row) => compiled.merge(row).subject === first)
        ? [
            {
              place: 'subject',
              message: `The subject has fields, and comes out as “${first}” for everybody.`,
              mends: [toLetter],
            },
          ]
        : []
    },
  },
  {
    name: 'noPlainText',
    grade: 'ask',
    title: 'Nothing to read as plain text',
    looksAt: 'the plain text of each message, which some mail programs show instead',
    ofPerson: ({ row, merged }) =>
      /[\p{L}\p{N}]/u.test(merged.text)
        ? []
        : [
            {
              place: 'text',
              message: 'As plain text this message has no words: whoever sees no pictures sees nothing.',
              mends: [toLetter, { do: 'setAside', rowId: row.id }],
            },
          ],
  },
  {
    name: 'plainLoses',
    grade: 'note',
    title: 'Lost in plain text',
    looksAt: 'a letter that is sent as plain text only, for what cannot be seen then',
    ofRound: ({ letter }) => {
      const lost = letter.plain ? lostInPlain(letter) : []
      return lost.length === 0
        ? []
        : [
            {
              place: 'letter',
              message: `The letter goes as plain text, without ${listed(lost)}.`,
              mends: [toLetter],
            },
          ]
    },
  },
  {
    name: 'copyRefused',
    grade: 'stop',
    title: 'Copy to an address that is not to be written to',
    looksAt: 'Cc and Bcc of each message, against the do-not-write list',
    ofPerson: ({ row }, facts) => {
      const { cc, bcc } = facts.copies.of(row, addressOf(facts, row))
      return [...cc, ...bcc]
        .filter((address) => facts.around.doNotWrite.has(sameAddressKey(address)))
        .map((address) => ({
          place: address,
          message: `${address} gets a copy, and is on the do-not-write list.`,
          mends: [...copyCells(row, facts.copies), toLetter, { do: 'setAside', rowId: row.id }],
        }))
    },
  },
  {
    name: 'copyToThemself',
    grade: 'note',
    title: 'Copy to the person themself',
    looksAt: 'Cc and Bcc, against the address of each message',
    ofRound: (facts) => {
      const same = facts.people.filter((row) => facts.copies.of(row, addressOf(facts, row)).left.length > 0)
      return same.length === 0
        ? []
        : [
            {
              place: 'round',
              message: `For ${same.length === 1 ? facts.nameOf(same[0]) : times(same.length, 'person', 'people')} Cc or Bcc is the address that the message goes to already. They get it once.`,
              mends: [toLetter],
            },
          ]
    },
  },
  {
    name: 'hadAlready',
    grade: 'ask',
    title: 'Has had a letter of this subject',
    looksAt: 'each address and subject, against what was sent in the last 90 days',
    ofPerson: ({ row, merged }, facts) => {
      const had = facts.around.had.get(hadKey(addressOf(facts, row), merged.subject))
      return had
        ? [
            {
              place: 'had',
              message: `This person was sent “${merged.subject}” on ${day(had.at)}, by the round “${had.title}”.`,
              mends: [{ do: 'setAside', rowId: row.id }, toPeople],
            },
          ]
        : []
    },
  },
  {
    name: 'hadThisRound',
    grade: 'ask',
    title: 'Has this letter under another row or address',
    looksAt: 'late-comers of a posted round, by address and by name, against all who have a letter of it',
    ofPerson: ({ row }, facts) => {
      const address = addressOf(facts, row)
      const name = personName(row, facts.nameColumns)
      const byAddress = facts.around.inRound.addresses.get(sameAddressKey(address))
      const byName = name === '' ? undefined : facts.around.inRound.names.get(name.toLowerCase())
      const message =
        byAddress !== undefined
          ? `${address} has a letter of this round already, under another row (${byAddress}).`
          : byName !== undefined
            ? `Somebody called ${name} has a letter of this round already, at ${byName}.`
            : null
      return message === null
        ? []
        : [
            {
              place: 'round',
              message,
              mends: [
                { do: 'setAside', rowId: row.id },
                { do: 'editCell', rowId: row.id, columnId: facts.addressColumn! },
              ],
            },
          ]
    },
  },
  {
    name: 'deadAddress',
    grade: 'ask',
    title: 'An address that did not take the last letter',
    looksAt:
      'each address, against what bounced for good or was refused in earlier rounds and has not been written to with success since',
    ofPerson: ({ row }, facts) => {
      const address = addressOf(facts, row)
      const dead = facts.around.dead.get(sameAddressKey(address))
      return dead
        ? [
            {
              place: 'address',
              message: `${address} ${dead.how === 'bounced' ? 'bounced' : 'was refused'} on ${day(dead.at)}, in the round “${dead.title}”: ${dead.why}`,
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
    title: 'Sent by hand already',
    looksAt: 'the drafts of this round that were sent from the mailbox',
    ofPerson: ({ row }, { around }) => {
      const at = around.drafts.get(row.id)
      return at
        ? [
            {
              place: 'draft',
              message: `This person was sent the letter from the mailbox’s drafts on ${day(at)}.`,
              mends: [{ do: 'setAside', rowId: row.id }],
            },
          ]
        : []
    },
  },
  {
    name: 'draftLies',
    grade: 'ask',
    title: 'Drafts of this round in the mailbox',
    looksAt: 'the drafts of this round that were not sent yet',
    ofRound: ({ around, people }) => {
      const lying = people.filter((row) => around.drafts.get(row.id) === null).length
      return lying === 0
        ? []
        : [
            {
              place: 'round',
              message: `${times(lying, 'draft of this round lies', 'drafts of this round lie')} in the mailbox. Whoever is posted to and sent the draft as well gets the letter twice: take the drafts away first, at “All messages” of the proof.`,
              mends: [],
            },
          ]
    },
  },
  {
    name: 'doNotWrite',
    grade: 'note',
    title: 'Left out by the do-not-write list',
    looksAt: 'the addresses of the list, against those that no round may write to',
    ofRound: ({ around }) =>
      around.leftOut === 0
        ? []
        : [
            {
              place: 'round',
              message: `${times(around.leftOut, 'person of the list is', 'people of the list are')} on the do-not-write list, and ${around.leftOut === 1 ? 'gets' : 'get'} no letter.`,
              mends: [toPeople],
            },
          ],
  },
  {
    name: 'outside',
    grade: 'note',
    title: 'Outside the organisation',
    looksAt: 'the domain of every address, copies included, against those of the mailbox',
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
    title: 'More copies than the mailbox may send in a day',
    looksAt: 'the recipients of each message, Cc and Bcc counted, against the mailbox’s limit in 24 hours',
    ofPerson: ({ row }, facts) => {
      const { cc, bcc } = facts.copies.of(row, addressOf(facts, row))
      const n = 1 + cc.length + bcc.length
      return n <= facts.around.perDay
        ? []
        : [
            {
              place: 'recipients',
              message: `This message has ${n} recipients; the mailbox may write to ${facts.around.perDay} in 24 hours. It could never leave.`,
              mends: [...copyCells(row, facts.copies), toLetter, { do: 'setAside', rowId: row.id }],
            },
          ]
    },
  },
  {
    name: 'allowance',
    grade: 'note',
    title: 'More than today’s allowance',
    looksAt: 'all recipients of the round, against what the mailbox may send just now',
    ofRound: (facts) => {
      const { allowance, perDay } = facts.around
      const { all } = recipientsOf(facts)
      return all <= allowance
        ? []
        : [
            {
              place: 'round',
              message: `The round has ${times(all, 'recipient', 'recipients')}; the mailbox may write to ${allowance.toLocaleString('en-GB')} now, and to ${perDay.toLocaleString('en-GB')} in any 24 hours. The rest leaves on the days after, as the timetable shows.`,
              mends: [{ do: 'goTo', stage: 'dispatch' }],
            },
          ]
    },
  },
]
