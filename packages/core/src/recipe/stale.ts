import { systemText } from '../data/crs-record';
import { systemOf, type DatasetInfo } from '../data/kinds';
import { refOf } from '../api/refs';

/** A dataset, and a run, as far as it matters whether what rests on them is still so. */
export interface StandingDataset {
  id: string;
  name: string;
  info: DatasetInfo;
  runId: string | null;
  /** What has taken its place. */
  replacedBy: string | null;
}
export interface StandingRun {
  method: string;
  inputs: Record<string, string[]>;
  /** In which system each of its inputs was taken to be. */
  systems: Record<string, string | null>;
}

/** A dataset that is not what it was when a result was made from it: its system was another, or a newer one has taken its place. */
export type Moved = { name: string } & ({ was: string | null; now: string | null } | { newer: string });

/**
 * Results that rest on a dataset whose coordinate system has been put right since, or in whose place a newer one has come: by their ids,
 * with what it is. Also what was made of such results in turn.
 */
export function staleOf(
  all: readonly StandingDataset[],
  runs: Readonly<Record<string, StandingRun | undefined>>,
): Map<string, Moved> {
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
      const newer = there.get(source.replacedBy ?? '');
      if (newer) found = { name: source.name, newer: newer.name };
      else if (was !== undefined && was !== now) found = { name: source.name, was, now };
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

/** What there is to say about a result that rests on what is not so any more. */
export const staleWords = (m: Moved): string =>
  'newer' in m
    ? `Out of date: it was made from “${m.name}”, and “${m.newer}” has taken its place.`
    : `Made when “${m.name}” was taken to be in ${m.was ?? 'an unknown system'}; it is in ${m.now ?? 'an unknown system'} now.`;

/** What stands in the place of a dataset now: the newest that has taken it. */
export function newest(
  id: string,
  there: Readonly<Record<string, Pick<StandingDataset, 'replacedBy'> | undefined>>,
): string {
  let at = id;
  for (let k = 0; k < MOST_NEWER; k++) {
    const next = there[at]?.replacedBy;
    if (!next || !there[next]) return at;
    at = next;
  }
  return at;
}

/** Newer ones of newer ones, at most. */
const MOST_NEWER = 100;

/**
 * The runs that have to be made again, in order, so that some datasets rest on what is right: those of the datasets themselves, and before
 * them those of their inputs that rest on the same mistake.
 */
export function runsAnew<R extends StandingRun>(
  ids: readonly string[],
  all: readonly StandingDataset[],
  runs: Readonly<Record<string, R | undefined>>,
  stale: ReadonlyMap<string, Moved>,
): R[] {
  const there = new Map(all.map((d) => [d.id, d]));
  const out: R[] = [];
  const visit = (of: string): void => {
    const run = runs[there.get(of)?.runId ?? ''];
    if (!run || !stale.has(of) || out.includes(run)) return;
    for (const ref of Object.values(run.inputs).flat()) visit(refOf(ref).dataset);
    out.push(run);
  };
  for (const id of ids) visit(id);
  return out;
}
