import { unitInName } from '@helk/core';
import type { DatasetItem } from '../state/project.store';

/** A mend that checks propose for several datasets alike. */
export interface SharedMend {
  label: string;
  method: string;
  role: string;
  params: Record<string, unknown>;
  of: DatasetItem[];
}

/** The mends that checks propose for more than one of some datasets, those for most of them first. */
export function sharedMends(items: readonly DatasetItem[]): SharedMend[] {
  const all = new Map<string, SharedMend>();
  for (const d of items)
    for (const { mend } of d.checks) {
      if (!mend?.run) continue;
      const { method, role, params = {} } = mend.run;
      const key = JSON.stringify([method, role, params]);
      const there = all.get(key);
      if (!there) all.set(key, { label: mend.label, method, role, params, of: [d] });
      else if (there.of.at(-1) !== d) there.of.push(d);
    }
  return [...all.values()].filter((m) => m.of.length > 1).sort((a, b) => b.of.length - a.of.length);
}

/** The unit that the names of all of some datasets end in; null where one ends in none or in another. */
export function unitOfNames(items: readonly DatasetItem[]): string | null {
  const units = new Set(items.map((d) => unitInName(d.name)));
  return units.size === 1 ? [...units][0]! : null;
}
