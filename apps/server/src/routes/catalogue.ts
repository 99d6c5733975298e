import type { Express } from 'express';
import { describeMethod, methodOf, methods, parseCrs, searchCrs } from '@helk/core';
import { openApi } from '@helk/core/api/openapi';
import { VERSION } from '@helk/core/version';
import { hang } from './hang';

/** What does not depend on a project: methods, coordinate systems, the API's own description. */
export function catalogueRoutes(app: Express): void {
  hang(app, 'health', () => ({ ok: true, version: VERSION }));
  hang(app, 'openapi', () => openApi(VERSION));
  hang(app, 'methods', () => methods().map(describeMethod) as never);
  hang(app, 'method', ({ params }) => describeMethod(methodOf(params['method']!)) as never);
  hang(app, 'searchCrs', ({ query }) =>
    searchCrs(query.q, query.lon !== undefined && query.lat !== undefined ? [query.lon, query.lat] : null),
  );
  hang(app, 'crs', ({ params }) => parseCrs(params['code']!));
}
