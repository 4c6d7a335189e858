import { randomBytes } from 'node:crypto'
import { choiceSets, escapeHtml, optOutPlace } from '@hand-post/core'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import type { FileStore } from '../files/fileStore.ts'
import { pictureParts, withPictures } from '../letter/pictures.ts'
import type { MailboxKeys } from '../mailboxes/access.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { SendError, SmtpConnection } from '../mailboxes/smtp.ts'
import { mailboxById, mailboxRecords, noteCopies } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { optOutOfCopies, type PublicAddress, withPlainChoices } from '../rounds/freeze.ts'
import type { RoundJobs } from '../rounds/jobs.ts'
import { senderOf } from '../rounds/loadRound.ts'
import { roundById } from '../rounds/store.ts'
import type { Computes } from '../threads/job.ts'

/** What sending copies to oneself needs. */
export interface CopyParts {
  db: Database
  clock: Clock
  compute: Computes<RoundJobs>
  files: FileStore
  keys: MailboxKeys
  publicAddress: PublicAddress
  publish: Publish
}

/**
 * Sends copies of chosen people's messages to one of the writer's own addresses: every address replaced, the real one named in a
 * line on top, the subject marked, own files included. They count for the allowance, never as sent to the person.
 */
export async function sendCopies(
  { db, compute, clock, files, keys, publicAddress, publish }: CopyParts,
  roundId: number,
  rowIds: number[],
  to?: string,
): Promise<{ sent: number; to: string }> {
  const round = await roundById(db, roundId)
  const mailbox = await mailboxById(db, round.mailboxId)
  const own = mailbox.settings.address
  const target = to ?? own
  const all = await mailboxRecords(db)
  if (!all.some(({ settings }) => [settings.address, ...settings.aliases].includes(target)))
    throw new Refusal(
      422,
      `“${target}” is not an address of any mailbox here. Copies go to your own addresses only. Nothing was sent.`,
      'Not an own address',
    )
  const pictures = await pictureParts(db, round.letter)
  const made = await compute.run('messages', { roundId, rowIds, now: clock.now(), publicAddress })
  const line = new SmtpConnection(keys.accessOf(mailbox))
  let sent = 0
  try {
    const sets = choiceSets(round.letter)
    for (const { address, name, cc, bcc, files: enclosed, ...asWritten } of made) {
      // Nor is anything chosen by it.
      const prepared = { to: own, subject: asWritten.subject }
      const merged = { ...asWritten, ...withPlainChoices(asWritten, sets, prepared) }
      const copied = [...cc.map((a) => `Cc ${a}`), ...bcc.map((a) => `Bcc ${a}`)].map((a) => `, ${a}`).join('')
      const top = `Copy to yourself. The real one goes to ${name === '' ? address : `${name} <${address}>`}${copied}; nobody but you got this.`
      // A copy is nobody's letter: there is nothing to opt out of.
      const noOptOut = optOutOfCopies(publicAddress)
      const key = randomBytes(16).toString('base64url')
      const contents = {
        from: { name: senderOf(round, mailbox.settings).name, address: own },
        to: { name: '', address: target },
        cc: [],
        bcc: [],
        subject: `[Copy] ${merged.subject}`,
        html: withPictures(merged.html, pictures.address)
          .replace(optOutPlace, noOptOut)
          .replace(
            /(<body[^>]*>)/,
            `$1<p style="font:14px Arial,sans-serif;border:1px solid #8a5200;background:#fff2dc;color:#5c3700;padding:8px;margin:0 0 16px 0">${escapeHtml(top)}</p>`,
          ),
        text: `${top}\n\n${merged.text.replace(optOutPlace, noOptOut)}`,
        files: enclosed,
        pictures: pictures.parts,
        links: [],
        receipt: false,
      }
      const raw = await composeRaw(
        { key, messageId: `<${key}@${own.slice(own.lastIndexOf('@') + 1)}>`, contents },
        clock.now(),
        files,
      )
      await line.send({ from: own, to: [target] }, raw)
      await noteCopies(db, mailbox.id, clock.now(), 1)
      sent++
    }
  } catch (error) {
    if (error instanceof SendError) {
      const before = sent === 0 ? 'No copy was sent' : `${sent} of ${rowIds.length} copies were sent`
      throw new Refusal(
        502,
        `${before}: ${error.message} Nobody else got anything. Look at the mailbox's settings, then try again.`,
        'Copy not sent',
      )
    }
    throw error
  } finally {
    line.close()
  }
  publish({ topic: 'mailboxes', id: mailbox.id })
  return { sent, to: target }
}
