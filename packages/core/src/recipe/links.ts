import { fromsOf, originOf, withoutBand, type Recipe, type Step } from './shape';

export const stepOf = (recipe: Recipe, id: string): Step | undefined => recipe.steps.find((s) => s.id === id);

/** Everything that the inputs of a step come from. */
export const allFroms = (step: Step): string[] => Object.values(step.inputs).flatMap((given) => [...fromsOf(given)]);

/** Whether a step reads an input of the recipe, or what a step makes. */
export const readsFrom = (step: Step, from: string): boolean => allFroms(step).some((f) => withoutBand(f) === from);

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
