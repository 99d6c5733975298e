import type { ParamSpec } from '../method/params';
import type { Step } from './shape';

/** The setting of a recipe that says what is published of a run. */
export const KEEP = 'keep';

/** Kinds of settings that an analyst is likely to change from one place, or one question, to the next (common practice, no source). */
const LIKELY = new Set<ParamSpec['type']>([
  'number',
  'numbers',
  'quantities',
  'cell',
  'length',
  'area',
  'volume',
  'time',
  'angle',
  'speed',
  'crs',
  'bounds',
  'moment',
  'date',
  'step',
  'column',
  'columns',
]);

type Specs = Readonly<Record<string, ParamSpec>>;

/** Whether a setting matters, the others being as they are in the step. */
export function matters(step: Step, all: Specs, name: string): boolean {
  return Object.entries(all[name]?.when ?? {}).every(([other, value]) =>
    value.split('|').includes(String(step.params[other] ?? all[other]?.default ?? '')),
  );
}

/** Settings of a step that are likely to change. */
export const likelySettings = (step: Step, all: Specs): string[] =>
  Object.keys(all).filter((name) => {
    const spec = all[name]!;
    return matters(step, all, name) && (LIKELY.has(spec.type) || spec.widget?.startsWith('drawn-') === true);
  });

/** Settings of a step that are offered to whoever runs the recipe. */
export const openSettings = (step: Step, all: Specs): string[] =>
  step.open ? step.open.filter((n) => Object.hasOwn(all, n)) : likelySettings(step, all);
