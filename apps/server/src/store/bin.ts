import type { Knex } from 'knex';
import { kindOf, type DatasetInfo } from '@helk/core';
import type { ApiBinned } from '@helk/core/api/schemas';
import { now } from './ids';
import { discard } from './project-store';

type State = 'ready' | 'removed';
/** Names in one question to the database. */
const AT_ONCE = 500;

/** Every table whose rows go to the bin before they go for good: what one is called, and where its name stands in what it holds. */
const SHELVES: Record<string, { what: ApiBinned['what']; name: string }> = {
  recipes: { what: 'recipe', name: 'title' },
  run_tables: { what: 'run table', name: 'title' },
  findings: { what: 'finding', name: 'title' },
  sheets: { what: 'map sheet', name: 'name' },
  reports: { what: 'report', name: 'title' },
  palettes: { what: 'palette', name: 'name' },
  backgrounds: { what: 'background', name: 'name' },
};
const TABLES = ['datasets', ...Object.keys(SHELVES)];

/** A row that is written goes to the bin, or comes back from it. */
export async function setState(db: Knex, table: string, id: string, state: State): Promise<void> {
  await db(table)
    .where({ id })
    .update({ state, removed_at: state === 'removed' ? now() : null });
}

/** All that has been removed and can be brought back, the last removed first. */
export async function binOf(db: Knex): Promise<ApiBinned[]> {
  const datasets = (await db('datasets').where({ state: 'removed' }).select('id', 'name', 'info', 'removed_at')) as {
    id: string;
    name: string;
    info: string;
    removed_at: string | null;
  }[];
  const sizes = (await db('pieces')
    .whereIn('dataset_id', db('datasets').where({ state: 'removed' }).select('id'))
    .groupBy('dataset_id')
    .select('dataset_id', db.raw('sum(length(bytes)) AS bytes'))) as { dataset_id: string; bytes: number }[];
  const bytes = new Map(sizes.map((s) => [s.dataset_id, s.bytes]));
  const out: ApiBinned[] = datasets.map((d) => {
    const info = JSON.parse(d.info) as DatasetInfo;
    return {
      id: d.id,
      what: 'dataset',
      name: d.name,
      words: kindOf(info).summary(info),
      bytes: bytes.get(d.id) ?? 0,
      removedAt: d.removed_at,
    };
  });
  for (const [table, shelf] of Object.entries(SHELVES)) {
    // A recipe is kept in versions, of which the newest says what it is called.
    const rows = (await (table === 'recipes'
      ? db('recipes')
          .join('recipe_versions', (j) =>
            j.on('recipe_versions.recipe_id', 'recipes.id').andOn('recipe_versions.version', 'recipes.version'),
          )
          .where({ state: 'removed' })
          .select('recipes.id', 'body', 'removed_at')
      : db(table).where({ state: 'removed' }).select('id', 'body', 'removed_at'))) as {
      id: string;
      body: string;
      removed_at: string | null;
    }[];
    for (const r of rows) {
      const name = (JSON.parse(r.body) as Record<string, unknown>)[shelf.name];
      out.push({
        id: r.id,
        what: shelf.what,
        name: typeof name === 'string' && name ? name : `a ${shelf.what}`,
        words: '',
        bytes: r.body.length,
        removedAt: r.removed_at,
      });
    }
  }
  return out.sort((a, b) => (b.removedAt ?? '').localeCompare(a.removedAt ?? ''));
}

/** How much lies in the bin. */
export async function countBin(db: Knex): Promise<number> {
  let n = 0;
  for (const table of TABLES)
    n += ((await db(table).where({ state: 'removed' }).count({ n: '*' }).first()) as { n: number }).n;
  return n;
}

/** Which of the given lie in the bin, by table. */
export async function foundIn(db: Knex, ids: readonly string[]): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const table of TABLES) {
    const rows = (await db(table).where({ state: 'removed' }).whereIn('id', ids).select('id')) as { id: string }[];
    if (rows.length)
      found.set(
        table,
        rows.map((r) => r.id),
      );
  }
  return found;
}

/** What lies in the bin goes for good. @param ids only these of it */
export async function emptyBin(db: Knex, ids: readonly string[] | null = null): Promise<void> {
  const wanted = db('datasets').where({ state: 'removed' }).select('id');
  const gone = ((await (ids ? wanted.whereIn('id', ids) : wanted)) as { id: string }[]).map((d) => d.id);
  // First none of them can come back any more: what a kill leaves half removed is swept at the next start.
  for (let k = 0; k < gone.length; k += AT_ONCE)
    await db('datasets')
      .whereIn('id', gone.slice(k, k + AT_ONCE))
      .update({ state: 'staged' });
  await discard(db, gone);
  for (const table of Object.keys(SHELVES)) {
    const gone = (ids ? db(table).whereIn('id', ids) : db(table)).where({ state: 'removed' });
    if (table === 'recipes') await db('recipe_versions').whereIn('recipe_id', gone.clone().select('id')).delete();
    await gone.delete();
  }
}
