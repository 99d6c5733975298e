import type { Knex } from 'knex';
import { HelkError } from '@helk/core';
import type { Finding, FindingBodyOf } from '@helk/core/sheet/finding';
import { setState } from './bin';
import { newId, now } from './ids';

interface FindingRow {
  id: string;
  state: 'ready' | 'removed';
  position: number;
  body: string;
  created_at: string;
}

const entry = (r: FindingRow): Finding => ({
  ...(JSON.parse(r.body) as FindingBodyOf),
  id: r.id,
  position: r.position,
  createdAt: r.created_at,
});

async function rowOf(db: Knex, id: string, state: FindingRow['state']): Promise<FindingRow> {
  const row = (await db('findings').where({ id, state }).first()) as FindingRow | undefined;
  if (!row)
    throw new HelkError('finding.unknown', `There is no finding "${id.slice(0, 40)}" in this project.`, 'finding');
  return row;
}

export async function listFindings(db: Knex): Promise<Finding[]> {
  const rows = (await db('findings').where({ state: 'ready' }).orderBy(['position', 'created_at'])) as FindingRow[];
  return rows.map(entry);
}

export const getFinding = async (db: Knex, id: string): Promise<Finding> => entry(await rowOf(db, id, 'ready'));

export async function addFinding(db: Knex, body: FindingBodyOf): Promise<Finding> {
  const last = (await db('findings').max('position as p').first()) as { p: number | null };
  const row: FindingRow = {
    id: newId(),
    state: 'ready',
    position: (last.p ?? 0) + 1,
    body: JSON.stringify(body),
    created_at: now(),
  };
  await db('findings').insert(row);
  return entry(row);
}

export async function saveFinding(db: Knex, id: string, body: FindingBodyOf): Promise<Finding> {
  const row = { ...(await rowOf(db, id, 'ready')), body: JSON.stringify(body) };
  await db('findings').where({ id }).update({ body: row.body });
  return entry(row);
}

/** Puts findings into an order; those not named keep theirs behind it. */
export async function orderFindings(db: Knex, ids: readonly string[]): Promise<Finding[]> {
  const all = await listFindings(db);
  const named = ids.flatMap((id) => all.find((f) => f.id === id) ?? []);
  const order = [...named, ...all.filter((f) => !ids.includes(f.id))];
  await db.transaction(async (t) => {
    for (const [i, { id }] of order.entries())
      await t('findings')
        .where({ id })
        .update({ position: i + 1 });
  });
  return listFindings(db);
}

export async function setFinding(db: Knex, id: string, state: FindingRow['state']): Promise<void> {
  await rowOf(db, id, state === 'ready' ? 'removed' : 'ready');
  await setState(db, 'findings', id, state);
}
