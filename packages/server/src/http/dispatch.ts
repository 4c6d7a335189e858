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
    const withdrawn = await messages.withdraw(db, round.id)
    await again(round.mailboxId, round.id)
    return { withdrawn }
  })
  handle(desk, routes.settleDoubt, async ({ params, body }) => {
    const line = await messages.messageLine(db, params.message)
    if (!line.asksWriter)
      throw new Refusal(409, 'This message is not in doubt (any more). Nothing was changed.', 'Nothing to settle')
    if (body.went)
      await messages.markSent(db, [{ id: line.id, at: clock.now(), answer: 'The writer says that it went.' }])
    else await messages.sendAgain(db, line.id, clock.now())
    const round = await roundById(db, line.roundId)
    await again(round.mailboxId, round.id)
    return messages.messageLine(db, params.message)
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
