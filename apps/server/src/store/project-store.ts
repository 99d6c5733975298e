import { setImmediate as breath } from 'node:timers/promises';
import type { Knex } from 'knex';
import {
  arrivalChecks,
  FreeNames,
  HelkError,
  kindOf,
  type AnyHandle,
  type Check,
  type DatasetInfo,
  type DatasetKind,
  type Figures,
  type Note,
  type Problem,
  type Progress,
} from '@helk/core';
import type { ApiDataset, ApiRun } from '@helk/core/api/schemas';
import { newId, now } from './ids';
import { piecesOf } from './pieces';

export interface RunRow {
  id: string;
  method: string;
  version: number;
  title: string;
  inputs: string;
  params: string;
  seed: number;
  systems: string;
  state: ApiRun['state'];
  figures: string;
  notes: string;
  variant_of: string | null;
  problem: string | null;
  created_at: string;
  started_at: string | null;
  ended_at: string | null;
  steps: string;
  made: string;
  of_table: string | null;
  /** What its results are to be called, where that was said. */
  naming: string | null;
}

export interface DatasetRow {
  id: string;
  position: number;
  state: 'staged' | 'ready' | 'removed';
  kind: DatasetKind;
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
  /** JSON, of the shape of its kind. */
  look: string | null;
  /** JSON, by the name of the work. */
  drafts: string | null;
  step: string | null;
  replaced_by: string | null;
  revision: number;
  removed_at?: string | null;
}

export function toRun(r: RunRow, outputs: string[]): ApiRun {
  return {
    id: r.id,
    method: r.method,
    version: r.version,
    title: r.title,
    inputs: JSON.parse(r.inputs) as Record<string, string[]>,
    params: JSON.parse(r.params) as Record<string, unknown>,
    seed: r.seed,
    systems: JSON.parse(r.systems) as Record<string, string | null>,
    state: r.state,
    progress: r.state === 'done' ? 1 : 0,
    stage: '',
    figures: JSON.parse(r.figures) as Figures,
    notes: JSON.parse(r.notes) as Note[],
    outputs,
    made: JSON.parse(r.made) as ApiRun['made'],
    steps: JSON.parse(r.steps) as ApiRun['steps'],
    table: r.of_table ? (JSON.parse(r.of_table) as ApiRun['table']) : null,
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
    step: r.step,
    replacedBy: r.replaced_by,
    batch: r.batch,
    thread: r.thread,
    source: r.source ? (JSON.parse(r.source) as ApiDataset['source']) : null,
    checks: [...notes, ...arrivalChecks(info)],
    look: lookOf(r),
    createdAt: r.created_at,
    revision: r.revision,
  };
}

/** How a dataset is drawn; one that does not fit its kind, or is none, is as if there were none. */
function lookOf(r: DatasetRow): ApiDataset['look'] {
  if (!r.look) return null;
  try {
    const parsed = kindOf({ kind: r.kind }).lookShape?.safeParse(JSON.parse(r.look));
    return parsed?.success ? (parsed.data as ApiDataset['look']) : null;
  } catch {
    return null;
  }
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
  const byRun = new Map<string, string[]>();
  for (const d of made) byRun.set(d.run_id, [...(byRun.get(d.run_id) ?? []), d.id]);
  return rows.map((r) => toRun(r, byRun.get(r.id) ?? []));
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

/** A dataset as it lies in the project, to be read whole or in parts. */
export async function openDataset(
  db: Knex,
  id: string,
): Promise<{ row: DatasetRow; info: DatasetInfo; handle: AnyHandle }> {
  const row = await getDatasetRow(db, id);
  const info = await wholeInfo(db, row);
  return { row, info, handle: kindOf(info).open(info, piecesOf(db, id)) };
}

/** Everything that is known of a dataset, also what listings leave out. */
export async function wholeInfo(db: Knex, row: DatasetRow): Promise<DatasetInfo> {
  const info = JSON.parse(row.info) as DatasetInfo;
  return kindOf(info).join(info, await detailOf(db, row.id));
}

/** What only those need who look closer at a dataset; null where there is nothing. */
export async function detailOf(db: Knex, id: string): Promise<unknown> {
  const found = (await db('details').where({ dataset_id: id }).first('detail')) as { detail: string } | undefined;
  return found ? (JSON.parse(found.detail) as unknown) : null;
}

export interface NewDataset {
  /** System given by hand in place of the file's. */
  crs?: string | undefined;
  name: string;
  kind: DatasetKind;
  runId: string | null;
  role: string | null;
  /** Of the recipe that makes it. */
  step?: string | null;
  batch: string | null;
  source: ApiDataset['source'];
}

/** Makes a dataset in the staging state, yet without its pieces: nobody sees it until it is published. */
export async function stage(db: Knex, d: NewDataset): Promise<string> {
  const id = newId();
  const last = (await db('datasets').max('position as p').first()) as { p: number | null };
  await db('datasets').insert({
    id,
    position: (last.p ?? 0) + 1,
    state: 'staged',
    kind: d.kind,
    name: await freeName(db, d.name),
    info: '{}',
    run_id: d.runId,
    role: d.role,
    step: d.step ?? null,
    batch: d.batch,
    source: d.source ? JSON.stringify(d.source) : null,
    notes: '[]',
    created_at: now(),
  });
  return id;
}

/** Describes a staged dataset when all its pieces are there. */
export async function describe(db: Knex, id: string, info: DatasetInfo, notes: Note[] = []): Promise<void> {
  const parts = kindOf(info).part(info);
  await db('datasets')
    .where({ id })
    .update({ info: JSON.stringify(parts.info), notes: JSON.stringify(notes) });
  await db('details').where({ dataset_id: id }).delete();
  if (parts.detail !== null) await db('details').insert({ dataset_id: id, detail: JSON.stringify(parts.detail) });
}

/**
 * Writes a dataset in the staging state.
 *
 * @param notes what there is to say about it; asked for when everything has been read
 */
export async function stageHandle(
  db: Knex,
  d: Omit<NewDataset, 'kind'>,
  handle: AnyHandle,
  progress: Progress,
  notes: () => Promise<Note[]> | Note[] = () => [],
): Promise<string> {
  const id = await stage(db, { ...d, kind: handle.kind });
  const kind = kindOf(handle);
  const info = await kind.pack(handle, piecesOf(db, id), progress);
  await describe(db, id, d.crs === undefined ? info : kind.give(info, { crs: d.crs }), await notes());
  return id;
}

/** The name, or the name with the first free number behind it. @param own id of the dataset that is to have it, where there is one */
export async function freeName(db: Knex, name: string, own = ''): Promise<string> {
  const taken = (await db('datasets')
    .whereNot({ state: 'removed' })
    .whereNot({ id: own })
    // Only names that begin alike can be in the way.
    .whereRaw('name >= ? AND name < ? || char(1114111)', [name, name])
    .select('name')) as { name: string }[];
  return new FreeNames(taken.map((r) => r.name)).take(name);
}

/** A run is at work from now on. */
export async function begin(db: Knex, runId: string): Promise<void> {
  await db('runs').where({ id: runId, state: 'queued' }).update({ state: 'running', started_at: now() });
}

/** Everything a run made becomes visible, and the run done, in one transaction. */
export async function publish(
  db: Knex,
  runId: string,
  datasets: string[],
  outcome: { params: Record<string, unknown>; figures: Figures; notes: Note[]; steps?: ApiRun['steps'] },
): Promise<void> {
  await db.transaction(async (t) => {
    const made: ApiRun['made'] = {};
    for (const id of datasets) {
      await t('datasets').where({ id }).update({ state: 'ready' });
      const d = (await t('datasets').where({ id }).first('role', 'step', 'name')) as DatasetRow;
      made[id] = { role: d.role ?? '', step: d.step, name: d.name };
    }
    // A run that has been ended meanwhile (by a restart of the server) stays ended.
    const done = await t('runs')
      .where({ id: runId })
      .whereIn('state', ['queued', 'running'])
      .update({
        state: 'done',
        params: JSON.stringify(outcome.params),
        figures: JSON.stringify(outcome.figures),
        notes: JSON.stringify(outcome.notes),
        steps: JSON.stringify(outcome.steps ?? []),
        made: JSON.stringify(made),
        ended_at: now(),
      });
    if (done !== 1) throw new HelkError('run.interrupted', 'The run had been ended; nothing was changed.');
  });
}

/** Rows removed between two breaths. */
const AT_ONCE = 32;

/** Removes staged datasets with all that is stored of them, a few rows at a time, so that the server goes on answering while gigabytes go. */
export async function discard(db: Knex, ids: readonly string[]): Promise<void> {
  for (const id of ids) {
    while (
      (await db('pieces')
        .whereIn('rowid', db('pieces').where({ dataset_id: id }).limit(AT_ONCE).select('rowid'))
        .delete()) === AT_ONCE
    )
      await breath();
    await db('datasets').where({ id, state: 'staged' }).delete();
  }
}

/** Removes what a run had staged, chunks included; of all runs where none is named. */
export async function discardStaged(db: Knex, runId: string | null): Promise<void> {
  const staged = db('datasets').where({ state: 'staged' }).select('id');
  const rows = (await (runId ? staged.where({ run_id: runId }) : staged)) as { id: string }[];
  await discard(
    db,
    rows.map((r) => r.id),
  );
}

export async function endRun(
  db: Knex,
  runId: string,
  state: 'failed' | 'cancelled' | 'interrupted',
  problem: Problem,
): Promise<void> {
  // What has been published stays done, however late a cancel comes.
  await db('runs')
    .where({ id: runId })
    .whereIn('state', ['queued', 'running'])
    .update({ state, problem: JSON.stringify(problem), ended_at: now() });
  await discardStaged(db, runId);
}

/** At start-up: unfinished runs are marked, staged data go. What was removed stays in the bin. */
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
  return open.length;
}
