import type { ApiProjectDetail } from '@helk/core/api/schemas';

/** What is written in a project, beside its datasets and runs. */
const LISTS = ['recipes', 'tables', 'findings', 'sheets', 'reports', 'palettes', 'backgrounds'] as const;
export type Written = Pick<ApiProjectDetail, (typeof LISTS)[number]>;

type Entry = { id: string; position?: number };
const each = (of: (list: (typeof LISTS)[number]) => readonly Entry[]): Written =>
  Object.fromEntries(LISTS.map((l) => [l, of(l)])) as unknown as Written;

export const NOTHING_WRITTEN = each(() => []);
export const written = (of: Written): Written => each((l) => of[l]);

/** The same with some of it in their new state, new ones at the end, and those with an order in it. */
export const withWritten = (now: Written, by: Partial<Written>): Written =>
  each((l) => {
    const some: readonly Entry[] | undefined = by[l];
    return some ? put<Entry>(now[l], some).sort((a, b) => (a.position ?? 0) - (b.position ?? 0)) : now[l];
  });

/** The same without what has been removed. */
export const withoutWritten = (now: Written, ids: readonly string[]): Written =>
  each((l) => (now[l].some((x) => ids.includes(x.id)) ? now[l].filter((x) => !ids.includes(x.id)) : now[l]));

function put<T extends { id: string }>(all: readonly T[], some: readonly T[]): T[] {
  const by = new Map(some.map((x) => [x.id, x]));
  return [...all.map((x) => by.get(x.id) ?? x), ...some.filter((x) => !all.some((y) => y.id === x.id))];
}
