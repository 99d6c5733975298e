import { systemOf, systemText } from '@helk/core';
import { refOf } from '@helk/core/api/refs';
import type { ApiRun } from '@helk/core/api/schemas';
import type { DatasetItem } from './project.store';

/** A dataset whose system was another when a result was made from it, and what both are. */
export interface Moved {
  name: string;
  was: string | null;
  now: string | null;
}

/**
 * Results that rest on a dataset whose coordinate system has been put right since: by their ids, with what was moved. Also what was made of
 * such results in turn.
 */
export function staleOf(all: readonly DatasetItem[], runs: Record<string, ApiRun>): Map<string, Moved> {
  const there = new Map(all.map((d) => [d.id, d]));
  const out = new Map<string, Moved>();
  const seen = new Map<string, Moved | null>();
  const look = (id: string): Moved | null => {
    const known = seen.get(id);
    if (known !== undefined) return known;
    seen.set(id, null);
    const d = there.get(id);
    const run = d?.runId ? runs[d.runId] : undefined;
    let found: Moved | null = null;
    for (const ref of run && run.method !== 'import' ? Object.values(run.inputs).flat() : []) {
      const source = there.get(refOf(ref).dataset);
      if (!source) continue;
      const was = run!.systems[source.id];
      const crs = systemOf(source.info);
      const now = crs && systemText(crs);
      if (was !== undefined && was !== now) found = { name: source.name, was, now };
      else found ??= look(source.id);
      if (found) break;
    }
    seen.set(id, found);
    return found;
  };
  for (const d of all) {
    const moved = look(d.id);
    if (moved) out.set(d.id, moved);
  }
  return out;
}

/** What there is to say about a result that rests on a wrong system. */
export const staleWords = ({ name, was, now }: Moved): string =>
  `Made when “${name}” was taken to be in ${was ?? 'an unknown system'}; it is in ${now ?? 'an unknown system'} now.`;

/**
 * The runs that have to be made again, in order, so that a dataset rests on what is right: that of the dataset itself, and before it those of
 * its inputs that rest on the same mistake.
 */
export function runsAnew(
  id: string,
  all: readonly DatasetItem[],
  runs: Record<string, ApiRun>,
  stale: ReadonlyMap<string, Moved>,
): ApiRun[] {
  const there = new Map(all.map((d) => [d.id, d]));
  const out: ApiRun[] = [];
  const visit = (of: string): void => {
    const run = runs[there.get(of)?.runId ?? ''];
    if (!run || !stale.has(of) || out.includes(run)) return;
    for (const ref of Object.values(run.inputs).flat()) visit(refOf(ref).dataset);
    out.push(run);
  };
  visit(id);
  return out;
}
