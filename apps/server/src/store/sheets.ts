import type { Knex } from 'knex';
import { HelkError } from '@helk/core';
import type { ApiSheet } from '@helk/core/api/schemas';
import type { MapSheet } from '@helk/core/sheet/shape';
import { newId, now } from './ids';

interface SheetRow {
  id: string;
  state: 'ready' | 'removed';
  body: string;
  created_at: string;
  changed_at: string;
}

const entry = (r: SheetRow): ApiSheet => ({
  id: r.id,
  sheet: JSON.parse(r.body) as MapSheet,
  createdAt: r.created_at,
  changedAt: r.changed_at,
});

async function rowOf(db: Knex, id: string, state: SheetRow['state']): Promise<SheetRow> {
  const row = (await db('sheets').where({ id, state }).first()) as SheetRow | undefined;
  if (!row)
    throw new HelkError('sheet.unknown', `There is no map sheet "${id.slice(0, 40)}" in this project.`, 'sheet');
  return row;
}

export async function listSheets(db: Knex): Promise<ApiSheet[]> {
  return ((await db('sheets').where({ state: 'ready' }).orderBy('rowid')) as SheetRow[]).map(entry);
}

export const getSheet = async (db: Knex, id: string): Promise<ApiSheet> => entry(await rowOf(db, id, 'ready'));

export async function addSheet(db: Knex, sheet: MapSheet): Promise<ApiSheet> {
  const at = now();
  const row: SheetRow = { id: newId(), state: 'ready', body: JSON.stringify(sheet), created_at: at, changed_at: at };
  await db('sheets').insert(row);
  return entry(row);
}

export async function saveSheet(db: Knex, id: string, sheet: MapSheet): Promise<ApiSheet> {
  const row = { ...(await rowOf(db, id, 'ready')), body: JSON.stringify(sheet), changed_at: now() };
  await db('sheets').where({ id }).update({ body: row.body, changed_at: row.changed_at });
  return entry(row);
}

export async function setSheet(db: Knex, id: string, state: SheetRow['state']): Promise<void> {
  await rowOf(db, id, state === 'ready' ? 'removed' : 'ready');
  await db('sheets').where({ id }).update({ state });
}
