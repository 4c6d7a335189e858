import { join, resolve } from 'node:path'
import { routes } from '@hand-post/contract'
import { momentInFull } from '@hand-post/core'
import { makeInvitation } from '../accounts/routes.ts'
import { accountOf, hasAccounts, insertAccount } from '../accounts/store.ts'
import { openDatabase, openOnServer, takeFolder } from '../db/open.ts'
import { readSettings } from '../settings.ts'

/**
 * Makes a link for a keeper, at the machine itself: where nobody can sign in any more who could make one at the desk. Whoever has an
 * account of that address is made a keeper; otherwise one is made. With the embedded database Hand Post must not run meanwhile.
 * @param name and address: whose it is.
 * @param env the settings, as the program takes them.
 * @returns what is to be said, with the link.
 * @throws in words why not.
 */
export async function inviteCommand(
  address: string,
  name: string,
  env: Record<string, string | undefined>,
  now = Date.now(),
): Promise<string> {
  const given = routes.invite.body.safeParse({ name: name || address, address, mayPost: true, keeps: true })
  if (!given.success)
    throw new Error(`Say whom: npm run invite -- name@office.example “Their Name”. ${given.error.issues[0].message}`)
  const settings = readSettings(env)
  const folder = resolve(settings.HAND_POST_DATA)
  const giveBack = settings.DATABASE_URL === undefined ? takeFolder(folder) : () => {}
  try {
    const db =
      settings.DATABASE_URL === undefined
        ? await openDatabase(join(folder, 'database'))
        : await openOnServer(settings.DATABASE_URL)
    try {
      if (!(await hasAccounts(db)))
        throw new Error(
          'There are no accounts here yet. Sign in at the desk by HAND_POST_PASSWORD and set them up there. Nothing was changed.',
        )
      const known = await accountOf(db, given.data.address)
      if (known && !known.keeps) await db.query('UPDATE accounts SET keeps = true WHERE id = $1', [known.id])
      const id = known?.id ?? (await insertAccount(db, { ...given.data, password: null }, now))
      const { token, until } = await makeInvitation(db, id, now)
      const desk = (settings.HAND_POST_DESK_URL ?? `http://127.0.0.1:${settings.HAND_POST_PORT}`).replace(/\/$/, '')
      return `${known?.name ?? given.data.name} can choose a password by this link, once, until ${momentInFull(until, Intl.DateTimeFormat().resolvedOptions().timeZone)}:\n${desk}/join#${token}`
    } finally {
      await db.close()
    }
  } finally {
    giveBack()
  }
}
