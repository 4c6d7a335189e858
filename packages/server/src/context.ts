import type { DeskEvent } from '@hand-post/contract'
import type { Logger } from 'pino'
import type { Clock } from './clock.ts'
import type { Compute } from './compute/compute.ts'
import type { OpenDatabase } from './db/open.ts'
import type { Dispatcher } from './dispatch/dispatcher.ts'
import type { Examiner } from './enclosures/examiner.ts'
import type { FileStore } from './enclosures/fileStore.ts'
import type { Fetches } from './responses/fetches.ts'
import type { InboxReader } from './responses/inboxReader.ts'
import type { Secrets } from './secrets.ts'
import type { Settings } from './settings.ts'

/** What the desk's handlers work with. */
export interface Context {
  settings: Settings
  db: OpenDatabase
  clock: Clock
  compute: Compute
  examiner: Examiner
  files: FileStore
  secrets: Secrets
  dispatcher: Dispatcher
  inbox: InboxReader
  fetches: Fetches
  /** Where files given to be read lie until they are stored as lists. */
  readingsFolder: string
  /** The public address as it stands in letters. */
  publicUrl: string
  tell: (event: DeskEvent) => void
  /** Calls back for every event; returns the way to end it. */
  onEvent: (hear: (event: DeskEvent) => void) => () => void
  log: Logger
}

/** How the round's own links are made, as it is handed to a thread. */
export const publicAddressOf = ({ publicUrl, secrets }: Context) => ({ url: publicUrl, signingKey: secrets.signingKey })
