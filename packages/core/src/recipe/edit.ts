import type { DatasetKind } from '../data/kinds';
import type { InputSpec } from '../method/define';
import type { MethodDescription } from '../method/describe';
import { freeAmong, nameFrom } from './names';
import { clash, heldBy } from './holds';
import { allFroms, dependants } from './links';
import { fromsOf, originOf, withoutBand, type Recipe, type RecipeInput, type Step } from './shape';

/** What is known of methods: their descriptions by id. */
export type Library = ReadonlyMap<string, MethodDescription>;

/** Something that a step can read: an input of the recipe, or a result of a step before it. */
export interface Offer {
  from: string;
  kind: DatasetKind;
  /** In words: the input's label, or the result and the step that makes it. */
  label: string;
  many: boolean;
}

const fits = (spec: Pick<InputSpec, 'kind' | 'or'>, kind: DatasetKind): boolean =>
  kind === spec.kind || kind === spec.or;

/** Everything that stands at a place of a recipe, the last made first. @param before index of the step that would read it */
export function atHand(recipe: Recipe, library: Library, before = recipe.steps.length): Offer[] {
  const made = recipe.steps.slice(0, before).map((s, k) =>
    Object.entries(library.get(s.method)?.outputs ?? {}).map(([role, o]): Offer => ({
      from: `${s.id}.${role}`,
      kind: o.kind,
      label: `${s.makes?.[role] ?? o.label} (step ${k + 1})`,
      many: false,
    })),
  );
  const inputs = recipe.inputs.map((i): Offer => ({
    from: i.name,
    kind: i.kind,
    label: i.label || i.name,
    many: i.many ?? false,
  }));
  return [...made.reverse().flat(), ...inputs];
}

/** What can stand in a role of a step. */
export const offersFor = (
  recipe: Recipe,
  library: Library,
  before: number,
  spec: Pick<InputSpec, 'kind' | 'or' | 'many' | 'band' | 'unit' | 'geometry'>,
): Offer[] => {
  const held = heldBy(recipe, (method) => library.get(method)?.outputs);
  return atHand(recipe, library, before).filter(
    (o) => fits(spec, o.kind) && (spec.many || !o.many) && clash(spec, held.get(o.from)) === null,
  );
};

/** Whether a method could go on with something that stands at the end of a recipe. */
export const goesOn = (recipe: Recipe, library: Library, m: MethodDescription): boolean =>
  Object.values(m.inputs).some(
    (spec) => offersFor(recipe, library, recipe.steps.length, { ...spec, many: true }).length > 0,
  );

const taken = (r: Recipe): Set<string> => new Set([...r.inputs.map((i) => i.name), ...r.steps.map((s) => s.id)]);

/** The recipe with one more input, of what a role wants. */
function withInput(recipe: Recipe, role: string, spec: InputSpec): { recipe: Recipe; name: string } {
  const name = freeAmong(taken(recipe), nameFrom(role, 'input'));
  const input: RecipeInput = { name, kind: spec.kind, label: spec.label, ...(spec.many ? { many: true } : {}) };
  return { recipe: { ...recipe, inputs: [...recipe.inputs, input] }, name };
}

/**
 * A recipe with one more step at its end. What the step needs is taken from where the branch goes on, else from what was made last, else
 * becomes an input of the recipe.
 *
 * @param from what it goes on from, as `STEP.ROLE` or an input
 */
export function addStep(recipe: Recipe, library: Library, m: MethodDescription, from: string | null = null): Recipe {
  let r = recipe;
  const id = freeAmong(taken(r), m.id.split('.').pop()!);
  const inputs: Step['inputs'] = {};
  const used = new Set<string>();
  let given = from;
  for (const [role, spec] of Object.entries(m.inputs)) {
    const offers = offersFor(r, library, r.steps.length, spec).filter((o) => !used.has(o.from));
    const meant = offers.find((o) => o.from === given) ?? (spec.least > 0 ? offers[0] : undefined);
    if (meant) {
      inputs[role] = meant.from;
      used.add(meant.from);
      if (meant.from === given) given = null;
    } else if (spec.least > 0) {
      const more = withInput(r, role, spec);
      r = more.recipe;
      inputs[role] = more.name;
    }
  }
  const step: Step = { id, method: m.id, version: m.version, inputs, params: {} };
  const first = Object.entries(m.outputs).find(([, o]) => !o.optional)?.[0];
  // What was kept as the last result is on the way now.
  const keep = r.keep.filter((k) => !used.has(k));
  return { ...r, steps: [...r.steps, step], keep: first ? [...keep, `${id}.${first}`] : keep };
}

/** The same step once more behind it, to be given other settings. */
export function repeatStep(recipe: Recipe, id: string): Recipe {
  const at = recipe.steps.findIndex((s) => s.id === id);
  const twin: Step = { ...structuredClone(recipe.steps[at]!), id: freeAmong(taken(recipe), id.replace(/\d+$/, '')) };
  const kept = recipe.keep.filter((k) => originOf(k).step === id).map((k) => `${twin.id}.${originOf(k).role!}`);
  return {
    ...recipe,
    steps: [...recipe.steps.slice(0, at + 1), twin, ...recipe.steps.slice(at + 1)],
    keep: [...recipe.keep, ...kept],
  };
}

/** A recipe without a step and without those that cannot be without it; inputs that nobody reads any more go too. */
export function removeStep(recipe: Recipe, id: string): Recipe {
  const gone = new Set(dependants(recipe, id).map((s) => s.id));
  const steps = recipe.steps.filter((s) => !gone.has(s.id));
  const read = new Set(recipe.steps.flatMap(allFroms).map(withoutBand));
  const still = new Set(steps.flatMap(allFroms).map(withoutBand));
  return {
    ...recipe,
    steps,
    inputs: recipe.inputs.filter((i) => still.has(i.name) || !read.has(i.name)),
    keep: recipe.keep.filter((k) => !gone.has(originOf(k).step!)),
  };
}

/** Whether a step can change places with its neighbour: neither reads the other. */
export function canMove(recipe: Recipe, id: string, by: -1 | 1): boolean {
  const at = recipe.steps.findIndex((s) => s.id === id);
  const other = recipe.steps[at + by];
  if (!other) return false;
  const [first, second] = by < 0 ? [other, recipe.steps[at]!] : [recipe.steps[at]!, other];
  return !allFroms(second).some((f) => originOf(f).step === first.id);
}

export function moveStep(recipe: Recipe, id: string, by: -1 | 1): Recipe {
  if (!canMove(recipe, id, by)) return recipe;
  const steps = [...recipe.steps];
  const at = steps.findIndex((s) => s.id === id);
  [steps[at], steps[at + by]] = [steps[at + by]!, steps[at]!];
  return { ...recipe, steps };
}

/** Changes one step. */
export const changeStep = (recipe: Recipe, id: string, change: (s: Step) => Step): Recipe => ({
  ...recipe,
  steps: recipe.steps.map((s) => (s.id === id ? change(s) : s)),
});

/** What stands in a role of a step; none takes it out, `null` makes a new input of it. */
export function wire(
  recipe: Recipe,
  id: string,
  role: string,
  froms: readonly string[] | null,
  spec: InputSpec,
): Recipe {
  let r = recipe;
  let given = froms ?? [];
  if (froms === null) {
    const more = withInput(r, role, spec);
    r = more.recipe;
    given = [...(spec.many ? fromsOf(r.steps.find((s) => s.id === id)?.inputs[role]) : []), more.name];
  }
  r = changeStep(r, id, (s) => {
    const { [role]: _, ...rest } = s.inputs;
    return { ...s, inputs: given.length ? { ...rest, [role]: given.length === 1 ? given[0]! : [...given] } : rest };
  });
  const still = new Set(r.steps.flatMap(allFroms).map(withoutBand));
  const before = new Set(recipe.steps.flatMap(allFroms).map(withoutBand));
  return { ...r, inputs: r.inputs.filter((i) => still.has(i.name) || !before.has(i.name)) };
}

export const toggleKept = (recipe: Recipe, made: string): Recipe => ({
  ...recipe,
  keep: recipe.keep.includes(made) ? recipe.keep.filter((k) => k !== made) : [...recipe.keep, made],
});

/** Another name for an input, wherever it is read. */
export function renameInput(recipe: Recipe, name: string, wish: string): Recipe {
  const next = freeAmong(new Set([...taken(recipe)].filter((t) => t !== name)), nameFrom(wish, name));
  const renamed = (f: string): string => (withoutBand(f) === name ? next + f.slice(name.length) : f);
  return {
    ...recipe,
    inputs: recipe.inputs.map((i) => (i.name === name ? { ...i, name: next } : i)),
    steps: recipe.steps.map((s) => ({
      ...s,
      inputs: Object.fromEntries(
        Object.entries(s.inputs).map(([role, g]) => [role, typeof g === 'string' ? renamed(g) : g.map(renamed)]),
      ),
    })),
  };
}

export const emptyRecipe = (title: string): Recipe => ({
  helkRecipe: 1,
  title,
  about: '',
  inputs: [],
  steps: [],
  keep: [],
});
