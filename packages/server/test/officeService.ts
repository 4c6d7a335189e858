import { generateKeyPairSync, randomBytes } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import Provider from 'oidc-provider'
import { freePort } from './postgres.ts'

/** Who an office's sign-in service says somebody is. */
export interface Known {
  sub: string
  email?: string
  email_verified?: boolean
}

/**
 * An office's sign-in service (OpenID Connect), made of a library that is not ours: whoever is `now` signs in there without a word.
 * @param desk where it may send browsers back to.
 */
export async function startOfficeService(desk: string) {
  const port = await freePort()
  const issuer = `http://127.0.0.1:${port}`
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 })
  const service = { issuer, now: { sub: 'nobody' } as Known, refuses: false, close: () => {} }
  const everybody = new Map<string, Known>()
  const provider = new Provider(issuer, {
    clients: [
      {
        client_id: 'hand-post',
        client_secret: 'between us two',
        token_endpoint_auth_method: 'client_secret_post',
        redirect_uris: [`${desk}/signed-in`],
        response_types: ['code'],
      },
    ],
    claims: { openid: ['sub'], email: ['email', 'email_verified'] },
    conformIdTokenClaims: false,
    features: { devInteractions: { enabled: false } },
    jwks: { keys: [{ ...privateKey.export({ format: 'jwk' }), use: 'sig' } as never] },
    cookies: { keys: [randomBytes(16).toString('hex')] },
    findAccount: (_ctx, id) => ({ accountId: id, claims: async () => ({ ...everybody.get(id), sub: id }) }),
    interactions: { url: (_ctx, { uid }) => `/ask/${uid}` },
  })
  const callback = provider.callback()
  const server: Server = createServer((req, res) => {
    if (!req.url?.startsWith('/ask/')) return void callback(req, res)
    void (async () => {
      const { params } = await provider.interactionDetails(req, res)
      const finish = (result: Parameters<typeof provider.interactionFinished>[2]) =>
        provider.interactionFinished(req, res, result, { mergeWithLastSubmission: false })
      if (service.refuses) return finish({ error: 'access_denied', error_description: 'It was not allowed.' })
      everybody.set(service.now.sub, service.now)
      const grant = new provider.Grant({ accountId: service.now.sub, clientId: String(params.client_id) })
      grant.addOIDCScope(String(params.scope))
      return finish({ login: { accountId: service.now.sub }, consent: { grantId: await grant.save() } })
    })().catch((error) => {
      res.statusCode = 500
      res.end(String(error))
    })
  })
  await new Promise<void>((ready) => server.listen(port, '127.0.0.1', ready))
  service.close = () => {
    server.close()
    server.closeAllConnections()
  }
  return service
}
