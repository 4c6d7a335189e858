import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import SwaggerParser from '@apidevtools/swagger-parser'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { openApiDocument } from '../src/openapi.ts'
import { addressOf, call, ProblemError } from '../src/route.ts'
import { routes } from '../src/routes.ts'

describe('addresses of calls', () => {
  test('places and queries are filled in and encoded', () => {
    expect(addressOf(routes.message, { params: { round: 3, row: 7 } })).toBe('/api/rounds/3/messages/7')
    expect(addressOf(routes.addFile, { params: { round: 1 }, query: { name: 'a b&c/é.pdf', role: 'own' } })).toBe(
      '/api/rounds/1/files?name=a+b%26c%2F%C3%A9.pdf&role=own',
    )
    expect(addressOf(routes.rows, { params: { list: 1 }, query: {} })).toBe('/api/lists/1/rows')
  })
  test('no two calls share a method and a path', () => {
    const all = Object.values(routes).map((r) => `${r.method} ${r.path.replace(/:\w+/g, ':')}`)
    expect(new Set(all).size).toBe(all.length)
  })
})

describe('answers that are none', () => {
  const server = createServer((req, res) => {
    if (req.url === '/api/lists')
      res
        .writeHead(409, { 'content-type': 'application/problem+json' })
        .end('{"type":"about:blank","title":"T","status":409,"detail":"D"}')
    // As a network does that wants signing in first.
    else if (req.url === '/api/mailboxes')
      res.writeHead(200, { 'content-type': 'text/html' }).end('<html>Sign in</html>')
    else if (req.url === '/api/desk')
      res.writeHead(200, { 'content-length': '100' }).write('{"rounds":', () => res.destroy())
    else res.writeHead(502).end('<html>')
  })
  let base = ''
  beforeAll(async () => {
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', () => done()))
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  })
  afterAll(() => {
    server.close()
  })
  const fault = (work: Promise<unknown>) =>
    work.then(
      () => null,
      (e) => e as ProblemError,
    )
  test('problem details are handed on as they are', async () => {
    const error = await fault(call(base, routes.lists))
    expect(error).toBeInstanceOf(ProblemError)
    expect(error!.problem).toMatchObject({ status: 409, title: 'T', detail: 'D' })
  })
  test('anything else still says what happened', async () => {
    expect((await fault(call(base, routes.rounds)))!.problem).toMatchObject({
      status: 502,
      detail: 'The desk answered 502.',
    })
    for (const route of [routes.mailboxes, routes.desk])
      expect((await fault(call(base, route)))!.problem).toMatchObject({
        status: 0,
        detail: expect.stringMatching(/^Something other than Hand Post answered, or the answer was cut off/),
      })
    expect((await fault(call('http://127.0.0.1:9', routes.rounds)))!.message).toMatch(
      /does not answer.*go on as soon as it runs again/,
    )
  })
})

// By a validator that others wrote and use (it brings the schemas of the OpenAPI Initiative along).
test('a validator of OpenAPI documents finds nothing', async () => {
  const document = JSON.parse(JSON.stringify(openApiDocument()))
  await expect(SwaggerParser.validate(document)).resolves.toBeTruthy()
  await expect(SwaggerParser.validate({ ...document, paths: { '/x': { get: {}, wrong: 1 } } })).rejects.toThrow()
})

// The OpenAPI Specification 3.1.0, sections 4.8.8 to 4.8.12: what every operation must have.
test('the document keeps to OpenAPI 3.1', () => {
  const document = openApiDocument() as {
    openapi: string
    info: object
    paths: Record<string, Record<string, Record<string, never>>>
  }
  expect(document.openapi).toBe('3.1.0')
  const ids: string[] = []
  for (const [path, operations] of Object.entries(document.paths)) {
    expect(path).toMatch(/^\/api\//)
    for (const operation of Object.values(operations) as unknown as {
      operationId: string
      responses: object
      parameters?: { name: string; in: string; required: boolean }[]
    }[]) {
      ids.push(operation.operationId)
      expect(Object.keys(operation.responses)).toContain('default')
      const inPath = (operation.parameters ?? []).filter((p) => p.in === 'path')
      expect(inPath.map((p) => p.name).sort()).toEqual([...path.matchAll(/\{(\w+)\}/g)].map((m) => m[1]).sort())
      expect(inPath.every((p) => p.required)).toBe(true)
    }
  }
  expect(new Set(ids).size).toBe(Object.keys(routes).length)
})
