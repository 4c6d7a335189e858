import type { DeskEvent } from '@hand-post/contract'
import { escapeHtml } from '@hand-post/core'
import express, { type Express } from 'express'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import { refuseAddress } from '../people/bookStore.ts'
import { readToken } from '../secrets.ts'
import { addResponse, messageByKey } from './store.ts'

// One transparent point, as GIF89a. Always the same bytes, whether the token is known or not.
const picture = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')
const page = (title: string, words: string) =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${title}</title></head><body><p>${words}</p></body></html>`

/** The public address: pictures and links of sent messages, and nothing else. It has no way to the desk. */
export function publicAddress(parts: {
  db: Database
  clock: Clock
  signingKey: Buffer
  tell: (event: DeskEvent) => void
}): Express {
  const { db, clock, signingKey, tell } = parts
  const app = express()
  app.disable('x-powered-by')
  app.set('etag', false)
  const note = async (token: string, agent: string | undefined) => {
    const target = readToken(signingKey, token)
    if (!target || target.what === 'optOut') return null
    const message = await messageByKey(db, target.key)
    if (!message) return null
    const details = { agent: (agent ?? '').slice(0, 200), ...(target.what === 'picture' ? {} : { link: target.what }) }
    await addResponse(db, {
      messageId: message.id,
      kind: target.what === 'picture' ? 'open' : 'click',
      at: clock.now(),
      details,
      source: null,
    })
    tell({ topic: 'responses', id: message.roundId })
    return target.what === 'picture' ? null : (message.links[target.what] ?? null)
  }
  app.get('/p/:token', async (req, res) => {
    const target = readToken(signingKey, req.params.token)
    if (target?.what === 'picture') await note(req.params.token, req.get('user-agent'))
    res.set({ 'content-type': 'image/gif', 'cache-control': 'no-store, private' }).send(picture)
  })
  app.get('/l/:token', async (req, res) => {
    const target = readToken(signingKey, req.params.token)
    const link = typeof target?.what === 'number' ? await note(req.params.token, req.get('user-agent')) : null
    if (link) res.set('cache-control', 'no-store').redirect(302, link)
    else
      res
        .status(404)
        .type('html')
        .send(
          page('Unknown link', 'This link is not known here, or is not whole. Please copy it again from the letter.'),
        )
  })
  // Looking at the page changes nothing: scanners fetch whatever stands in a letter. Only the form, or the one click of a mail
  // program (RFC 8058), opts out.
  const optingOut = async (token: string) => {
    const target = readToken(signingKey, token)
    return target?.what === 'optOut' ? messageByKey(db, target.key) : null
  }
  const unknownOptOut = page(
    'Unknown address',
    'This address is not known here, or is not whole. Please copy it again from the letter, or answer the letter.',
  )
  app.get('/o/:token', async (req, res) => {
    const message = await optingOut(req.params.token)
    res.set('cache-control', 'no-store').type('html')
    if (!message) res.status(404).send(unknownOptOut)
    else
      res.send(
        page(
          'No more letters like this',
          `Letters like this will no longer go to ${escapeHtml(message.address)}.</p><form method="post"><button style="font:inherit;padding:8px 16px">Opt out</button></form><p>`,
        ),
      )
  })
  app.post('/o/:token', async (req, res) => {
    const message = await optingOut(req.params.token)
    res.set('cache-control', 'no-store').type('html')
    if (!message) {
      res.status(404).send(unknownOptOut)
      return
    }
    await refuseAddress(db, message.address, `opted out by a letter of “${message.roundTitle}”`, clock.now())
    const details = { agent: (req.get('user-agent') ?? '').slice(0, 200) }
    await addResponse(db, {
      messageId: message.id,
      kind: 'optOut',
      at: clock.now(),
      details,
      source: `opt-out:${message.id}`,
    })
    tell({ topic: 'responses', id: message.roundId })
    tell({ topic: 'round', id: null })
    res.send(page('Opted out', `${escapeHtml(message.address)} gets no more letters like this.`))
  })
  app.use((_req, res) => {
    res.status(404).type('html').send(page('Nothing here', 'There is nothing at this address.'))
  })
  app.use((_error: unknown, _req: express.Request, res: express.Response, _next: express.NextFunction) => {
    res.status(500).type('html').send(page('Not just now', 'Please try again in a few minutes.'))
  })
  return app
}
