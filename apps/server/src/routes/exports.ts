import type { Express, Response } from 'express';
import { HelkError } from '@helk/core';
import { WRITE_FORMATS, type WriteFormat } from '@helk/core/formats/write-formats';
import type { Context } from '../context';
import type { Project } from '../projects';
import { getDatasetRow, listDatasets } from '../store/project-store';
import { download } from './bytes';
import { hang } from './hang';
import { resultOf } from './waiting';

/** Datasets as files. */
export function exportRoutes(app: Express, { projects, temp }: Context): void {
  const send = async (p: Project, ids: string[], format: string | null, name: string, res: Response): Promise<void> => {
    await temp.use(async ({ path }) => {
      const task = { kind: 'export' as const, file: p.file, datasets: ids, format, target: path };
      const result = await resultOf(p.start(task), res);
      const f = WRITE_FORMATS[result.format as WriteFormat];
      await download(res, path, `${name}.${f.extension}`, f.mime);
    });
  };

  hang(app, 'export', async ({ params, query, res }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    await send(p, [row.id], query.format ?? null, row.name, res);
  });

  hang(app, 'packProject', async ({ params, query, res }) => {
    const p = await projects.get(params['project']!);
    const named = [...new Set(query.datasets.split(',').filter(Boolean))];
    for (const id of named) await getDatasetRow(p.db, id);
    const ids =
      query.of === 'named'
        ? named
        : (await listDatasets(p.db)).filter((d) => query.of === 'all' || d.source === null).map((d) => d.id);
    const { name } = await p.describe();
    await temp.use(async ({ path }) => {
      const task = { kind: 'pack' as const, file: p.file, datasets: ids, project: query.project, target: path };
      await resultOf(p.start(task), res);
      await download(res, path, `${name}.zip`, 'application/zip');
    });
  });

  hang(app, 'exportSeveral', async ({ params, query, res }) => {
    const p = await projects.get(params['project']!);
    const ids = [...new Set(query.datasets.split(',').filter(Boolean))];
    if (!ids.length) throw new HelkError('request.invalid', 'Name the datasets, apart by commas.', 'datasets');
    const rows = await Promise.all(ids.map((id) => getDatasetRow(p.db, id)));
    await send(p, ids, 'geopackage', rows.length > 1 ? 'results' : rows[0]!.name, res);
  });
}
