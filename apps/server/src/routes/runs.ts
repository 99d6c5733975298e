import type { Express } from 'express';
import { toProblem } from '@helk/core';
import { glanceOf } from '@helk/core/glance/registry';
import type { Context } from '../context';
import { getDatasetRow } from '../store/project-store';
import { hang } from './hang';
import { resultOf } from './waiting';

/** What is wrong of a draft because it is one. */
const UNFINISHED = new Set(['method.parameter', 'method.input', 'crs.unknown', 'recipe.invalid', 'request.invalid']);

export function runRoutes(app: Express, { projects, runs, pool }: Context): void {
  hang(app, 'forecast', async ({ params, body: { draft, ...run } }) => {
    const p = await projects.get(params['project']!);
    try {
      return (await runs.forecast(p, run)) as never;
    } catch (e) {
      const refused = toProblem(e);
      if (!draft || !UNFINISHED.has(refused.code)) throw e;
      return { checks: [], suggestions: {}, estimate: null, plain: {}, refused };
    }
  });
  hang(app, 'glance', async ({ params, body, res }) => {
    const p = await projects.get(params['project']!);
    const glance = glanceOf(params['glance']!).id;
    for (const id of Object.values(body.inputs)) await getDatasetRow(p.db, id);
    const task = { kind: 'glance', file: p.file, glance, ...body } as const;
    return { answer: (await resultOf(pool.start(task), res)).answer };
  });
  hang(app, 'startRun', async ({ params, body }) => runs.start(await projects.get(params['project']!), body));
  hang(app, 'run', async ({ params }) => runs.current(await projects.get(params['project']!), params['run']!));
  hang(app, 'cancelRun', async ({ params }) => runs.cancel(await projects.get(params['project']!), params['run']!));
}
