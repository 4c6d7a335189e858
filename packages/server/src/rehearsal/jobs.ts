import { createHash } from 'node:crypto'
import { addressFault, messageSize, sizeWords } from '@hand-post/core'
import type { Database } from '../db/database.ts'
import { planRound } from '../dispatch/planRound.ts'
import type { Access } from '../mailboxes/access.ts'
import { composeRaw } from '../mailboxes/compose.ts'
import { contentsOfCopies } from '../mailboxes/contents.ts'
import { SendError, SmtpConnection } from '../mailboxes/smtp.ts'
import { mailboxById } from '../mailboxes/store.ts'
import { Refusal } from '../problem.ts'
import { freezeMessages, type PublicAddress } from '../rounds/freeze.ts'
import { type LoadedRound, loadRound } from '../rounds/loadRound.ts'
import type { NewMessage } from '../rounds/messages.ts'
import type { JobContext } from '../threads/job.ts'
import { runPool } from '../threads/runPool.ts'
import { keepRehearsal, lastRehearsed, type Rehearsed } from './store.ts'

/** How many connections to the practice mailbox a rehearsal uses. */
const maxLines = 4
/** Octets that a rehearsal leaves free on the disk. */
const spare = 200_000_000

/** A print of every message of a round, all but its name, and of what their times come from. */
async function printOf(db: Database, loaded: LoadedRound): Promise<string> {
  const { round } = loaded
  // Without what is made of a message's own name: its links and its picture.
  const tracking = { ...round.tracking, opens: false, clicks: false, optOut: false }
  const messages = await freezeMessages(
    db,
    { ...loaded, round: { ...round, tracking } },
    { url: '', signingKey: new Uint8Array() },
    { uncounted: true },
  )
  const { settings } = await mailboxById(db, round.mailboxId)
  const print = createHash('sha256').update(JSON.stringify([round.tracking, round.dispatch, settings]))
  for (const { rowId, contents } of messages) print.update(JSON.stringify([rowId, contents]))
  return print.digest('base64url')
}

/** A whole round handed over to the practice mailbox, and what arrived there read. */
export const rehearsalJobs = {
  /**
   * Makes every message of a round exactly as posting would, under names that stand nowhere else, and hands it over by SMTP
   * in the order and with the times of the timetable. Nothing is written but the rehearsal itself.
   * @param access the practice mailbox, as the user that the rehearsal is.
   * @param room octets that are free on the disk.
   */
  async rehearse(
    {
      roundId,
      now,
      publicAddress,
      access,
      room,
    }: { roundId: number; now: number; publicAddress: PublicAddress; access: Access; room: number },
    { db, files, progress }: JobContext,
  ): Promise<void> {
    const loaded = await loadRound(db, roundId, now)
    const { round, people } = loaded
    if (round.addressColumn === null || people.chosen.length === 0)
      throw new Refusal(
        409,
        'The round has no people with addresses yet, so there is nothing to rehearse. Choose them at People.',
        'No messages',
      )
    const { settings } = await mailboxById(db, round.mailboxId)
    const messages = await freezeMessages(db, loaded, publicAddress)
    const needed = messages.reduce(
      (sum, { contents: { html, text, files: enclosed }, recipients }) =>
        sum + recipients * messageSize(html, text, [...enclosed.map((f) => f.size), ...loaded.toProof.pictureSizes]),
      0,
    )
    if (needed + spare > room)
      throw new Refusal(
        507,
        `The rehearsal would take ${sizeWords(needed)} on the disk, where ${sizeWords(room)} are free. Make room, or choose fewer people by a rule. Nothing was sent.`,
        'No room',
      )
    const times = new Map((await planRound(db, loaded, now)).table.departures.map(({ rowId, at }) => [rowId, at]))
    const queue = messages
      .map((message) => ({ message, at: times.get(message.rowId) ?? null }))
      .sort((a, b) => (a.at ?? Number.POSITIVE_INFINITY) - (b.at ?? Number.POSITIVE_INFINITY))
    const done: Rehearsed[] = []

    const handOver = async (line: SmtpConnection, message: NewMessage, at: number | null): Promise<Rehearsed> => {
      const { from, to, cc, bcc } = message.contents
      const result = (answer: string, taken: boolean, size: number | null = null): Rehearsed => {
        const { rowId, person, address } = message
        return { rowId, person, address, recipients: [to.address, ...cc, ...bcc], at, size, answer, taken }
      }
      const fault = addressFault(to.address)
      if (fault) return result(to.address === '' ? 'There is no address.' : `The address will not do: ${fault}.`, false)
      if (at === null)
        return result(
          `It goes to ${message.recipients} recipients at once, and the mailbox may write to ${settings.perDay} a day: it could never leave.`,
          false,
        )
      let raw: Buffer
      try {
        raw = await composeRaw(message, at, files)
      } catch (error) {
        return result(`It could not be made: ${(error as Error).message}`, false)
      }
      if (raw.length > settings.largestMessage)
        return result(
          `It has ${sizeWords(raw.length)}, and the mailbox takes at most ${sizeWords(settings.largestMessage)}.`,
          false,
          raw.length,
        )
      try {
        const { answer } = await line.send({ from: from.address, to: [to.address] }, raw)
        // As in earnest: the copies follow by themselves, when the person's was taken.
        if (cc.length + bcc.length > 0) {
          const copy = await composeRaw({ ...message, contents: contentsOfCopies(message.contents) }, at, files)
          await line.send({ from: from.address, to: [...cc, ...bcc] }, copy)
        }
        return result(answer, true, raw.length)
      } catch (error) {
        if (!(error instanceof SendError) || error.failure.code === null || error.failure.stage === 'signIn')
          throw new Refusal(
            502,
            `The practice mailbox broke off: ${(error as Error).message} Look whether it still runs (it is started with Hand Post), then rehearse again.`,
            'Practice mailbox not reached',
          )
        await line.reset()
        return result(error.failure.text, false, raw.length)
      }
    }
    const lines = Array.from({ length: maxLines }, () => new SmtpConnection(access))
    try {
      await runPool(queue, lines, async (line, { message, at }) => {
        done.push(await handOver(line, message, at))
        progress(done.length, messages.length, 'Rehearsing')
      })
    } finally {
      for (const line of lines) line.close()
    }
    await keepRehearsal(db, roundId, { now, print: await printOf(db, loaded), messages: done })
  },

  /** Whether the round's messages, or what their times come from, are others than they were at its last rehearsal. */
  async changedSinceRehearsal(
    { roundId, now }: { roundId: number; now: number },
    { db }: JobContext,
  ): Promise<boolean> {
    const kept = await lastRehearsed(db, roundId)
    return kept !== null && kept.print !== (await printOf(db, await loadRound(db, roundId, now)))
  },
}
export type RehearsalJobs = typeof rehearsalJobs
