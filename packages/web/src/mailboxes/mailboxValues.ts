import { type Mailbox, type MailboxSettings, mailboxFaults, mailboxSettingsSchema } from '@hand-post/contract'
import { addressesIn, newPlaces, readyWeeks } from '@hand-post/core'
import { z } from 'zod'
import { weekForm, weekTexts } from './weekForm.ts'
import { limits, mailboxValues as say } from './words.ts'

/** A mailbox's settings as they are filled in. */
export interface MailboxValues
  extends Omit<MailboxSettings, 'aliases' | 'largestMessage' | 'password' | 'hours' | 'gentleStart'> {
  /** A text for each day of the week. */
  hours: Omit<MailboxSettings['hours'], 'week'> & { week: string[] }
  /** The days separated by commas. */
  gentleStart: { wanted: boolean; days: string }
  /** Several separated by semicolons. */
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

/** What a new mailbox begins with, beside what the schema gives by itself. */
const begun: z.input<typeof mailboxSettingsSchema> = {
  name: '',
  address: '',
  senderName: '',
  user: '',
  smtp: { host: '', port: 587, security: 'starttls', allowSelfSigned: false },
  imap: usualImap,
  perDay: 500,
  perMinute: 10,
  largestMessage: 25_000_000,
  hostFilesSent: false,
  timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
}
const given = Object.entries(mailboxSettingsSchema.shape).flatMap(([name, schema]) => {
  const { success, data } = schema.safeParse(undefined)
  return success && data !== undefined ? [[name, data]] : []
})

/** What a form for a mailbox begins with: its settings, or what is usual. */
export function valuesOf(mailbox: Mailbox | undefined): MailboxValues {
  const from = (mailbox ?? { ...Object.fromEntries(given), ...begun }) as MailboxSettings
  // As it is stored, whatever the schema says of that by now: what no longer fits is said at its field.
  const settings = Object.fromEntries(
    (Object.keys(mailboxSettingsSchema.shape) as (keyof MailboxSettings)[]).map((name) => [name, from[name]]),
  ) as unknown as MailboxSettings
  return {
    ...settings,
    aliases: settings.aliases.join('; '),
    hours: { ...settings.hours, week: weekTexts(settings.hours.week) },
    gentleStart: { ...settings.gentleStart, days: settings.gentleStart.days.join(', ') },
    largestMessage: settings.largestMessage / 1_000_000,
    password: '',
    selfMessage: false,
  }
}

/** The settings that were filled in: name and user name that are left empty are the address. What is no figure is no number. */
const settingsOf = ({ selfMessage: _, password, ...values }: MailboxValues): MailboxSettings => ({
  ...values,
  hours: { ...values.hours, week: weekForm.safeParse(values.hours.week).data ?? readyWeeks.anyTime },
  gentleStart: {
    wanted: values.gentleStart.wanted,
    days: values.gentleStart.days
      .split(/[,;\s]+/)
      .filter(Boolean)
      .map(Number),
  },
  name: values.name.trim() || values.address.trim(),
  aliases: addressesIn(values.aliases),
  user: values.user.trim() || values.address.trim(),
  largestMessage: Math.round(values.largestMessage * 1_000_000),
  ...(password === '' ? {} : { password }),
})

/** Why the password must be typed, or null: a stored one goes only where it was given for. */
export function passwordWanted(values: MailboxValues, mailbox: Mailbox | undefined): string | null {
  if (!mailbox) return say.passwordMissing
  const elsewhere = newPlaces(mailbox, settingsOf(values))
  if (elsewhere.length === 0) return null
  const are = elsewhere.length === 1 ? 'is' : 'are'
  return say.typeAgainStoredOne(elsewhere.join(', '), are)
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
    for (const { path, message } of weekForm.safeParse(values.hours.week).error?.issues ?? [])
      faults.push({ path: ['hours', 'week', ...path], words: message })
    for (const { path, words } of faults) {
      if (path[0] === 'gentleStart') {
        const message = settings.gentleStart.days.some((n) => !Number.isInteger(n)) ? limits.gentleDaysWrong : words
        context.addIssue({ code: 'custom', path: ['gentleStart', 'days'], message })
        continue
      }
      // Here the figure is in MB.
      const message = path[0] === 'largestMessage' ? say.between001500 : words
      context.addIssue({ code: 'custom', path: [...path], message })
    }
    return read.data ?? settings
  })
