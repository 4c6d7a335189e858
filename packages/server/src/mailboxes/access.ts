import type { MailboxSettings } from '@hand-post/contract'
import type { Secrets } from '../secrets.ts'
import type { MailboxRecord } from './store.ts'

/** The address and password by which a mailbox is used. */
export function accessOf(mailbox: MailboxRecord, secrets: Secrets): Access {
  const { smtp, imap, user } = mailbox.settings
  return { smtp, imap, user, password: secrets.unlock(mailbox.secret) }
}

/** What a connection needs to know of a mailbox. */
export interface Access {
  smtp: Host
  imap: Host | null
  user: string
  password: string
}

export type Host = MailboxSettings['smtp']
