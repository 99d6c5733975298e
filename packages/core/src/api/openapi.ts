import * as z from 'zod';
import { ROUTES, type RouteSpec } from './routes';
import { ProblemDocument } from './schemas';

/** The OpenAPI 3.1 document of the HTTP API, made of the same schemas that check requests. */
export function openApi(version: string): Record<string, unknown> {
  const paths: Record<string, Record<string, unknown>> = {};
  const json = (schema: z.ZodType, io: 'input' | 'output'): Record<string, unknown> => {
    const { $schema: _drop, ...rest } = z.toJSONSchema(schema, { io, unrepresentable: 'any' }) as Record<
      string,
      unknown
    >;
    return rest;
  };
  for (const [id, route] of Object.entries(ROUTES) as [string, RouteSpec][]) {
    const path = route.path.replace(/:(\w+)/g, '{$1}');
    const parameters: Record<string, unknown>[] = [...route.path.matchAll(/:(\w+)/g)].map((m) => ({
      name: m[1],
      in: 'path',
      required: true,
      schema: { type: 'string' },
    }));
    if (route.query) {
      for (const [name, schema] of Object.entries(route.query.shape)) {
        parameters.push({
          name,
          in: 'query',
          required: !(schema as z.ZodType).safeParse(undefined).success,
          schema: json(schema as z.ZodType, 'input'),
        });
      }
    }
    const content =
      route.response === 'bytes'
        ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
        : route.response === 'events'
          ? { 'text/event-stream': { schema: { type: 'string' } } }
          : route.response
            ? { 'application/json': { schema: json(route.response, 'output') } }
            : undefined;
    paths[path] = {
      ...paths[path],
      [route.verb]: {
        operationId: id,
        summary: route.summary,
        parameters,
        ...(route.body
          ? {
              requestBody: {
                required: true,
                content:
                  route.body === 'bytes'
                    ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
                    : { 'application/json': { schema: json(route.body, 'input') } },
              },
            }
          : {}),
        responses: {
          [route.status]: { description: 'Done', ...(content ? { content } : {}) },
          default: {
            description: 'Refused or failed (RFC 9457)',
            content: { 'application/problem+json': { schema: json(ProblemDocument, 'output') } },
          },
        },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Helk', version, description: 'A workbench for spatial analysis.' },
    paths,
  };
}
