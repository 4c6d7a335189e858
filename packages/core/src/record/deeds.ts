import { z } from '../schema.ts'
import { type WorkKind, workKinds, workNames } from '../words.ts'
import { canonical } from './seal.ts'
import { deeds as say } from './words.ts'

const text = z.string().max(1000)
const rights = z.object({ mayPost: z.boolean(), keeps: z.boolean() })
type Rights = z.infer<typeof rights>
const nothing = z.object({})

/**
 * Everything that is noted besides what is done with a posted round: what is kept of it, and how it is said. No secret stands in it, and
 * nobody who is written to. Another kind is one entry here, and is noted where it is done.
 */
const table = {
  accountsSetUp: { details: nothing, words: () => say.accountsSetUp },
  signedIn: {
    details: z.object({ by: z.enum(['password', 'code', 'service', 'invitation']) }),
    words: (d: { by: 'password' | 'code' | 'service' | 'invitation' }) => say.signedIn[d.by],
  },
  invited: {
    details: rights.extend({ name: text }),
    words: (d: Rights & { name: string }) => say.invited(d.name, d.mayPost, d.keeps),
  },
  invitedAgain: { details: z.object({ name: text }), words: (d: { name: string }) => say.invitedAgain(d.name) },
  accountChanged: {
    details: z.object({
      name: text,
      was: rights.extend({ name: text, address: text }),
      is: rights.extend({ address: text }),
    }),
    words: (d: { name: string; was: Rights & { name: string; address: string }; is: Rights & { address: string } }) =>
      say.accountChanged(d.name, d.was, d.is),
  },
  accountEnded: { details: z.object({ name: text }), words: (d: { name: string }) => say.accountEnded(d.name) },
  passwordChanged: { details: nothing, words: () => say.passwordChanged },
  codeOn: { details: nothing, words: () => say.codeOn },
  codeOff: { details: nothing, words: () => say.codeOff },
  mailboxAdded: {
    details: z.object({ mailbox: text }),
    words: (d: { mailbox: string }) => say.mailboxAdded(d.mailbox),
  },
  mailboxChanged: {
    /** The settings that are others now, by their names. */
    details: z.object({ mailbox: text, settings: z.array(text) }),
    words: (d: { mailbox: string; settings: string[] }) => say.mailboxChanged(d.mailbox, d.settings),
  },
  mailboxRemoved: {
    details: z.object({ mailbox: text }),
    words: (d: { mailbox: string }) => say.mailboxRemoved(d.mailbox),
  },
  mailboxCarriedOn: {
    details: z.object({ mailbox: text }),
    words: (d: { mailbox: string }) => say.mailboxCarriedOn(d.mailbox),
  },
  accepted: {
    details: z.object({ findings: z.number().int(), reason: text }),
    words: (d: { findings: number; reason: string }) => say.accepted(d.findings, d.reason),
  },
  unaccepted: {
    details: z.object({ findings: z.number().int() }),
    words: (d: { findings: number }) => say.unaccepted(d.findings),
  },
  secondEyes: {
    details: z.object({ wanted: z.boolean() }),
    words: (d: { wanted: boolean }) => say.secondEyes(d.wanted),
  },
  pace: { details: nothing, words: () => say.pace },
  answersSeen: { details: nothing, words: () => say.answersSeen },
  answerSent: { details: nothing, words: () => say.answerSent },
  outcomeTaken: { details: nothing, words: () => say.outcomeTaken },
  messagesTaken: { details: nothing, words: () => say.messagesTaken },
  archiveMade: { details: nothing, words: () => say.archiveMade },
  shared: {
    details: z.object({
      kind: z.enum(['list', 'letter', 'round', 'mailbox']),
      name: text,
      shared: z.enum(['everybody', 'chosen', 'nobody']),
      with: z.array(text),
    }),
    words: (d: { kind: string; name: string; shared: 'everybody' | 'chosen' | 'nobody'; with: string[] }) =>
      say.shared(d.kind, d.name, d.shared, d.with),
  },
  roundDeleted: { details: z.object({ round: text }), words: (d: { round: string }) => say.roundDeleted(d.round) },
  listTaken: { details: z.object({ list: text }), words: (d: { list: string }) => say.listTaken(d.list) },
  listDeleted: { details: z.object({ list: text }), words: (d: { list: string }) => say.listDeleted(d.list) },
  backupMade: {
    details: z.object({ withKey: z.boolean() }),
    words: (d: { withKey: boolean }) => say.backupMade(d.withKey),
  },
  workStopped: {
    /** `by`: who had begun it; '' where nobody was signed in. */
    details: z.object({ what: z.enum(workKinds), by: text }),
    words: (d: { what: WorkKind; by: string }) => say.workStopped(workNames[d.what], d.by),
  },
} as const
type Table = typeof table

/** What may be noted besides what is done with a posted round. */
export type DeedKind = keyof Table
/** What is kept of a deed of a kind. */
export type DeedDetails<K extends DeedKind> = z.infer<Table[K]['details']>
/** Something that was noted. */
export type Deed = { [K in DeedKind]: { what: K; details: DeedDetails<K> } }[DeedKind]

/**
 * A deed in words.
 * @example deedWords({ what: 'listDeleted', details: { list: 'Berth holders' } }) // 'The list “Berth holders” was deleted.'
 */
export function deedWords(deed: Deed): string {
  // What is kept of a deed goes with its kind; TypeScript cannot follow that through the table.
  return (table[deed.what].words as (details: unknown) => string)(deed.details)
}

/**
 * The names of the settings that two have not in common, in their order.
 * @example settingsThatDiffer({ perDay: 500, perHour: null }, { perDay: 300, perHour: null }) // ['perDay']
 */
export function settingsThatDiffer(was: object, is: object): string[] {
  const before = new Map(Object.entries(was))
  // In their one canonical form: a database gives names back in an order of its own.
  const same = (a: unknown, b: unknown) => canonical(a ?? null) === canonical(b ?? null)
  return Object.entries(is)
    .filter(([name, value]) => !same(before.get(name), value))
    .map(([name]) => name)
}
