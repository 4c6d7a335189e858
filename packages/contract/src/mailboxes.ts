import { addressFault, connectionFault, isTimeZone, namedLimits, readyWeeks, serviceFault } from '@hand-post/core'
import { z } from 'zod'
import { id } from './ids.ts'
import { route } from './route.ts'

export const hostSchema = z.object({
  host: z.string().trim().min(1).max(255),
  port: z.number().int().min(1).max(65535),
  security: z.enum(['none', 'starttls', 'tls']),
  /** Accept a certificate that no known authority has signed. Only ever by the writer's explicit choice. */
  allowSelfSigned: z.boolean().default(false),
})

const serviceAddress = z.string().trim().min(1, 'The address is missing.').max(2000)
/** A sign-in service and what it is asked for. */
export const oauthSchema = z.object({
  /** Its own address, by which it is discovered (RFC 8414); '' where the addresses below were typed. */
  issuer: z.string().trim().max(2000).default(''),
  /** Where consent is given, and where tokens are had. */
  authorization: serviceAddress,
  token: serviceAddress,
  /** What Hand Post is called there. */
  clientId: z.string().trim().min(1, 'The client id is missing.').max(500),
  /** What it asks for, words separated by spaces. */
  scope: z.string().trim().max(2000),
})
export type OauthSettings = z.infer<typeof oauthSchema>

// A header field is one line (RFC 5322, section 2.2).
export const headerText = z
  .string()
  .trim()
  .max(200)
  .regex(/^[^\r\n]*$/, 'It must be one line.')

/** A stretch of a day, in minutes after midnight by the clock; to is not included. */
export const spanSchema = z
  .object({ from: z.number().int().min(0).max(1439), to: z.number().int().min(1).max(1440) })
  .refine(({ from, to }) => from < to, { message: 'It must end later than it begins.', path: ['to'] })

/** The hours of each day of the week, from Monday to Sunday. */
export const weekSchema = z
  .array(z.array(spanSchema).max(8))
  .length(7)
  .refine((week) => week.some((spans) => spans.length > 0), {
    message: 'These hours are never open, so nothing would ever leave. Give at least one day some hours.',
  })

const dateSchema = z.iso.date('It must be a date.')
/** Days on which nothing leaves, both included (ISO 8601). */
export const daysOffSchema = z
  .object({ from: dateSchema, to: dateSchema, name: z.string().trim().max(100) })
  .refine(({ from, to }) => from <= to, { message: 'The last day is before the first.', path: ['to'] })

export const hoursSchema = z.object({
  week: weekSchema,
  off: z.array(daysOffSchema).max(200),
  /** The public holidays of a country (ISO 3166-1) and region are days off too, but for those that are worked. */
  holidays: z
    .object({
      country: z.string().trim().min(2).max(3),
      region: z.string().trim().max(10).nullable(),
      worked: z.array(dateSchema).max(200),
    })
    .nullable(),
})
export type MailboxHours = z.infer<typeof hoursSchema>

/** What a gentle start is, where nobody says otherwise. Common practice, no source. */
export const usualGentleStart = { wanted: true, days: [20, 40, 80, 160, 320] }

const limit = (words: string) => z.number().int().min(1, words).max(1_000_000)

export const mailboxSettingsSchema = z.object({
  name: headerText.min(1),
  address: headerText.min(3),
  senderName: headerText,
  /** Further addresses that this mailbox may write from. */
  aliases: z.array(headerText.min(3)).max(50).default([]),
  /** The lines that stand where a letter keeps the place for a signature. */
  signature: z.string().max(5000).default(''),
  user: z.string().trim().min(1).max(255),
  /** Left out when changed settings keep the password that is stored. Never given back. */
  password: z.string().min(1).max(1000).optional(),
  /** Signing in by OAuth 2.0 (RFC 6749) in the place of a password; null is by password. */
  oauth: oauthSchema.nullable().default(null),
  /** A signing in that was done, whose permission is used: without it that which is stored. Never given back. */
  flow: z.string().max(100).optional(),
  smtp: hostSchema,
  imap: hostSchema.nullable(),
  /** When letters may leave. */
  hours: hoursSchema.default({ week: readyWeeks.anyTime.map((spans) => [...spans]), off: [], holidays: null }),
  /** Recipients a day. */
  perDay: limit('At 0 recipients a day nothing would ever leave.'),
  /** The zone (IANA) by whose calendar the host counts a day, or null where it counts any 24 hours. */
  dayZone: z.string().min(1).max(60).nullable().default(null),
  /** Recipients in any hour, and in any minute; null is as many as the day allows. */
  perHour: limit('At 0 recipients an hour nothing would ever leave.').nullable().default(null),
  recipientsPerMinute: limit('At 0 recipients a minute nothing would ever leave.').nullable().default(null),
  /** Recipients of one message that the host takes; null is as many as there are. */
  perMessage: limit('A message to 0 recipients goes to nobody.').nullable().default(null),
  /** Recipients on the first, second … day of sending of a mailbox that is new or was quiet for 30 days. */
  gentleStart: z
    .object({
      wanted: z.boolean(),
      days: z
        .array(limit('On a day with 0 recipients nothing would leave.'))
        .min(1, 'Give at least one day.')
        .max(60, 'A gentle start of more than 60 days never ends. Give fewer days.'),
    })
    .default(usualGentleStart),
  /** Of what the writer is told by a message to the mailbox's own address. */
  tell: z
    .object({ done: z.boolean(), held: z.boolean(), doubt: z.boolean() })
    .default({ done: false, held: false, doubt: false }),
  /** Messages a minute that the host takes. */
  perMinute: z.number().min(0.1).max(100_000),
  /** Octets of one message that the host takes. */
  largestMessage: z.number().int().min(10_000).max(500_000_000),
  /** Rounds that leave from it are posted by somebody else than whoever changed them last, who has read the reading set. */
  secondEyes: z.boolean().default(false),
  /** The host itself keeps a copy of what it sends in Sent; Hand Post then files none. */
  hostFilesSent: z.boolean(),
  timeZone: z.string().min(1).max(60),
  /** Folders beside the inbox in which answers are looked for, by their paths. */
  folders: z.array(z.string().min(1).max(500)).max(20, 'Up to 20 further folders are read.').default([]),
  /** Whether the junk folder is looked into for answers, by headers only. */
  junk: z.boolean().default(true),
})
export type MailboxSettings = z.infer<typeof mailboxSettingsSchema>

/**
 * What is the matter with settings that have the right shape: the desk refuses them for it, and a form says it at the field.
 * @returns each fault with the path of its field.
 */
export function mailboxFaults(
  settings: MailboxSettings,
): { path: (string | number)[]; title: string; words: string }[] {
  const found: { path: (string | number)[]; title: string; words: string }[] = []
  const ofAddress = (address: string, path: (string | number)[]) => {
    const fault = addressFault(address)
    if (fault)
      found.push({ path, title: 'Not an address', words: `“${address}” cannot be the mailbox's address: ${fault}.` })
  }
  ofAddress(settings.address, ['address'])
  for (const [i, address] of settings.aliases.entries()) ofAddress(address, ['aliases', i])
  for (const name of ['smtp', 'imap'] as const) {
    const host = settings[name]
    const words = host && connectionFault(host.host, host.security)
    if (words) found.push({ path: [name, host.host.trim() === '' ? 'host' : 'security'], title: 'Not private', words })
  }
  if (settings.oauth)
    for (const name of ['authorization', 'token'] as const) {
      const words = serviceFault(settings.oauth[name], settings.oauth.issuer || settings.oauth.authorization)
      if (words) found.push({ path: ['oauth', name], title: 'Not private', words })
    }
  for (const name of ['timeZone', 'dayZone'] as const) {
    const zone = settings[name]
    if (zone !== null && !isTimeZone(zone))
      found.push({
        path: [name],
        title: 'No such time zone',
        words: `There is no time zone called “${zone}”. Use a name such as Europe/London.`,
      })
  }
  return found
}

export const mailboxSchema = mailboxSettingsSchema.omit({ password: true, flow: true }).extend({
  id: z.number(),
  /** Its sending host is the practice host of this machine: nothing that it sends reaches a real person. */
  practice: z.boolean(),
  /** The practice mailbox that is there from the start, and stays. */
  builtIn: z.boolean(),
  allowance: z.number(),
  /** Recipients that its gentle start lets it write to today, or null when it has none (any more). */
  gentleToday: z.number().nullable(),
  /** Recipients written to in the day that counts just now: by Hand Post, and by other mail that lies in Sent. */
  used: z.object({ ours: z.number(), other: z.number() }),
  /** What kept its Sent folder from being looked into for other mail, or null. */
  sentFault: z.string().nullable(),
  /**
   * A limit that follows from what its host said, less than the one that is set: from a figure in its words or, with `counted`, from how
   * many had left when it said that the limit is reached. Null where there is none, or the writer has answered.
   */
  saidLimit: z
    .object({
      limit: z.enum(namedLimits),
      n: z.number(),
      at: z.number(),
      words: z.string(),
      counted: z.boolean(),
    })
    .nullable(),
  /** Why the newest message to the writer could not be sent, or null. */
  tellFault: z.string().nullable(),
  /** How many days off it has in the year to come, public holidays included. */
  daysOff: z.number(),
  /** Nothing leaves before this time (ms since 1970), or null. */
  pausedUntil: z.number().nullable(),
  /** Nothing leaves until the writer has mended it. */
  stopped: z.boolean(),
  pauseReason: z.string().nullable(),
  /** When the host was found to put sent mail into Sent by itself (ms since 1970), or null: then the writer has said so, or it does not. */
  foundFiling: z.number().nullable(),
  /** Letters that have gone and that Sent did not take: how many, why in the host's words, and when the next is tried again. */
  notFiled: z.object({ count: z.number(), fault: z.string(), next: z.number().nullable() }).nullable(),
  /** What kept the answers from being read at the last try, or null. */
  readingFault: z.string().nullable(),
  /** Mail that could not be read and that the writer has not taken note of yet: how much, and the newest of it. */
  unreadMail: z.object({
    count: z.number(),
    newest: z.array(
      z.object({ id: z.number(), sender: z.string(), subject: z.string(), at: z.number(), why: z.string() }),
    ),
  }),
})
export type Mailbox = z.infer<typeof mailboxSchema>

/** What leaves a mailbox in an hour. */
export const hourOfUseSchema = z.object({
  /** When the hour begins (ms since 1970). */
  at: z.number(),
  /** Recipients that were written to, and that are planned to be. */
  gone: z.number(),
  /** By other ways than Hand Post, as Sent has it. */
  other: z.number(),
  planned: z.number(),
})

export const testStepSchema = z.object({ step: z.string(), ok: z.boolean(), words: z.string() })
export type TestStep = z.infer<typeof testStepSchema>

const mailbox = z.object({ mailbox: id })

export const mailboxRoutes = {
  mailboxes: route({
    method: 'GET',
    path: '/api/mailboxes',
    wants: 'writer',
    summary: 'All mailboxes',
    answer: z.array(mailboxSchema),
  }),
  mailboxUse: route({
    method: 'GET',
    path: '/api/mailboxes/:mailbox/use',
    wants: 'writer',
    summary: 'Recipients by the hour: of the 24 hours that have passed, and of the 24 to come',
    params: mailbox,
    answer: z.object({ now: z.number(), hours: z.array(hourOfUseSchema).length(48) }),
  }),
  holidays: route({
    method: 'GET',
    path: '/api/holidays',
    wants: 'writer',
    summary: 'The public holidays of a country and region in this year and the two that follow, and which there are',
    query: z.object({ country: z.string().max(3).optional(), region: z.string().max(10).optional() }),
    answer: z.object({
      countries: z.array(z.object({ code: z.string(), name: z.string() })),
      regions: z.array(z.object({ code: z.string(), name: z.string() })),
      days: z.array(z.object({ from: z.string(), to: z.string(), name: z.string() })),
    }),
  }),
  addMailbox: route({
    method: 'POST',
    path: '/api/mailboxes',
    wants: 'keeper',
    summary: 'Add a mailbox',
    body: mailboxSettingsSchema,
    answer: mailboxSchema,
  }),
  changeMailbox: route({
    method: 'PUT',
    path: '/api/mailboxes/:mailbox',
    wants: 'keeper',
    summary: "Change a mailbox's settings",
    params: mailbox,
    body: mailboxSettingsSchema,
    answer: mailboxSchema,
  }),
  removeMailbox: route({
    method: 'DELETE',
    path: '/api/mailboxes/:mailbox',
    wants: 'keeper',
    summary: 'Remove a mailbox that no round uses',
    params: mailbox,
  }),
  testMailbox: route({
    method: 'POST',
    path: '/api/mailboxes/test',
    wants: 'keeper',
    summary: 'Try settings step by step; nothing is stored, and no message sent unless it is asked for',
    body: mailboxSettingsSchema.extend({
      selfMessage: z
        .boolean()
        .default(false)
        .describe('Send one message to the mailbox itself, look for it in Sent, and take it away again'),
      id: id.optional().describe('A stored mailbox whose password is used when none is given'),
    }),
    /** `hostFilesSent`: whether the host was found to put sent mail into Sent by itself; null where that was not found out. */
    answer: z.object({ steps: z.array(testStepSchema), ok: z.boolean(), hostFilesSent: z.boolean().nullable() }),
  }),
  mailFolders: route({
    method: 'GET',
    path: '/api/mailboxes/:mailbox/folders',
    wants: 'keeper',
    summary: 'The folders that a mailbox has on its host, with what each is for (RFC 6154)',
    params: mailbox,
    answer: z.object({ folders: z.array(z.object({ path: z.string(), use: z.string().nullable() })) }),
  }),
  seenUnreadMail: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/unread-mail/seen',
    wants: 'writer',
    summary: 'Take note of the mail that could not be read: it is not shown any more',
    params: mailbox,
    answer: mailboxSchema,
  }),
  beginSignIn: route({
    method: 'POST',
    path: '/api/sign-ins',
    wants: 'keeper',
    summary: 'Begin to sign in at a sign-in service (OAuth 2.0 with PKCE): gives the page to open there',
    body: z.object({
      /** A mailbox that is signed in again, by what it has; or what follows. */
      mailbox: id.optional(),
      issuer: z.string().trim().max(2000).optional(),
      authorization: z.string().trim().max(2000).optional(),
      token: z.string().trim().max(2000).optional(),
      clientId: z.string().trim().max(500).optional(),
      clientSecret: z.string().max(1000).optional(),
      scope: z.string().trim().max(2000).optional(),
      /** Whose mailbox it is, as a hint for the service. */
      user: z.string().trim().max(255).optional(),
    }),
    answer: z.object({ flow: z.string(), url: z.string(), oauth: oauthSchema }),
  }),
  signInState: route({
    method: 'GET',
    path: '/api/sign-ins/:flow',
    wants: 'keeper',
    summary: 'How far a signing in is',
    params: z.object({ flow: z.string().max(100) }),
    answer: z.object({ state: z.enum(['waits', 'done', 'failed']), words: z.string() }),
  }),
  signInAgain: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/sign-in',
    wants: 'keeper',
    summary: 'Use the permission of a signing in for a mailbox that has lost its own, and carry on',
    params: mailbox,
    body: z.object({ flow: z.string().max(100) }),
    answer: mailboxSchema,
  }),
  mailHosts: route({
    method: 'GET',
    path: '/api/mail-hosts',
    wants: 'keeper',
    summary: 'The mail hosts that the domain of an address names in the DNS (RFC 6186, RFC 8314)',
    query: z.object({ address: z.string().trim().max(254) }),
    answer: z.object({ smtp: hostSchema.nullable(), imap: hostSchema.nullable(), words: z.string() }),
  }),
  answerSaidLimit: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/said-limit',
    wants: 'keeper',
    summary: 'Take the limit that the host has said as the mailbox’s own, or leave it',
    params: mailbox,
    body: z.object({ take: z.boolean() }),
    answer: mailboxSchema,
  }),
  carryOnMailbox: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/carry-on',
    wants: 'poster',
    summary: 'End a pause or stop and try again now',
    params: mailbox,
    answer: mailboxSchema,
  }),
}
