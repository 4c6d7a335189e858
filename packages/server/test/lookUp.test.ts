import { createSocket, type Socket } from 'node:dgram'
import packet, { type SrvAnswer } from 'dns-packet'
import { afterEach, expect, test } from 'vitest'
import { mailHosts } from '../src/mailboxes/lookUp.ts'

let socket: Socket | null = null
afterEach(() => {
  socket?.close()
  socket = null
})

/** A resolver that knows these services, by a library that is not ours. Gives its address. */
async function resolver(known: Record<string, SrvAnswer['data'][]>, answers = true): Promise<string> {
  socket = createSocket('udp4')
  const own = socket
  own.on('message', (message, from) => {
    if (!answers) return
    const { id, questions = [] } = packet.decode(message)
    const name = questions[0].name.toLowerCase()
    const found = known[name]
    const answer = packet.encode({
      type: 'response',
      id,
      // 3 is “no such name” (RFC 1035, section 4.1.1).
      flags: packet.RECURSION_AVAILABLE | (found ? 0 : 3),
      questions,
      answers: (found ?? []).map((data) => ({ type: 'SRV', name, ttl: 60, data })),
    })
    own.send(answer, from.port, from.address)
  })
  await new Promise<void>((ready) => own.bind(0, '127.0.0.1', ready))
  return `127.0.0.1:${own.address().port}`
}
const at = (target: string, port: number, priority = 0, weight = 1) => ({ target, port, priority, weight })
const host = (name: string, port: number, security: 'tls' | 'starttls') => ({
  host: name,
  port,
  security,
  allowSelfSigned: false,
})

// RFC 6186, section 3.4 (its examples), RFC 8314, section 5.1, and RFC 2782 for the order of several.
test('the hosts that a domain names are found: the better kept service first, and of several the first in order', async () => {
  const address = await resolver({
    '_submission._tcp.quay.example': [at('mail.quay.example', 587)],
    '_imap._tcp.quay.example': [at('imap.quay.example', 143)],
    '_imaps._tcp.quay.example': [
      at('backup.quay.example', 993, 20),
      at('small.quay.example', 993, 10, 1),
      at('big.quay.example', 9930, 10, 5),
    ],
  })
  expect(await mailHosts('quay.example', address)).toEqual({
    smtp: host('mail.quay.example', 587, 'starttls'),
    imap: host('big.quay.example', 9930, 'tls'),
    words:
      'quay.example names mail.quay.example to send and big.quay.example to read. Look whether these are your provider’s before you store them.',
  })
})

test('a service that is said not to be there (a target of “.”) is not used', async () => {
  const address = await resolver({
    '_submissions._tcp.quay.example': [at('.', 0)],
    '_submission._tcp.quay.example': [at('mail.quay.example', 587)],
    '_imaps._tcp.quay.example': [at('.', 0)],
    '_imap._tcp.quay.example': [at('.', 0)],
  })
  const { smtp, imap } = await mailHosts('quay.example', address)
  expect([smtp?.host, imap]).toEqual(['mail.quay.example', null])
})

test('a domain that names none, a resolver that is silent, and no domain at all are said apart', async () => {
  const address = await resolver({})
  expect((await mailHosts('quay.example', address)).words).toContain('quay.example names no mail hosts')
  expect((await mailHosts('', address)).words).toBe('Type the address first.')
  socket?.close()
  const silent = await resolver({}, false)
  expect((await mailHosts('quay.example', silent)).words).toContain('no resolver answers')
}, 60_000)
