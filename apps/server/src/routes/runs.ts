import type { Express } from 'express';
import { glanceOf } from '@helk/core/glance/registry';
import type { Context } from '../context';
import { getDatasetRow } from '../store/project-store';
import { hang } from './hang';
import { resultOf } from './waiting';

export function runRoutes(app: Express, { projects, runs, pool }: Context): void {
  hang(
    app,
    'forecast',
    async ({ params, body }) => (await runs.forecast(await projects.get(params['project']!), body)) as never,
  );
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
