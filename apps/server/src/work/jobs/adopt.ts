import { open } from 'node:fs/promises';
import type { Knex } from 'knex';
import { z } from 'zod';
import { featureCount, HelkError, tableRows, type DatasetInfo, type RasterInfo } from '@helk/core';
import { readInfo } from '@helk/core/api/info-schema';
import { NoteShape, ProblemDocument, Workbench } from '@helk/core/api/schemas';
import { unpackBinary } from '@helk/core/formats/binary';
import { APPLICATION_ID, openDatabase } from '../../store/database';
import { MIGRATIONS } from '../../store/migrations';
import { readBlob } from '../../store/project-store';
import { cellType, CHUNK, inflateChunk, levelsOf } from '../../store/rasters';
import { DatasetRowShape, ProjectRow, RunRowShape } from '../../store/rows';
import type { AdoptTask } from '../tasks';
import type { Hands } from './hands';

/** Tables of a project and Knex's own, which are made anew and never copied. */
const OURS = ['project', 'runs', 'datasets', 'raster_chunks', 'blobs'] as const;
const KNEX = ['knex_migrations', 'knex_migrations_lock', 'sqlite_sequence'];
const ID = /^[a-z0-9]{6,32}$/;

/** Values of the JSON columns, by the schemas that the API promises. */
const JSON_OF = {
  inputs: z.record(z.string(), z.array(z.string().regex(ID)).max(1000)),
  params: z.record(z.string(), z.unknown()),
  figures: z.record(z.string(), z.union([z.number(), z.string(), z.null()])),
  notes: z.array(NoteShape),
  problem: ProblemDocument.pick({ code: true, path: true }).extend({ message: z.string() }),
  source: z.looseObject({ file: z.string(), format: z.string(), bytes: z.number(), sha256: z.string() }),
  workbench: Workbench,
};

/**
 * Copies a saved project into an empty one of our own making. Nothing of its schema is taken over; every row, every JSON value, every
 * chunk and buffer is looked at first, so that whatever opens can be used.
 *
 * @throws HelkError `project.invalid` with what is wrong
 */
export async function adopt(task: AdoptTask, { progress }: Hands): Promise<{ outputs: string[] }> {
  const refuse = (why: string): never => {
    throw new HelkError('project.invalid', `"${task.name}" ${why}`, task.name);
  };
  await checkHead(task.upload, refuse);
  const db = openDatabase(task.target);
  try {
    try {
      await db.raw('ATTACH DATABASE ? AS given', [task.upload]);
      await checkSchema(db, refuse);
      progress(0.1, 'checking');
      await copy(db, task, refuse, progress);
    } catch (e) {
      if (e instanceof HelkError) throw e;
      if (/SQLITE_FULL|ENOSPC|memory/i.test(String(e))) throw e;
      refuse('is a damaged Helk project file.');
    }
  } finally {
    await db.destroy();
  }
  return { outputs: [] };
}

type Refuse = (why: string) => never;

async function checkHead(upload: string, refuse: Refuse): Promise<void> {
  const head = Buffer.alloc(100);
  const f = await open(upload);
  const { bytesRead } = await f.read(head, 0, 100, 0);
  await f.close();
  const sqlite = head.toString('latin1', 0, 15) === 'SQLite format 3';
  if (bytesRead < 100 || !sqlite || head.readUInt32BE(68) !== APPLICATION_ID) refuse('is not a Helk project file.');
}

interface Named {
  type: string;
  name: string;
  sql: string | null;
}

/** Only tables of ours, plain ones, with columns that are values. */
async function checkSchema(db: Knex, refuse: Refuse): Promise<void> {
  const check = (await db.raw('PRAGMA given.quick_check(1)')) as { quick_check: string }[];
  if (check[0]?.quick_check !== 'ok') refuse('is a damaged Helk project file.');
  const objects = (await db.raw('SELECT type, name, sql FROM given.sqlite_master')) as Named[];
  for (const o of objects) {
    const known = o.type === 'table' ? [...OURS, ...KNEX].includes(o.name) : o.type === 'index';
    if (!known || /^\s*create\s+virtual/i.test(o.sql ?? '')) refuse('holds tables that are not Helk’s.');
  }
  if (!objects.some((o) => o.name === 'knex_migrations')) refuse('does not say which Helk made it.');
  const steps = (await db.raw('SELECT name FROM given.knex_migrations')) as { name: unknown }[];
  if (steps.some((s) => !MIGRATIONS.some((m) => m.name === s.name)))
    refuse('was made by a newer Helk; update this one first.');
  for (const table of OURS) {
    if (!objects.some((o) => o.name === table)) refuse(`has no table of ${table.replace('_', ' ')}.`);
    const columns = await columnsOf(db, table, 'given');
    if (columns.some((c) => c.hidden !== 0)) refuse('holds columns that are computed.');
    const missing = (await columnsOf(db, table, 'main')).filter(
      (c) => c.needed && !columns.some((x) => x.name === c.name),
    );
    if (missing.length) refuse(`lacks ${missing.map((c) => c.name).join(', ')} in its table of ${table}.`);
  }
}

async function columnsOf(
  db: Knex,
  table: string,
  schema: 'given' | 'main',
): Promise<{ name: string; hidden: number; needed: boolean }[]> {
  const rows = (await db.raw(`PRAGMA ${schema}.table_xinfo(${table})`)) as {
    name: string;
    hidden: number;
    notnull: number;
    dflt_value: unknown;
    pk: number;
  }[];
  return rows.map((r) => ({
    name: r.name,
    hidden: r.hidden,
    needed: r.pk > 0 || (r.notnull === 1 && r.dflt_value === null),
  }));
}

/** Rows of a table as plain records with the columns that both files have. */
async function rowsOf(db: Knex, table: string): Promise<Record<string, unknown>[]> {
  const theirs = (await columnsOf(db, table, 'given')).map((c) => c.name);
  const shared = (await columnsOf(db, table, 'main')).map((c) => c.name).filter((n) => theirs.includes(n));
  return (await db.raw(`SELECT ${shared.map((n) => `"${n}"`).join(', ')} FROM given."${table}"`)) as Record<
    string,
    unknown
  >[];
}

async function copy(db: Knex, task: AdoptTask, refuse: Refuse, progress: Hands['progress']): Promise<void> {
  const [own, ...more] = await rowsOf(db, 'project');
  if (!own || more.length) refuse(own ? 'holds several projects.' : 'has no project in it.');
  const project = parse(ProjectRow, { workbench: null, ...own! }, 'the project', refuse);
  checkJson({ workbench: project.workbench }, 'the project', refuse);
  await db('project').update({ ...project, id: task.id });

  const runs = await rowsOf(db, 'runs');
  for (const raw of runs) {
    const run = parse(RunRowShape, raw, 'a run', refuse);
    const { inputs, params, figures, notes, problem } = run;
    checkJson({ inputs, params, figures, notes, problem }, `run ${run.id}`, refuse);
    await db('runs').insert(run);
  }
  const datasets = (await rowsOf(db, 'datasets')).map((raw) =>
    parse(DatasetRowShape, { thread: null, ...raw }, 'a dataset', refuse),
  );
  for (const [k, row] of datasets.entries()) {
    // What was not finished or had been removed is not carried along.
    if (row.state !== 'ready') continue;
    progress(0.1 + (0.9 * k) / datasets.length, 'checking datasets');
    const what = `dataset "${row.name.slice(0, 60)}"`;
    checkJson({ source: row.source, notes: row.notes }, what, refuse);
    const read = readInfo(parseJson(row.info, what, refuse));
    if ('why' in read) throw refuse(`is damaged: ${what}, ${read.why}.`);
    if (read.info.kind !== row.kind) refuse(`is damaged: ${what} is a ${read.info.kind} under another name.`);
    if (row.run_id !== null && !runs.some((r) => r['id'] === row.run_id))
      refuse(`is damaged: the run that made ${what} is not in it.`);
    await db('datasets').insert(row);
    if (read.info.kind === 'raster') await copyChunks(db, row.id, read.info, what, refuse, progress);
    else await copyBlob(db, row.id, read.info, what, refuse);
  }
}

function parse<T>(shape: z.ZodType<T>, raw: Record<string, unknown>, what: string, refuse: Refuse): T {
  const r = shape.safeParse(raw);
  if (r.success) return r.data;
  return refuse(`is damaged: ${r.error.issues[0]!.path.join('.')} of ${what} cannot be used.`);
}

function parseJson(text: string, what: string, refuse: Refuse): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return refuse(`is damaged: the description of ${what} is no JSON.`);
  }
}

function checkJson(values: Partial<Record<keyof typeof JSON_OF, string | null>>, what: string, refuse: Refuse): void {
  for (const [key, value] of Object.entries(values)) {
    if (value === null) continue;
    const r = JSON_OF[key as keyof typeof JSON_OF].safeParse(parseJson(value, what, refuse));
    if (!r.success) refuse(`is damaged: ${key} of ${what} cannot be used.`);
  }
}

/** Every chunk that the grid asks for, of exactly the size it should have, and no other. */
async function copyChunks(
  db: Knex,
  id: string,
  info: RasterInfo,
  what: string,
  refuse: Refuse,
  progress: Hands['progress'],
): Promise<void> {
  const damaged = (): never => refuse(`is damaged: cells of ${what} are missing or of the wrong size.`);
  const levels = levelsOf(info.grid);
  for (const [band, b] of info.bands.entries()) {
    const bytes = { float32: 4, float64: 8, int32: 4 }[cellType(b)];
    let width = info.grid.columns;
    let height = info.grid.rows;
    for (let level = 0; level <= levels; level++) {
      for (let row = 0; row * CHUNK < height; row++)
        for (let column = 0; column * CHUNK < width; column++) {
          progress(0.5, 'checking cells');
          const at = { dataset_id: id, band, level, column, row };
          const [chunk] = (await db.raw(
            'SELECT bytes FROM given.raster_chunks WHERE dataset_id = ? AND band = ? AND level = ? AND "column" = ? AND "row" = ?',
            Object.values(at),
          )) as { bytes: unknown }[];
          if (!(chunk?.bytes instanceof Uint8Array)) throw damaged();
          if (chunk.bytes.length) {
            const cells = Math.min(CHUNK, width - column * CHUNK) * Math.min(CHUNK, height - row * CHUNK);
            const raw = await inflateChunk(chunk.bytes).catch(damaged);
            if (raw.length !== cells * bytes) damaged();
          }
          await db('raster_chunks').insert({ ...at, bytes: chunk.bytes });
        }
      width = Math.ceil(width / 2);
      height = Math.ceil(height / 2);
    }
  }
}

async function copyBlob(
  db: Knex,
  id: string,
  info: Exclude<DatasetInfo, RasterInfo>,
  what: string,
  refuse: Refuse,
): Promise<void> {
  await db.raw('INSERT INTO blobs SELECT dataset_id, part, bytes FROM given.blobs WHERE dataset_id = ?', [id]);
  try {
    const data = unpackBinary(await readBlob(db, id));
    const count = data.kind === 'features' ? featureCount(data) : tableRows(data);
    const columns = data.columns.map((c) => c.name).join('\n') === info.columns.map((c) => c.name).join('\n');
    if (data.kind !== info.kind || count !== (info.kind === 'table' ? info.rows : info.count) || !columns)
      throw new HelkError('file.damaged', 'Its columns and rows are others.');
  } catch (e) {
    if (!(e instanceof HelkError)) throw e;
    refuse(`is damaged: what is stored of ${what} cannot be used. ${e.message}`);
  }
}
