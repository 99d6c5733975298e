import type { Knex } from 'knex';
import { HelkError } from '@helk/core';
import type { ApiTable, ApiTableBody } from '@helk/core/api/schemas';
import { setState } from './bin';
import { newId, now } from './ids';

export interface TableRecord {
  id: string;
  state: 'ready' | 'removed';
  body: string;
  created_at: string;
}

const entry = (r: TableRecord): ApiTable => ({
  ...(JSON.parse(r.body) as ApiTableBody),
  id: r.id,
  createdAt: r.created_at,
});

async function rowOf(db: Knex, id: string, state: TableRecord['state']): Promise<TableRecord> {
  const row = (await db('run_tables').where({ id, state }).first()) as TableRecord | undefined;
  if (!row)
    throw new HelkError('table.unknown', `There is no run table "${id.slice(0, 40)}" in this project.`, 'table');
  return row;
}

export async function listTables(db: Knex): Promise<ApiTable[]> {
  return ((await db('run_tables').where({ state: 'ready' }).orderBy('rowid')) as TableRecord[]).map(entry);
}

export const getTable = async (db: Knex, id: string): Promise<ApiTable> => entry(await rowOf(db, id, 'ready'));

export async function addTable(db: Knex, body: ApiTableBody): Promise<ApiTable> {
  const row: TableRecord = { id: newId(), state: 'ready', body: JSON.stringify(body), created_at: now() };
  await db('run_tables').insert(row);
  return entry(row);
}

export async function saveTable(db: Knex, id: string, body: ApiTableBody): Promise<ApiTable> {
  const row = { ...(await rowOf(db, id, 'ready')), body: JSON.stringify(body) };
  await db('run_tables').where({ id }).update({ body: row.body });
  return entry(row);
}

export async function setTable(db: Knex, id: string, state: TableRecord['state']): Promise<void> {
  await rowOf(db, id, state === 'ready' ? 'removed' : 'ready');
  await setState(db, 'run_tables', id, state);
}
