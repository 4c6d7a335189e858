import { openApiDocument, routes } from '@hand-post/contract'
import pino from 'pino'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { readSettings, startHandPost } from '../src/index.ts'
import { hmac, readToken, signToken } from '../src/secrets.ts'
import { bare } from './http.ts'
import { minute, office, settingsFor, World } from './world.ts'

let world: World
beforeAll(async () => {
  world = await World.open({ allThreads: true })
})
afterAll(() => world.close())

describe('the desk', () => {
  test('answers to its own name only, and to no other page', async () => {
    const desk = world.handPost.address
    const { host } = new URL(desk)
    expect((await bare(desk, '/api/rounds')).status).toBe(200)
    expect((await bare(desk, '/api/rounds', { host: 'evil.example' })).status).toBe(421)
    expect((await bare(desk, '/api/rounds', { origin: 'http://evil.example' })).status).toBe(403)
    expect((await bare(desk, '/api/rounds', { origin: 'null' })).status).toBe(403)
    const post = (headers: Record<string, string>) =>
      bare(desk, '/api/rounds', { 'content-type': 'application/json', ...headers }, 'POST', '{"title":"x"}')
    expect((await post({ 'sec-fetch-site': 'cross-site' })).status).toBe(403)
    expect((await post({ origin: `http://${host}`, 'sec-fetch-site': 'same-origin' })).status).toBe(200)
  })
  test('gives problem details (RFC 9457) for what it does not know or understand', async () => {
    const none = await bare(world.handPost.address, '/api/nothing')
    expect(none.headers['content-type']).toContain('application/problem+json')
    expect(JSON.parse(none.body)).toMatchObject({ status: 404, title: expect.any(String), detail: expect.any(String) })
    const wrong = await bare(
      world.handPost.address,
      '/api/rounds',
      { 'content-type': 'application/json' },
      'POST',
      '{"title":""}',
    )
    expect(JSON.parse(wrong.body)).toMatchObject({ status: 422, faults: [{ at: 'title' }] })
    expect(
      JSON.parse(
        (await bare(world.handPost.address, '/api/rounds', { 'content-type': 'application/json' }, 'POST', '{')).body,
      ).status,
    ).toBe(400)
  })
  test('beyond this machine it wants a password, and signing in', async () => {
    const other = await World.open({ allThreads: true })
    await other.handPost.close()
    const open = {
      ...readSettings({
        HAND_POST_HOST: '0.0.0.0',
        HAND_POST_PROXY: '127.0.0.1',
        HAND_POST_DESK_URL: 'https://desk.example',
      }),
      HAND_POST_DATA: settingsFor(other.folder, other.practice).HAND_POST_DATA,
    }
    await expect(startHandPost({ settings: open })).rejects.toThrow(/set HAND_POST_PASSWORD/)
    const settings = { ...settingsFor(other.folder, other.practice), HAND_POST_PASSWORD: 'low-water-0430' }
    other.handPost = await startHandPost({ settings, log: pino({ level: 'silent' }) })
    const desk = other.handPost.address
    expect((await bare(desk, '/api/rounds')).status).toBe(401)
    const signIn = (password: string) =>
      bare(desk, '/api/sign-in', { 'content-type': 'application/json' }, 'POST', JSON.stringify({ password }))
    expect((await signIn('wrong')).status).toBe(401)
    await new Promise((done) => setTimeout(done, 1100))
    const cookie = String((await signIn('low-water-0430')).headers['set-cookie'])
    expect(cookie).toMatch(/HttpOnly.*SameSite=Strict/)
    expect((await bare(desk, '/api/rounds', { cookie: cookie.split(';')[0] })).status).toBe(200)
    await other.close()
  })
  test('every call is described, and every described call is there', async () => {
    const served = JSON.parse((await bare(world.handPost.address, '/api/openapi.json')).body)
    expect(served).toEqual(JSON.parse(JSON.stringify(openApiDocument())))
    const described = Object.values(served.paths as Record<string, object>).flatMap((p) => Object.keys(p))
    expect(described).toHaveLength(Object.keys(routes).length)
  })
})

describe('the public address', () => {
  test('knows pictures and links of letters, and nothing else', async () => {
    const round = await world.round(
      'Name,Email\nAda,ada@village.example\n',
      { subject: 'S', html: '<p>See <a href="https://quay.example/a?b=1&amp;c=2">this</a></p>' },
      { tracking: { opens: true, clicks: true } },
    )
    const params = { round: round.id }
    await world.call(routes.post, { params, body: { messages: 1 } })
    await world.pass(minute)
    const [raw] = await world.inboxOf('ada@village.example')
    const html = raw.toString().replace(/=\r\n/g, '').replace(/=3D/g, '=')
    const link = /\/l\/[\w.-]+/.exec(html)![0]
    const picture = /\/p\/[\w.-]+/.exec(html)![0]
    const at = world.handPost.publicUrl
    world.clock.move(minute)
    const followed = await bare(at, link)
    expect([followed.status, followed.headers.location]).toEqual([302, 'https://quay.example/a?b=1&c=2'])
    const seen = await bare(at, picture)
    const forged = await bare(at, `${picture.slice(0, -4)}AAAA`)
    expect([seen.body, seen.headers['content-length']]).toEqual([forged.body, forged.headers['content-length']])
    expect((await bare(at, `${link.slice(0, -4)}AAAA`)).status).toBe(404)
    for (const path of ['/', '/api/rounds', '/api/health', '/l/https://evil.example', '/p/../api/rounds'])
      expect((await bare(at, path)).status, path).not.toBe(200)
    expect((await bare(at, '/api/rounds')).status).toBe(404)
    const [person] = (await world.board(params.round)).people
    expect(person.responses.map((r) => [r.kind, r.automatic])).toEqual([
      ['click', false],
      ['open', false],
    ])
  })
  test('tokens are signed: any changed character is refused', () => {
    const key = Buffer.from('k'.repeat(32))
    const target = { key: 'A'.repeat(22), what: 3 }
    const token = signToken(key, target)
    expect(readToken(key, token)).toEqual(target)
    for (let i = 0; i < token.length; i++) {
      const changed = token.slice(0, i) + (token[i] === 'B' ? 'C' : 'B') + token.slice(i + 1)
      expect(readToken(key, changed)).toBeNull()
    }
    expect(readToken(Buffer.from('x'.repeat(32)), token)).toBeNull()
  })
  // RFC 4231, test cases 1 and 2.
  test('the signature is HMAC-SHA-256 as RFC 4231 prints it', () => {
    expect(hmac(Buffer.alloc(20, 0x0b), 'Hi There').toString('hex')).toBe(
      'b0344c61d8db38535ca8afceaf0bf12b881dc200c9833da726e9376c2e32cff7',
    )
    expect(hmac(Buffer.from('Jefe'), 'what do ya want for nothing?').toString('hex')).toBe(
      '5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843',
    )
  })
})

describe('what people type cannot leave its place', () => {
  test('line ends in cells, names and subjects add no header; markup in a cell is text', async () => {
    const evil = '"Ada\r\nBcc: spy@evil.example","ada2@village.example","<img src=x onerror=alert(1)>"'
    const round = await world.round(`Name,Email,Boat\n${evil}\n`, { subject: 'For {{Name}}', html: '<p>{{Boat}}</p>' })
    await world.call(routes.post, { params: { round: round.id }, body: { messages: 1 } })
    await world.pass(minute)
    const [raw] = await world.inboxOf('ada2@village.example')
    const [head, ...body] = raw.toString().split('\r\n\r\n')
    expect(head).not.toMatch(/^bcc:/im)
    expect(head.match(/^(to|subject|from):/gim)).toHaveLength(3)
    expect(body.join()).toContain('&lt;img src')
    expect(await world.inboxOf('spy@evil.example')).toHaveLength(0)
  })
  test('other mail of the mailbox is neither stored nor shown', async () => {
    const store = world.practice.store
    await store.add(
      office,
      'INBOX',
      Buffer.from(
        'From: a@b.example\r\nSubject: private\r\nMessage-ID: <p@b.example>\r\nIn-Reply-To: <other@b.example>\r\n\r\nsecret words',
      ),
      new Date(world.clock.now()),
    )
    await world.pass(minute)
    expect(JSON.stringify(await world.call(routes.inTray))).not.toContain('secret words')
    expect(
      await world.handPost.parts.db.query("SELECT 1 FROM responses WHERE details::text LIKE '%secret words%'"),
    ).toEqual([])
  })
  test('file names are cut down to safe ones, and only pictures and PDFs are shown in the browser', async () => {
    const round = await world.call(routes.startRound, { body: { title: 'Files' } })
    const add = (name: string) =>
      world.call(routes.addFile, {
        params: { round: round.id },
        query: { name, role: 'common' },
        file: Buffer.from('<script>'),
      })
    expect((await add('../../etc/pass\u202ewd.html')).name).toBe('passwd.html')
    expect((await add('C:\\x\\..\\rules.pdf')).name).toBe('rules.pdf')
    const file = await add('page.html')
    const shown = await bare(world.handPost.address, `/api/files/${file.hash}?name=page.html`)
    expect(shown.headers['content-disposition']).toContain('attachment')
    expect(String(shown.headers['content-security-policy'])).toContain('sandbox')
  })
})
