import { randomBytes } from 'node:crypto'
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http'
import { choiceOf, escapeHtml, numbersOf, pileOf } from '@hand-post/core'
import express, { type Request, type Response } from 'express'
import type { Clock } from '../clock.ts'
import type { Database } from '../db/database.ts'
import type { Publish } from '../events.ts'
import { guardHeaders, setHeaders } from '../http/listeners.ts'
import { clientAddress } from '../http/proxy.ts'
import { readToken } from '../secrets.ts'
import {
  askPage,
  type Choice,
  choiceStyleDigest,
  closedChoice,
  sayPage,
  thanksPage,
  unknownChoice,
} from './choicePage.ts'
import type { Fetches } from './fetches.ts'
import { addChosen, type MessageOfKey, messageByKey, optOutByKey } from './store.ts'

// One transparent point, as GIF89a. Always the same bytes, whether the token is known or not.
const picture = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')
// Mail read in a browser shows it on a page of another site.
const pictureHeaders = {
  'content-type': 'image/gif',
  'content-length': picture.length,
  'cross-origin-resource-policy': 'cross-origin',
}

const page = (title: string, words: string) =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${title}</title></head><body><p>${words}</p></body></html>`

// Pages of words and a form: they run and fetch nothing.
const policy = "default-src 'none'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

/** Characters of the words that go with a choice, and how often it may be changed on its page. */
const maxWords = 2000
const maxChanges = 20

/** How long the database may take until the caller is asked to come again, in ms. */
const patience = 3000

export interface PublicAddressParts {
  db: Database
  clock: Clock
  signingKey: Buffer
  fetches: Fetches
  overTls: boolean
  /** The address of the proxy that stands before it. */
  proxy?: string
  publish: Publish
  /** Sets aside at once what waits for an address that has opted out; else that is done when its turn comes. */
  setAside?: (address: string) => Promise<unknown>
}

/**
 * The public address: pictures, links and choices of sent messages, and nothing else. It has no way to the desk. Pictures and links are
 * answered at once from what their tokens say; only choices and opting out ask the database.
 */
export function publicApp({
  db,
  clock,
  signingKey,
  fetches,
  overTls,
  proxy,
  publish,
  setAside,
}: PublicAddressParts): RequestListener {
  const app = express()
  app.disable('x-powered-by')
  app.set('etag', false)
  app.enable('case sensitive routing')
  app.enable('strict routing')
  const guard = setHeaders(
    {
      ...guardHeaders,
      'x-frame-options': 'DENY',
      'cache-control': 'no-store, private',
      'content-security-policy': policy,
    },
    overTls,
  )
  app.use(guard)
  /** Counts a fetch. A head alone (RFC 9110, section 9.3.2) is nobody looking. */
  const note = (req: IncomingMessage, key: string, what: 'picture' | number) => {
    if (req.method !== 'GET') return
    fetches.note(clientAddress(req, proxy), key, what, clock.now(), req.headers['user-agent'] ?? '')
  }
  const givePicture = (req: IncomingMessage, res: ServerResponse, token: string) => {
    const target = readToken(signingKey, token)
    if (target?.what === 'picture') note(req, target.key, 'picture')
    res.writeHead(200, pictureHeaders).end(picture)
  }
  const send = (res: Response, status: number, title: string, words: string) =>
    void res.status(status).type('html').send(page(title, words))
  /** The message of a key, unless the database does not answer in time. */
  const messageOf = (key: string): Promise<MessageOfKey | null> => {
    let timer: NodeJS.Timeout
    const late = new Promise<never>((_, reject) => {
      timer = setTimeout(() => reject(new Error('no answer in time')), patience)
    })
    return Promise.race([messageByKey(db, key), late]).finally(() => clearTimeout(timer))
  }

  app.get('/p/:token', (req, res) => givePicture(req, res, req.params.token))

  app.get('/l/:token', async (req, res) => {
    const target = readToken(signingKey, req.params.token)
    if (typeof target?.what !== 'number')
      return send(
        res,
        404,
        'Unknown link',
        'This link is not known here, or is not whole. Please copy it again from the letter.',
      )
    // Letters of before say only which link it is; where it leads stands with the message.
    const to = target.to ?? (await messageOf(target.key))?.links[target.what]
    if (!to) return send(res, 404, 'Unknown link', 'The letter that this link stood in is not known here any more.')
    note(req, target.key, target.what)
    res.redirect(302, to)
  })

  // Looking at the page changes nothing: scanners fetch whatever stands in a letter. Only the form, or the one click of a mail
  // program (RFC 8058), opts out.
  const optingOut = async (token: string) => {
    const target = readToken(signingKey, token)
    const message = target?.what === 'optOut' ? await messageOf(target.key) : null
    return message && { ...message, key: target!.key }
  }
  const unknownOptOut = (res: Response) =>
    send(
      res,
      404,
      'Unknown address',
      'This address is not known here, or is not whole. Please copy it again from the letter, or answer the letter.',
    )
  app.get('/o/copy', (_req, res) =>
    send(
      res,
      200,
      'A copy',
      'This link stood in a copy of a letter. Only the person whom the letter was written to can opt out of more.',
    ),
  )
  app.get('/o/:token', async (req, res) => {
    const message = await optingOut(req.params.token)
    if (!message) return unknownOptOut(res)
    send(
      res,
      200,
      'No more letters like this',
      `Letters like this will no longer go to ${escapeHtml(message.address)}.</p><form method="post"><button>Opt out</button></form><p>`,
    )
  })
  app.post('/o/:token', async (req, res) => {
    const message = await optingOut(req.params.token)
    if (!message) return unknownOptOut(res)
    await optOutByKey(db, message.key, req.get('user-agent') ?? '', clock.now())
    await setAside?.(message.address)
    publish({ topic: 'responses', id: message.roundId })
    publish({ topic: 'round', id: null })
    send(res, 200, 'Opted out', `${escapeHtml(message.address)} gets no more letters like this.`)
  })

  // The same for a choice of a letter: its page asks once more and takes a word besides, and only its form answers.
  const choosing = async (
    token: string,
  ): Promise<{ key: string; message: MessageOfKey; n: number; offered: Choice[] } | null> => {
    const target = readToken(signingKey, token)
    if (typeof target?.what !== 'string' || !/^c\d+$/.test(target.what)) return null
    const n = Number(target.what.slice(1))
    const message = await messageOf(target.key)
    const made = message && choiceOf(message.choices, n)
    if (!message || !made) return null
    const offered = numbersOf(message.choices, made.set).map((one) => ({
      n: one,
      choice: choiceOf(message.choices, one)!.choice,
    }))
    return { key: target.key, message, n, offered }
  }
  const givePage = (res: Response, status: number, html: string) =>
    void res
      .status(status)
      .set('content-security-policy', `${policy}; style-src '${choiceStyleDigest}'`)
      .type('html')
      .send(html)
  app.get('/c/:token', async (req, res) => {
    const asked = await choosing(req.params.token)
    if (!asked) return givePage(res, 404, sayPage('Unknown address', unknownChoice))
    if (asked.message.ended) return givePage(res, 410, sayPage('Closed', closedChoice(asked.message)))
    const nonce = randomBytes(16).toString('base64url')
    givePage(res, 200, askPage({ ...asked, nonce, fault: null, words: '' }))
  })
  app.post(
    '/c/:token',
    express.urlencoded({ extended: false, limit: '40kb', parameterLimit: 10 }),
    async (req, res) => {
      const asked = await choosing(req.params.token)
      if (!asked) return givePage(res, 404, sayPage('Unknown address', unknownChoice))
      const { message, offered } = asked
      if (message.ended) return givePage(res, 410, sayPage('Closed', closedChoice(message)))
      const given = (req.body ?? {}) as Record<string, unknown>
      const text = (name: string) => (typeof given[name] === 'string' ? (given[name] as string) : '')
      const chosen = offered.find(({ n }) => String(n) === text('choice'))
      const words = text('words').replace(/\r\n?/g, '\n').trim()
      const nonce = /^[\w-]{22}$/.test(text('nonce')) ? text('nonce') : ''
      const again = randomBytes(16).toString('base64url')
      const refuse = (status: number, fault: string) =>
        givePage(res, status, askPage({ ...asked, n: chosen?.n ?? asked.n, nonce: again, fault, words }))
      if (!chosen || nonce === '') return refuse(422, 'Please choose one of the answers, and send it once more.')
      if (words.length > maxWords)
        return refuse(
          422,
          `Please write ${maxWords.toLocaleString('en-GB')} characters at most; these are ${words.length.toLocaleString('en-GB')}. Nothing was sent yet.`,
        )
      if (message.chosen.times >= maxChanges)
        return refuse(429, 'This answer has been changed very often. Please answer the letter by a message instead.')
      const at = clock.now()
      const sorted = pileOf({ kind: 'reply', newText: words }, [], true, words === '' ? chosen.choice : null)
      await addChosen(db, asked.key, {
        answer: nonce,
        at,
        pile: sorted!.pile,
        details: {
          from: message.person === message.address ? message.address : `${message.person} <${message.address}>`,
          subject: `Re: ${message.subject}: ${chosen.choice}`.slice(0, 500),
          words,
          text: words,
          sorted: sorted!,
          choice: chosen,
        },
      })
      publish({ topic: 'responses', id: message.roundId })
      givePage(res, 200, thanksPage(message, chosen.choice, req.params.token))
    },
  )

  app.use((_req, res) => send(res, 404, 'Nothing here', 'There is nothing at this address.'))
  app.use((error: { status?: number }, _req: Request, res: Response, _next: express.NextFunction) => {
    if (res.headersSent) return void res.end()
    if (error.status !== undefined && error.status >= 400 && error.status < 500)
      return send(res, error.status, 'Nothing here', 'This address is not whole. Please copy it again from the letter.')
    send(res, 503, 'Not just now', 'Please try again in a few minutes.')
  })
  // Pictures are what is fetched most by far: the framework, which takes longer than all that is done here, is left out.
  return (req, res) => {
    const token = req.method === 'GET' ? plainPicture.exec(req.url ?? '')?.[1] : undefined
    if (token === undefined) return void app(req, res)
    guard(req, res, () => givePicture(req, res, token))
  }
}

/** The path of a picture as letters have it. */
const plainPicture = /^\/p\/([\w.-]{1,100})$/
