import { type AddressInfo, createServer } from 'node:net'

/** A submission host that offers OAUTHBEARER only, refuses the first token, and takes the next. It keeps what it is told, decoded. */
export async function bareHost(): Promise<{ port: number; heard: string[]; close: () => void }> {
  const heard: string[] = []
  let refused = false
  const server = createServer((socket) => {
    let challenged = false
    const say = (line: string) => socket.write(`${line}\r\n`)
    socket.on('error', () => {})
    say('220 bare host')
    socket.on('data', (chunk) => {
      for (const line of chunk.toString().split('\r\n').filter(Boolean)) {
        const bearer = /^AUTH OAUTHBEARER (\S+)$/.exec(line)
        if (challenged || bearer) heard.push(Buffer.from(bearer?.[1] ?? line, 'base64').toString())
        if (challenged) {
          challenged = false
          say('535 5.7.8 the token has ended')
        } else if (bearer && !refused) {
          refused = true
          challenged = true
          say(`334 ${Buffer.from('{"status":"invalid_token","scope":"mail"}').toString('base64')}`)
        } else if (bearer) say('235 2.7.0 welcome')
        else if (/^EHLO/.test(line)) say('250-bare\r\n250 AUTH OAUTHBEARER')
        else if (/^QUIT/.test(line)) socket.end('221 bye\r\n')
        else say('250 ok')
      }
    })
  })
  await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready))
  return { port: (server.address() as AddressInfo).port, heard, close: () => server.close() }
}
