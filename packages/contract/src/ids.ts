import { z } from 'zod'

/** The largest number that an id has (PostgreSQL's integer). */
export const largestId = 2_147_483_647
/** An id, as it stands in an address or a body. */
export const id = z.coerce.number().int().positive().max(largestId)
/** The parameters of a route about a round. */
export const ofRound = z.object({ round: id })
/** The parameters of a route about a person of a round. */
export const rowOfRound = z.object({ round: id, row: id })
