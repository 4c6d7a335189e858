import { type Mailbox, type MailboxSettings, mailboxFaults, mailboxSettingsSchema } from '@hand-post/contract'
import { addressesIn, newPlaces } from '@hand-post/core'
import { z } from 'zod'

/** A mailbox's settings as they are filled in. */
export interface MailboxValues extends Omit<MailboxSettings, 'aliases' | 'largestMessage' | 'password'> {
  /** Several parted by semicolons. */
  aliases: string
  /** In MB. */
  largestMessage: number
  /** Empty keeps the stored one. */
  password: string
  /** Whether the test sends a message to the mailbox itself. */
  selfMessage: boolean
}

/** Where answers are usually read. */
export const usualImap: NonNullable<MailboxSettings['imap']> = {
  host: '',
  port: 993,
  security: 'tls',
  allowSelfSigned: false,
}

/** What a form for a mailbox begins with: its settings, or what is usual. */
export const valuesOf = (mailbox: Mailbox | undefined): MailboxValues => ({
  name: mailbox?.name ?? '',
  address: mailbox?.address ?? '',
  senderName: mailbox?.senderName ?? '',
  aliases: mailbox?.aliases.join('; ') ?? '',
  signature: mailbox?.signature ?? '',
  user: mailbox?.user ?? '',
  password: '',
  smtp: mailbox?.smtp ?? { host: '', port: 587, security: 'starttls', allowSelfSigned: false },
  imap: mailbox ? mailbox.imap : usualImap,
  perDay: mailbox?.perDay ?? 500,
  perMinute: mailbox?.perMinute ?? 10,
  largestMessage: (mailbox?.largestMessage ?? 25_000_000) / 1_000_000,
  hostFilesSent: mailbox?.hostFilesSent ?? false,
  timeZone: mailbox?.timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
  selfMessage: false,
})

/** The settings that were filled in: name and user name that are left empty are the address. */
const settingsOf = ({ selfMessage: _, password, ...values }: MailboxValues): MailboxSettings => ({
  ...values,
  name: values.name.trim() || values.address.trim(),
  aliases: addressesIn(values.aliases),
  user: values.user.trim() || values.address.trim(),
  largestMessage: Math.round(values.largestMessage * 1_000_000),
  ...(password === '' ? {} : { password }),
})

/** Why the password must be typed, or null: a stored one goes only where it was given for. */
export function passwordWanted(values: MailboxValues, mailbox: Mailbox | undefined): string | null {
  if (!mailbox) return 'The password is missing.'
  const elsewhere = newPlaces(mailbox, settingsOf(values))
  if (elsewhere.length === 0) return null
  const are = elsewhere.length === 1 ? 'is' : 'are'
  return `Type it again: the stored one goes only where it was given for, and ${elsewhere.join(', ')} ${are} another now.`
}

/** What is filled in, checked as the desk will check it, with every fault at its field. */
export const mailboxForm = (mailbox: Mailbox | undefined): z.ZodType<MailboxSettings, MailboxValues> =>
  z.custom<MailboxValues>().transform((values, context) => {
    const settings = settingsOf(values)
    const read = mailboxSettingsSchema.safeParse(settings)
    const faults = [
      ...(read.error?.issues ?? []).map(({ path, message }) => ({ path, words: message })),
      ...mailboxFaults(settings),
    ]
    const wanted = values.password === '' ? passwordWanted(values, mailbox) : null
    if (wanted !== null) faults.push({ path: ['password'], words: wanted })
    for (const { path, words } of faults) {
      // Here the figure is in MB.
      const message = path[0] === 'largestMessage' ? 'Between 0.01 and 500 MB.' : words
      context.addIssue({ code: 'custom', path: [...path], message })
    }
    return read.data ?? settings
  })
