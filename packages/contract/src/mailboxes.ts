import { addressFault, connectionFault } from '@hand-post/core'
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

// A header field is one line (RFC 5322, section 2.2).
export const headerText = z
  .string()
  .trim()
  .max(200)
  .regex(/^[^\r\n]*$/, 'It must be one line.')

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
  smtp: hostSchema,
  imap: hostSchema.nullable(),
  /** Recipients in any 24 hours. */
  perDay: z.number().int().min(1).max(1_000_000),
  /** Messages a minute that the host takes. */
  perMinute: z.number().min(0.1).max(100_000),
  /** Octets of one message that the host takes. */
  largestMessage: z.number().int().min(10_000).max(500_000_000),
  /** The host itself keeps a copy of what it sends in Sent; Hand Post then files none. */
  hostFilesSent: z.boolean(),
  timeZone: z.string().min(1).max(60),
})
export type MailboxSettings = z.infer<typeof mailboxSettingsSchema>

/** Whether a time zone is known by that name (IANA). */
const isTimeZone = (name: string): boolean => {
  try {
    return new Intl.DateTimeFormat('en-GB', { timeZone: name }).format(0) !== ''
  } catch {
    return false
  }
}

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
  if (!isTimeZone(settings.timeZone))
    found.push({
      path: ['timeZone'],
      title: 'No such time zone',
      words: `There is no time zone called “${settings.timeZone}”. Use a name such as Europe/London.`,
    })
  return found
}

export const mailboxSchema = mailboxSettingsSchema.omit({ password: true }).extend({
  id: z.number(),
  /** Its sending host is the practice host of this machine: nothing that it sends reaches a real person. */
  practice: z.boolean(),
  /** The practice mailbox that is there from the start, and stays. */
  builtIn: z.boolean(),
  allowance: z.number(),
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
  planned: z.number(),
})

export const testStepSchema = z.object({ step: z.string(), ok: z.boolean(), words: z.string() })
export type TestStep = z.infer<typeof testStepSchema>

const mailbox = z.object({ mailbox: id })

export const mailboxRoutes = {
  mailboxes: route({ method: 'GET', path: '/api/mailboxes', summary: 'All mailboxes', answer: z.array(mailboxSchema) }),
  mailboxUse: route({
    method: 'GET',
    path: '/api/mailboxes/:mailbox/use',
    summary: 'Recipients by the hour: of the 24 hours that have passed, and of the 24 to come',
    params: mailbox,
    answer: z.object({ now: z.number(), hours: z.array(hourOfUseSchema).length(48) }),
  }),
  addMailbox: route({
    method: 'POST',
    path: '/api/mailboxes',
    summary: 'Add a mailbox',
    body: mailboxSettingsSchema,
    answer: mailboxSchema,
  }),
  changeMailbox: route({
    method: 'PUT',
    path: '/api/mailboxes/:mailbox',
    summary: "Change a mailbox's settings",
    params: mailbox,
    body: mailboxSettingsSchema,
    answer: mailboxSchema,
  }),
  removeMailbox: route({
    method: 'DELETE',
    path: '/api/mailboxes/:mailbox',
    summary: 'Remove a mailbox that no round uses',
    params: mailbox,
  }),
  testMailbox: route({
    method: 'POST',
    path: '/api/mailboxes/test',
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
  seenUnreadMail: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/unread-mail/seen',
    summary: 'Take note of the mail that could not be read: it is not shown any more',
    params: mailbox,
    answer: mailboxSchema,
  }),
  carryOnMailbox: route({
    method: 'POST',
    path: '/api/mailboxes/:mailbox/carry-on',
    summary: 'End a pause or stop and try again now',
    params: mailbox,
    answer: mailboxSchema,
  }),
}
