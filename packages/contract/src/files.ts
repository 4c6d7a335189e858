import { z } from 'zod'
import { route } from './route.ts'

/** Contents of the store. */
export const fileRoutes = {
  fileContent: route({
    method: 'GET',
    path: '/api/files/:hash',
    wants: 'writer',
    summary: 'A stored file',
    params: z.object({ hash: z.string().regex(/^[0-9a-f]{64}$/) }),
    query: z.object({ name: z.string().max(300).optional() }),
    gives: 'application/octet-stream',
    answer: z.string(),
  }),
}
