import express, { type Express, type Request, type Response } from 'express';
import type { z } from 'zod';
import { HelkError } from '@helk/core';
import { ROUTES, type RouteName, type RouteSpec } from '@helk/core/api/routes';

type Routes = typeof ROUTES;
type Body<K extends RouteName> = Routes[K] extends { body: infer B }
  ? B extends z.ZodType
    ? z.output<B>
    : undefined
  : undefined;
type Query<K extends RouteName> = Routes[K] extends { query: infer Q }
  ? Q extends z.ZodType
    ? z.output<Q>
    : undefined
  : undefined;
type Answer<K extends RouteName> = Routes[K] extends { response: infer R }
  ? R extends z.ZodType
    ? z.input<R>
    : void
  : void;

export interface Call<K extends RouteName> {
  params: Record<string, string>;
  query: Query<K>;
  body: Body<K>;
  req: Request;
  res: Response;
}

/** A name that sets what an object is made of is no name of anything. */
const plainNames = (key: string, value: unknown): unknown => {
  if (key === '__proto__') throw new SyntaxError('A name that cannot be one.');
  return value;
};

const json = express.json({ limit: '4mb', reviver: plainNames });

/**
 * Hangs a handler on a route of the shared list: query and body are checked by its schemas first; what it returns is sent as
 * JSON with the route's status, unless the route sends bytes or events itself.
 */
export function hang<K extends RouteName>(
  app: Express,
  name: K,
  handler: (call: Call<K>) => Promise<Answer<K>> | Answer<K>,
): void {
  const route: RouteSpec = ROUTES[name];
  const read = <T>(schema: z.ZodType<T>, value: unknown, what: string): T => {
    const r = schema.safeParse(value ?? {});
    if (r.success) return r.data;
    const issue = r.error.issues[0]!;
    const at = issue.path.join('.');
    throw new HelkError('request.invalid', `${what}${at ? ` ${at}` : ''}: ${issue.message}`, at || null);
  };
  app[route.verb](
    route.path,
    ...(route.body && route.body !== 'bytes' ? [json] : []),
    async (req: Request, res: Response) => {
      const call = {
        params: req.params as Record<string, string>,
        query: (route.query ? read(route.query, req.query, 'Query') : undefined) as Query<K>,
        body: (route.body && route.body !== 'bytes' ? read(route.body, req.body, 'Body') : undefined) as Body<K>,
        req,
        res,
      };
      const answer = await handler(call);
      if (res.headersSent || route.response === 'bytes' || route.response === 'events') return;
      if (route.status === 204) res.status(204).end();
      else res.status(route.status).json(answer);
    },
  );
}
