import type { Check, Note } from '../data/check';
import type { Crs } from '../data/crs-record';
import type { MethodDescription } from '../method/describe';
import type { Past, PastDataset, PastRun } from '../recipe/history';
import type { Recipe } from '../recipe/shape';
import { staleOf, staleWords, type StandingDataset, type StandingRun } from '../recipe/stale';
import { outdatedWords, type Finding } from '../sheet/finding';

/** A dataset as far as a report tells of it. */
export interface ToldDataset extends PastDataset, StandingDataset {
  source: { file: string; format: string; bytes: number; sha256: string; [more: string]: unknown } | null;
  checks: readonly Check[];
  createdAt: string;
}

/** A run as far as a report tells of it. */
export interface ToldRun extends PastRun, StandingRun {
  notes: readonly Note[];
  startedAt: string | null;
  endedAt: string | null;
}

/** What is known of the project that a report is of. */
export interface ReportProject {
  name: string;
  system: Crs | null;
  datasets: readonly ToldDataset[];
  runs: readonly ToldRun[];
  findings: readonly Finding[];
  /** A method of the catalogue. */
  method: (id: string) => MethodDescription | undefined;
  /** Of Helk. */
  version: string;
  /** Day on which it is made, as 2026-03-01. */
  date: string;
  /** The same procedure to be done again; or why there is none. */
  recipe: Recipe | string;
}

export interface ReportFacts extends Omit<ReportProject, 'datasets' | 'runs'>, Past {
  datasets: Readonly<Record<string, ToldDataset | undefined>>;
  runs: Readonly<Record<string, ToldRun | undefined>>;
  /** Findings and datasets that rest on what is not so any more, with what has changed. */
  outdated: ReadonlyMap<string, string>;
}

/** The same, by id, and with what is out of date. O(datasets + findings) */
export function factsFrom(p: ReportProject): ReportFacts {
  const datasets = Object.fromEntries(p.datasets.map((d) => [d.id, d]));
  const runs = Object.fromEntries(p.runs.map((r) => [r.id, r]));
  const stale = staleOf(p.datasets, runs);
  const outdated = new Map([...stale].map(([id, moved]) => [id, staleWords(moved)]));
  for (const f of p.findings) {
    const words = outdatedWords(f, datasets, stale);
    if (words) outdated.set(f.id, words);
  }
  return { ...p, datasets, runs, outdated };
}
