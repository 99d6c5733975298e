import type { Express } from 'express';
import type { Context } from '../context';
import { hang } from './hang';

export function runRoutes(app: Express, { projects, runs }: Context): void {
  hang(
    app,
    'forecast',
    async ({ params, body }) => (await runs.forecast(await projects.get(params['project']!), body)) as never,
  );
  hang(app, 'startRun', async ({ params, body }) => runs.start(await projects.get(params['project']!), body));
  hang(app, 'run', async ({ params }) => runs.current(await projects.get(params['project']!), params['run']!));
  hang(app, 'cancelRun', async ({ params }) => runs.cancel(await projects.get(params['project']!), params['run']!));
}
