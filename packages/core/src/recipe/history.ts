import type { DatasetInfo, DatasetKind } from '../data/kinds';
import type { StepDone } from '../method/chain';
import type { Figures } from '../method/define';
import { refOf } from '../api/refs';
import { originOf, withoutBand } from './shape';

/** A dataset as far as its making matters. */
export interface PastDataset {
  id: string;
  name: string;
  note: string;
  kind: DatasetKind;
  info: DatasetInfo;
  runId: string | null;
  role: string | null;
  /** Of the recipe that made it, where one did. */
  step: string | null;
}

/** A run as far as its making matters. */
export interface PastRun {
  id: string;
  method: string;
  version: number;
  title: string;
  inputs: Record<string, string[]>;
  params: Record<string, unknown>;
  seed: number;
  figures: Figures;
  steps: StepDone[];
  /** What it made, also what has been removed since. */
  made: Record<string, { role: string; step: string | null; name: string }>;
}

export interface Past {
  datasets: Readonly<Record<string, PastDataset | undefined>>;
  runs: Readonly<Record<string, PastRun | undefined>>;
}

/** What a step of a history reads: a source, or what a step before it made. */
export interface Read {
  /** Id of a source, or of a passage. */
  key: string;
  /** Role under which the passage made it; null for a source. */
  role: string | null;
  /** Counted from 0. */
  band: number | null;
  name: string;
}

/** One step in the making of a result: a run, or a step of a run of a recipe. */
export interface Passage {
  key: string;
  run: PastRun;
  /** Of the recipe, where the run was of one. */
  step: string | null;
  method: string;
  version: number;
  title: string;
  inputs: Record<string, Read[]>;
  params: Record<string, unknown>;
  seed: number;
  figures: Figures;
  /** Unit of each figure where that is known. */
  units: Record<string, string>;
  /** Its results that are read on, or asked for: the id of the dataset where it is there still. */
  makes: { role: string; name: string; dataset: string | null }[];
}

export interface Source {
  id: string;
  name: string;
  /** Null where it has been removed. */
  dataset: PastDataset | null;
}

export interface History {
  sources: Source[];
  /** In an order in which they can be run. */
  passages: Passage[];
  /** The results whose making it is. */
  results: Read[];
}

/**
 * How some results were made: back to their sources, each step once, what only other results needed left out. O(runs + datasets).
 */
export function historyOf(ids: readonly string[], past: Past): History {
  const makers = new Map<string, { run: PastRun; role: string; step: string | null; name: string }>();
  for (const run of Object.values(past.runs))
    for (const [id, m] of Object.entries(run?.made ?? {})) makers.set(id, { run: run!, ...m });
  const sources = new Map<string, Source>();
  const passages = new Map<string, Passage>();

  const read = (ref: string): Read => {
    const { dataset, band } = refOf(ref);
    const there = past.datasets[dataset];
    const maker = makers.get(dataset);
    const name = there?.name ?? maker?.name ?? 'removed';
    if (!maker || maker.run.method === 'import') {
      if (!sources.has(dataset)) sources.set(dataset, { id: dataset, name, dataset: there ?? null });
      return { key: dataset, role: null, band, name };
    }
    const passage = visit(maker.run, maker.step);
    note(passage, maker.role, name, there ? dataset : null);
    return { key: passage.key, role: maker.role, band, name };
  };
  const note = (p: Passage, role: string, name: string, dataset: string | null): void => {
    const known = p.makes.find((m) => m.role === role);
    if (!known) p.makes.push({ role, name, dataset });
    else if (dataset) known.dataset = dataset;
  };
  const visit = (run: PastRun, step: string | null): Passage => {
    const key = step === null ? run.id : `${run.id}/${step}`;
    const known = passages.get(key);
    if (known) return known;
    const did = step === null ? null : run.steps.find((s) => s.id === step)!;
    const inputs: Record<string, Read[]> = {};
    if (did)
      for (const [role, froms] of Object.entries(did.inputs)) inputs[role] = froms.flatMap((from) => within(run, from));
    else for (const [role, refs] of Object.entries(run.inputs)) inputs[role] = refs.map(read);
    const { method, version, title, params, seed, figures } = did ?? run;
    const p: Passage = {
      key,
      run,
      step,
      method,
      version,
      title,
      inputs,
      params,
      seed,
      figures,
      units: did?.units ?? {},
      makes: [],
    };
    // Those it reads have come before it.
    passages.set(key, p);
    return p;
  };
  /** What a step of a recipe read: what went into the run, or what a step before it made. */
  const within = (run: PastRun, from: string): Read[] => {
    const o = originOf(from);
    if (o.input !== null)
      return (run.inputs[withoutBand(from)] ?? []).map((ref) => ({
        ...read(ref),
        ...(o.band === null ? {} : { band: o.band }),
      }));
    const made = Object.entries(run.made).find(([, m]) => m.step === o.step && m.role === o.role);
    const passage = visit(run, o.step);
    const did = run.steps.find((s) => s.id === o.step);
    const name = made?.[1].name ?? did?.makes[o.role!] ?? did?.title ?? o.step!;
    note(passage, o.role!, name, made && past.datasets[made[0]] ? made[0] : null);
    return [{ key: passage.key, role: o.role, band: o.band, name }];
  };

  const results = ids.map(read);
  return { sources: [...sources.values()], passages: [...passages.values()], results };
}
