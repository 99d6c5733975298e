import type { Method } from '../method/define';
import { paramSpecs, type ParamSpec } from '../method/params';
import { methodOfStep } from './reads';
import type { Step } from './shape';

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

const specs = new WeakMap<Method, Record<string, ParamSpec>>();

/** The settings of a method, worked out once. */
export function specsOf(m: Method): Record<string, ParamSpec> {
  let s = specs.get(m);
  if (!s) specs.set(m, (s = paramSpecs(m.params)));
  return s;
}

/** What a setting of a step is when nobody says otherwise. */
const usual = (step: Step, name: string, spec: ParamSpec): unknown => step.params[name] ?? spec.default;

/** Whether a setting matters, the others being as they are in the step. */
export function matters(step: Step, all: Record<string, ParamSpec>, name: string): boolean {
  return Object.entries(all[name]?.when ?? {}).every(([other, value]) =>
    value.split('|').includes(String(usual(step, other, all[other]!) ?? '')),
  );
}

/** Settings of a step that are likely to change. */
export function likelySettings(step: Step, m: Method): string[] {
  const all = specsOf(m);
  return Object.keys(all).filter((name) => {
    const spec = all[name]!;
    return matters(step, all, name) && (LIKELY.has(spec.type) || spec.widget?.startsWith('drawn-') === true);
  });
}

/** Settings of a step that are offered to whoever runs the recipe. */
export const openSettings = (step: Step, m: Method): string[] =>
  step.open ? step.open.filter((n) => Object.hasOwn(specsOf(m), n)) : likelySettings(step, m);

/** The setting of a recipe that says what is published of a run. */
export const KEEP = 'keep';

/** A short title of a step: the analyst's words, else the method's. */
export const stepTitle = (step: Step): string => step.title ?? methodOfStep(step)?.title ?? step.method;

/** Settings of a step as they are given to its method, from those of the recipe in plain form. */
export function settingsOfStep(step: Step, plain: Record<string, unknown>): Record<string, unknown> {
  const out: Record<string, unknown> = { ...step.params };
  for (const name of Object.keys(specsOf(methodOfStep(step)!))) {
    const v = plain[`${step.id}.${name}`];
    if (v !== undefined && v !== null && v !== '') out[name] = v;
  }
  return out;
}
