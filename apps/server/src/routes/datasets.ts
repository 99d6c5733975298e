import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Express, Response } from 'express';
import {
  arrivalChecks,
  displayUnit,
  fromProblem,
  HelkError,
  parseCrs,
  systemOf,
  type ClassEntry,
  type DatasetInfo,
  type Note,
} from '@helk/core';
import { WRITE_FORMATS, type WriteFormat } from '@helk/core/formats/write';
import type { ApiRun } from '@helk/core/api/schemas';
import type { Context } from '../app';
import type { Project } from '../projects';
import { blobParts, getDatasetRow, toDataset, type DatasetRow } from '../store/project-store';
import { cellType, inflateChunk } from '../store/rasters';
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
    if (body.crs !== undefined || body.unit !== undefined || body.classes) {
      const info = await completed(p, row, body);
      changes.info = JSON.stringify(info);
      changes.notes = JSON.stringify(notesAfter(row, body, info));
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
      (r.state === 'queued' || r.state === 'running') && Object.values(r.inputs).flat().includes(row.id);
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

  // The stored bytes go out as they are: the browser inflates them, no thread here touches a cell.
  hang(app, 'chunk', async ({ params, req, res }) => {
    const p = await projects.get(params['project']!);
    const [band, level, column, row] = ['band', 'level', 'column', 'row'].map((k) => Number(params[k]));
    const found = (await p
      .db('raster_chunks')
      .where({ dataset_id: params['dataset']!, band, level, column, row })
      .first('bytes')) as { bytes: Buffer } | undefined;
    if (!found) throw new HelkError('dataset.unknown', 'There is no such chunk of cells.', 'dataset');
    const d = await getDatasetRow(p.db, params['dataset']!);
    const info = JSON.parse(d.info) as Extract<DatasetInfo, { kind: 'raster' }>;
    // Cells never change once a dataset is published.
    res.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    res.setHeader('X-Helk-Cells', cellType(info.bands[band!]!));
    if (found.bytes.length === 0) {
      res.status(204).end();
      return;
    }
    res.setHeader('Content-Type', 'application/octet-stream');
    if (/\bdeflate\b/.test(String(req.headers['accept-encoding'] ?? ''))) {
      res.setHeader('Content-Encoding', 'deflate');
      res.end(found.bytes);
    } else {
      res.end(await inflateChunk(found.bytes));
    }
  });

  hang(app, 'features', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    if (row.kind === 'raster')
      throw new HelkError('request.invalid', 'A raster has no features; ask for its chunks.', 'dataset');
    res.setHeader('Content-Type', 'application/octet-stream');
    await pipeline(Readable.from(blobParts(p.db, row.id)), res);
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

/** The info of a dataset with a system or unit it lacked; what is known is not overwritten, but for a system that cannot be the data's. */
async function completed(
  p: Project,
  row: DatasetRow,
  body: { crs?: string | undefined; unit?: string | undefined; classes?: ClassEntry[] | undefined },
): Promise<DatasetInfo> {
  const info = JSON.parse(row.info) as DatasetInfo;
  const known = (what: string): never => {
    throw new HelkError('request.invalid', `The dataset has a ${what} already; use a method to change it.`, what);
  };
  if (body.crs !== undefined) {
    const crs = parseCrs(body.crs);
    const wrong = arrivalChecks(info).some((c) => c.code === 'crs.implausible');
    if (info.kind === 'raster') {
      if (info.grid.crs && !wrong) known('coordinate system');
      info.grid.crs = crs;
    } else if (info.kind === 'features') {
      if (info.crs && !wrong) known('coordinate system');
      // The stored buffer holds the system too; it is written anew where nobody waits for it.
      const task = { kind: 'system' as const, file: p.file, dataset: row.id, crs: body.crs };
      const result = await p.start(task).done;
      if (!result.ok) throw fromProblem(result.problem);
      return JSON.parse((await getDatasetRow(p.db, row.id)).info) as DatasetInfo;
    }
  }
  if (body.unit !== undefined && info.kind === 'raster') {
    for (const b of info.bands) {
      if (b.unit) known('unit');
      b.unit = body.unit;
    }
  }
  if (body.classes) {
    const band = info.kind === 'raster' ? info.bands[0]! : undefined;
    if (band?.kind !== 'category')
      throw new HelkError('request.invalid', 'Only a raster of classes has class names and colours.', 'classes');
    band.classes = body.classes;
  }
  return info;
}
