import { own } from '../data/own';
import type { InputSpec, Method, OutputSpec } from '../method/define';
import { methods } from '../method/registry';
import { fromsOf, originOf, withoutBand, type Recipe, type Step } from './shape';

const BY_ID = new Map(methods().map((m) => [m.id, m]));

/** The method of a step; undefined where there is none of that id. */
export const methodOfStep = (step: Pick<Step, 'method'>): Method | undefined => BY_ID.get(step.method);

export const stepOf = (recipe: Recipe, id: string): Step | undefined => recipe.steps.find((s) => s.id === id);

/** Everything that the inputs of a step come from. */
export const allFroms = (step: Step): string[] => Object.values(step.inputs).flatMap((given) => [...fromsOf(given)]);

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

/** Steps that cannot be without one, itself first. */
export function dependants(recipe: Recipe, id: string): Step[] {
  const gone = new Set([id]);
  for (let found = true; found;) {
    found = false;
    for (const s of recipe.steps)
      if (!gone.has(s.id) && allFroms(s).some((f) => gone.has(originOf(f).step ?? ''))) {
        gone.add(s.id);
        found = true;
      }
  }
  return recipe.steps.filter((s) => gone.has(s.id));
}

/** What is kept, or what no other step reads where nothing is. */
export function keptOf(recipe: Recipe): string[] {
  if (recipe.keep.length) return recipe.keep;
  return recipe.steps.flatMap((s) =>
    Object.entries(methodOfStep(s)?.outputs ?? {})
      .filter(([role, o]) => !o.optional && !readersOf(recipe, `${s.id}.${role}`).length)
      .map(([role]) => `${s.id}.${role}`),
  );
}
