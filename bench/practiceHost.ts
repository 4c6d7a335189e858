import { type ChildProcess, fork } from 'node:child_process'
import { join } from 'node:path'

/** The practice host as a program of its own, on a folder, with one account. It ends when it is disconnected. */
export async function startPracticeHost(
  folder: string,
  office: string,
): Promise<{ practice: ChildProcess; imapPort: number }> {
  const practice = fork(join(import.meta.dirname, '../packages/practice/src/main.ts'), {
    execArgv: ['--import', 'tsx'],
    stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
    env: {
      ...process.env,
      PRACTICE_FOLDER: folder,
      PRACTICE_ACCOUNTS: `${office}:practice`,
      HAND_POST_PRACTICE_SMTP_PORT: '0',
      HAND_POST_PRACTICE_IMAP_PORT: '0',
      HAND_POST_PRACTICE_SIGN_IN_PORT: '0',
    },
  })
  const imapPort = await new Promise<number>((resolve) =>
    practice.stdout!.on('data', (line) => {
      const said = /\{.*\}/.exec(String(line))
      if (said) resolve(JSON.parse(said[0]).practice.imapPort)
    }),
  )
  return { practice, imapPort }
}
