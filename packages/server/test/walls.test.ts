import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { request } from 'node:http'
import { connect } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { connect as connectTls } from 'node:tls'
import { openApiDocument, routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, afterEach, beforeAll, describe, expect, test, vi } from 'vitest'
import { Guesses } from '../src/accounts/guesses.ts'
import { guardOrigin } from '../src/http/guard.ts'
import { CertificateWatch, listen, readCertificate, serverFor } from '../src/http/listeners.ts'
import { byProxy, clientAddress } from '../src/http/proxy.ts'
import { readSettings, startHandPost } from '../src/index.ts'
import { readToken, signToken } from '../src/secrets.ts'
import { cert, key } from './certificate.ts'
import { bare, json } from './http.ts'
import { settingsFor, World } from './world.ts'

const password = 'low-water-0430'
const silent = pino({ level: 'silent' })
const webFolder = mkdtempSync(join(tmpdir(), 'hand-post-web-'))
writeFileSync(join(webFolder, 'index.html'), '<p>the interface</p>')

let world: World
let desk: string
const signedIn = async (at = desk) => {
  const answer = await json(at, '/api/sign-in', { password })
  expect(answer.status).toBe(200)
  return answer.headers['set-cookie']!.map((cookie) => cookie.split(';')[0]).join('; ')
}
beforeAll(async () => {
  world = await World.open({ allThreads: true })
  await world.handPost.close()
  const settings = { ...settingsFor(world.folder, world.practice), HAND_POST_PASSWORD: password }
  world.handPost = await startHandPost({ settings, webFolder, log: silent })
  desk = world.handPost.address
})
afterAll(async () => {
  await world.close()
  rmSync(webFolder, { recursive: true })
})

describe('without a cookie', () => {
  // Every call of the OpenAPI document, in its own spelling and in odd ones.
  const odd = (path: string): string[] => {
    const [, api, ...rest] = path.split('/')
    const tail = rest.join('/')
    return [
      path,
      path.toUpperCase(),
      `/Api/${tail}`,
      `/%61pi/${tail}`,
      `/%2561pi/${tail}`,
      `/a%70%69/${tail}`,
      `//${api}/${tail}`,
      `/${api}//${tail}`,
      `/./${api}/${tail}`,
      `/x/../${api}/${tail}`,
      `/${api}/./${tail}`,
      `/${api}/x/../${tail}`,
      `${path}/`,
      `${path}/.`,
      `${path}?`,
      `${path}#x`,
      `/${api};x=y/${tail}`,
      `/${api}%2F${tail}`,
      `/${api}\\${tail}`,
      `${path}%00`,
      `http://127.0.0.1${path}`,
    ]
  }
  const { paths } = openApiDocument() as { paths: Record<string, Record<string, object>> }
  // By name, so that one that is opened by mistake is seen here.
  const open = [
    routes.health,
    routes.metrics,
    routes.ready,
    routes.signIn,
    routes.signOut,
    routes.beginService,
    routes.finishService,
    routes.lookAtInvitation,
    routes.takeInvitation,
  ].map((route) => route.path)

  test('no call gives anything, however its path is spelt', async () => {
    let asked = 0
    const ask = async (method: string, spelt: string) => {
      const { status, body, headers } = await bare(desk, spelt, {}, method.toUpperCase())
      asked++
      // The interface's own page is what asks for the password: it may be given, and holds nothing.
      const page =
        status === 200 && body.replace('<p>the interface</p>', '') === '' && !headers['content-type']?.includes('json')
      expect([400, 401, 404].includes(status) || page, `${method} ${spelt}: ${status} ${body.slice(0, 100)}`).toBe(true)
      // What means the API in any spelling is never taken for a page.
      if (page) expect(spelt).not.toMatch(/^\/(api|API|Api)/)
    }
    for (const [path, methods] of Object.entries(paths)) {
      if (open.includes(path)) continue
      await Promise.all(
        [...Object.keys(methods), 'head', 'options'].flatMap((method) =>
          odd(path.replace(/\{\w+\}/g, '1')).map((spelt) => ask(method, spelt)),
        ),
      )
    }
    expect(asked).toBeGreaterThan(2000)
  })
  test('the calls that need no signing in are these, and say nothing of anybody', async () => {
    expect((await bare(desk, '/api/health')).status).toBe(200)
    expect(Object.keys(JSON.parse((await bare(desk, '/api/health')).body)).sort()).toEqual([
      'accounts',
      'asksPassword',
      'publicAddress',
      'publicIsLocal',
      'ready',
      'service',
    ])
    expect((await json(desk, '/api/sign-out', {})).status).toBe(200)
  })
  test('the body of a request is not read: whatever it is, signing in comes first', async () => {
    const began = performance.now()
    const deep = await bare(desk, '/api/rounds', { 'content-type': 'application/json' }, 'POST', '['.repeat(10_000_000))
    expect(deep.status).toBe(401)
    expect((await bare(desk, '/api/rounds', { 'content-encoding': 'br' }, 'POST', 'x')).status).toBe(401)
    expect(
      (await bare(desk, '/api/sign-in', { 'content-type': 'application/json' }, 'POST', ' '.repeat(5000))).status,
    ).toBe(413)
    expect(performance.now() - began).toBeLessThan(10_000)
  })
})

describe('bodies and addresses that do not fit are refused in words', () => {
  let cookie: string
  beforeAll(async () => {
    cookie = await signedIn()
  })
  const post = (body: string | Buffer, headers: Record<string, string> = {}, path = '/api/rounds') =>
    bare(desk, path, { 'content-type': 'application/json', cookie, ...headers }, 'POST', body)

  test.each<[string, string | Buffer, Record<string, string>, number, RegExp]>([
    ['ten million brackets', '['.repeat(10_000_000), {}, 400, /more than 200 deep/],
    ['brackets within texts are none', `{"title":"${'['.repeat(1000)}`, {}, 400, /not JSON/],
    ['too large', Buffer.alloc(12_000_001, ' '), {}, 413, /larger than/],
    ['not UTF-8', Buffer.from([0x7b, 0x22, 0xff, 0x22, 0x7d]), {}, 400, /not JSON/],
    ['an encoding', 'x', { 'content-encoding': 'br' }, 415, /encoded as “br”/],
    ['another type', 'title=x', { 'content-type': 'application/x-www-form-urlencoded' }, 415, /must be JSON/],
    ['NUL', '{"title":"a\\u0000b"}', {}, 422, /“title” holds a character that no text can have/],
    ['half a character', '{"title":"a\\ud83d"}', {}, 422, /“title” holds/],
    ['a name that no text can be', '{"\\u0000":1}', {}, 422, /holds a character/],
    ['an object in the place of a text', '{"title":{"a":1}}', {}, 422, /title/],
  ])('%s', async (_, body, headers, status, words) => {
    const answer = await post(body, headers)
    expect([answer.status, answer.headers['content-type']]).toEqual([status, 'application/problem+json; charset=utf-8'])
    expect(JSON.parse(answer.body).detail).toMatch(words)
  })
  test('a whole character beyond the basic plane, written as two escapes, is a text like any other', async () => {
    expect((await post('{"title":"\\ud83d\\udea4 boats"}')).status).toBe(200)
  })
  test.each([
    ['/api/rounds/%zz', 400],
    ['/api/rounds/1%00', 422],
    ['/api/files/%E0%A4', 400],
    ['/api/letters?find=%00', 422],
    ['/api/readings/constructor/table?monthFirst=%7B', 422],
    ['/api/readings/__proto__/table', 404],
    ['/%c0%ae', 400],
  ])('%s gives %i', async (path, status) => {
    const answer = await bare(desk, path, { cookie })
    expect([answer.status, answer.body]).toEqual([status, expect.any(String)])
  })
  test('files called constructor and __proto__ are files like any other; one that is encoded is not taken', async () => {
    const { id } = JSON.parse((await post('{"title":"Odd names"}')).body)
    for (const name of ['constructor', '__proto__', 'a.constructor', 'x.__proto__', 'toString'])
      expect((await post('words', {}, `/api/rounds/${id}/files?role=common&name=${name}`)).status, name).toBe(200)
    expect(
      (await post('words', { 'content-encoding': 'gzip' }, `/api/rounds/${id}/files?role=common&name=a`)).status,
    ).toBe(415)
  })
  test.each([
    ['an unknown block', { type: 'marquee', content: [] }],
    ['a block without a type', {}],
    ['a text in the place of a block', 'words'],
    ['a field without a column', { type: 'paragraph', content: [{ type: 'field', attrs: {} }] }],
    [
      'a rule that compares by nothing',
      {
        type: 'passage',
        attrs: { selection: { match: 'all', rules: [{ column: 'A', comparison: 'constructor', value: '' }] } },
      },
    ],
    [
      'blocks too deep',
      Array.from({ length: 61 }).reduce<object>(
        (inner) => ({ type: 'passage', attrs: { selection: { match: 'all', rules: [] } }, content: [inner] }),
        { type: 'paragraph' },
      ),
    ],
  ])('a letter with %s is refused, with its place', async (_, block) => {
    const letter = { subject: 'S', body: { type: 'doc', content: [block] } }
    const answer = await post(JSON.stringify({ name: 'L', letter }), {}, '/api/letters')
    expect(answer.status).toBe(422)
    expect(JSON.parse(answer.body).faults[0].at).toMatch(/^letter\.body/)
  })
})

describe('sessions', () => {
  afterEach(() => void vi.useRealTimers())
  const allowed = async (cookie: string) => (await bare(desk, '/api/rounds', { cookie })).status === 200

  test('the cookie is HttpOnly and SameSite=Strict; signing in anew gives another, and the one before ends', async () => {
    const first = await json(desk, '/api/sign-in', { password })
    for (const cookie of first.headers['set-cookie']!) expect(cookie).toMatch(/HttpOnly; SameSite=Strict/)
    const cookie = first.headers['set-cookie']![0].split(';')[0]
    expect(await allowed(cookie)).toBe(true)
    const second = await json(desk, '/api/sign-in', { password }, { cookie })
    expect(second.headers['set-cookie']![0].split(';')[0]).not.toBe(cookie)
    expect(await allowed(cookie)).toBe(false)
  })
  test('signing out ends it, and the windows that listen in it', async () => {
    const cookie = await signedIn()
    const heard = bare(desk, '/api/events', { cookie })
    await new Promise((done) => setTimeout(done, 100))
    const out = await json(desk, '/api/sign-out', {}, { cookie })
    expect(out.headers['set-cookie']![0]).toMatch(/desk=;.*Expires=Thu, 01 Jan 1970/)
    expect((await heard).body).toContain('listening')
    expect(await allowed(cookie)).toBe(false)
    expect((await bare(desk, '/api/events', { cookie })).status).toBe(401)
  })
  test('it ends after half an hour without use, and after twelve hours in any case', async () => {
    vi.useFakeTimers({ toFake: ['Date'] })
    const start = Date.now()
    const at = (minutes: number) => vi.setSystemTime(start + minutes * 60_000)
    const idle = await signedIn()
    const used = await signedIn()
    at(29)
    expect(await allowed(used)).toBe(true)
    at(31)
    expect(await allowed(idle)).toBe(false)
    for (let m = 50; m < 12 * 60; m += 25) {
      at(m)
      expect(await allowed(used), `after ${m} minutes`).toBe(true)
    }
    at(12 * 60 + 1)
    expect(await allowed(used)).toBe(false)
  })
})

describe('guessing', () => {
  test('a stranger who guesses five times a second shuts nobody out, not even at the same address', async () => {
    let stop = false
    let answered = 0
    let looked = 0
    const stranger = (async () => {
      for (let i = 0; !stop; i++) {
        void json(desk, '/api/sign-in', { password: `a guess, number ${i}` }).then(
          ({ status }) => {
            answered++
            if (status === 401) looked++
          },
          () => {},
        )
        await new Promise((done) => setTimeout(done, 200))
      }
    })()
    await new Promise((done) => setTimeout(done, 4000))
    const began = Date.now()
    // As the interface does it: once more when it is told to wait.
    let status = 429
    for (let tries = 0; tries < 10 && status === 429; tries++) {
      status = (await json(desk, '/api/sign-in', { password })).status
      if (status === 429) await new Promise((done) => setTimeout(done, 1000))
    }
    expect(status).toBe(200)
    const seconds = 4 + (Date.now() - began) / 1000
    stop = true
    await stranger
    expect(answered).toBeGreaterThan(looked)
    expect(looked).toBeLessThan(8 + seconds * 1.5)
  })
  test('a browser that signed in before is let in at once while strangers guess', async () => {
    const known = await signedIn()
    const guesses = Array.from({ length: 40 }, (_, i) => json(desk, '/api/sign-in', { password: `guess ${i}` }))
    const began = Date.now()
    expect((await json(desk, '/api/sign-in', { password }, { cookie: known })).status).toBe(200)
    expect(Date.now() - began).toBeLessThan(3000)
    // What is known is signed: another name with the same signature is a stranger.
    const forged = known.replace(/known=[\w-]{22}/, `known=${'A'.repeat(22)}`)
    expect([429, 200]).toContain((await json(desk, '/api/sign-in', { password }, { cookie: forged })).status)
    await Promise.all(guesses)
  })

  // A clock of its own: minutes of guessing pass at once.
  function guessing() {
    let now = 0
    const waits: { at: number; done: () => void }[] = []
    const guesses = new Guesses(
      () => now,
      (ms) => new Promise<void>((done) => void waits.push({ at: now + ms, done })),
    )
    const pass = async (ms: number) => {
      now += ms
      for (const wait of waits.splice(0)) (wait.at <= now ? wait.done : () => waits.push(wait))()
      await new Promise((done) => setImmediate(done))
    }
    return { guesses, pass }
  }
  test('however fast a caller guesses, about one password a second is looked at', async () => {
    const { guesses, pass } = guessing()
    let looked = 0
    for (let i = 0; i < 600; i++) {
      for (let k = 0; k < 20; k++)
        void guesses.turn('from 203.0.113.9', `guess ${i} ${k}`).then(
          () => looked++,
          () => {},
        )
      await pass(1000)
    }
    expect(looked).toBeGreaterThan(300)
    expect(looked).toBeLessThan(700)
  })
  test('all callers together wait in bounded room, and a caller who rests is forgotten', async () => {
    const { guesses, pass } = guessing()
    let waiting = 0
    let refused = 0
    for (let caller = 0; caller < 100; caller++)
      for (let k = 0; k < 12; k++)
        void guesses.turn(`from 203.0.113.${caller}`, `guess ${k}`).then(
          () => waiting--,
          () => refused++,
        )
    await pass(0)
    expect(refused).toBe(100 * 7 - 64)
    await pass(10_000)
    await pass(16 * 60_000)
    await expect(
      Promise.race([guesses.turn('from 203.0.113.1', 'x'), pass(0).then(() => 'waits')]),
    ).resolves.toBeUndefined()
  })
})

describe('what other pages and programs can do', () => {
  test('requests that another site makes a browser send are refused, whatever they ask', async () => {
    const cookie = await signedIn()
    for (const site of ['cross-site', 'same-site']) {
      for (const path of ['/api/rounds', '/api/health', '/API/rounds', '//api/rounds', '/%61pi/rounds'])
        expect((await bare(desk, path, { cookie, 'sec-fetch-site': site })).status, `${site} ${path}`).toBe(403)
      expect((await json(desk, '/api/rounds', { title: 'x' }, { cookie, 'sec-fetch-site': site })).status).toBe(403)
    }
    // A link from elsewhere opens the page, and no more.
    expect((await bare(desk, '/rounds/1', { 'sec-fetch-site': 'cross-site' })).body).toContain('the interface')
    expect((await bare(desk, '/api/rounds', { cookie, 'sec-fetch-site': 'same-origin' })).status).toBe(200)
    expect((await bare(desk, '/api/rounds', { cookie, origin: `https://${new URL(desk).host}` })).status).toBe(200)
    expect((await bare(desk, '/api/rounds', { cookie, origin: 'http://127.0.0.1:1' })).status).toBe(403)
  })
  test('every answer of both listeners bears the headers that guard it', async () => {
    const { publicUrl } = world.handPost
    const answers = [
      ...(await Promise.all(
        ['/', '/api/health', '/api/rounds', '/api/nothing', '/%zz', '/nowhere', '/index.html'].map((path) =>
          bare(desk, path),
        ),
      )),
      await bare(desk, '/api/health', { host: 'evil.example' }),
      await bare(desk, '/nowhere', {}, 'DELETE'),
      ...(await Promise.all(['/', '/p/x', '/l/x', '/o/x', '/%zz', '/P/x'].map((path) => bare(publicUrl, path)))),
      await bare(publicUrl, '/o/x', {}, 'POST'),
    ]
    for (const { status, headers } of answers) {
      expect(headers, String(status)).toMatchObject({
        'x-content-type-options': 'nosniff',
        'referrer-policy': 'no-referrer',
        'x-frame-options': expect.stringMatching(/SAMEORIGIN|DENY/),
        'cross-origin-resource-policy': expect.stringMatching(/same-origin|cross-origin/),
        'content-security-policy': expect.stringContaining("default-src '"),
      })
      expect(headers['x-powered-by']).toBeUndefined()
    }
    const page = await bare(publicUrl, '/o/x')
    expect(page.headers['content-security-policy']).toContain("default-src 'none'")
    expect(page.body).not.toMatch(/<script|<style|style=/)
    expect(answers[1].headers['cache-control']).toBe('no-store')
  })
  test('what is no HTTP at all gets an answer with them too, and the connection is closed', async () => {
    for (const base of [desk, world.handPost.publicUrl]) {
      const { hostname, port } = new URL(base)
      const raw = (words: string) =>
        new Promise<string>((done) => {
          const socket = connect(Number(port), hostname)
          let text = ''
          socket.on('data', (chunk) => {
            text += chunk
          })
          socket.on('close', () => done(text))
          socket.write(words)
        })
      expect(await raw('HELO mail\r\n\r\n')).toMatch(/^HTTP\/1\.1 400 [\s\S]*x-content-type-options: nosniff/)
      expect(await raw(`GET / HTTP/1.1\r\nhost: x\r\na: ${'x'.repeat(20_000)}\r\n\r\n`)).toMatch(/^HTTP\/1\.1 431/)
    }
  })
  test('a token has one spelling', () => {
    const signing = Buffer.from('k'.repeat(32))
    const target = { key: 'AbCdEfGhIjKlMnOpQrStUw', what: 7, to: 'https://quay.example/a?b=ü' }
    const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_'
    for (const one of [target, { key: target.key, what: 'picture' as const }, { key: target.key, what: 0 }]) {
      const token = signToken(signing, one)
      expect(readToken(signing, token)).toEqual(one)
      // RFC 4648, section 3.5: the last letter has bits that nothing is kept in; with others set it decodes to the same octets.
      for (let at = 0; at < token.length; at++)
        for (const letter of letters)
          if (letter !== token[at])
            expect(readToken(signing, token.slice(0, at) + letter + token.slice(at + 1))).toBeNull()
      for (const odd of [
        `${token}=`,
        `${token}.`,
        ` ${token}`,
        token.replace('.7.', '.07.'),
        `${token}\n`,
        token.replaceAll('-', '+'),
      ])
        if (odd !== token) expect(readToken(signing, odd)).toBeNull()
    }
    expect(
      readToken(signing, signToken(signing, { ...target, to: `https://quay.example/${'x'.repeat(9000)}` })),
    ).toEqual({
      key: target.key,
      what: 7,
    })
  })
})

describe('over TLS', () => {
  const folder = mkdtempSync(join(tmpdir(), 'hand-post-tls-'))
  const [certFile, keyFile] = [join(folder, 'cert.pem'), join(folder, 'key.pem')]
  writeFileSync(certFile, cert)
  writeFileSync(keyFile, key)
  const certificate = { HAND_POST_CERTIFICATE: certFile, HAND_POST_CERTIFICATE_KEY: keyFile }
  afterAll(() => rmSync(folder, { recursive: true }))

  test('both listeners speak HTTPS, answer to the names of the certificate, and the cookie is Secure', async () => {
    const other = await World.open()
    await other.handPost.close()
    const settings = { ...settingsFor(other.folder, other.practice), HAND_POST_PASSWORD: password, ...certificate }
    other.handPost = await startHandPost({ settings, log: silent })
    const { address, publicUrl } = other.handPost
    expect([address, publicUrl].map((url) => url.slice(0, 8))).toEqual(['https://', 'https://'])
    const answer = await json(address, '/api/sign-in', { password })
    expect(answer.headers['set-cookie']![0]).toMatch(/^__Host-desk=[\w-]+; Path=\/; HttpOnly; Secure; SameSite=Strict$/)
    expect(answer.headers['strict-transport-security']).toMatch(/max-age=\d{7,}/)
    expect((await bare(address, '/api/health', { host: 'mail.quay.example' })).status).toBe(421)
    expect((await bare(address, '/api/health', { host: 'localhost' })).status).toBe(200)
    expect((await bare(publicUrl, '/p/x')).headers['content-type']).toBe('image/gif')
    await expect(bare(address.replace('https', 'http'), '/api/health')).rejects.toThrow()
    await other.close()
  })
  test('files that are no certificate, or do not go together, are said at the start', async () => {
    const wrong = join(folder, 'wrong.pem')
    writeFileSync(wrong, 'words')
    const start = (env: Record<string, string>) =>
      startHandPost({ settings: readSettings({ HAND_POST_DATA: join(folder, 'data'), ...env }), log: silent })
    await expect(start({ ...certificate, HAND_POST_CERTIFICATE: wrong })).rejects.toThrow(/wrong\.pem cannot be used/)
    await expect(start({ ...certificate, HAND_POST_CERTIFICATE_KEY: join(folder, 'none') })).rejects.toThrow(
      /none cannot be used/,
    )
    expect(() => readSettings({ HAND_POST_CERTIFICATE: certFile })).toThrow(/go together/)
  })
  test('beyond this machine it wants encryption: its own, or that of a proxy that is named', async () => {
    const beyond = { HAND_POST_HOST: '0.0.0.0', HAND_POST_PASSWORD: password }
    const proxied = { ...beyond, HAND_POST_PROXY: '127.0.0.9', HAND_POST_DESK_URL: 'https://desk.brindlequay.example' }
    expect(() => readSettings(beyond)).toThrow(
      /without encryption whoever listens in .* HAND_POST_CERTIFICATE .* HAND_POST_PROXY/,
    )
    expect(() => readSettings({ ...proxied, HAND_POST_DESK_URL: 'http://desk.brindlequay.example' })).toThrow(
      /without encryption/,
    )
    expect(() => readSettings({ ...proxied, HAND_POST_PROXY: 'desk.example' })).toThrow(
      /must be the IP address of the proxy/,
    )
    expect(() => readSettings({ ...beyond, HAND_POST_PASSWORD: 'elevenchars' })).toThrow(/at least 12/)
    expect(readSettings({ ...beyond, ...certificate }).HAND_POST_HOST).toBe('0.0.0.0')

    const other = await World.open()
    await other.handPost.close()
    other.handPost = await startHandPost({
      settings: {
        ...settingsFor(other.folder, other.practice),
        ...readSettings(proxied),
        HAND_POST_PORT: 0,
        HAND_POST_PUBLIC_PORT: 0,
        HAND_POST_DATA: join(other.folder, 'data'),
      },
      log: silent,
    })
    const { port } = new URL(other.handPost.address)
    /** Asks from an address of this machine, as the proxy does or past it. */
    const ask = (from: string, headers: Record<string, string>, path = '/api/sign-in', body?: string) =>
      new Promise<{ status: number; said: string; cookies: string[] }>((resolve, reject) => {
        const asked = request(
          {
            port,
            host: '127.0.0.1',
            localAddress: from,
            path,
            method: body === undefined ? 'GET' : 'POST',
            headers: { 'content-type': 'application/json', ...headers },
          },
          async (answer) => {
            let said = ''
            for await (const piece of answer) said += piece
            resolve({ status: answer.statusCode!, said, cookies: answer.headers['set-cookie'] ?? [] })
          },
        )
        asked.on('error', reject)
        asked.end(body)
      })
    const named = {
      host: 'desk.brindlequay.example',
      origin: 'https://desk.brindlequay.example',
      'sec-fetch-site': 'same-origin',
    }
    const right = JSON.stringify({ password })
    const signedIn = await ask('127.0.0.9', named, routes.signIn.path, right)
    expect(signedIn.status).toBe(200)
    // The line to the browser is encrypted, so the cookie is for such lines only.
    expect(signedIn.cookies.join()).toMatch(/__Host-desk=.*Secure/)
    expect(
      (await ask('127.0.0.9', { ...named, origin: 'https://elsewhere.example' }, routes.signIn.path, right)).status,
    ).toBe(403)
    expect((await ask('127.0.0.9', { ...named, host: 'elsewhere.example' }, routes.signIn.path, right)).status).toBe(
      421,
    )
    await other.close()
    // Whoever comes past the proxy, over a line that is not encrypted, is told where to go.
    const guard = guardOrigin(readSettings(proxied), null)
    const asking = (remoteAddress: string) => () =>
      guard(
        {
          socket: { remoteAddress },
          headers: {},
          get: (name: string) => ({ host: 'desk.brindlequay.example' })[name],
        } as never,
        {} as never,
        () => {},
      )
    expect(asking('192.0.2.7')).toThrow('through its proxy only: open https://desk.brindlequay.example/')
    expect(asking('127.0.0.9')).not.toThrow()
  })
  test('who asks is told by the named proxy alone, and of what that says only what it wrote itself', () => {
    const from = (remoteAddress: string, forwarded?: string) =>
      clientAddress(
        {
          socket: { remoteAddress },
          headers: forwarded === undefined ? {} : { 'x-forwarded-for': forwarded },
        } as never,
        '10.0.0.2',
      )
    expect(from('192.0.2.7', '203.0.113.9')).toBe('192.0.2.7')
    expect(from('10.0.0.2', '203.0.113.9')).toBe('203.0.113.9')
    expect(from('::ffff:10.0.0.2', 'made up, 198.51.100.4, 203.0.113.9')).toBe('203.0.113.9')
    expect(from('10.0.0.2', '203.0.113.9, not an address')).toBe('10.0.0.2')
    expect(from('10.0.0.2')).toBe('10.0.0.2')
    expect(from('10.0.0.2', `${'1,'.repeat(100_000)}2001:db8::1`)).toBe('2001:db8::1')
    expect(
      clientAddress(
        { socket: { remoteAddress: '::ffff:192.0.2.7' }, headers: { 'x-forwarded-for': '1.2.3.4' } } as never,
        undefined,
      ),
    ).toBe('192.0.2.7')
    expect(byProxy({ socket: { remoteAddress: '10.0.0.2' } } as never, undefined)).toBe(false)
  })
  test.skipIf(!existsSync('/usr/bin/openssl'))(
    'a renewed certificate is taken up by itself; one that cannot be used is said, and the old one goes on',
    async () => {
      const folder = mkdtempSync(join(tmpdir(), 'hand-post-renewed-'))
      const files = {
        HAND_POST_CERTIFICATE: join(folder, 'cert.pem'),
        HAND_POST_CERTIFICATE_KEY: join(folder, 'key.pem'),
      }
      const make = (days: number) =>
        execFileSync(
          'openssl',
          [
            'req',
            '-x509',
            '-newkey',
            'ec',
            '-pkeyopt',
            'ec_paramgen_curve:prime256v1',
            '-nodes',
            '-days',
            String(days),
            '-subj',
            '/CN=desk.brindlequay.example',
            '-keyout',
            files.HAND_POST_CERTIFICATE_KEY,
            '-out',
            files.HAND_POST_CERTIFICATE,
          ],
          { stdio: 'pipe' },
        )
      make(3)
      const settings = readSettings(files)
      const found = readCertificate(settings)!
      const server = serverFor((_req, res) => res.end('here'), found)
      const port = await listen(server, 0, '127.0.0.1')
      const watch = new CertificateWatch(settings, found, [server], 3_600_000)
      const validTo = () =>
        new Promise<string>((resolve, reject) => {
          const socket = connectTls({ port, host: '127.0.0.1', rejectUnauthorized: false }, () => {
            resolve(socket.getPeerCertificate().valid_to)
            socket.destroy()
          })
          socket.on('error', reject)
        })
      const first = await validTo()
      expect(watch.words()).toMatch(/^The certificate runs out in 3 days\. Put the renewed one/)
      writeFileSync(files.HAND_POST_CERTIFICATE, 'no certificate')
      watch.look()
      expect(watch.words()).toMatch(
        /^A renewed certificate cannot be used\. HAND_POST_CERTIFICATE: the file .* cannot be used/,
      )
      expect(await validTo()).toBe(first)
      make(90)
      watch.look()
      expect(watch.words()).toBeNull()
      expect(Date.parse(await validTo())).toBeGreaterThan(Date.parse(first))
      found.until = Date.now() - 1
      expect(watch.words()).toMatch(/^The certificate has run out/)
      watch.close()
      server.close()
      rmSync(folder, { recursive: true })
    },
  )
})

test('the data folder and all in it is for its user only, whatever it was before', async () => {
  const open = (folder: string): string[] =>
    readdirSync(folder, { withFileTypes: true, recursive: true })
      .map((entry) => join(entry.parentPath, entry.name))
      .concat(folder)
      .filter((path) => (statSync(path).mode & 0o077) !== 0)
  const other = await World.open()
  await other.round('Name,Email\nAda,ada@village.example\n', { subject: 'S', html: '<p>Hi</p>' })
  const folder = join(other.folder, 'data')
  expect(open(folder)).toEqual([])
  // As an older Hand Post left it.
  await other.handPost.close()
  mkdirSync(join(folder, 'files/ab'), { recursive: true, mode: 0o755 })
  writeFileSync(join(folder, 'files/ab/cd'), 'x', { mode: 0o666 })
  const { chmodSync } = await import('node:fs')
  chmodSync(join(folder, 'files/ab/cd'), 0o666)
  chmodSync(folder, 0o755)
  expect(open(folder).length).toBeGreaterThan(1)
  other.handPost = await startHandPost({ settings: settingsFor(other.folder, other.practice), log: silent })
  expect(open(folder)).toEqual([])
  await other.close()
})
