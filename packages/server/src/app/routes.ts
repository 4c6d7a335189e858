import { type AccountParts, accountRoutes } from '../accounts/routes.ts'
import { type BackupParts, backupRoutes } from '../backup/routes.ts'
import { type DispatchParts, dispatchRoutes } from '../dispatch/routes.ts'
import { type EnclosureParts, enclosureRoutes } from '../enclosures/routes.ts'
import { fileRoutes } from '../files/routes.ts'
import type { Desk } from '../http/handle.ts'
import { type LetterParts, letterRoutes } from '../letter/routes.ts'
import { type MailboxParts, mailboxRoutes } from '../mailboxes/routes.ts'
import { type PaperParts, paperRoutes } from '../paper/routes.ts'
import { type BookParts, bookRoutes } from '../people/bookRoutes.ts'
import { type PeopleParts, peopleRoutes } from '../people/routes.ts'
import { type ProofParts, proofRoutes } from '../proof/routes.ts'
import { type RecordParts, recordRoutes } from '../record/routes.ts'
import type { RehearsalParts } from '../rehearsal/rehearsal.ts'
import { rehearsalRoutes } from '../rehearsal/routes.ts'
import { personRoutes } from '../responses/personRoutes.ts'
import { type ResponseParts, responseRoutes } from '../responses/routes.ts'
import { chaserRoutes } from '../rounds/chaserRoutes.ts'
import { companyRoutes } from '../rounds/companyRoutes.ts'
import { type RoundLetterParts, roundLetterRoutes } from '../rounds/letterRoutes.ts'
import { type RoundParts, roundRoutes } from '../rounds/routes.ts'
import { type DeskParts, deskRoutes, healthRoutes } from './deskRoutes.ts'
import { workRoutes } from './workRoutes.ts'

/** What the routes of all rooms need together. */
export type RouteParts = DeskParts &
  AccountParts &
  MailboxParts &
  PeopleParts &
  BookParts &
  LetterParts &
  RoundParts &
  RoundLetterParts &
  EnclosureParts &
  PaperParts &
  ProofParts &
  RehearsalParts &
  DispatchParts &
  ResponseParts &
  RecordParts &
  BackupParts

/**
 * Registers the routes of every room.
 * @param servesDesk whether this process serves the desk; else it tells only how it is.
 */
export function registerRoutes(desk: Desk, parts: RouteParts, servesDesk: boolean): void {
  healthRoutes(desk, parts)
  if (!servesDesk) return
  for (const register of [
    deskRoutes,
    workRoutes,
    accountRoutes,
    fileRoutes,
    mailboxRoutes,
    peopleRoutes,
    bookRoutes,
    letterRoutes,
    roundRoutes,
    chaserRoutes,
    roundLetterRoutes,
    companyRoutes,
    enclosureRoutes,
    paperRoutes,
    proofRoutes,
    dispatchRoutes,
    rehearsalRoutes,
    responseRoutes,
    personRoutes,
    recordRoutes,
    backupRoutes,
  ])
    register(desk, parts)
}
