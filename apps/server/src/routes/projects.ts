import type { Express } from 'express';
import { parseCrs, systemText } from '@helk/core';
import type { Context } from '../context';
import { listDatasets, listRuns } from '../store/project-store';
import { listRecipes } from '../store/recipes';
import { listTables } from '../store/run-tables';
import { listFindings } from '../store/findings';
import { backgrounds, palettes, reports, sheets } from '../store/written';
import { download, receive } from './bytes';
import { hang } from './hang';
import { leaving, resultOf } from './waiting';

export function projectRoutes(app: Express, { projects, runs, temp, config }: Context): void {
  hang(app, 'projects', () => projects.list());
  hang(app, 'createProject', async ({ body }) => (await projects.create(body.name)).describe());
  hang(app, 'openProject', async ({ req, res, query }) => {
    const upload = await receive(req, temp, config.maxUpload * 8);
    try {
      return await (await projects.takeOver(upload.path, query.name, leaving(res))).describe();
    } finally {
      await upload.remove();
    }
  });
  hang(app, 'project', async ({ params }) => {
    const p = await projects.get(params['project']!);
    await projects.opened(p);
    await p.settle();
    const live = new Map(runs.liveRuns(p).map((r) => [r.id, r]));
    const stored = (await p.db('project').first('workbench')) as { workbench: string | null };
    return {
      project: await p.describe(),
      datasets: await listDatasets(p.db),
      runs: (await listRuns(p.db)).map((r) => live.get(r.id) ?? r),
      recipes: await listRecipes(p.db),
      tables: await listTables(p.db),
      findings: await listFindings(p.db),
      sheets: await sheets.list(p.db),
      reports: await reports.list(p.db),
      palettes: await palettes.list(p.db),
      backgrounds: await backgrounds.list(p.db),
      workbench: stored.workbench ? (JSON.parse(stored.workbench) as { version: 1 }) : null,
    };
  });
  hang(app, 'patchProject', async ({ params, body }) => {
    const p = await projects.get(params['project']!);
    if (body.crs !== undefined) body.crs = systemText(parseCrs(body.crs));
    if (Object.keys(body).length) await p.db('project').update(body);
    const project = await p.describe();
    p.send({ type: 'project', project });
    return project;
  });
  hang(app, 'deleteProject', async ({ params }) => {
    await projects.remove(params['project']!);
  });
  hang(app, 'saveProject', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    await temp.use(async ({ path }) => {
      await resultOf(p.start({ kind: 'save', file: p.file, target: path }), res);
      await download(res, path, `${(await p.describe()).name}.helk`, 'application/vnd.sqlite3');
    });
  });
  hang(app, 'saveWorkbench', async ({ params, body }) => {
    const p = await projects.get(params['project']!);
    await p.db('project').update({ workbench: JSON.stringify(body) });
  });
  hang(app, 'events', async ({ params, req, res }) => {
    const p = await projects.get(params['project']!);
    res.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', Connection: 'keep-alive' });
    res.write(': hello\n\n');
    p.listeners.add(res);
    const beat = setInterval(() => res.write(': still here\n\n'), 20_000);
    req.on('close', () => {
      clearInterval(beat);
      p.listeners.delete(res);
    });
  });
}
