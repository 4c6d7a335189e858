import { z } from 'zod'
import { problemSchema, type Route } from './route.ts'
import { routes } from './routes.ts'

/** The OpenAPI 3.1 document of the desk's API, made from the same schemas that check it. */
export function openApiDocument(): object {
  const schema = (type: z.ZodType, io: 'input' | 'output') => {
    const { $schema: _, ...rest } = z.toJSONSchema(type, { io, unrepresentable: 'any' }) as Record<string, unknown>
    return rest
  }
  const paths: Record<string, Record<string, object>> = {}
  for (const [name, r] of Object.entries(routes) as [string, Route][]) {
    const parameters = (['path', 'query'] as const).flatMap((where) => {
      const described = schema(where === 'path' ? r.params : r.query, 'input') as {
        properties?: Record<string, object>
        required?: string[]
      }
      return Object.entries(described.properties ?? {}).map(([key, value]) => ({
        name: key,
        in: where,
        required: where === 'path' || (described.required ?? []).includes(key),
        schema: value,
      }))
    })
    const body = schema(r.body, 'input') as { properties?: object }
    const hasBody = r.takesFile || (r.method !== 'GET' && Object.keys(body.properties ?? {}).length > 0)
    const path = r.path.replace(/:(\w+)/g, '{$1}')
    paths[path] ??= {}
    paths[path][r.method.toLowerCase()] = {
      operationId: name,
      summary: r.summary,
      ...(parameters.length > 0 ? { parameters } : {}),
      ...(hasBody
        ? {
            requestBody: {
              required: true,
              content: r.takesFile
                ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
                : { 'application/json': { schema: body } },
            },
          }
        : {}),
      responses: {
        200: {
          description: 'Done',
          content: { [r.gives ?? 'application/json']: { schema: schema(r.answer, 'output') } },
        },
        default: {
          description: 'Problem details (RFC 9457)',
          content: { 'application/problem+json': { schema: schema(problemSchema, 'output') } },
        },
      },
    }
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Hand Post',
      version: '0.1.0',
      description: 'The desk: everything the interface does goes through these calls.',
    },
    paths,
  }
}
