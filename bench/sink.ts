import { SMTPServer } from 'smtp-server'

// An SMTP host that takes everything at once and keeps nothing, as a program of its own. Tells its port by IPC.
const server = new SMTPServer({
  authOptional: true,
  disabledCommands: ['STARTTLS'],
  disableReverseLookup: true,
  onAuth: (_auth, _session, done) => done(null, { user: 'x' }),
  onData(stream, _session, done) {
    stream.resume()
    stream.on('end', () => done(null, '2.0.0 taken'))
  },
})
const listening = server.listen(0, '127.0.0.1', () =>
  process.send?.({ port: (listening.address() as { port: number }).port }),
)
process.on('disconnect', () => process.exit(0))
