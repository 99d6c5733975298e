import type * as z from 'zod';
import { own } from '../data/own';
import { kindOf, type DatasetKind } from '../data/kinds';
import { HelkError } from '../errors';
import type { Holds, InputSpec } from '../method/define';
import { methodOf } from '../method/registry';
import { clash, heldBy } from './holds';
import { stepOf } from './links';
import { methodOfStep, outputOf, readersOf, specsOf } from './reads';
import { matters, openSettings } from './settings';
import { fromsOf, originOf, withoutBand, type Recipe, type Step } from './shape';

/** What is wrong with a recipe, or worth a look, and where. */
export interface RecipeCheck {
  level: 'look' | 'refused';
  code: string;
  /** Id of the step it is about; null for the recipe as a whole. */
  step: string | null;
  /** Role, setting or input it is about. */
  about: string | null;
  message: string;
}

type Say = (c: Omit<RecipeCheck, 'step'> & { step?: string | null }) => void;

/** `step 3 (streams)`. */
export const stepWords = (recipe: Recipe, id: string): string =>
  `step ${recipe.steps.findIndex((s) => s.id === id) + 1} (${id})`;

const capital = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);

/**
 * Everything that can be known of a recipe before any data: methods and their versions, roles, kinds, order, settings. O(steps + inputs).
 * What follows from the data (units, systems, sizes) is checked when they are there.
 */
export function checkRecipe(recipe: Recipe): RecipeCheck[] {
  const out: RecipeCheck[] = [];
  const say: Say = (c) => out.push({ step: null, ...c });
  const refuse = (code: string, about: string | null, message: string): void =>
    say({ level: 'refused', code, about, message });
  if (!recipe.steps.length) refuse('recipe.empty', 'steps', 'The recipe has no steps yet.');
  const names = new Set<string>();
  for (const name of [...recipe.inputs.map((i) => i.name), ...recipe.steps.map((s) => s.id)]) {
    if (names.has(name)) refuse('recipe.twice', name, `“${name}” is the name of two things in the recipe.`);
    names.add(name);
  }
  const held = heldBy(recipe, (method) => methodOfStep({ method })?.outputs);
  const circle = circleIn(recipe);
  if (circle)
    refuse('recipe.circle', circle[0]!, `The steps ${circle.join(' → ')} wait for each other; none can be first.`);
  for (const step of recipe.steps)
    checkStep(recipe, step, { circle: circle !== null, held }, (c) => say({ step: step.id, ...c }));
  for (const i of recipe.inputs) checkInput(recipe, i, say);
  for (const kept of recipe.keep) {
    const { step, role } = originOf(kept);
    const s = stepOf(recipe, step!);
    const m = s && methodOfStep(s);
    if (!s) refuse('recipe.keep', kept, `“${kept}” is to be kept, and there is no step “${step}”.`);
    else if (m && !Object.hasOwn(m.outputs, role!))
      refuse(
        'recipe.keep',
        kept,
        `“${kept}” is to be kept, and ${m.id} makes no “${role}”; it makes ${Object.keys(m.outputs).join(', ')}.`,
      );
  }
  if (recipe.steps.length && !recipe.keep.length)
    say({
      level: 'look',
      code: 'recipe.keepNone',
      about: 'keep',
      message: 'Nothing is said to be kept; the last results are.',
    });
  return out;
}

function checkInput(recipe: Recipe, input: Recipe['inputs'][number], say: Say): void {
  const readers = readersOf(recipe, input.name);
  if (!readers.length)
    say({
      level: 'look',
      code: 'recipe.unread',
      about: input.name,
      message: `The input ${input.label || input.name} goes into no step.`,
    });
  for (const { step, role, spec } of readers)
    if (input.many && !spec.many && !originBand(step, role))
      say({
        level: 'refused',
        code: 'recipe.many',
        step: step.id,
        about: role,
        message: `${capital(stepWords(recipe, step.id))} takes one dataset as ${role}, and “${input.name}” may be several.`,
      });
}

const originBand = (step: Step, role: string): boolean => fromsOf(step.inputs[role]).some((f) => f.includes('#'));

interface Known {
  /** Steps wait for each other: their order is no other fault. */
  circle: boolean;
  held: ReadonlyMap<string, Holds>;
}

function checkStep(recipe: Recipe, step: Step, known: Known, say: Say): void {
  const words = capital(stepWords(recipe, step.id));
  const refuse = (code: string, about: string | null, message: string): void =>
    say({ level: 'refused', code, about, message: `${words}: ${message}` });
  const m = methodOfStep(step);
  if (!m) {
    try {
      methodOf(step.method.slice(0, 80));
    } catch (e) {
      refuse('recipe.method', 'method', (e as HelkError).message);
    }
    return;
  }
  const { version } = step;
  if (version !== undefined && version !== m.version)
    say({
      level: 'look',
      code: 'recipe.version',
      about: 'method',
      message:
        version > m.version
          ? `${words}: it was written for version ${version} of ${m.title}, and this Helk has version ${m.version}. Update Helk, or look closely at what comes out.`
          : `${words}: ${m.title} is at version ${m.version} now, the recipe was written for version ${version}. What comes out may differ.`,
    });
  for (const [role, given] of Object.entries(step.inputs)) {
    const spec = own(m.inputs, role);
    if (!spec) {
      refuse(
        'recipe.role',
        role,
        `${m.id} has no input “${role}”; it takes ${Object.keys(m.inputs).join(', ') || 'none'}.`,
      );
      continue;
    }
    const froms = fromsOf(given);
    if (froms.length > 1 && !spec.many) refuse('recipe.many', role, `${role} takes one dataset, not ${froms.length}.`);
    for (const from of froms) checkFrom(recipe, step, from, known, spec, role, refuse);
  }
  for (const [role, spec] of Object.entries(m.inputs))
    if (spec.least > 0 && !fromsOf(step.inputs[role]).length)
      refuse('recipe.input', role, `${m.title} needs ${spec.label.toLowerCase()} (${role}).`);
  const specs = specsOf(m);
  for (const [name, value] of Object.entries(step.params)) {
    if (!Object.hasOwn(specs, name)) {
      refuse(
        'recipe.setting',
        name,
        `${m.id} has no setting “${name}”; it has ${Object.keys(specs).join(', ') || 'none'}.`,
      );
      continue;
    }
    if (value === null || value === '' || value === 'auto') continue;
    const one = (m.params.shape[name] as z.ZodType).safeParse(value);
    if (!one.success) refuse('recipe.setting', name, `${specs[name]!.label}: ${one.error.issues[0]!.message}`);
  }
  const open = openSettings(step, specsOf(m));
  for (const [name, spec] of Object.entries(specs))
    if (
      matters(step, specs, name) &&
      !spec.optional &&
      spec.default === undefined &&
      step.params[name] === undefined &&
      !open.includes(name)
    )
      say({
        level: 'look',
        code: 'recipe.unset',
        about: name,
        message: `${words}: ${spec.label} is neither set nor offered. It is taken from the data where they say it; else the run stops here.`,
      });
  for (const name of step.open ?? [])
    if (!Object.hasOwn(specs, name)) refuse('recipe.setting', name, `${m.id} has no setting “${name}” to offer.`);
}

function checkFrom(
  recipe: Recipe,
  step: Step,
  from: string,
  { circle, held }: Known,
  wants: InputSpec,
  role: string,
  refuse: (code: string, about: string, message: string) => void,
): void {
  const o = originOf(from);
  let kind: DatasetKind | undefined;
  if (o.input !== null) {
    kind = recipe.inputs.find((i) => i.name === o.input)?.kind;
    if (!kind) {
      const steps = recipe.steps.some((s) => s.id === o.input);
      refuse(
        'recipe.from',
        role,
        steps
          ? `“${from}” is a step; say which of its results is meant, as ${from}.ROLE.`
          : `there is no input “${from}” in the recipe.`,
      );
      return;
    }
  } else {
    const at = recipe.steps.findIndex((s) => s.id === o.step);
    if (at < 0) {
      refuse('recipe.from', role, `there is no step “${o.step}” for ${role}.`);
      return;
    }
    if (!circle && at >= recipe.steps.indexOf(step))
      refuse('recipe.order', role, `${role} comes from ${stepWords(recipe, o.step!)}, which is not before it.`);
    const made = outputOf(recipe, o.step!, o.role!);
    const m = methodOfStep(recipe.steps[at]!);
    if (m && !made)
      refuse('recipe.from', role, `${m.id} makes no “${o.role}”; it makes ${Object.keys(m.outputs).join(', ')}.`);
    kind = made?.kind;
  }
  if (kind && kind !== wants.kind && kind !== wants.or)
    refuse(
      'recipe.kind',
      role,
      `${role} wants a ${kindOf(wants).words.one}, and “${from}” is a ${kindOf({ kind }).words.one}.`,
    );
  else if (clash(wants, held.get(withoutBand(from))))
    refuse('recipe.holds', role, `${role} from “${from}”: ${clash(wants, held.get(withoutBand(from)))!}.`);
  else if (o.band !== null && kind && !kindOf({ kind }).bands)
    refuse('recipe.band', role, `“${from}” is a ${kindOf({ kind }).words.one} and has no bands.`);
}

/** Steps that wait for each other; null where there are none. Depth first, O(steps + inputs). */
function circleIn(recipe: Recipe): string[] | null {
  const state = new Map<string, 'open' | 'done'>();
  const path: string[] = [];
  const visit = (s: Step): string[] | null => {
    const seen = state.get(s.id);
    if (seen === 'done') return null;
    if (seen === 'open') return [...path.slice(path.indexOf(s.id)), s.id];
    state.set(s.id, 'open');
    path.push(s.id);
    for (const given of Object.values(s.inputs))
      for (const from of fromsOf(given)) {
        const before = stepOf(recipe, originOf(from).step ?? '');
        const found = before && visit(before);
        if (found) return found;
      }
    path.pop();
    state.set(s.id, 'done');
    return null;
  };
  for (const s of recipe.steps) {
    const found = visit(s);
    if (found) return found;
  }
  return null;
}

/** @throws HelkError `recipe.invalid` with the first reason why a recipe cannot run */
export function refuseBroken(recipe: Recipe): void {
  const no = checkRecipe(recipe).find((c) => c.level === 'refused');
  if (no) throw new HelkError('recipe.invalid', no.message, no.step ?? no.about);
}
