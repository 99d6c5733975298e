import type { Knex } from 'knex';
import { HelkError, type ErrorCode } from '@helk/core';
import { setState } from './bin';
import { newId, now } from './ids';

interface PaperRow {
  id: string;
  state: 'ready' | 'removed';
  body: string;
  created_at: string;
  changed_at: string;
}

/** What is written in a project and kept whole: of one table each, removed so that it can be brought back. */
export interface Papers<E> {
  list: (db: Knex) => Promise<E[]>;
  get: (db: Knex, id: string) => Promise<E>;
  add: (db: Knex, body: unknown) => Promise<E>;
  save: (db: Knex, id: string, body: unknown) => Promise<E>;
  set: (db: Knex, id: string, state: PaperRow['state']) => Promise<void>;
}

/** @param noun what one is called; @param unknown what is thrown where there is none */
export function papers<E>(
  table: 'sheets' | 'reports' | 'palettes' | 'backgrounds',
  noun: string,
  unknown: ErrorCode,
  entry: (body: unknown, at: { id: string; createdAt: string; changedAt: string }) => E,
): Papers<E> {
  const told = (r: PaperRow): E =>
    entry(JSON.parse(r.body), { id: r.id, createdAt: r.created_at, changedAt: r.changed_at });
  const rowOf = async (db: Knex, id: string, state: PaperRow['state']): Promise<PaperRow> => {
    const row = (await db(table).where({ id, state }).first()) as PaperRow | undefined;
    if (!row)
      throw new HelkError(unknown, `There is no ${noun} "${id.slice(0, 40)}" in this project.`, table.slice(0, -1));
    return row;
  };
  return {
    list: async (db) => ((await db(table).where({ state: 'ready' }).orderBy('rowid')) as PaperRow[]).map(told),
    get: async (db, id) => told(await rowOf(db, id, 'ready')),
    add: async (db, body) => {
      const at = now();
      const row: PaperRow = { id: newId(), state: 'ready', body: JSON.stringify(body), created_at: at, changed_at: at };
      await db(table).insert(row);
      return told(row);
    },
    save: async (db, id, body) => {
      const row = { ...(await rowOf(db, id, 'ready')), body: JSON.stringify(body), changed_at: now() };
      await db(table).where({ id }).update({ body: row.body, changed_at: row.changed_at });
      return told(row);
    },
    set: async (db, id, state) => {
      await rowOf(db, id, state === 'ready' ? 'removed' : 'ready');
      await setState(db, table, id, state);
    },
  };
}
