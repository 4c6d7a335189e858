import type { MailboxSettings, TestStep } from '@hand-post/contract'
import { addressFault } from '@hand-post/core'
import { type Access, type SendError, SmtpLine, sentPath, usingImap } from './connections.ts'
import { maskSecret } from './mask.ts'

/** Tries a mailbox's settings step by step. Stores nothing and sends nothing. */
export async function testMailbox(settings: MailboxSettings, password: string): Promise<TestStep[]> {
  const steps: TestStep[] = []
  const access: Access = { smtp: settings.smtp, imap: settings.imap, user: settings.user, password }
  const note = (step: string, ok: boolean, words: string) =>
    steps.push({ step, ok, words: maskSecret(words, password, settings.user) })

  const fault = addressFault(settings.address)
  note(
    'Address',
    fault === null,
    fault === null ? `${settings.address} can be written from.` : `“${settings.address}” is not an address: ${fault}.`,
  )

  const line = new SmtpLine(access)
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
        'A certificate that nobody known has signed is allowed here, by your choice.',
      )
  } catch (error) {
    const failure = (error as SendError).failure
    if (failure?.stage === 'signIn') {
      note('Reach the sending host', true, `${settings.smtp.host}, port ${settings.smtp.port} answers.`)
      note(
        'Sign in to send',
        false,
        `The host refused the sign-in: ${failure.text}. Check the user name and the password; some hosts want a password made for programs.`,
      )
    } else note('Reach the sending host', false, error instanceof Error ? error.message : String(error))
  } finally {
    line.close()
  }

  const { imap } = settings
  if (imap === null) {
    note('Reading host', true, 'None is given: copies will not be filed in Sent, and answers not be read.')
    return steps
  }
  try {
    await usingImap(access, async (client) => {
      note('Reach the reading host', true, `${imap.host}, port ${imap.port} answers.`)
      note('Sign in to read', true, `Signed in as ${settings.user}.`)
      if (imap.allowSelfSigned)
        note(
          'Certificate for reading',
          true,
          'A certificate that nobody known has signed is allowed here, by your choice.',
        )
      const path = await sentPath(client)
      note(
        'Find the Sent folder',
        path !== null,
        path === null
          ? 'The mailbox has no folder for sent mail. Make one called Sent, then try again.'
          : `Sent mail lies in “${path}”.`,
      )
    })
  } catch (error) {
    const words = error instanceof Error ? error.message : String(error)
    const signIn = /sign-in/.test(words)
    if (signIn) note('Reach the reading host', true, `${imap.host}, port ${imap.port} answers.`)
    note(signIn ? 'Sign in to read' : 'Reach the reading host', false, words)
  }
  return steps
}
