import { routes } from '@hand-post/contract'
import type { Context } from '../context.ts'
import { composeRaw } from '../dispatch/compose.ts'
import * as messages from '../dispatch/store.ts'
import { Refusal } from '../problem.ts'
import { roundById } from '../rounds/store.ts'
import { type Desk, handle } from './handle.ts'

/** How many lines the out-tray gives at once. */
const mostInTray = 2000

export function dispatchHandlers(desk: Desk, { db, clock, dispatcher, files, tell }: Context): void {
  const posted = async (id: number) => {
    const round = await roundById(db, id)
    if (round.postedAt === null)
      throw new Refusal(409, `“${round.title}” is not posted yet, so nothing of it is under way.`, 'Not posted')
    return round
  }
  const again = async (mailboxId: number, roundId: number) => {
    await dispatcher.replan(mailboxId)
    dispatcher.wake(mailboxId)
    tell({ topic: 'messages', id: roundId })
    tell({ topic: 'round', id: roundId })
  }

  handle(desk, routes.messages, ({ params }) => messages.messagesOf(db, params.round))
  handle(desk, routes.hold, async ({ params }) => {
    const round = await posted(params.round)
    await messages.setHeld(db, round.id, true)
    await again(round.mailboxId, round.id)
    return {}
  })
  handle(desk, routes.carryOn, async ({ params }) => {
    const round = await posted(params.round)
    await messages.setHeld(db, round.id, false)
    await again(round.mailboxId, round.id)
    return {}
  })
  handle(desk, routes.withdraw, async ({ params }) => {
    const round = await posted(params.round)
    const { letters, copies } = await messages.withdraw(db, round.id)
    await again(round.mailboxId, round.id)
    return { withdrawn: letters, copies }
  })

  const nothingToSettle = () =>
    new Refusal(409, 'Nothing of this is in doubt (any more). Nothing was changed.', 'Nothing to settle')
  /** Settles letters and copies of one mailbox by the writer's word. */
  const settle = async (
    mailboxId: number,
    roundId: number,
    { letters, copies }: { letters: messages.Doubtful[]; copies: messages.DoubtfulCopy[] },
    went: boolean,
  ) => {
    if (letters.length + copies.length === 0) throw nothingToSettle()
    const now = clock.now()
    // What lies in Sent has gone, whatever was meant: nobody gets two.
    const there = went ? new Set<number>() : await dispatcher.lookOnceMore(mailboxId, letters)
    await messages.markSent(
      db,
      letters
        .filter(({ id }) => went || there.has(id))
        .map(({ id, date }) => ({
          id,
          at: date,
          copiesAt: now,
          answer: there.has(id) ? 'Found in Sent: it had gone.' : 'The writer says that it went.',
        })),
    )
    if (!went) for (const { id } of letters) if (!there.has(id)) await messages.sendAgain(db, id, now)
    if (went)
      await messages.writeProgress(
        db,
        [
          {
            copies: copies.map(({ id, claimedAt }) => ({ id, at: claimedAt, answer: 'The writer says that it went.' })),
          },
        ],
        now,
      )
    else for (const { id } of copies) await messages.sendCopyAgain(db, id)
    await again(mailboxId, roundId)
    return { settled: letters.length + copies.length - there.size, found: there.size }
  }
  handle(desk, routes.settleDoubt, async ({ params, body }) => {
    const { roundId } = await messages.messageLine(db, params.message)
    const { mailboxId } = await roundById(db, roundId)
    const letters = (await messages.askingDoubts(db, roundId)).letters.filter(({ id }) => id === params.message)
    return settle(mailboxId, roundId, { letters, copies: [] }, body.went)
  })
  handle(desk, routes.settleCopy, async ({ params, body }) => {
    const roundId = await messages.roundOfCopy(db, params.copy)
    const { mailboxId } = await roundById(db, roundId)
    const copies = (await messages.askingDoubts(db, roundId)).copies.filter(({ id }) => id === params.copy)
    return settle(mailboxId, roundId, { letters: [], copies }, body.went)
  })
  handle(desk, routes.settleDoubts, async ({ params, body }) => {
    const round = await posted(params.round)
    return settle(round.mailboxId, round.id, await messages.askingDoubts(db, round.id), body.went)
  })
  handle(desk, routes.rawMessage, async ({ params, res }) => {
    const frozen = await messages.frozenById(db, params.message)
    const raw = await composeRaw(frozen, frozen.sentAt ?? frozen.plannedAt ?? clock.now(), files)
    res.set({ 'content-type': 'message/rfc822', 'content-disposition': 'attachment; filename="message.eml"' }).send(raw)
    return undefined
  })
  handle(desk, routes.outTray, async () => ({
    waiting: await messages.outTrayCount(db),
    messages: await messages.outTray(db, mostInTray),
  }))
}
