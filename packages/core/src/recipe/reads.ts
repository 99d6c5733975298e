import { own } from '../data/own';
import type { InputSpec, Method, OutputSpec } from '../method/define';
import { paramSpecs, type ParamSpec } from '../method/params';
import { methods } from '../method/registry';
import { readsFrom, stepOf } from './links';
import { fromsOf, withoutBand, type Recipe, type Step } from './shape';

const BY_ID = new Map(methods().map((m) => [m.id, m]));

/** The method of a step; undefined where there is none of that id. */
export const methodOfStep = (step: Pick<Step, 'method'>): Method | undefined => BY_ID.get(step.method);

const specs = new WeakMap<Method, Record<string, ParamSpec>>();

/** The settings of a method, worked out once. */
export function specsOf(m: Method): Record<string, ParamSpec> {
  let s = specs.get(m);
  if (!s) specs.set(m, (s = paramSpecs(m.params)));
  return s;
}

/** A short title of a step: the analyst's words, else the method's. */
export const stepTitle = (step: Step): string => step.title ?? methodOfStep(step)?.title ?? step.method;

/** The role of a step that something stands in, with what that role wants. */
export interface Reader {
  step: Step;
  role: string;
  spec: InputSpec;
}

/** Where an input of the recipe, or what a step makes, is read. */
export function readersOf(recipe: Recipe, from: string): Reader[] {
  const out: Reader[] = [];
  for (const step of recipe.steps)
    for (const [role, given] of Object.entries(step.inputs)) {
      const spec = own(methodOfStep(step)?.inputs ?? {}, role);
      if (spec && fromsOf(given).some((f) => withoutBand(f) === from)) out.push({ step, role, spec });
    }
  return out;
}

/** What a step makes under a role. */
export function outputOf(recipe: Recipe, step: string, role: string): OutputSpec | undefined {
  const s = stepOf(recipe, step);
  const m = s && methodOfStep(s);
  return m && own(m.outputs, role);
}

/** What is kept, or what no other step reads where nothing is. */
export function keptOf(recipe: Recipe): string[] {
  if (recipe.keep.length) return recipe.keep;
  return recipe.steps.flatMap((s) =>
    Object.entries(methodOfStep(s)?.outputs ?? {})
      .filter(([role, o]) => !o.optional && !recipe.steps.some((t) => readsFrom(t, `${s.id}.${role}`)))
      .map(([role]) => `${s.id}.${role}`),
  );
}

/** Settings of a step as they are given to its method, from those of the recipe in plain form. */
export function settingsOfStep(step: Step, plain: Record<string, unknown>): Record<string, unknown> {
  const out: Record<string, unknown> = { ...step.params };
  for (const name of Object.keys(specsOf(methodOfStep(step)!))) {
    const v = plain[`${step.id}.${name}`];
    if (v !== undefined && v !== null && v !== '') out[name] = v;
  }
  return out;
}
