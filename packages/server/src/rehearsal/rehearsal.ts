import { statfs } from 'node:fs/promises'
import type { Arrived, Rehearsal } from '@hand-post/contract'
import type { ReceivedMessage } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { Access, MailboxKeys } from '../mailboxes/access.ts'
import { usingImap } from '../mailboxes/imap.ts'
import { mailboxRecords } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import type { PublicAddress } from '../rounds/freeze.ts'
import { draftById, roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'
import type { WorkOptions } from '../threads/works.ts'
import type { RehearsalJobs } from './jobs.ts'
import type { ReceivedJobs } from './mailJobs.ts'
import { forgetRehearsal, rehearsalOf } from './store.ts'

/** What rehearsing needs. */
export interface RehearsalParts {
  db: Database
  clock: Clock
  compute: Computes<RehearsalJobs & ReceivedJobs>
  keys: MailboxKeys
  /** The folder that everything lies in: a rehearsal looks for room there. */
  dataFolder: string
  publicAddress: PublicAddress
  publish: Publish
}
/** What looking into the inboxes of a rehearsal needs. */
type Inboxes = Pick<RehearsalParts, 'db' | 'keys'>

/** The practice mailbox as the user that a round's rehearsal is: what it sends comes into inboxes that only it can look into. */
async function rehearsalAccess({ db, keys }: Inboxes, roundId: number): Promise<Access> {
  const practice = (await mailboxRecords(db)).find((m) => m.builtIn)
  if (!practice) throw new Refusal(409, 'There is no practice mailbox here to rehearse with.', 'No practice mailbox')
  return { ...keys.accessOf(practice), user: `rehearsal-${roundId}` }
}

async function withInboxes<T>(parts: Inboxes, roundId: number, work: (client: ImapFlow) => Promise<T>): Promise<T> {
  return usingImap(await rehearsalAccess(parts, roundId), work).catch((error: Error) => {
    if (error instanceof Refusal) throw error
    throw new Refusal(
      502,
      `The practice mailbox does not answer: ${error.message} It is started with Hand Post.`,
      'Practice mailbox not reached',
    )
  })
}

/** Where the practice mailbox shows a rehearsal the inbox of an address. */
const pathOf = (address: string) => `Inboxes/${encodeURIComponent(address.toLowerCase()).replaceAll('%40', '@')}`

const underWay = new Set<number>()

/**
 * Hands the whole round over to the practice mailbox. Nothing else changes: no message, no allowance, no Sent, no answers.
 * Broken off or cancelled, nothing of it is kept.
 */
export async function rehearse(parts: RehearsalParts, roundId: number, options: WorkOptions): Promise<Rehearsal> {
  const { db, compute, clock, dataFolder, publicAddress, publish } = parts
  await draftById(db, roundId)
  if (underWay.has(roundId))
    throw new Refusal(409, 'A rehearsal of this round is under way already. Wait for its end, or stop it.', 'Under way')
  underWay.add(roundId)
  try {
    await emptyInboxes(parts, roundId)
    const { bavail, bsize } = await statfs(dataFolder)
    const access = await rehearsalAccess(parts, roundId)
    await compute
      .run('rehearse', { roundId, now: clock.now(), publicAddress, access, room: bavail * bsize }, options)
      .catch(async (error) => {
        await emptyInboxes(parts, roundId).catch(() => {})
        throw error
      })
    return (await rehearsal(parts, roundId))!
  } finally {
    underWay.delete(roundId)
    publish({ topic: 'round', id: roundId })
  }
}

/** The last rehearsal of a round, or null. What was posted since is frozen, and cannot have been changed. */
export async function rehearsal(
  { db, compute, clock }: Pick<RehearsalParts, 'db' | 'compute' | 'clock'>,
  roundId: number,
): Promise<Rehearsal | null> {
  const { postedAt } = await roundById(db, roundId)
  const kept = await rehearsalOf(db, roundId)
  if (!kept) return null
  const changed = postedAt === null && (await compute.run('changedSinceRehearsal', { roundId, now: clock.now() }))
  return { ...kept, changed }
}

/** Clears a rehearsal away, with everything that arrived. */
export async function clearRehearsal(parts: Inboxes, roundId: number): Promise<void> {
  if (underWay.has(roundId))
    throw new Refusal(
      409,
      'A rehearsal of this round is under way. Stop it first. Nothing was cleared away.',
      'Under way',
    )
  await emptyInboxes(parts, roundId)
}

async function emptyInboxes(parts: Inboxes, roundId: number): Promise<void> {
  await withInboxes(parts, roundId, async (client) => {
    for (const { path } of await client.list()) await client.mailboxDelete(path)
  })
  await forgetRehearsal(parts.db, roundId)
}

async function inInbox<T>(
  parts: Inboxes,
  roundId: number,
  address: string,
  work: (client: ImapFlow) => Promise<T>,
): Promise<T> {
  return withInboxes(parts, roundId, async (client) => {
    const lock = await client.getMailboxLock(pathOf(address), { readOnly: true }).catch(() => {
      throw new Refusal(
        404,
        `Nothing of this rehearsal lies in the inbox of ${address}. It may have been cleared away; rehearse again.`,
        'Nothing there',
      )
    })
    try {
      return await work(client)
    } finally {
      lock.release()
    }
  })
}

/** What lies in a correspondent's inbox, the newest last. */
export function rehearsedInbox(parts: Inboxes, roundId: number, address: string): Promise<Arrived[]> {
  return inInbox(parts, roundId, address, async (client) => {
    const arrived: Arrived[] = []
    for await (const m of client.fetch('1:*', {
      uid: true,
      envelope: true,
      internalDate: true,
      size: true,
      headers: ['content-type'],
    })) {
      const from = m.envelope?.from?.[0]
      arrived.push({
        uid: m.uid,
        from: from?.name || (from?.address ?? ''),
        subject: m.envelope?.subject ?? '',
        at: new Date(m.internalDate ?? 0).getTime(),
        size: m.size ?? 0,
        withFiles: /multipart\/mixed/i.test(m.headers?.toString('utf8') ?? ''),
      })
    }
    return arrived.sort((a, b) => a.at - b.at || a.uid - b.uid)
  })
}

/** A message of a rehearsal as it arrived, raw. */
export function rehearsedRaw(parts: Inboxes, roundId: number, address: string, uid: number): Promise<Buffer> {
  return inInbox(parts, roundId, address, async (client) => {
    const found = await client.fetchOne(String(uid), { source: true }, { uid: true })
    const raw = found ? found.source : undefined
    if (!raw)
      throw new Refusal(404, 'This message is not in the inbox any more. Open the rehearsal again.', 'Nothing there')
    return raw
  })
}

/** A message of a rehearsal as its reader's mail program has it. */
export async function rehearsedMessage(
  parts: Inboxes & Pick<RehearsalParts, 'compute'>,
  roundId: number,
  address: string,
  uid: number,
): Promise<ReceivedMessage & { size: number }> {
  const raw = await rehearsedRaw(parts, roundId, address, uid)
  return { ...(await parts.compute.run('readReceived', { raw })), size: raw.length }
}
