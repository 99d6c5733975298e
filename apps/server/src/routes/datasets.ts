import { join } from 'node:path';
import type { Express, Response } from 'express';
import {
  arrivalChecks,
  displayUnit,
  HelkError,
  infoOf,
  parseCrs,
  systemOf,
  type ClassEntry,
  type DatasetInfo,
  type Features,
  type Note,
} from '@helk/core';
import { packBinary, unpackBinary } from '@helk/core/formats/binary';
import { WRITE_FORMATS, type WriteFormat } from '@helk/core/formats/write';
import { fromProblem } from '@helk/core';
import type { Context } from '../app';
import type { Project } from '../projects';
import { getDatasetRow, newId, readBlob, toDataset, type DatasetRow } from '../store/project-store';
import { cellType } from '../store/rasters';
import { download, receive } from './bytes';
import { hang } from './hang';

export function datasetRoutes(app: Express, { projects, runs, pool, config }: Context): void {
  hang(app, 'import', async ({ params, query, req }) => {
    const p = await projects.get(params['project']!);
    if (query.crs) parseCrs(query.crs);
    const upload = await receive(req, projects.uploads, config.maxUpload);
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
    if (runs.liveRuns(p).some((r) => Object.values(r.inputs).flat().includes(row.id))) {
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
      const { inflateSync } = await import('node:zlib');
      res.end(inflateSync(found.bytes));
    }
  });

  hang(app, 'features', async ({ params, res }) => {
    const p = await projects.get(params['project']!);
    const row = await getDatasetRow(p.db, params['dataset']!);
    if (row.kind === 'raster')
      throw new HelkError('request.invalid', 'A raster has no features; ask for its chunks.', 'dataset');
    res.setHeader('Content-Type', 'application/octet-stream');
    res.end(Buffer.from(await readBlob(p.db, row.id)));
  });

  const send = async (p: Project, ids: string[], format: string | null, name: string, res: Response): Promise<void> => {
    const target = join(projects.uploads, newId());
    const handle = pool.start({ kind: 'export', file: p.file, datasets: ids, format, target }, () => undefined);
    res.on('close', () => {
      if (!res.writableFinished) handle.cancel();
    });
    const result = await handle.done;
    if (!result.ok) throw fromProblem(result.problem);
    const f = WRITE_FORMATS[result.format as WriteFormat];
    await download(res, target, `${name}.${f.extension}`, f.mime);
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
      const f = unpackBinary(await readBlob(p.db, row.id)) as Features;
      f.crs = crs;
      await p.db.transaction(async (t) => {
        await t('blobs').where({ dataset_id: row.id }).delete();
        await t('blobs').insert({ dataset_id: row.id, part: 0, bytes: Buffer.from(packBinary(f)) });
      });
      return infoOf(f);
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
