import { createHash } from 'node:crypto';
import { readFile as readBytes, writeFile } from 'node:fs/promises';
import {
  HelkError,
  methodOf,
  parseCrs,
  runMethod,
  toProblem,
  type Dataset,
  type DatasetInfo,
  type Features,
} from '@helk/core';
import { applyChoices, readFile, reviewOf, type Layer, type ReviewRow } from '@helk/core/formats';
import { DEFAULT_FORMAT, writeDataset, writeGeoPackage, type WriteFormat } from '@helk/core/formats/write';
import { validityNotes } from '@helk/core/methods/features/validity';
import { columnsOfCollection, findCollection, openService } from '@helk/core/services/catalogue';
import { collect } from '@helk/core/services/collect';
import type { Get } from '@helk/core/services/get';
import { outgoing, setupNode } from '@helk/node';
import { makePortal } from '../portal/collections';
import { portalText } from '../portal/file';
import { openDatabase } from '../store/database';
import { getRun, loadDataset, now, publish, stageDataset } from '../store/project-store';
import type { ExportTask, ImportTask, ReviewTask, RunTask, ServiceTask, Task, TaskResult } from './tasks';
import { variantName } from './names';

setupNode();

type Db = ReturnType<typeof openDatabase>;
type Progress = (share: number, stage: string) => void;

/** One task of the pool. It opens the project itself and leaves it as it was unless it ends well. */
export default async function work(task: Task): Promise<TaskResult> {
  const flag = new Int32Array(task.cancel);
  let last = 0;
  const cancelled = (): boolean => Atomics.load(flag, 0) === 1;
  const progress: Progress = (share, stage) => {
    if (cancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
    const t = Date.now();
    if (t - last < 80) return;
    last = t;
    task.port.postMessage({ share, stage });
  };
  if (task.kind === 'portal') {
    try {
      await writeFile(task.target, portalText(await makePortal()));
      return { ok: true, outputs: [] };
    } catch (e) {
      return { ok: false, problem: toProblem(e) };
    } finally {
      task.port.close();
    }
  }
  const db = openDatabase(task.file);
  try {
    if (task.kind === 'service') return { ok: true, outputs: await fetchIn(db, task, progress, cancelled) };
    if (task.kind === 'run') return { ok: true, outputs: await run(db, task, progress, cancelled) };
    if (task.kind === 'import') return { ok: true, outputs: await take(db, task, progress) };
    if (task.kind === 'review') return { ok: true, outputs: [], review: await look(task, progress) };
    return { ok: true, outputs: [], format: await write(db, task, progress) };
  } catch (e) {
    return { ok: false, problem: toProblem(e) };
  } finally {
    await db.destroy();
    task.port.close();
  }
}

const slice =
  (p: Progress, from: number, to: number): Progress =>
  (share, stage) =>
    p(from + (to - from) * Math.min(1, Math.max(0, share)), stage);

async function run(db: Db, task: RunTask, progress: Progress, isCancelled: () => boolean): Promise<string[]> {
  const record = await getRun(db, task.runId);
  await db('runs').where({ id: task.runId }).update({ state: 'running', started_at: now() });
  const method = methodOf(record.method);
  const data: Record<string, Dataset[]> = {};
  const infos: Record<string, DatasetInfo[]> = {};
  const names: Record<string, string[]> = {};
  const all = Object.values(record.inputs).flat().length;
  let done = 0;
  for (const [role, ids] of Object.entries(record.inputs)) {
    for (const id of ids) {
      const d = await loadDataset(db, id, slice(progress, (0.12 * done) / all, (0.12 * ++done) / all));
      (data[role] ??= []).push(d.data);
      (infos[role] ??= []).push(d.info);
      (names[role] ??= []).push(d.row.name);
    }
  }
  const outcome = await runMethod(method, data, record.params, {
    infos,
    names,
    seed: record.seed,
    memoryLimit: task.memoryLimit,
    isCancelled,
    onProgress: slice(progress, 0.12, 0.75),
  });
  const sibling = record.variantOf ? await getRun(db, record.variantOf) : null;
  const staged: string[] = [];
  for (const [k, o] of outcome.outputs.entries()) {
    const p = slice(
      progress,
      0.75 + (0.25 * k) / outcome.outputs.length,
      0.75 + (0.25 * (k + 1)) / outcome.outputs.length,
    );
    const label = method.outputs[o.role]!.label;
    const own = method.named?.(names, record.params as never).slice(0, 200) ?? label;
    const name = sibling ? variantName(method, own, sibling.params, outcome.params) : own;
    staged.push(
      await stageDataset(
        db,
        { name, data: o.data, runId: task.runId, role: o.role, batch: null, source: null, notes: [] },
        p,
      ),
    );
  }
  if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
  await publish(db, task.runId, staged, outcome);
  return staged;
}

interface Reading {
  upload: string;
  name: string;
  crs: string | null;
  maxCells: number;
  maxUnpacked: number;
  choices?: ImportTask['choices'];
  steps?: Record<string, number>;
}

async function read(task: Reading, progress: Progress) {
  progress(0, 'reading');
  const bytes = new Uint8Array(await readBytes(task.upload));
  const steps = task.steps ?? stepsOf(task.choices);
  const { format, layers } = await readFile(task.name, bytes, {
    crs: task.crs ? parseCrs(task.crs) : null,
    maxCells: task.maxCells,
    maxUnpacked: task.maxUnpacked,
    progress: slice(progress, 0.02, 0.5),
    ...(task.choices ? { only: task.choices.map((c) => c.layer) } : {}),
    ...(steps ? { steps } : {}),
  });
  return { format, layers, bytes };
}

const stepsOf = (choices: ImportTask['choices'] | undefined): Record<string, number> | undefined =>
  choices ? Object.fromEntries(choices.map((c) => [c.layer, c.step ?? 0])) : undefined;

/** Reads a file and tells what is in it; nothing is stored. */
async function look(task: ReviewTask, progress: Progress): Promise<ReviewRow[]> {
  const { layers }: { layers: Layer[] } = await read(task, progress);
  return reviewOf(layers);
}

async function take(db: Db, task: ImportTask, progress: Progress): Promise<string[]> {
  await db('runs').where({ id: task.runId }).update({ state: 'running', started_at: now() });
  const { format, layers: found, bytes } = await read(task, progress);
  const layers = task.choices ? applyChoices(found, task.choices) : found;
  const sha256 = createHash('sha256').update(bytes).digest('hex');
  const staged: string[] = [];
  for (const [k, l] of layers.entries()) {
    const p = slice(progress, 0.5 + (0.5 * k) / layers.length, 0.5 + (0.5 * (k + 1)) / layers.length);
    const source = {
      file: task.name,
      format: format.id,
      bytes: bytes.length,
      sha256,
      ...(task.crs ? { crs: task.crs } : {}),
      ...(task.choices ? { choices: task.choices[k] } : {}),
    };
    const notes = l.data.kind === 'features' ? [...l.notes, ...(await validityNotes(l.data))] : l.notes;
    const batch = task.batch ?? (layers.length > 1 ? task.runId : null);
    staged.push(
      await stageDataset(db, { name: l.name, data: l.data, runId: task.runId, role: null, batch, source, notes }, p),
    );
  }
  await publish(db, task.runId, staged, { params: {}, figures: {}, notes: [] });
  return staged;
}

/** Takes features from a service; nothing is stored before the last page has come. */
async function fetchIn(db: Db, task: ServiceTask, progress: Progress, isCancelled: () => boolean): Promise<string[]> {
  await db('runs').where({ id: task.runId }).update({ state: 'running', started_at: now() });
  const abort = new AbortController();
  // Waiting for an answer hears no flag, so it is looked at beside.
  const watch = setInterval(() => isCancelled() && abort.abort(), 100);
  const hash = createHash('sha256');
  const ask = outgoing({ signal: abort.signal, token: task.token });
  const get: Get = async (url, accept) => {
    const a = await ask(url, accept);
    hash.update(a.text);
    return a;
  };
  try {
    progress(0, 'asking the service');
    const service = await openService(get, task.address);
    const collection = await findCollection(get, service, task.collection);
    const described = await columnsOfCollection(get, collection);
    const wish = { columns: task.columns, bbox: task.bbox, crs: task.crs ? parseCrs(task.crs) : null };
    const got = await collect(get, collection, described, wish, slice(progress, 0.02, 0.8));
    const source = {
      file: collection.items,
      format: 'OGC API - Features',
      bytes: got.size,
      sha256: hash.digest('hex'),
      service: service.title,
      collection: collection.id,
      askedIn: got.asked.code ?? 'CRS84',
      fetchedAt: now(),
      ...(task.columns ? { columns: task.columns } : {}),
      ...(task.bbox ? { bbox: task.bbox } : {}),
    };
    const staged: string[] = [];
    for (const [k, l] of got.layers.entries()) {
      const share = (i: number): number => 0.8 + (0.2 * i) / got.layers.length;
      const notes = [...l.notes, ...(await validityNotes(l.data as Features))];
      const name = task.name && got.layers.length === 1 ? task.name : l.name;
      staged.push(
        await stageDataset(
          db,
          { name, data: l.data, runId: task.runId, role: null, batch: null, source, notes },
          slice(progress, share(k), share(k + 1)),
        ),
      );
    }
    if (isCancelled()) throw new HelkError('run.cancelled', 'It was cancelled; nothing was changed.');
    await publish(db, task.runId, staged, { params: {}, figures: {}, notes: [] });
    return staged;
  } finally {
    clearInterval(watch);
  }
}

async function write(db: Db, task: ExportTask, progress: Progress): Promise<string> {
  const loaded = [];
  for (const [k, id] of task.datasets.entries())
    loaded.push(
      await loadDataset(
        db,
        id,
        slice(progress, (0.4 * k) / task.datasets.length, (0.4 * (k + 1)) / task.datasets.length),
      ),
    );
  const first = loaded[0]!;
  const format = (task.format ?? DEFAULT_FORMAT[first.data.kind]) as WriteFormat;
  const bytes =
    loaded.length > 1
      ? writeGeoPackage(
          loaded.map(({ row, data }) => {
            if (data.kind === 'raster')
              throw new HelkError(
                'export.unsupported',
                `"${row.name}" is a raster; a GeoPackage takes features and tables.`,
                'datasets',
              );
            return { name: row.name, data };
          }),
        )
      : await writeDataset(first.data, format, first.row.name, (s) => progress(0.4 + 0.6 * s, 'writing'));
  await writeFile(task.target, bytes);
  return loaded.length > 1 ? 'geopackage' : format;
}
