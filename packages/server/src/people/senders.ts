import type { senderSchema } from '@hand-post/contract'
import { sameAddressKey } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { z } from 'zod'

type Sender = z.infer<typeof senderSchema>

/** The most messages that are looked at. */
const maxMessages = 2000

/** What shows in a head that no person wrote a message (RFC 3834, section 5; RFC 2919; common practice for the rest). */
const automaticHead =
  /^(auto-submitted:\s*(?!no\b)|list-id:|list-unsubscribe:|precedence:\s*(bulk|list|junk)|x-auto-response-suppress:)/im
const automaticAddress = /^(no-?reply|do-?not-?reply|mailer-daemon|postmaster|bounces?|notifications?)([+@.-]|$)/i

/**
 * Lists the messages of the inbox since a day with who wrote them, newest first. The messages stay where they are, and
 * nothing of them is stored.
 * @param own the mailbox's own addresses.
 */
export async function readSenders(client: ImapFlow, since: Date, own: string[]): Promise<Sender[]> {
  const mine = new Set(own.map(sameAddressKey))
  const lock = await client.getMailboxLock('INBOX', { readOnly: true })
  try {
    const uids = (await client.search({ since }, { uid: true })) || []
    if (uids.length === 0) return []
    const found: Sender[] = []
    for await (const m of client.fetch(
      uids.slice(-maxMessages),
      {
        uid: true,
        envelope: true,
        internalDate: true,
        headers: [
          'auto-submitted',
          'list-id',
          'list-unsubscribe',
          'precedence',
          'x-auto-response-suppress',
          'content-type',
        ],
      },
      { uid: true },
    )) {
      const from = m.envelope?.from?.[0]
      if (!from?.address) continue
      const head = m.headers?.toString('utf8') ?? ''
      const automatic =
        automaticHead.test(head) || automaticAddress.test(from.address) || /multipart\/report/i.test(head)
      found.push({
        uid: m.uid,
        name: from.name ?? '',
        address: from.address,
        subject: m.envelope?.subject ?? '',
        at: new Date(m.internalDate ?? m.envelope?.date ?? 0).getTime(),
        keptOut: mine.has(sameAddressKey(from.address)) ? 'own address' : automatic ? 'automatic' : null,
      })
    }
    return found.sort((a, b) => b.at - a.at)
  } finally {
    lock.release()
  }
}
