import { addressOf, routes } from '@hand-post/contract'
import type { Context } from '../context.ts'
import * as rehearsal from '../dispatch/rehearsal.ts'
import { notFound } from '../problem.ts'
import { roundById } from '../rounds/store.ts'
import { contentHeaders, type Desk, handle } from './handle.ts'

export function rehearsalHandlers(desk: Desk, context: Context): void {
  const { db, tell } = context
  handle(desk, routes.rehearsal, ({ params }) => rehearsal.rehearsal(context, params.round))
  handle(desk, routes.rehearse, ({ params, gone }) => rehearsal.rehearse(context, params.round, gone))
  handle(desk, routes.clearRehearsal, async ({ params }) => {
    await rehearsal.clearRehearsal(context, (await roundById(db, params.round)).id)
    tell({ topic: 'round', id: params.round })
    return {}
  })
  handle(desk, routes.rehearsedInbox, ({ params, query }) =>
    rehearsal.rehearsedInbox(context, params.round, query.address),
  )
  handle(desk, routes.rehearsedMessage, async ({ params, query }) => {
    const { parts, ...received } = await rehearsal.rehearsedMessage(context, params.round, query.address, query.uid)
    const html = parts.reduce(
      (all, { cid }, part) =>
        cid === null
          ? all
          : all.replaceAll(
              `"cid:${cid}"`,
              `"${addressOf(routes.rehearsedFile, { params, query: { ...query, part } }).replaceAll('&', '&amp;')}"`,
            ),
      received.html,
    )
    const files = parts.flatMap(({ name, content, cid }, part) =>
      cid === null ? [{ part, name, size: content.length }] : [],
    )
    return { ...received, html, files }
  })
  handle(desk, routes.rehearsedSource, async ({ params, query, res }) => {
    const raw = await rehearsal.rehearsedRaw(context, params.round, query.address, query.uid)
    res.set({ 'content-type': 'message/rfc822', 'content-disposition': 'attachment; filename="message.eml"' }).send(raw)
    return undefined
  })
  handle(desk, routes.rehearsedFile, async ({ params, query, res }) => {
    const { parts } = await rehearsal.rehearsedMessage(context, params.round, query.address, query.uid)
    const part = parts[query.part]
    if (!part) throw notFound('file')
    res.set(contentHeaders(part.type, part.name)).send(Buffer.from(part.content))
    return undefined
  })
}
