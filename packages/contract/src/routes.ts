import { accountRoutes } from './accounts.ts'
import { answerRoutes } from './answers.ts'
import { backupRoutes } from './backup.ts'
import { bookRoutes } from './book.ts'
import { companyRoutes } from './company.ts'
import { deskRoutes } from './desk.ts'
import { dispatchRoutes } from './dispatch.ts'
import { enclosureRoutes } from './enclosures.ts'
import { fileRoutes } from './files.ts'
import { letterRoutes } from './letter.ts'
import { mailboxRoutes } from './mailboxes.ts'
import { paperRoutes } from './paper.ts'
import { peopleRoutes } from './people.ts'
import { proofRoutes } from './proof.ts'
import { readingRoutes } from './readings.ts'
import { recordRoutes } from './record.ts'
import { rehearsalRoutes } from './rehearsal.ts'
import { responseRoutes } from './responses.ts'
import { returnedFileRoutes } from './returnedFiles.ts'
import { roundRoutes } from './rounds.ts'
import { workRoutes } from './works.ts'

/** Every call of the API, by name. */
export const routes = {
  ...deskRoutes,
  ...workRoutes,
  ...accountRoutes,
  ...readingRoutes,
  ...peopleRoutes,
  ...bookRoutes,
  ...roundRoutes,
  ...companyRoutes,
  ...enclosureRoutes,
  ...paperRoutes,
  ...proofRoutes,
  ...fileRoutes,
  ...rehearsalRoutes,
  ...letterRoutes,
  ...dispatchRoutes,
  ...responseRoutes,
  ...returnedFileRoutes,
  ...answerRoutes,
  ...recordRoutes,
  ...backupRoutes,
  ...mailboxRoutes,
}
