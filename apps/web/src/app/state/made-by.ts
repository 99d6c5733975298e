import type { ApiRun } from '@helk/core/api/schemas';
import { originOf, withoutBand } from '@helk/core/recipe/shape';
import type { DatasetItem } from './project.store';

/**
 * The run that made a dataset; of one that a recipe made the step that did, as if it had been run by itself: so whoever asks for the method,
 * the settings or the figures behind a result need not know of recipes.
 */
export function madeBy(
  d: Pick<DatasetItem, 'runId' | 'step'> | undefined,
  runs: Readonly<Record<string, ApiRun>>,
  datasets: Readonly<Record<string, Pick<DatasetItem, 'step'>>>,
): ApiRun | undefined {
  const run = d?.runId ? runs[d.runId] : undefined;
  const did = d?.step ? run?.steps.find((s) => s.id === d.step) : undefined;
  if (!run || !did) return run;
  const refs = (from: string): string[] => {
    const o = originOf(from);
    const band = o.band === null ? '' : `#${o.band + 1}`;
    if (o.input !== null)
      return (run.inputs[withoutBand(from)] ?? []).map((ref) => (band ? ref.split('#')[0]! + band : ref));
    const made = Object.entries(run.made).find(([, m]) => m.step === o.step && m.role === o.role);
    // What was not kept is nowhere.
    return made && made[0] in datasets ? [made[0] + band] : [];
  };
  return {
    ...run,
    method: did.method,
    version: did.version,
    title: did.title,
    inputs: Object.fromEntries(Object.entries(did.inputs).map(([role, froms]) => [role, froms.flatMap(refs)])),
    params: did.params,
    seed: did.seed,
    figures: did.figures,
    notes: did.notes,
    outputs: run.outputs.filter((id) => datasets[id]?.step === d!.step),
    steps: [],
  };
}
