import { routes } from '@hand-post/contract'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type Desk, handle } from '../http/handle.ts'
import { answerAsking, askForPen, companyOf, hasLeft, isHere } from './company.ts'
import { roundById } from './store.ts'

/** Who is in a round together, and who writes its letter. */
export function companyRoutes(
  desk: Desk,
  { db, clock, publish }: { db: Database; clock: Clock; publish: Publish },
): void {
  const changed = (id: number) => publish({ topic: 'company', id })
  const company = (round: number) => companyOf(db, round, clock.now())

  handle(desk, routes.company, async ({ params }) => company((await roundById(db, params.round)).id))

  handle(desk, routes.beHere, async ({ params, body }) => {
    const { id } = await roundById(db, params.round)
    if (await isHere(db, { round: id, ...body }, clock.now())) changed(id)
    return company(id)
  })

  handle(desk, routes.leaveRound, async ({ params }) => {
    if (await hasLeft(db, params.round, params.window)) changed(params.round)
    return {}
  })

  handle(desk, routes.askForPen, async ({ params, body }) => {
    const { id } = await roundById(db, params.round)
    await askForPen(db, id, body.window, clock.now())
    changed(id)
    return company(id)
  })

  handle(desk, routes.answerAsking, async ({ params, body }) => {
    await answerAsking(db, params.round, body.give, clock.now())
    changed(params.round)
    return company(params.round)
  })
}
