import { routes, workWants } from '@hand-post/contract'
import { noteDeed } from '../accounts/deeds.ts'
import { hidden } from '../accounts/sharing.ts'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { type Desk, handle } from '../http/handle.ts'
import { Refusal } from '../problem.ts'
import { tellToStop, worksUnderWay } from '../threads/workStore.ts'

/** What is under way, wherever it is done. */
export function workRoutes(desk: Desk, { db, clock, publish }: { db: Database; clock: Clock; publish: Publish }): void {
  /** What whoever acts may see of it: nothing of a round or list that is hidden from them. */
  const seen = async () => {
    const away = await hidden(db)
    return (await worksUnderWay(db)).filter(
      ({ round, list }) => !(round && away.rounds.has(round.id)) && !(list && away.lists.has(list.id)),
    )
  }
  handle(desk, routes.works, seen)

  handle(desk, routes.stopWork, async ({ params, caller }) => {
    const work = (await seen()).find(({ id }) => id === params.work)
    if (work && !caller.roles.includes(workWants(work.what)))
      throw new Refusal(
        403,
        'This is stopped by whoever may begin it: ask one of them, or a keeper. It goes on.',
        'Not allowed',
      )
    if (!work || !(await tellToStop(db, work.id)))
      throw new Refusal(404, 'This is not under way any more: it has ended, or was stopped already.', 'Not under way')
    await noteDeed(db, clock.now(), 'workStopped', { what: work.what, by: work.by?.name ?? '' }, work.round?.id)
    publish({ topic: 'works', id: null })
    return {}
  })
}
