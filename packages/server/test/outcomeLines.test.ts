import { addressOf, type OutcomeLine, outcomeLineSchema, routes } from '@hand-post/contract'
import { simpleParser } from 'mailparser'
import { afterEach, expect, test } from 'vitest'
import { closeWorld, csv, letter, minute, moveTo, open, world } from './lived.ts'

afterEach(closeWorld)

/** Reads server-sent events as the HTML standard has them (section 9.2.6): fields of lines, an event at each blank line. */
async function* eventsOf(body: ReadableStream<Uint8Array>): AsyncGenerator<{ event: string; data: string }> {
  let text = ''
  for await (const piece of body.pipeThrough(new TextDecoderStream() as never) as unknown as AsyncIterable<string>) {
    text += piece
    for (let end = text.indexOf('\n\n'); end >= 0; end = text.indexOf('\n\n')) {
      const lines = text.slice(0, end).split('\n')
      text = text.slice(end + 2)
      const field = (name: string) => lines.find((line) => line.startsWith(`${name}: `))?.slice(name.length + 2)
      if (field('data') !== undefined) yield { event: field('event') ?? 'message', data: field('data')! }
    }
  }
}
async function posted(n: number): Promise<number> {
  await open(n, '2026-11-05T10:00:00Z')
  const { id } = await world.round(csv(n), letter, { dispatch: { perMinute: 1000 } })
  await world.call(routes.post, { params: { round: id }, body: { messages: n } })
  await moveTo(world.clock.now() + minute)
  return id
}
const answer = async (person: number, text: string) => {
  const { messageId } = await simpleParser((await world.inboxOf(`person${person}@village.example`))[0])
  await world.arrive({ from: `person${person}@village.example`, subject: 'Re: x', inReplyTo: messageId, text })
}

test('what came of a round as JSON lines: one object to a person, by the names of the outcome sheet', async () => {
  const round = await posted(3)
  await answer(1, 'Yes, I come.')
  const said = await fetch(`${world.handPost.address}${addressOf(routes.outcomeLines, { params: { round } })}`)
  expect(said.headers.get('content-type')).toBe('application/x-ndjson; charset=utf-8')
  const text = await said.text()
  expect(text.endsWith('\n')).toBe(true)
  const lines = text
    .trimEnd()
    .split('\n')
    .map((line) => outcomeLineSchema.parse(JSON.parse(line)))
  expect(lines.map(({ person, address, came }) => [person, address, came.outcome])).toEqual([
    ['Person 0', 'person0@village.example', 'sent, nothing heard'],
    ['Person 1', 'person1@village.example', 'replied'],
    ['Person 2', 'person2@village.example', 'sent, nothing heard'],
  ])
  expect(lines[1].came).toMatchObject({
    sentAt: expect.stringMatching(/^2026-11-05T10:0[01]:00\+00:00$/),
    words: 'Yes, I come.',
  })
  expect(lines[0].came.words).toBe(null)
})

test('the stream tells all, and then of each of whom it changes, and of nobody else', async () => {
  const round = await posted(4)
  const listening = new AbortController()
  const said = await fetch(`${world.handPost.address}${addressOf(routes.outcomeStream, { params: { round } })}`, {
    signal: listening.signal,
  })
  expect(said.headers.get('content-type')).toBe('text/event-stream; charset=utf-8')
  const events = eventsOf(said.body!)
  const next = async (): Promise<OutcomeLine> => {
    const { value } = await events.next()
    expect(value!.event).toBe('outcome')
    return outcomeLineSchema.parse(JSON.parse(value!.data))
  }
  const first = [await next(), await next(), await next(), await next()]
  expect(first.map(({ row }) => row)).toEqual([1, 2, 3, 4])
  await answer(2, 'I do.')
  expect(await next()).toMatchObject({ person: 'Person 2', came: { outcome: 'replied', words: 'I do.' } })
  await world.call(routes.setOutcomeWords, { params: { round }, body: { words: ['paid'] } })
  await world.call(routes.giveWords, { params: { round }, body: { given: [{ row: 4, word: 'paid' }] } })
  expect(await next()).toMatchObject({ row: 4, came: { word: 'paid' } })
  // Whoever goes away is not told any more, and leaves room for others.
  listening.abort()
  await events.return(undefined)
  const many = Array.from({ length: 25 }, () => new AbortController())
  const answers = await Promise.all(
    many.map(({ signal }) =>
      fetch(`${world.handPost.address}${addressOf(routes.outcomeStream, { params: { round } })}`, { signal }),
    ),
  )
  const refused = answers.filter(({ status }) => status === 429).length
  expect(refused).toBeGreaterThanOrEqual(5)
  expect(refused).toBeLessThanOrEqual(6)
  for (const one of many) one.abort()
})
