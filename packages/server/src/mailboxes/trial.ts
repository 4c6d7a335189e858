import { randomBytes } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'
import type { MailboxSettings, TestStep } from '@hand-post/contract'
import { addressFault } from '@hand-post/core'
import type { ImapFlow } from 'imapflow'
import type { FileStore } from '../files/fileStore.ts'
import type { Access } from './access.ts'
import { composeRaw } from './compose.ts'
import { sentPath, usingImap } from './imap.ts'
import { maskSecret } from './mask.ts'
import { type SendError, SmtpConnection } from './smtp.ts'

/** How often, and how far apart (ms), a message to oneself is looked for. */
const looks = 10
const lookEvery = 2000

export interface Tried {
  steps: TestStep[]
  /** Whether the host puts sent mail into Sent by itself; null where that was not found out. */
  hostFilesSent: boolean | null
}

/**
 * Tries a mailbox's settings step by step. Stores nothing; sends nothing, unless `selfMessage` says so: then one message to the
 * mailbox itself, which is looked for in Sent and taken away again.
 */
export async function testMailbox(
  settings: MailboxSettings,
  access: Access,
  { selfMessage, files }: { selfMessage: boolean; files: Pick<FileStore, 'read'> },
): Promise<Tried> {
  const steps: TestStep[] = []
  let hostFilesSent: boolean | null = null
  const done = () => ({ steps, hostFilesSent })
  const note = (step: string, ok: boolean, words: string) =>
    steps.push({ step, ok, words: maskSecret(words, access.password, settings.user) })

  const fault = addressFault(settings.address)
  note(
    'Address',
    fault === null,
    fault === null ? `${settings.address} can be written from.` : `“${settings.address}” is not an address: ${fault}.`,
  )

  const line = new SmtpConnection(access)
  try {
    await line.open()
    note(
      'Reach the sending host',
      true,
      `${settings.smtp.host}, port ${settings.smtp.port} answers${settings.smtp.security === 'none' ? ', without encryption' : ', encrypted'}.`,
    )
    note('Sign in to send', true, `Signed in as ${settings.user}.`)
    if (settings.smtp.allowSelfSigned)
      note(
        'Certificate for sending',
        true,
        'A certificate that no known authority has signed is accepted here, by your choice.',
      )
  } catch (error) {
    const failure = (error as SendError).failure
    if (failure?.stage === 'signIn') {
      note('Reach the sending host', true, `${settings.smtp.host}, port ${settings.smtp.port} answers.`)
      note(
        'Sign in to send',
        false,
        access.token
          ? `The host refused the sign-in: ${failure.text}. Check the user name, and whether the sign-in allows sending mail.`
          : `The host refused the sign-in: ${failure.text}. Check the user name and the password; some hosts want a password made for programs.`,
      )
    } else note('Reach the sending host', false, error instanceof Error ? error.message : String(error))
  } finally {
    line.close()
  }

  const { imap } = settings
  if (imap === null) {
    note('Reading host', true, 'None is given: copies will not be filed in Sent, and answers not be read.')
    return done()
  }
  try {
    await usingImap(access, async (client) => {
      note('Reach the reading host', true, `${imap.host}, port ${imap.port} answers.`)
      note('Sign in to read', true, `Signed in as ${settings.user}.`)
      if (imap.allowSelfSigned)
        note(
          'Certificate for reading',
          true,
          'A certificate that no known authority has signed is accepted here, by your choice.',
        )
      const path = await sentPath(client)
      note(
        'Find the Sent folder',
        path !== null,
        path === null
          ? 'The mailbox has no folder for sent mail. Make one called Sent, then try again.'
          : `Sent mail lies in “${path}”.`,
      )
      if (selfMessage && path !== null && steps.every((step) => step.ok))
        hostFilesSent = await tryFiling(client, path, access, settings.address, files, note)
    })
  } catch (error) {
    const words = error instanceof Error ? error.message : String(error)
    const signIn = /sign-in/.test(words)
    if (signIn) note('Reach the reading host', true, `${imap.host}, port ${imap.port} answers.`)
    note(signIn ? 'Sign in to read' : 'Reach the reading host', false, words)
  }
  return done()
}

/** Sends one message to the mailbox itself, looks whether the host puts it into Sent, and takes it away again. */
async function tryFiling(
  client: ImapFlow,
  sent: string,
  access: Access,
  address: string,
  files: Pick<FileStore, 'read'>,
  note: (step: string, ok: boolean, words: string) => void,
): Promise<boolean | null> {
  const step = 'Look whether the host files sent mail'
  const key = randomBytes(16).toString('base64url')
  const messageId = `<${key}@${address.slice(address.lastIndexOf('@') + 1)}>`
  const text = 'Hand Post looks whether this mailbox files what it sends by itself. This message is taken away again.\n'
  const raw = await composeRaw(
    {
      key,
      messageId,
      contents: {
        from: { name: '', address },
        to: { name: '', address },
        cc: [],
        bcc: [],
        subject: 'Hand Post is trying this mailbox',
        html: `<p>${text}</p>`,
        text,
        files: [],
        pictures: [],
        links: [],
        receipt: false,
      },
    },
    Date.now(),
    files,
  )
  const line = new SmtpConnection(access)
  try {
    await line.send({ from: address, to: [address] }, raw)
  } catch (error) {
    note(step, false, `The message to the mailbox itself was not taken: ${(error as Error).message}`)
    return null
  } finally {
    line.close()
  }
  const find = async (path: string): Promise<number[]> => {
    const lock = await client.getMailboxLock(path)
    try {
      return (await client.search({ header: { 'message-id': messageId } }, { uid: true })) || []
    } finally {
      lock.release()
    }
  }
  let inSent: number[] = []
  let arrived: number[] = []
  for (let look = 0; look < looks && (inSent.length === 0 || arrived.length === 0); look++) {
    // A host that files does so at once or within seconds; when it has come back and a while has passed, it does not.
    if (look > 0) await sleep(lookEvery)
    if (inSent.length === 0) inSent = await find(sent)
    if (arrived.length === 0) arrived = await find('INBOX')
    if (arrived.length > 0 && inSent.length === 0 && look >= 3) break
  }
  let left = arrived.length === 0
  for (const [path, uids] of [
    [sent, inSent],
    ['INBOX', arrived],
  ] as const) {
    if (uids.length === 0) continue
    // Without UIDPLUS (RFC 4315) everything that is marked as deleted would be taken away with it.
    if (!client.capabilities.has('UIDPLUS')) {
      left = true
      continue
    }
    const lock = await client.getMailboxLock(path)
    try {
      if (!(await client.messageDelete(uids.join(','), { uid: true }))) left = true
    } finally {
      lock.release()
    }
  }
  const filesItself = inSent.length > 0
  note(
    step,
    true,
    `${filesItself ? 'It does: Hand Post will file nothing there itself.' : 'It does not: Hand Post files a copy of each letter there.'}${left ? ' The message could not be taken away again; it is called “Hand Post is trying this mailbox”.' : ' The message was taken away again.'}`,
  )
  return filesItself
}
