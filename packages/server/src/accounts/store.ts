import type { Account, AccountRole } from '@hand-post/contract'
import { type Database, json } from '../db/database.ts'
import { notFound, Refusal } from '../problem.ts'

/** An account as it stands in the database. */
export interface AccountRecord {
  id: number
  name: string
  address: string
  mayPost: boolean
  keeps: boolean
  password: string | null
  codeSecret: string | null
  codeStep: number
  recovery: string[]
  serviceSubject: string | null
  seenAt: number | null
  endedAt: number | null
  invitedUntil: number | null
}

const select = `SELECT a.id, a.name, a.address, a.may_post AS "mayPost", a.keeps, a.password, a.code_secret AS "codeSecret", a.code_step AS "codeStep",
  a.recovery, a.service_subject AS "serviceSubject", a.seen_at AS "seenAt", a.ended_at AS "endedAt", i.until AS "invitedUntil"
  FROM accounts a LEFT JOIN invitations i ON i.account = a.id`

export const rolesOf = ({ mayPost, keeps }: { mayPost: boolean; keeps: boolean }): AccountRole[] => [
  'writer',
  ...(mayPost ? (['poster'] as const) : []),
  ...(keeps ? (['keeper'] as const) : []),
]

/** An account as keepers see it. */
export const lineOf = (account: AccountRecord, now: number): Account => ({
  id: account.id,
  name: account.name,
  address: account.address,
  mayPost: account.mayPost,
  keeps: account.keeps,
  state:
    account.endedAt !== null
      ? 'ended'
      : account.password === null && account.serviceSubject === null
        ? 'invited'
        : 'active',
  invitedUntil: account.invitedUntil !== null && account.invitedUntil > now ? account.invitedUntil : null,
  code: account.codeSecret !== null,
  seenAt: account.seenAt,
})

export const accountRecords = (db: Database): Promise<AccountRecord[]> =>
  db.query(`${select} ORDER BY a.ended_at IS NOT NULL, lower(a.name), a.id`)

/** An account that has not ended. Throws a refusal when there is none. */
export async function accountRecord(db: Database, id: number): Promise<AccountRecord> {
  const [found] = await db.query<AccountRecord>(`${select} WHERE a.id = $1 AND a.ended_at IS NULL`, [id])
  if (!found) throw notFound('account')
  return found
}

/** The account of an address that has not ended, or null. */
export async function accountOf(db: Database, address: string): Promise<AccountRecord | null> {
  const [found] = await db.query<AccountRecord>(`${select} WHERE lower(a.address) = lower($1) AND a.ended_at IS NULL`, [
    address,
  ])
  return found ?? null
}

/** The account of somebody at the sign-in service, or null. */
export async function accountAtService(db: Database, issuer: string, subject: string): Promise<AccountRecord | null> {
  const [found] = await db.query<AccountRecord>(
    `${select} WHERE a.service_issuer = $1 AND a.service_subject = $2 AND a.ended_at IS NULL`,
    [issuer, subject],
  )
  return found ?? null
}

/** Notes who an account is at the sign-in service, unless it is known to be somebody already. Gives whether it was noted. */
export async function bindToService(db: Database, id: number, issuer: string, subject: string): Promise<boolean> {
  const done = await db.query(
    'UPDATE accounts SET service_issuer = $2, service_subject = $3 WHERE id = $1 AND service_subject IS NULL RETURNING id',
    [id, issuer, subject],
  )
  return done.length > 0
}

/** Whether anybody has an account. */
export async function hasAccounts(db: Database): Promise<boolean> {
  const [{ any }] = await db.query<{ any: boolean }>(
    'SELECT EXISTS (SELECT 1 FROM accounts WHERE ended_at IS NULL) AS any',
  )
  return any
}

type NewAccount = Pick<AccountRecord, 'name' | 'address' | 'mayPost' | 'keeps' | 'password'>

/** Makes an account; gives its id. */
export async function insertAccount(db: Database, account: NewAccount, now: number): Promise<number> {
  if (await accountOf(db, account.address))
    throw new Refusal(
      409,
      `${account.address} has an account already. Change that one, or take another address. Nothing was changed.`,
      'Address taken',
    )
  const [{ id }] = await db.query<{ id: number }>(
    'INSERT INTO accounts (name, address, may_post, keeps, password, made_at) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
    [account.name, account.address, account.mayPost, account.keeps, account.password, now],
  )
  return id
}

export async function changeAccount(
  db: Database,
  id: number,
  { name, address, mayPost, keeps }: Pick<AccountRecord, 'name' | 'address' | 'mayPost' | 'keeps'>,
): Promise<void> {
  const other = await accountOf(db, address)
  if (other && other.id !== id)
    throw new Refusal(
      409,
      `${address} is the address of ${other.name}’s account. Take another. Nothing was changed.`,
      'Address taken',
    )
  await db.query('UPDATE accounts SET name = $2, address = $3, may_post = $4, keeps = $5 WHERE id = $1', [
    id,
    name,
    address,
    mayPost,
    keeps,
  ])
}

/** Whether somebody besides an account can sign in and is a keeper. */
export async function otherKeepers(db: Database, id: number): Promise<boolean> {
  const [{ any }] = await db.query<{ any: boolean }>(
    `SELECT EXISTS (SELECT 1 FROM accounts WHERE keeps AND ended_at IS NULL AND id <> $1 AND (password IS NOT NULL OR service_subject IS NOT NULL)) AS any`,
    [id],
  )
  return any
}

export async function endAccount(db: Database, id: number, now: number): Promise<void> {
  await db.query(
    `UPDATE accounts SET ended_at = $2, password = NULL, code_secret = NULL, recovery = '[]', service_issuer = NULL, service_subject = NULL WHERE id = $1`,
    [id, now],
  )
  await db.query('DELETE FROM invitations WHERE account = $1', [id])
  await db.query('DELETE FROM sessions WHERE account = $1', [id])
}

/** Makes the invitation of an account, in the place of the one before. */
export async function putInvitation(db: Database, account: number, print: string, until: number): Promise<void> {
  await db.query(
    `INSERT INTO invitations (account, print, until) VALUES ($1, $2, $3)
     ON CONFLICT (account) DO UPDATE SET print = $2, until = $3`,
    [account, print, until],
  )
}

/** Whom an invitation is for that can be taken still, or null. */
export async function invitedBy(db: Database, print: string, now: number): Promise<AccountRecord | null> {
  const [found] = await db.query<AccountRecord>(
    `${select} WHERE i.print = $1 AND i.until > $2 AND a.ended_at IS NULL`,
    [print, now],
  )
  return found ?? null
}

/** Takes an invitation: whose it was has this password, and no code, from now on. Gives whose it was; null when it could not be taken. */
export function takeInvitation(db: Database, print: string, password: string, now: number): Promise<number | null> {
  return db.transaction(async (tx) => {
    const [taken] = await tx.query<{ account: number }>(
      'DELETE FROM invitations WHERE print = $1 AND until > $2 RETURNING account',
      [print, now],
    )
    if (!taken) return null
    await tx.query(
      `UPDATE accounts SET password = $2, code_secret = NULL, code_step = 0, recovery = '[]' WHERE id = $1 AND ended_at IS NULL`,
      [taken.account, password],
    )
    await tx.query('DELETE FROM sessions WHERE account = $1', [taken.account])
    return taken.account
  })
}

export async function setPassword(db: Database, id: number, password: string): Promise<void> {
  await db.query('UPDATE accounts SET password = $2 WHERE id = $1', [id, password])
}

/** Has codes of a secret, or none, asked for. */
export async function setCode(
  db: Database,
  id: number,
  code: { secret: string; step: number; recovery: string[] } | null,
): Promise<void> {
  await db.query('UPDATE accounts SET code_secret = $2, code_step = $3, recovery = $4 WHERE id = $1', [
    id,
    code?.secret ?? null,
    code?.step ?? 0,
    json(code?.recovery ?? []),
  ])
}

/** Takes a step's code, which is taken once, and none of an earlier step after it. Gives whether it was taken. */
export async function takeStep(db: Database, id: number, step: number): Promise<boolean> {
  const taken = await db.query('UPDATE accounts SET code_step = $2 WHERE id = $1 AND code_step < $2 RETURNING id', [
    id,
    step,
  ])
  return taken.length > 0
}

/** Takes a recovery code, by its digest, once. Gives whether it was there. */
export async function takeRecovery(db: Database, id: number, print: string): Promise<boolean> {
  const taken = await db.query(
    'UPDATE accounts SET recovery = recovery - $2::text WHERE id = $1 AND recovery ? $2::text RETURNING id',
    [id, print],
  )
  return taken.length > 0
}

/** Secrets of codes that are sealed. */
export async function sealedCodes(db: Database): Promise<{ id: number; secret: string }[]> {
  return db.query('SELECT id, code_secret AS secret FROM accounts WHERE code_secret IS NOT NULL')
}

/** Whoever has a code that cannot be read any more must be invited anew: the password alone lets nobody in. */
export async function giveUpCode(db: Database, id: number): Promise<void> {
  await db.query(`UPDATE accounts SET password = NULL, code_secret = NULL, recovery = '[]' WHERE id = $1`, [id])
  await db.query('DELETE FROM sessions WHERE account = $1', [id])
}

/** A session, with whose it is. */
export interface SessionRecord {
  id: number
  account: number | null
  passwordPrint: string | null
  begun: number
  used: number
  name: string | null
  mayPost: boolean
  keeps: boolean
  /** Whether there are accounts: the desk's password lets nobody in then. */
  accounts: boolean
}

export async function sessionBy(db: Database, print: string): Promise<SessionRecord | null> {
  const [found] = await db.query<SessionRecord>(
    `SELECT s.id, s.account, s.password_print AS "passwordPrint", s.begun, s.used, a.name, coalesce(a.may_post, false) AS "mayPost", coalesce(a.keeps, false) AS keeps,
       EXISTS (SELECT 1 FROM accounts WHERE ended_at IS NULL) AS accounts
     FROM sessions s LEFT JOIN accounts a ON a.id = s.account WHERE s.print = $1 AND (s.account IS NULL OR a.ended_at IS NULL)`,
    [print],
  )
  return found ?? null
}

export interface NewSession {
  print: string
  account: number | null
  passwordPrint: string | null
  now: number
  browser: string
  from: string
}

/** Begins a session. Of one account only so many last, those used last; and what is over goes. */
export function beginSession(db: Database, session: NewSession, most: number, over: { idle: number; begun: number }) {
  return db.transaction(async (tx) => {
    await tx.query('DELETE FROM sessions WHERE used < $1 OR begun < $2', [over.idle, over.begun])
    await tx.query(
      'INSERT INTO sessions (print, account, password_print, begun, used, browser, came_from) VALUES ($1, $2, $3, $4, $4, $5, $6)',
      [session.print, session.account, session.passwordPrint, session.now, session.browser, session.from],
    )
    await tx.query(
      `DELETE FROM sessions WHERE id IN (SELECT id FROM sessions WHERE account IS NOT DISTINCT FROM $1 ORDER BY used DESC, id DESC OFFSET $2)`,
      [session.account, most],
    )
    if (session.account !== null)
      await tx.query('UPDATE accounts SET seen_at = $2 WHERE id = $1', [session.account, session.now])
  })
}

/** Notes that a session is in use. */
export async function noteUse(db: Database, { id, account }: SessionRecord, now: number): Promise<void> {
  await db.query('UPDATE sessions SET used = $2 WHERE id = $1', [id, now])
  if (account !== null) await db.query('UPDATE accounts SET seen_at = $2 WHERE id = $1', [account, now])
}

export async function endSessionBy(db: Database, print: string): Promise<void> {
  await db.query('DELETE FROM sessions WHERE print = $1', [print])
}

/** Ends sessions of an account: one, or all but one; null is no account's. */
export async function endSessions(
  db: Database,
  account: number | null,
  which: { only: number } | { but: number | null },
): Promise<number> {
  const [compared, id] = 'only' in which ? ['=', which.only] : ['IS DISTINCT FROM', which.but]
  const ended = await db.query(
    `DELETE FROM sessions WHERE account IS NOT DISTINCT FROM $1 AND id ${compared} $2 RETURNING id`,
    [account, id],
  )
  return ended.length
}

export function sessionsOf(
  db: Database,
  account: number | null,
): Promise<{ id: number; begun: number; used: number; browser: string; from: string }[]> {
  return db.query(
    'SELECT id, begun, used, browser, came_from AS "from" FROM sessions WHERE account IS NOT DISTINCT FROM $1 ORDER BY used DESC, id DESC',
    [account],
  )
}

/** Which of these sessions there are, that were used and begun late enough. */
export async function thereStill(
  db: Database,
  prints: string[],
  over: { idle: number; begun: number },
): Promise<string[]> {
  const found = await db.query<{ print: string }>(
    `SELECT s.print FROM sessions s LEFT JOIN accounts a ON a.id = s.account
     WHERE s.print IN (SELECT jsonb_array_elements_text($1::jsonb)) AND s.used >= $2 AND s.begun >= $3 AND a.ended_at IS NULL
       AND (s.account IS NOT NULL OR NOT EXISTS (SELECT 1 FROM accounts WHERE ended_at IS NULL))`,
    [json(prints), over.idle, over.begun],
  )
  return found.map(({ print }) => print)
}
