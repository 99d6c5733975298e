import { open } from 'node:fs/promises';
import type { Knex } from 'knex';
import * as z from 'zod';
import { HelkError, isKind, kindOf, type DatasetInfo } from '@helk/core';
import { REF } from '@helk/core/api/refs';
import { NoteShape, OfTable, ProblemDocument, RunShape, StepDoneShape, Workbench } from '@helk/core/api/schemas';
import { TableBody } from '@helk/core/api/recipe-schemas';
import { RecipeShape } from '@helk/core/recipe/shape';
import { FindingBody } from '@helk/core/sheet/finding';
import { BackgroundShape } from '@helk/core/render/background';
import { PaletteShape } from '@helk/core/render/palette';
import { ReportShape } from '@helk/core/report/shape';
import { SheetShape } from '@helk/core/sheet/shape';
import { APPLICATION_ID, openDatabase } from '../../store/database';
import { now } from '../../store/ids';
import { MIGRATIONS, OLD_CHUNKS, OLD_PARTS, parted } from '../../store/migrations';
import { pictureType } from '../../store/pictures';
import { piecesOf } from '../../store/pieces';
import {
  DatasetRowShape,
  FindingRowShape,
  PictureRowShape,
  ProjectRow,
  RecipeRowShape,
  RecipeVersionShape,
  RunRowShape,
  PaperRowShape,
  TableRowShape,
} from '../../store/rows';
import { HERE } from '../../store/written';
import type { AdoptTask } from '../tasks';
import type { Hands } from './hands';

/** Tables that every project has, whatever made it; those it had before or after the third step; Knex's own, which are made anew. */
const OURS = ['project', 'runs', 'datasets'] as const;
const PIECES: readonly (readonly string[])[] = [
  ['pieces', 'details'],
  ['raster_chunks', 'blobs'],
];
/** Tables that projects have from the sixth step on, from the seventh, the eighth and the tenth. */
const WRITTEN = [
  'recipes',
  'recipe_versions',
  'run_tables',
  'pictures',
  'findings',
  'sheets',
  'reports',
  'palettes',
  'backgrounds',
] as const;
const KNEX = ['knex_migrations', 'knex_migrations_lock', 'sqlite_sequence'];

/** Values of the JSON columns, by the schemas that the API promises. */
const JSON_OF = {
  inputs: z.record(z.string(), z.array(z.string().regex(REF)).max(1000)),
  params: z.record(z.string(), z.unknown()),
  figures: z.record(z.string(), z.union([z.number(), z.string(), z.null()])),
  notes: z.array(NoteShape),
  systems: z.record(z.string().max(40), z.string().max(20_000).nullable()),
  problem: ProblemDocument.pick({ code: true, path: true }).extend({ message: z.string() }),
  source: z.looseObject({ file: z.string(), format: z.string(), bytes: z.number(), sha256: z.string() }),
  workbench: Workbench,
  drafts: z.record(z.string().max(40), z.unknown()),
  steps: z.array(StepDoneShape),
  made: RunShape.shape.made,
  of_table: OfTable,
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
    const known =
      o.type === 'table' ? [...OURS, ...WRITTEN, ...PIECES.flat(), ...KNEX].includes(o.name) : o.type === 'index';
    if (!known || /^\s*create\s+virtual/i.test(o.sql ?? '')) refuse('holds tables that are not Helk’s.');
  }
  if (!objects.some((o) => o.name === 'knex_migrations')) refuse('does not say which Helk made it.');
  const steps = (await db.raw('SELECT name FROM given.knex_migrations')) as { name: unknown }[];
  if (steps.some((s) => !MIGRATIONS.some((m) => m.name === s.name)))
    refuse('was made by a newer Helk; update this one first.');
  const named = (t: string): boolean => objects.some((o) => o.type === 'table' && o.name === t);
  const kept = PIECES.find((tables) => named(tables[0]!)) ?? PIECES[0]!;
  for (const table of kept) if (!named(table)) refuse(`has no table of ${table.replace('_', ' ')}.`);
  for (const table of kept)
    if ((await columnsOf(db, table, 'given')).some((c) => c.hidden !== 0)) refuse('holds columns that are computed.');
  for (const table of WRITTEN)
    if (named(table) && (await columnsOf(db, table, 'given')).some((c) => c.hidden !== 0))
      refuse('holds columns that are computed.');
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
  const project = parse(ProjectRow, { workbench: null, crs: null, ...own! }, 'the project', refuse);
  checkJson({ workbench: project.workbench }, 'the project', refuse);
  await db('project').update({ ...project, id: task.id });

  const runs = await rowsOf(db, 'runs');
  for (const raw of runs) {
    const run = parse(
      RunRowShape,
      { systems: '{}', steps: '[]', made: '{}', of_table: null, naming: null, ...raw },
      'a run',
      refuse,
    );
    const { inputs, params, figures, notes, problem, systems, steps, made, of_table } = run;
    checkJson({ inputs, params, figures, notes, problem, systems, steps, made, of_table }, `run ${run.id}`, refuse);
    await db('runs').insert(run);
  }
  await copyWritten(db, refuse);
  await copyCarried(db, refuse);
  const datasets = (await rowsOf(db, 'datasets')).map((raw) =>
    parse(
      DatasetRowShape,
      { thread: null, look: null, drafts: null, step: null, replaced_by: null, revision: 0, ...raw },
      'a dataset',
      refuse,
    ),
  );
  const from = await piecesTable(db);
  const details = new Map<string, string>();
  if (await has(db, 'details'))
    for (const d of (await db.raw('SELECT dataset_id, detail FROM given.details')) as Record<string, unknown>[])
      if (typeof d['detail'] === 'string') details.set(String(d['dataset_id']), d['detail']);
  for (const [k, row] of datasets.entries()) {
    // What was not finished or had been removed is not carried along.
    if (row.state !== 'ready') continue;
    progress(0.1 + (0.9 * k) / datasets.length, 'checking datasets');
    const what = `dataset "${row.name.slice(0, 60)}"`;
    checkJson({ source: row.source, notes: row.notes, drafts: row.drafts }, what, refuse);
    const read = describedBy(row.info, details.get(row.id) ?? null, what, refuse);
    if (read.info.kind !== row.kind)
      refuse(`is damaged: ${what} is a ${kindOf(read.info).words.one} under another name.`);
    if (row.run_id !== null && !runs.some((r) => r['id'] === row.run_id))
      refuse(`is damaged: the run that made ${what} is not in it.`);
    await db('datasets').insert({ ...row, info: JSON.stringify(read.info) });
    if (read.detail !== null) await db('details').insert({ dataset_id: row.id, detail: JSON.stringify(read.detail) });
    try {
      await copyPieces(db, row.id, read.info, from, progress);
    } catch (e) {
      if (!(e instanceof HelkError) || e.code !== 'file.damaged') throw e;
      refuse(`is damaged: what is stored of ${what} cannot be used. ${e.message}`);
    }
  }
}

/** Recipes, their versions and run tables, each held to its shape. */
async function copyWritten(db: Knex, refuse: Refuse): Promise<void> {
  if (!(await has(db, 'recipes'))) return;
  const ids = new Set<string>();
  for (const raw of await rowsOf(db, 'recipes')) {
    const row = parse(RecipeRowShape, raw, 'a recipe', refuse);
    ids.add(row.id);
    await db('recipes').insert(row);
  }
  const there = new Set<string>();
  for (const raw of await rowsOf(db, 'recipe_versions')) {
    const row = parse(RecipeVersionShape, raw, 'a recipe', refuse);
    if (!ids.has(row.recipe_id)) refuse('is damaged: it has a version of a recipe that is not in it.');
    heldTo(RecipeShape, row.body, `version ${row.version} of a recipe`, refuse);
    there.add(`${row.recipe_id} ${row.version}`);
    await db('recipe_versions').insert(row);
  }
  for (const { id, version } of (await db('recipes').select('id', 'version')) as { id: string; version: number }[])
    if (!there.has(`${id} ${version}`)) refuse('is damaged: a recipe lacks its last version.');
  for (const raw of await rowsOf(db, 'run_tables')) {
    const row = parse(TableRowShape, raw, 'a run table', refuse);
    heldTo(TableBody, row.body, 'a run table', refuse);
    await db('run_tables').insert(row);
  }
}

const PAPERS = [
  ['sheets', SheetShape, 'a map sheet'],
  ['reports', ReportShape, 'a report'],
  ['palettes', PaletteShape, 'a palette'],
  ['backgrounds', BackgroundShape, 'a background'],
] as const;

/**
 * Whether it would have this server ask others: only what the analyst pointed at here is asked, so such a one waits in the bin until somebody
 * takes it out.
 */
const asks = (table: string, body: string): boolean =>
  table === 'backgrounds' && !(JSON.parse(body) as { tile: string }).tile.startsWith(`${HERE}/`);

/** Findings, what is written, and their pictures, each held to its shape. */
async function copyCarried(db: Knex, refuse: Refuse): Promise<void> {
  if (!(await has(db, 'sheets'))) return;
  for (const raw of await rowsOf(db, 'pictures')) {
    const row = parse(PictureRowShape, raw, 'a picture', refuse);
    if (pictureType(row.bytes) !== row.type) refuse('is damaged: a picture in it is none.');
    await db('pictures').insert(row);
  }
  for (const raw of await rowsOf(db, 'findings')) {
    const row = parse(FindingRowShape, raw, 'a finding', refuse);
    heldTo(FindingBody, row.body, 'a finding', refuse);
    await db('findings').insert(row);
  }
  for (const [table, shape, what] of PAPERS) {
    if (!(await has(db, table))) continue;
    for (const raw of await rowsOf(db, table)) {
      const row = parse(PaperRowShape, raw, what, refuse);
      heldTo(shape, row.body, what, refuse);
      await db(table).insert({ ...row, ...(asks(table, row.body) ? { state: 'removed', removed_at: now() } : {}) });
    }
  }
}

function heldTo(shape: z.ZodType, text: string, what: string, refuse: Refuse): void {
  if (!shape.safeParse(parseJson(text, what, refuse)).success) refuse(`is damaged: ${what} cannot be used.`);
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

const has = async (db: Knex, table: string): Promise<boolean> =>
  ((await db.raw("SELECT 1 FROM given.sqlite_master WHERE type = 'table' AND name = ?", [table])) as unknown[]).length >
  0;

/** Where a saved project keeps the pieces of its datasets: today's table, or those of files from before the third step. */
async function piecesTable(db: Knex): Promise<string> {
  if (await has(db, 'pieces')) return 'SELECT dataset_id, array, level, key, bytes FROM given.pieces';
  return `${OLD_CHUNKS('given.raster_chunks')} UNION ALL ${OLD_PARTS('given.blobs')}`;
}

/** Copies the pieces that a dataset of its description must have, and no others, looking at each. */
async function copyPieces(
  db: Knex,
  id: string,
  info: DatasetInfo,
  from: string,
  progress: Hands['progress'],
): Promise<void> {
  const { put } = piecesOf(db, id);
  const get = async (array: string, level: number, key: number): Promise<Uint8Array | undefined> => {
    const [found] = (await db.raw(
      `SELECT bytes FROM (${from}) WHERE dataset_id = ? AND array = ? AND level = ? AND key = ?`,
      [id, array, level, key],
    )) as { bytes: unknown }[];
    if (!(found?.bytes instanceof Uint8Array)) return undefined;
    await put(array, level, key, found.bytes);
    return found.bytes;
  };
  await kindOf(info).verify(info, { get }, progress);
}

/** The description of a dataset and its detail, held to what they should be, brought up to date. */
function describedBy(
  raw: string,
  detail: string | null,
  what: string,
  refuse: Refuse,
): { info: DatasetInfo; detail: unknown } {
  const value = parseJson(raw, what, refuse) as { kind?: unknown } | null;
  if (typeof value?.kind !== 'string' || !isKind(value.kind))
    throw refuse(`is damaged: ${what} is of a kind that there is not.`);
  const kind = kindOf({ kind: value.kind });
  // Older files have the detail within.
  const parts = parted(value);
  const r = kind.shape.safeParse(parts.info);
  if (!r.success) {
    const issue = r.error.issues[0]!;
    throw refuse(`is damaged: ${what}, ${issue.path.join('.') || 'its description'}: ${issue.message}.`);
  }
  const told = detail === null ? parts.detail : parseJson(detail, what, refuse);
  if (told !== null && !kind.detailShape?.safeParse(told).success)
    throw refuse(`is damaged: the detail of ${what} cannot be used.`);
  return { info: parts.info, detail: told };
}
