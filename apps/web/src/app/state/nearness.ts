import { datasetsIn } from '@helk/core/api/refs';
import type { ApiRun } from '@helk/core/api/schemas';
import { momentText } from '../parts/moment-text';
import { madeBy } from './made-by';
import type { DatasetItem } from './project.store';

/**
 * How many steps of making lie between some datasets and all others, forwards and backwards; those of no relation are absent.
 *
 * @param from ids, at no distance from themselves
 */
export function stepsFrom(
  from: readonly string[],
  all: readonly DatasetItem[],
  runs: Record<string, ApiRun>,
): Map<string, number> {
  const there = Object.fromEntries(all.map((d) => [d.id, d]));
  const near = new Map<string, string[]>();
  const join = (a: string, b: string): void => {
    near.set(a, [...(near.get(a) ?? []), b]);
  };
  for (const d of all)
    for (const input of datasetsIn(madeBy(d, runs, there)?.inputs ?? {}))
      if (there[input]) {
        join(d.id, input);
        join(input, d.id);
      }
  const steps = new Map(from.filter((id) => there[id]).map((id) => [id, 0]));
  const open = [...steps.keys()];
  for (let k = 0; k < open.length; k++)
    for (const next of near.get(open[k]!) ?? [])
      if (!steps.has(next)) {
        steps.set(next, steps.get(open[k]!)! + 1);
        open.push(next);
      }
  return steps;
}

/** What tells datasets of one name apart: what made them, from what, and when. Empty for a name that is there once. */
export function toldApart(all: readonly DatasetItem[], runs: Record<string, ApiRun>): Map<string, string> {
  const there = Object.fromEntries(all.map((d) => [d.id, d]));
  const named = new Map<string, DatasetItem[]>();
  for (const d of all) named.set(d.name, [...(named.get(d.name) ?? []), d]);
  const out = new Map<string, string>();
  for (const alike of named.values()) {
    if (alike.length < 2) continue;
    for (const d of alike) {
      const run = madeBy(d, runs, there);
      const from = datasetsIn(run?.inputs ?? {}).flatMap((id) => there[id]?.name ?? []);
      const made = d.source ? d.source.file : run ? `${run.title}${from[0] ? ` of ${from[0]}` : ''}` : '';
      out.set(d.id, [made, momentText(d.createdAt)].filter(Boolean).join(', '));
    }
  }
  return out;
}
