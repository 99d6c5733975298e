import type { Express } from 'express';
import { HelkError } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import type { Context } from '../context';
import type { Project } from '../projects';
import { binOf, emptyBin, foundIn, setState } from '../store/bin';
import { listFindings } from '../store/findings';
import { getDatasetRow, listDatasets, toDataset } from '../store/project-store';
import { listRecipes } from '../store/recipes';
import { listTables } from '../store/run-tables';
import { backgrounds, palettes, reports, sheets } from '../store/written';
import { hang } from './hang';

/** What tells everybody of rows of a table that are there again. */
const TELL: Record<string, (p: Project, ids: ReadonlySet<string>) => Promise<void>> = {
  datasets: async (p, ids) =>
    p.send({ type: 'datasets', datasets: (await listDatasets(p.db)).filter((x) => ids.has(x.id)) }),
  recipes: async (p, ids) =>
    p.send({ type: 'recipes', recipes: (await listRecipes(p.db)).filter((x) => ids.has(x.id)) }),
  run_tables: async (p, ids) =>
    p.send({ type: 'tables', tables: (await listTables(p.db)).filter((x) => ids.has(x.id)) }),
  findings: async (p, ids) =>
    p.send({ type: 'findings', findings: (await listFindings(p.db)).filter((x) => ids.has(x.id)) }),
  sheets: async (p, ids) => p.send({ type: 'sheets', sheets: (await sheets.list(p.db)).filter((x) => ids.has(x.id)) }),
  reports: async (p, ids) =>
    p.send({ type: 'reports', reports: (await reports.list(p.db)).filter((x) => ids.has(x.id)) }),
  palettes: async (p, ids) =>
    p.send({ type: 'palettes', palettes: (await palettes.list(p.db)).filter((x) => ids.has(x.id)) }),
  backgrounds: async (p, ids) =>
    p.send({ type: 'backgrounds', backgrounds: (await backgrounds.list(p.db)).filter((x) => ids.has(x.id)) }),
};

/** What was removed: it lies in the bin until somebody empties that. */
export function binRoutes(app: Express, { projects, runs }: Context): void {
  const of = (params: Record<string, string>): Promise<Project> => projects.get(params['project']!);
  const remove = async (p: Project, ids: readonly string[]): Promise<void> => {
    const rows = await Promise.all(ids.map((id) => getDatasetRow(p.db, id)));
    const live = runs.liveRuns(p).filter((r) => r.state === 'queued' || r.state === 'running');
    const read = new Set(live.flatMap((r) => datasetsIn(r.inputs)));
    const used = rows.find((r) => read.has(r.id));
    if (used)
      throw new HelkError(
        'dataset.inUse',
        `"${used.name}" is being read by a run; wait for it or cancel it.${rows.length > 1 ? ' Nothing was removed.' : ''}`,
        'dataset',
      );
    await p.db.transaction(async (t) => {
      for (const id of ids) await setState(t, 'datasets', id, 'removed');
    });
    await p.binned(ids, false);
  };

  hang(app, 'deleteDataset', async ({ params }) => remove(await of(params), [params['dataset']!]));
  hang(app, 'removeDatasets', async ({ params, body }) => remove(await of(params), [...new Set(body.ids)]));
  hang(app, 'restoreDataset', async ({ params }) => {
    const p = await of(params);
    const row = await getDatasetRow(p.db, params['dataset']!, 'removed');
    await setState(p.db, 'datasets', row.id, 'ready');
    const dataset = toDataset(await getDatasetRow(p.db, row.id));
    p.send({ type: 'datasets', datasets: [dataset] });
    await p.binned([]);
    return dataset;
  });

  hang(app, 'bin', async ({ params }) => binOf((await of(params)).db));
  hang(app, 'bringBack', async ({ params, body }) => {
    const p = await of(params);
    const found = await foundIn(p.db, body.ids);
    if (!found.size) throw new HelkError('dataset.unknown', 'None of this lies in the bin any more.', 'ids');
    await p.db.transaction(async (t) => {
      for (const [table, ids] of found) for (const id of ids) await setState(t, table, id, 'ready');
    });
    for (const [table, ids] of found) await TELL[table]!(p, new Set(ids));
    await p.binned([]);
  });
  hang(app, 'emptyBin', async ({ params, body }) => {
    const p = await of(params);
    await emptyBin(p.db, body.ids);
    await p.binned([]);
  });
}
