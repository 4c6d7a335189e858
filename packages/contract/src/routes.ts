import { bookRoutes } from './book.ts'
import { deskRoutes } from './desk.ts'
import { dispatchRoutes } from './dispatch.ts'
import { mailboxRoutes } from './mailboxes.ts'
import { peopleRoutes } from './people.ts'
import { readingRoutes } from './readings.ts'
import { rehearsalRoutes } from './rehearsal.ts'
import { responseRoutes } from './responses.ts'
import { roundRoutes } from './rounds.ts'
import { shelfRoutes } from './shelf.ts'

/** Every call of the API, by name. */
export const routes = {
  ...deskRoutes,
  ...readingRoutes,
  ...peopleRoutes,
  ...bookRoutes,
  ...roundRoutes,
  ...rehearsalRoutes,
  ...shelfRoutes,
  ...dispatchRoutes,
  ...responseRoutes,
  ...mailboxRoutes,
}
