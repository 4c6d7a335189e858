import { generateKeyPairSync, randomBytes } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import type { Adapter, AdapterPayload } from 'oidc-provider'

export interface AuthorizationOptions {
  /** Where what it has given out is kept. */
  folder: string
  port?: number
  /** Whether an account may sign in with a password. */
  signIn: (user: string, password: string) => boolean
}

/** The authorization server beside the practice hosts: it gives programs leave to use an account's mail (OAuth 2.0, RFC 6749). */
export interface AuthorizationServer {
  /** Its address, by which it is discovered (RFC 8414). */
  issuer: string
  /** The account that an access token stands for, or null when it stands for none (any more). */
  userOf(token: string): Promise<string | null>
  /** Withdraws all consent that an account has given: tokens of it stand for nobody from then on. */
  withdraw(user: string): void
  /** Has the access tokens of an account end now, as if their time had passed: new ones are to be had. */
  endTokens(user: string): void
  close(): Promise<void>
}

/** The program that may ask for consent, and what it may ask for. */
export const practiceClient = 'hand-post'
export const mailScope = 'mail'

/** What the provider keeps, in a file: consent that was given outlasts a start. */
class Kept {
  private readonly all: Map<string, { payload: AdapterPayload; until: number }>
  constructor(private readonly file: string) {
    this.all = new Map(existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : [])
  }
  private write(): void {
    for (const [key, { until }] of this.all) if (until < Date.now()) this.all.delete(key)
    writeFileSync(this.file, JSON.stringify([...this.all]), { mode: 0o600 })
  }
  private drop(test: (key: string, payload: AdapterPayload) => boolean): void {
    for (const [key, { payload }] of this.all) if (test(key, payload)) this.all.delete(key)
    this.write()
  }
  dropOf(user: string, models: readonly string[]): void {
    this.drop((key, payload) => payload.accountId === user && models.some((model) => key.startsWith(`${model}:`)))
  }
  adapter = (model: string): Adapter => {
    const find = async (test: (key: string, payload: AdapterPayload) => boolean) =>
      [...this.all].find(([key, one]) => one.until >= Date.now() && test(key, one.payload))?.[1].payload
    return {
      upsert: async (id, payload, expiresIn) => {
        this.all.set(`${model}:${id}`, { payload, until: expiresIn ? Date.now() + expiresIn * 1000 : 8.64e15 })
        this.write()
      },
      find: (id) => find((key) => key === `${model}:${id}`),
      findByUid: (uid) => find((key, payload) => key.startsWith(`${model}:`) && payload.uid === uid),
      findByUserCode: async () => undefined,
      destroy: async (id) => this.drop((key) => key === `${model}:${id}`),
      revokeByGrantId: async (grant) => this.drop((_, payload) => payload.grantId === grant),
      consume: async (id) => {
        const one = this.all.get(`${model}:${id}`)
        if (one) one.payload.consumed = Math.floor(Date.now() / 1000)
        this.write()
      },
    }
  }
}

const inHtml = (text: string) =>
  text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!)
const page = (body: string) => `<!doctype html><html lang="en-GB"><meta charset="utf-8"><title>Practice sign-in</title>
<style>body{font:16px sans-serif;max-width:26rem;margin:4rem auto;padding:0 1rem}label{display:block;margin:.8rem 0}input{display:block;width:100%;padding:.4rem;font:inherit;box-sizing:border-box}button{font:inherit;padding:.5rem 1rem;margin:.5rem .5rem 0 0}</style>
${body}</html>`

async function formOf(req: IncomingMessage): Promise<URLSearchParams> {
  let text = ''
  for await (const chunk of req) {
    text += chunk
    if (text.length > 10_000) throw new Error('too much')
  }
  return new URLSearchParams(text)
}

/** Starts the authorization server, on loopback. Its pages are plain: sign in, and allow or not. */
export async function startAuthorization(options: AuthorizationOptions): Promise<AuthorizationServer> {
  const { folder, port = 0 } = options
  const kept = new Kept(join(folder, 'consents.json'))
  // What gives consent is much, and most people never ask for it: it is loaded when somebody does.
  let loading: ReturnType<typeof providing> | null = null
  const provided = () => {
    loading ??= providing(issuer, kept, options.signIn)
    return loading
  }
  const server: Server = createServer((req, res) => {
    provided().then(
      ({ handle }) => handle(req, res),
      () => {
        res.statusCode = 500
        res.end()
      },
    )
  })
  await new Promise<void>((ready, failed) => {
    server.once('error', failed)
    server.listen(port, '127.0.0.1', ready)
  })
  const issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  return {
    issuer,
    userOf: async (token) => (await provided()).userOf(token),
    withdraw: (user) =>
      kept.dropOf(user.toLowerCase(), ['Grant', 'AccessToken', 'RefreshToken', 'AuthorizationCode', 'Session']),
    endTokens: (user) => kept.dropOf(user.toLowerCase(), ['AccessToken']),
    close: () =>
      new Promise<void>((done) => {
        server.close(() => done())
        server.closeAllConnections()
      }),
  }
}

/** What gives consent and knows it again. */
async function providing(issuer: string, kept: Kept, signIn: AuthorizationOptions['signIn']) {
  const { default: Provider } = await import('oidc-provider')
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 })
  const provider = new Provider(issuer, {
    adapter: kept.adapter,
    clients: [
      {
        client_id: practiceClient,
        application_type: 'native',
        token_endpoint_auth_method: 'none',
        grant_types: ['authorization_code', 'refresh_token'],
        response_types: ['code'],
        // A native program comes back to whatever port it has on this machine (RFC 8252, section 7.3).
        redirect_uris: ['http://127.0.0.1/oauth/answer', 'http://localhost/oauth/answer'],
      },
    ],
    scopes: ['openid', 'offline_access', mailScope],
    pkce: { required: () => true },
    features: { devInteractions: { enabled: false }, revocation: { enabled: true } },
    jwks: { keys: [{ ...privateKey.export({ format: 'jwk' }), use: 'sig' } as never] },
    cookies: { keys: [randomBytes(16).toString('hex')] },
    findAccount: (_ctx, id) => ({ accountId: id, claims: async () => ({ sub: id }) }),
    issueRefreshToken: async () => true,
    rotateRefreshToken: true,
    ttl: {
      AccessToken: 3600,
      AuthorizationCode: 60,
      Grant: 90 * 86_400,
      IdToken: 3600,
      Interaction: 600,
      RefreshToken: 90 * 86_400,
      Session: 600,
    },
    interactions: { url: (_ctx, interaction) => `/sign-in/${interaction.uid}` },
    renderError: (ctx, out) => {
      ctx.type = 'html'
      ctx.body = page(`<h1>That did not work</h1><p>${inHtml(String(out.error_description ?? out.error))}</p>`)
    },
  })
  const callback = provider.callback()
  const signInPage = async (req: IncomingMessage, res: ServerResponse) => {
    const { uid, params } = await provider.interactionDetails(req, res)
    const show = (words: string, user: string) => {
      res.setHeader('content-type', 'text/html; charset=utf-8')
      res.end(
        page(`<h1>Practice sign-in</h1>
<p><b>${inHtml(String(params.client_id))}</b> asks to send and read mail as you, until you withdraw it.</p>${words && `<p role="alert"><b>${inHtml(words)}</b></p>`}
<form method="post" action="/sign-in/${inHtml(uid)}">
<label>Address<input name="user" value="${inHtml(user)}" autocomplete="username"></label>
<label>Password<input name="password" type="password" autocomplete="current-password"></label>
<button name="answer" value="yes">Allow</button><button name="answer" value="no">Do not allow</button></form>`),
      )
    }
    if (req.method !== 'POST') return show('', String(params.login_hint ?? ''))
    const form = await formOf(req)
    const finish = (result: Parameters<typeof provider.interactionFinished>[2]) =>
      provider.interactionFinished(req, res, result, { mergeWithLastSubmission: false })
    if (form.get('answer') === 'no') return finish({ error: 'access_denied', error_description: 'It was not allowed.' })
    const user = (form.get('user') ?? '').trim().toLowerCase()
    if (!signIn(user, form.get('password') ?? '')) return show('Address or password is wrong.', user)
    const grant = new provider.Grant({ accountId: user, clientId: String(params.client_id) })
    grant.addOIDCScope(String(params.scope ?? ''))
    return finish({ login: { accountId: user }, consent: { grantId: await grant.save() } })
  }
  return {
    handle(req: IncomingMessage, res: ServerResponse): void {
      // RFC 8414 has its own place for what OpenID Connect keeps at another.
      if (req.url === '/.well-known/oauth-authorization-server') req.url = '/.well-known/openid-configuration'
      if (req.url?.startsWith('/sign-in/'))
        signInPage(req, res).catch(() => {
          res.statusCode = 400
          res.end(page('<p>This sign-in has ended. Begin it again in Hand Post.</p>'))
        })
      else void callback(req, res)
    },
    async userOf(token: string): Promise<string | null> {
      const found = await provider.AccessToken.find(token)
      return found?.isValid && found.accountId && found.scopes.has(mailScope) ? found.accountId : null
    },
  }
}
