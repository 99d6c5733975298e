import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import {
  arrivalChecks,
  HelkError,
  infoOf,
  type Check,
  type Dataset,
  type DatasetInfo,
  type Features,
  type Figures,
  type Note,
  type Problem,
  type RasterInfo,
  type Table,
} from '@helk/core';
import type { ApiDataset, ApiRun } from '@helk/core/api/schemas';
import { packBinary, unpackBinary } from '@helk/core/formats/binary';
import { readRaster, writeRaster } from './rasters';

export interface RunRow {
  id: string;
  method: string;
  version: number;
  title: string;
  inputs: string;
  params: string;
  seed: number;
  state: ApiRun['state'];
  figures: string;
  notes: string;
  variant_of: string | null;
  problem: string | null;
  created_at: string;
  started_at: string | null;
  ended_at: string | null;
}

export interface DatasetRow {
  id: string;
  position: number;
  state: 'staged' | 'ready' | 'removed';
  kind: Dataset['kind'];
  name: string;
  note: string;
  info: string;
  run_id: string | null;
  role: string | null;
  batch: string | null;
  source: string | null;
  notes: string;
  created_at: string;
  thread: string | null;
}

/** A short random id: 10 characters of 36, about 51 bits. */
export function newId(): string {
  const b = randomBytes(10);
  return Array.from(b, (x) => (x % 36).toString(36)).join('');
}

export const now = (): string => new Date().toISOString();
const BLOB_PART = 64 * 2 ** 20;

export function toRun(r: RunRow, outputs: string[]): ApiRun {
  return {
    id: r.id,
    method: r.method,
    version: r.version,
    title: r.title,
    inputs: JSON.parse(r.inputs) as Record<string, string[]>,
    params: JSON.parse(r.params) as Record<string, unknown>,
    seed: r.seed,
    state: r.state,
    progress: r.state === 'done' ? 1 : 0,
    stage: '',
    figures: JSON.parse(r.figures) as Figures,
    notes: JSON.parse(r.notes) as Note[],
    outputs,
    variantOf: r.variant_of,
    problem: r.problem ? (JSON.parse(r.problem) as Problem) : null,
    createdAt: r.created_at,
    startedAt: r.started_at,
    endedAt: r.ended_at,
  };
}

export function toDataset(r: DatasetRow): ApiDataset {
  const info = JSON.parse(r.info) as DatasetInfo;
  const notes = (JSON.parse(r.notes) as Note[]).map((n): Check => ({
    level: n.level === 'info' ? 'fine' : n.level,
    code: n.code,
    message: n.message,
  }));
  return {
    id: r.id,
    name: r.name,
    note: r.note,
    kind: r.kind,
    info: info as unknown as ApiDataset['info'],
    runId: r.run_id,
    role: r.role,
    batch: r.batch,
    thread: r.thread,
    source: r.source ? (JSON.parse(r.source) as ApiDataset['source']) : null,
    checks: [...notes, ...arrivalChecks(info)],
    createdAt: r.created_at,
  };
}

export async function listDatasets(db: Knex): Promise<ApiDataset[]> {
  return ((await db('datasets').where({ state: 'ready' }).orderBy('position')) as DatasetRow[]).map(toDataset);
}

export async function listRuns(db: Knex): Promise<ApiRun[]> {
  const rows = (await db('runs').orderBy('created_at')) as RunRow[];
  const made = (await db('datasets')
    .whereNot({ state: 'staged' })
    .whereNotNull('run_id')
    .orderBy('position')
    .select('id', 'run_id')) as { id: string; run_id: string }[];
  return rows.map((r) =>
    toRun(
      r,
      made.filter((d) => d.run_id === r.id).map((d) => d.id),
    ),
  );
}

export async function getRun(db: Knex, id: string): Promise<ApiRun> {
  const row = (await db('runs').where({ id }).first()) as RunRow | undefined;
  if (!row) throw new HelkError('dataset.unknown', `There is no run "${id}" in this project.`, 'run');
  const made = (await db('datasets')
    .whereNot({ state: 'staged' })
    .where({ run_id: id })
    .orderBy('position')
    .select('id')) as { id: string }[];
  return toRun(
    row,
    made.map((d) => d.id),
  );
}

export async function getDatasetRow(db: Knex, id: string, state: DatasetRow['state'] = 'ready'): Promise<DatasetRow> {
  const row = (await db('datasets').where({ id, state }).first()) as DatasetRow | undefined;
  if (!row) throw new HelkError('dataset.unknown', `There is no dataset "${id}" in this project.`, 'dataset');
  return row;
}

/** Loads a dataset whole. */
export async function loadDataset(
  db: Knex,
  id: string,
  progress: (share: number, stage: string) => void,
): Promise<{ row: DatasetRow; info: DatasetInfo; data: Dataset }> {
  const row = await getDatasetRow(db, id);
  const info = JSON.parse(row.info) as DatasetInfo;
  const data =
    row.kind === 'raster'
      ? await readRaster(db, id, info as RasterInfo, progress)
      : unpackBinary(await readBlob(db, id));
  return { row, info, data };
}

export async function readBlob(db: Knex, id: string): Promise<Uint8Array> {
  const parts = (await db('blobs').where({ dataset_id: id }).orderBy('part').select('bytes')) as { bytes: Buffer }[];
  return new Uint8Array(Buffer.concat(parts.map((p) => p.bytes)));
}

export interface NewDataset {
  name: string;
  data: Dataset;
  runId: string | null;
  role: string | null;
  batch: string | null;
  source: ApiDataset['source'];
  notes: Note[];
}

/** Writes a dataset in the staging state: nobody sees it until it is published. */
export async function stageDataset(
  db: Knex,
  d: NewDataset,
  progress: (share: number, stage: string) => void,
): Promise<string> {
  const id = newId();
  const info = infoOf(d.data);
  if (info.kind === 'raster') {
    const bands = (d.data as { bands: { cells: unknown }[] }).bands;
    info.bands.forEach((b, i) =>
      Object.assign(b, { cellType: bands[i]!.cells instanceof Float64Array ? 'float64' : 'float32' }),
    );
  }
  const last = (await db('datasets').max('position as p').first()) as { p: number | null };
  await db('datasets').insert({
    id,
    position: (last.p ?? 0) + 1,
    state: 'staged',
    kind: d.data.kind,
    name: await freeName(db, d.name),
    info: JSON.stringify(info),
    run_id: d.runId,
    role: d.role,
    batch: d.batch,
    source: d.source ? JSON.stringify(d.source) : null,
    notes: JSON.stringify(d.notes),
    created_at: now(),
  });
  if (d.data.kind === 'raster') await writeRaster(db, id, d.data, progress);
  else {
    const bytes = packBinary(d.data as Features | Table);
    for (let part = 0; part * BLOB_PART < bytes.length; part++) {
      progress((part * BLOB_PART) / bytes.length, 'storing');
      await db('blobs').insert({
        dataset_id: id,
        part,
        bytes: Buffer.from(bytes.subarray(part * BLOB_PART, (part + 1) * BLOB_PART)),
      });
    }
  }
  return id;
}

/** The name, or the name with the first free number behind it. */
async function freeName(db: Knex, name: string): Promise<string> {
  const taken = new Set(
    ((await db('datasets').whereNot({ state: 'removed' }).select('name')) as { name: string }[]).map((r) => r.name),
  );
  if (!taken.has(name)) return name;
  for (let k = 2; ; k++) if (!taken.has(`${name} ${k}`)) return `${name} ${k}`;
}

/** Everything a run made becomes visible, and the run done, in one transaction. */
export async function publish(
  db: Knex,
  runId: string,
  datasets: string[],
  outcome: { params: Record<string, unknown>; figures: Figures; notes: Note[] },
): Promise<void> {
  await db.transaction(async (t) => {
    if (datasets.length) await t('datasets').whereIn('id', datasets).update({ state: 'ready' });
    await t('runs')
      .where({ id: runId })
      .update({
        state: 'done',
        params: JSON.stringify(outcome.params),
        figures: JSON.stringify(outcome.figures),
        notes: JSON.stringify(outcome.notes),
        ended_at: now(),
      });
  });
}

/** Removes what a run had staged, chunks included. */
export async function discardStaged(db: Knex, runId: string | null): Promise<void> {
  const staged = db('datasets').where({ state: 'staged' });
  await (runId ? staged.where({ run_id: runId }) : staged).delete();
}

export async function endRun(
  db: Knex,
  runId: string,
  state: 'failed' | 'cancelled' | 'interrupted',
  problem: Problem,
): Promise<void> {
  await discardStaged(db, runId);
  await db('runs')
    .where({ id: runId })
    .update({ state, problem: JSON.stringify(problem), ended_at: now() });
}

/** At start-up: unfinished runs are marked, staged and removed data go. */
export async function recover(db: Knex): Promise<number> {
  const open = (await db('runs').whereIn('state', ['queued', 'running']).select('id')) as { id: string }[];
  for (const { id } of open) {
    await endRun(db, id, 'interrupted', {
      code: 'run.interrupted',
      message: 'Helk stopped while this run was under way. Nothing was changed; it can be run again.',
      path: null,
    });
  }
  await discardStaged(db, null);
  await db('datasets').where({ state: 'removed' }).delete();
  return open.length;
}
