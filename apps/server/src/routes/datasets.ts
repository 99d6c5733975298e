import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Express, Response } from 'express';
import { displayUnit, HelkError, kindOf, parseCrs, systemOf, type DatasetInfo, type Note } from '@helk/core';
import { datasetsIn } from '@helk/core/api/refs';
import { WHOLE } from '@helk/core/data/whole-store';
import { WRITE_FORMATS, type WriteFormat } from '@helk/core/formats/write-formats';
import type { ApiRun } from '@helk/core/api/schemas';
import type { Context } from '../app';
import type { Project } from '../projects';
import { piecesInOrder, piecesOf } from '../store/pieces';
import { detailOf, getDatasetRow, toDataset, type DatasetRow } from '../store/project-store';
import { download, receive } from './bytes';
import { hang } from './hang';
import { resultOf } from './waiting';

export function datasetRoutes(app: Express, { projects, runs, temp, config }: Context): void {
  hang(app, 'import', async ({ params, query, req }) => {
    const p = await projects.get(params['project']!);
    if (query.crs) parseCrs(query.crs);
    const upload = await receive(req, temp, config.maxUpload);
    return runs.takeIn(p, upload, { name: query.name, batch: query.batch ?? null, crs: query.crs ?? null });
  });

  hang(app, 'patchDataset', async ({ params, body }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    const changes: Partial<DatasetRow> = {};
    if (body.name !== undefined) changes.name = body.name;
    if (body.note !== undefined) changes.note = body.note;
    if (body.thread !== undefined) changes.thread = body.thread || null;
    const { crs, unit, classes } = body;
    if (crs !== undefined || unit !== undefined || classes) {
      const info = JSON.parse(row.info) as DatasetInfo;
      const given = kindOf(info).give(info, { crs, unit, classes });
      changes.info = JSON.stringify(given);
      changes.notes = JSON.stringify(notesAfter(row, body, given));
    }
    if (Object.keys(changes).length) await p.db('datasets').where({ id: row.id }).update(changes);
    const dataset = toDataset(await getDatasetRow(p.db, row.id));
    p.send({ type: 'datasets', datasets: [dataset] });
    return dataset;
  });

  hang(app, 'deleteDataset', async ({ params }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    const reads = (r: ApiRun): boolean =>
      (r.state === 'queued' || r.state === 'running') && datasetsIn(r.inputs).includes(row.id);
    if (runs.liveRuns(p).some(reads)) {
      throw new HelkError(
        'dataset.inUse',
        `"${row.name}" is being read by a run; wait for it or cancel it.`,
        'dataset',
      );
    }
    await p.db('datasets').where({ id: row.id }).update({ state: 'removed' });
    p.send({ type: 'removed', ids: [row.id] });
  });

  hang(app, 'restoreDataset', async ({ params }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!, 'removed');
    await p.db('datasets').where({ id: row.id }).update({ state: 'ready' });
    const dataset = toDataset(await getDatasetRow(p.db, row.id));
    p.send({ type: 'datasets', datasets: [dataset] });
    return dataset;
  });

  // The stored bytes go out as they are: whoever reads them unpacks them, no thread here touches a cell.
  hang(app, 'piece', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    const [level, key] = [Number(params['level']), Number(params['key'])];
    const bytes = await piecesOf(p.db, params['dataset']!).get(params['array']!, level, key);
    if (!bytes) throw new HelkError('dataset.unknown', 'The dataset has no such piece.', 'dataset');
    // Pieces never change once a dataset is published.
    res.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    if (bytes.length === 0) {
      res.status(204).end();
      return;
    }
    res.setHeader('Content-Type', 'application/octet-stream');
    res.end(bytes);
  });

  hang(app, 'whole', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    const pieces = piecesInOrder(p.db, row.id, WHOLE);
    const first = await pieces.next();
    if (first.done)
      throw new HelkError(
        'request.invalid',
        `A ${kindOf({ kind: row.kind }).words.one} is not kept in one piece; ask for its pieces.`,
        'dataset',
      );
    res.setHeader('Content-Type', 'application/octet-stream');
    async function* all(): AsyncGenerator<Buffer> {
      yield first.value as Buffer;
      yield* pieces;
    }
    await pipeline(Readable.from(all()), res);
  });

  hang(app, 'detail', async ({ params }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    return { detail: await detailOf(p.db, row.id) };
  });

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

  hang(app, 'exportSeveral', async ({ params, query, res }) => {
    const p = await projects.get(params['project']!);
    const ids = [...new Set(query.datasets.split(',').filter(Boolean))];
    if (!ids.length) throw new HelkError('request.invalid', 'Name the datasets, apart by commas.', 'datasets');
    const rows = await Promise.all(ids.map((id) => getDatasetRow(p.db, id)));
    await send(p, ids, 'geopackage', rows.length > 1 ? 'results' : rows[0]!.name, res);
  });
}

/** Notes of the arrival that asked for a system are answered by one; what was given by hand is remembered. */
function notesAfter(
  row: DatasetRow,
  body: { crs?: string | undefined; unit?: string | undefined },
  info: DatasetInfo,
): Note[] {
  const notes = JSON.parse(row.notes) as Note[];
  const crs = systemOf(info);
  const given = (code: string, message: string): Note => ({ level: 'info', code, message });
  return [
    ...notes.filter((n) => body.crs === undefined || !/^crs\.(standard|names|unknown|given)$/.test(n.code)),
    ...(body.crs !== undefined && crs
      ? [given('crs.given', `The coordinate system was given by hand: ${crs.code ?? crs.name}.`)]
      : []),
    ...(body.unit !== undefined ? [given('unit.given', `The unit was given by hand: ${displayUnit(body.unit)}.`)] : []),
  ];
}
