import { addressOf, routes } from '@hand-post/contract'
import { contentHeaders, type Desk, handle } from '../http/handle.ts'
import { notFound } from '../problem.ts'
import { roundById } from '../rounds/store.ts'
import type { Works } from '../threads/works.ts'
import * as rehearsal from './rehearsal.ts'

/** Rehearsals, and what they delivered. */
export function rehearsalRoutes(desk: Desk, parts: rehearsal.RehearsalParts & { works: Works }): void {
  const { db, publish, works } = parts
  handle(desk, routes.rehearsal, ({ params }) => rehearsal.rehearsal(parts, params.round))
  handle(desk, routes.rehearse, ({ params, gone }) =>
    works.long({ what: 'rehearsal', round: params.round }, gone, (options) =>
      rehearsal.rehearse(parts, params.round, options),
    ),
  )
  handle(desk, routes.clearRehearsal, async ({ params }) => {
    await rehearsal.clearRehearsal(parts, (await roundById(db, params.round)).id)
    publish({ topic: 'round', id: params.round })
    return {}
  })
  handle(desk, routes.rehearsedInbox, ({ params, query }) =>
    rehearsal.rehearsedInbox(parts, params.round, query.address),
  )
  handle(desk, routes.rehearsedMessage, async ({ params, query }) => {
    const { parts: mimeParts, ...received } = await rehearsal.rehearsedMessage(
      parts,
      params.round,
      query.address,
      query.uid,
    )
    const html = mimeParts.reduce(
      (all, { cid }, part) =>
        cid === null
          ? all
          : all.replaceAll(
              `"cid:${cid}"`,
              `"${addressOf(routes.rehearsedFile, { params, query: { ...query, part } }).replaceAll('&', '&amp;')}"`,
            ),
      received.html,
    )
    const files = mimeParts.flatMap(({ name, content, cid }, part) =>
      cid === null ? [{ part, name, size: content.length }] : [],
    )
    return { ...received, html, files }
  })
  handle(desk, routes.rehearsedSource, async ({ params, query, res }) => {
    const raw = await rehearsal.rehearsedRaw(parts, params.round, query.address, query.uid)
    res.set({ 'content-type': 'message/rfc822', 'content-disposition': 'attachment; filename="message.eml"' }).send(raw)
    return undefined
  })
  handle(desk, routes.rehearsedFile, async ({ params, query, res }) => {
    const { parts: mimeParts } = await rehearsal.rehearsedMessage(parts, params.round, query.address, query.uid)
    const part = mimeParts[query.part]
    if (!part) throw notFound('file')
    res.set(contentHeaders(part.type, part.name)).send(Buffer.from(part.content))
    return undefined
  })
}
