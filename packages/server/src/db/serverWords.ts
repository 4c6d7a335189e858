/** What is said of a PostgreSQL server. Of the address only host, port and database are told, and never the password. */
export function serverWords(url: string) {
  const { hostname, port, pathname } = new URL(url)
  const where = `The PostgreSQL server at ${hostname || 'this machine'}${port ? `:${port}` : ''} (database “${decodeURIComponent(pathname.slice(1))}”)`
  const why: Record<string, string> = {
    ECONNREFUSED: 'nothing answers there, so it may not be running',
    ENOTFOUND: 'there is no machine of that name',
    ETIMEDOUT: 'it does not answer',
    '28P01': 'it does not take this user name and password',
    '28000': 'it does not let this user in',
    '3D000': 'it has no database of that name, which has to be made first',
    '53300': 'it has no connection left',
    '57P03': 'it is starting or ending',
  }
  return {
    cannot: (error: unknown) => {
      const { code, message } = error as { code?: string; message?: string }
      return `${where} cannot be used: ${why[code ?? ''] ?? message}. Look at DATABASE_URL. Nothing was changed.`
    },
    tooOld: (version: number, oldest: number) =>
      `${where} is PostgreSQL ${version}, and Hand Post needs ${oldest} or later. Nothing was changed.`,
    encoding: (encoding: string) =>
      `${where} keeps text as ${encoding}, which has no room for all names. Make the database with the encoding UTF8. Nothing was changed.`,
    readOnly: `${where} can only be read. Give the address of the server that takes writes. Nothing was changed.`,
    others: `${where} is being brought up to date by another Hand Post. Start this one again when that is done. Nothing was changed.`,
    older: `${where} is in use by a Hand Post of an older version. Stop that one first: this one brings the database up to date when it starts. Nothing was changed.`,
    pooled: `${where} is reached through a pooler that changes connections between statements (transaction mode). Give the address of the server itself, or have the pooler work by sessions. Nothing was changed.`,
    notLaidOut: `${where} was not laid out by this version of Hand Post yet. Start a process that serves the desk first: it brings the database up to date. Nothing was changed.`,
    mayNot: `${where} does not let this user do what the public address needs. Make it a member of the role hand_post_public: GRANT hand_post_public TO the user. Nothing was changed.`,
    movedAway: `What was in ${where.replace(/^The/, 'the')} was moved elsewhere. Give the address of that one. Nothing was changed.`,
    otherVersion: (last: string) =>
      `${where} is laid out by another version of Hand Post (it has ${last} last). Start the same version here as at the desk. Nothing was changed.`,
    place: { is: where, choose: 'choose another by DATABASE_URL' },
    rolledBack: 'Something in this transaction failed, so nothing of it was written.',
    closed: 'The database was closed.',
    noCopy: `${where} is copied by its own tools (pg_dump), and not from here. Copy the data folder behind it: files, and the key apart.`,
  }
}
