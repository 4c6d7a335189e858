import { type Mailbox, type MailboxSettings, mailboxFaults, mailboxSettingsSchema } from '@hand-post/contract'
import { addressesIn, newPlaces, readyWeeks } from '@hand-post/core'
import { z } from 'zod'
import { weekForm, weekTexts } from './weekForm.ts'
import { limits, mailboxValues as say, signInFields } from './words.ts'

/** A mailbox's settings as they are filled in. */
export interface MailboxValues
  extends Omit<MailboxSettings, 'aliases' | 'largestMessage' | 'password' | 'flow' | 'hours' | 'gentleStart'> {
  /** A text for each day of the week. */
  hours: Omit<MailboxSettings['hours'], 'week'> & { week: string[] }
  /** The days separated by commas. */
  gentleStart: { wanted: boolean; days: string }
  /** Several separated by semicolons. */
  aliases: string
  /** In MB. */
  largestMessage: number
  /** By what it is opened. */
  way: 'password' | 'oauth'
  /** A sign-in service as it is typed; found by its address, or `typed` by both of its others. */
  service: {
    issuer: string
    authorization: string
    token: string
    clientId: string
    clientSecret: string
    scope: string
    typed: boolean
  }
  /** A signing in that has begun here; '' while none has. */
  flow: string
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
  secondEyes: false,
  hostFilesSent: false,
  tell: { done: true, held: true, doubt: true },
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
    way: settings.oauth === null ? 'password' : 'oauth',
    service: {
      issuer: settings.oauth?.issuer ?? '',
      authorization: settings.oauth?.authorization ?? '',
      token: settings.oauth?.token ?? '',
      clientId: settings.oauth?.clientId ?? '',
      clientSecret: '',
      scope: settings.oauth?.scope ?? 'mail offline_access',
      typed: settings.oauth !== null && settings.oauth?.issuer === '',
    },
    flow: '',
    password: '',
    selfMessage: false,
  }
}

/** The settings that were filled in: name and user name that are left empty are the address. What is no figure is no number. */
const settingsOf = ({
  selfMessage: _,
  service: __,
  way,
  flow,
  password,
  ...values
}: MailboxValues): MailboxSettings => ({
  ...values,
  oauth: way === 'oauth' ? values.oauth : null,
  ...(way === 'oauth' && flow !== '' ? { flow } : {}),
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
  ...(password === '' || way === 'oauth' ? {} : { password }),
})

/** Why the password must be typed, or null: a stored one goes only where it was given for. */
export function passwordWanted(values: MailboxValues, mailbox: Mailbox | undefined): string | null {
  if (!mailbox || mailbox.oauth !== null) return say.passwordMissing
  const elsewhere = newPlaces(mailbox, settingsOf(values))
  if (elsewhere.length === 0) return null
  const are = elsewhere.length === 1 ? 'is' : 'are'
  return say.typeAgainStoredOne(elsewhere.join(', '), are)
}

/** Why one must sign in at the service, or null: what was allowed goes only where it was allowed for. */
function signInWanted(values: MailboxValues, mailbox: Mailbox | undefined): string | null {
  if (values.flow !== '') return null
  if (!mailbox?.oauth || values.oauth === null) return signInFields.first
  const elsewhere = newPlaces(mailbox, settingsOf(values))
  if (elsewhere.length === 0) return null
  return signInFields.firstAgain(elsewhere.join(', '), elsewhere.length === 1 ? 'is' : 'are')
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
    const byPassword = values.way === 'password'
    const wanted = !byPassword
      ? signInWanted(values, mailbox)
      : values.password === ''
        ? passwordWanted(values, mailbox)
        : null
    if (wanted !== null) faults.push({ path: [byPassword ? 'password' : 'oauth'], words: wanted })
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
