import { categoriesOf, type Column } from '@helk/core';

/** More groups than these are not told apart on one chart. */
export const MOST_GROUPS = 24;

/** Numbers of a column, NaN where missing. */
export function numbersOf(c: Column): Float64Array {
  const v = c.values as Float64Array;
  return c.missing?.includes(1) ? v.map((x, i) => (c.missing![i] ? NaN : x)) : v;
}

/** Whether rows can be told apart into groups by a column: words, yes and no, or a few whole numbers. */
export function isGrouping(c: Column): boolean {
  if (c.type !== 'number') return true;
  const seen = new Set<number>();
  for (const v of c.values as Float64Array) {
    if (v !== v) continue;
    if (!Number.isInteger(v)) return false;
    seen.add(v);
    if (seen.size > MOST_GROUPS) return false;
  }
  return seen.size > 1;
}

/** Names of groups, how many there are in all, and the group of each row (-1 for none). */
export interface Groups {
  names: string[];
  all: number;
  of: Int32Array;
}

/** The most frequent groups in the order of their names, numbers by their size. */
export function groupsOf(c: Column): Groups {
  const found = categoriesOf(c);
  const shown = found.slice(0, MOST_GROUPS).map((x) => x.key);
  shown.sort(c.type === 'number' ? (a, b) => Number(a) - Number(b) : (a, b) => a.localeCompare(b));
  const at = new Map(shown.map((k, i) => [k, i]));
  const of = Int32Array.from({ length: c.values.length }, (_, i) =>
    c.missing?.[i] ? -1 : (at.get(String(c.values[i])) ?? -1),
  );
  return {
    names: shown.map((k) => (c.type === 'boolean' ? (k === '1' ? 'yes' : 'no') : k || '(empty)')),
    all: found.length,
    of,
  };
}
