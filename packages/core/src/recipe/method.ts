import * as z from 'zod';
import type { Check } from '../data/check';
import { own } from '../data/own';
import { kindOf, type DatasetInfo } from '../data/kinds';
import { HelkError } from '../errors';
import type { FigureSpec, InputSpec, Method, OutputSpec, Suggestion } from '../method/define';
import { choice, describe, plainParam, type ParamSpec } from '../method/params';
import { foresee, type Infos } from '../method/resolve';
import { runChain } from './chain';
import { refuseBroken } from './check';
import { keptOf, methodOfStep, readersOf, settingsOfStep, specsOf, stepTitle } from './reads';
import { KEEP, matters, openSettings } from './settings';
import { fromsOf, originOf, type Recipe, type RecipeInput, type Step } from './shape';

/** What there is of it: what the recipe keeps, or all that its steps make. */
const KEEPS = { kept: 'what the recipe keeps', all: 'the results of all steps' };

/**
 * A recipe as a method: its inputs ask what the steps ask that read them, its settings are those of its steps (`STEP.NAME`; the ones that are
 * not offered are marked as fixed), its results what it keeps (`STEP.ROLE`).
 *
 * @param id of the method it becomes
 * @throws HelkError `recipe.invalid` when it cannot run as it is written
 */
export function recipeMethod(recipe: Recipe, id: string, version = 1): Method {
  refuseBroken(recipe);
  const steps = recipe.steps.map((step) => ({ step, method: methodOfStep(step)! }));
  return {
    id,
    version,
    title: recipe.title,
    question: recipe.question ?? `${recipe.title}?`,
    about: recipe.about || steps.map(({ step }) => stepTitle(step)).join(', then '),
    keywords: [],
    sources: [...new Set(steps.flatMap(({ method }) => method.sources))],
    inputs: Object.fromEntries(recipe.inputs.map((i) => [i.name, inputSpec(recipe, i)])),
    params: settingsOf(recipe),
    outputs: Object.fromEntries(
      steps.flatMap(({ step, method }) =>
        Object.entries(method.outputs).map(([role, o]): [string, OutputSpec] => [
          `${step.id}.${role}`,
          keptOf(recipe).includes(`${step.id}.${role}`)
            ? { ...o, label: step.makes?.[role] ?? o.label }
            : { ...o, optional: true },
        ]),
      ),
    ),
    figures: Object.fromEntries(
      steps.flatMap(({ step, method }) =>
        Object.entries(method.figures).map(([name, f]): [string, FigureSpec] => [
          `${step.id}.${name}`,
          {
            label: `${f.label} (${stepTitle(step)})`,
            ...(f.unit && !/[:]|^(band|result)$/.test(f.unit) ? { unit: f.unit } : {}),
          },
        ]),
      ),
    ),
    ...(steps.some(({ method }) => method.random) ? { random: 'what chance decides in its steps' } : {}),
    checks: (inputs, values) => firstSteps(recipe, asLists(inputs), values).checks,
    suggest: (inputs, values) => firstSteps(recipe, asLists(inputs), values).suggestions,
    chain: (handles, plain, hooks) => runChain(recipe, handles, plain, hooks),
    run: () => Promise.reject(new Error('A recipe is run step by step.')),
  };
}

const asLists = (inputs: Record<string, unknown>): Infos =>
  Object.fromEntries(
    Object.entries(inputs).map(([role, v]) => [role, (Array.isArray(v) ? v : v ? [v] : []) as DatasetInfo[]]),
  );

/** What an input of a recipe asks: all that the steps ask that read it. */
function inputSpec(recipe: Recipe, input: RecipeInput): InputSpec {
  const readers = readersOf(recipe, input.name);
  const all = <K extends keyof InputSpec>(key: K): InputSpec[K] | undefined =>
    readers.map((r) => r.spec[key]).find((v) => v !== undefined);
  const refusals = readers.flatMap(({ spec, step }) => (spec.refuses ? [{ refuses: spec.refuses, step }] : []));
  const others = new Set(readers.map((r) => r.spec.kind).filter((k) => k !== input.kind));
  const [band, unit, geometry] = [all('band'), all('unit'), all('geometry')];
  return {
    kind: input.kind,
    // A set of features that stands for a table anywhere stands for it here only where no step wants the table itself.
    ...(!others.size && readers.length && readers.every((r) => r.spec.or) ? { or: readers[0]!.spec.or! } : {}),
    label: input.label || input.name,
    ...(input.help ? { help: input.help } : {}),
    // What a step is given in the recipe it is given in every run.
    least: readers.length ? Math.max(1, ...readers.map((r) => r.spec.least)) : 0,
    many: input.many ?? false,
    // The steps take the bands they want, and read as they do.
    bands: 'all',
    parts: true,
    ...(band ? { band } : {}),
    ...(unit ? { unit } : {}),
    ...(geometry ? { geometry } : {}),
    ...(refusals.length
      ? {
          refuses: (info: DatasetInfo) =>
            refusals.map(({ refuses }) => refuses(info)).find((why) => why !== null) ?? null,
        }
      : {}),
  };
}

/** The settings of all steps as `STEP.NAME`, offered ones first, and what is to be published. */
function settingsOf(recipe: Recipe): z.ZodObject {
  const open: [string, z.ZodType][] = [];
  const fixed: [string, z.ZodType][] = [];
  for (const step of recipe.steps) {
    const m = methodOfStep(step)!;
    const specs = specsOf(m);
    const offered = openSettings(step, specsOf(m));
    for (const [name, spec] of Object.entries(specs)) {
      const here = offered.includes(name);
      const schema = settingSchema(step, m, name, {
        ...spec,
        group: stepTitle(step),
        ...(here ? {} : { fixed: true as const }),
      });
      // One that others decide about goes with them.
      if (here && !matters(step, specs, name) && step.params[name] === undefined)
        fixed.push([`${step.id}.${name}`, schema]);
      else (here ? open : fixed).push([`${step.id}.${name}`, schema]);
    }
  }
  const keep = choice(KEEPS, { label: 'Publish' }).default('kept');
  return z.object(Object.fromEntries([...open, [KEEP, keep], ...fixed]));
}

function settingSchema(step: Step, m: Method, name: string, spec: ParamSpec): z.ZodType {
  let inner = m.params.shape[name] as z.ZodType;
  for (;;) {
    const d = inner.def as { type: string; innerType?: z.ZodType };
    if (d.type !== 'default' && d.type !== 'prefault' && d.type !== 'optional') break;
    inner = d.innerType!;
  }
  const { default: usual, optional: _, of, when, ...rest } = spec;
  const named = of
    ?.split(',')
    .flatMap((role) => fromsOf(step.inputs[role]).flatMap((f) => originOf(f).input ?? []))
    .join(',');
  const described = describe(inner.clone(), {
    ...rest,
    ...(named ? { of: named } : {}),
    // Others of the step that are offered too decide with it; what they are fixed to has decided already.
    ...(when ? { when: Object.fromEntries(Object.entries(when).map(([k, v]) => [`${step.id}.${k}`, v])) } : {}),
  });
  const given = step.params[name];
  const value = given === undefined || given === null || given === '' ? usual : given;
  // What is left to the data is known only when the step is reached.
  return value === undefined || value === 'auto'
    ? described.optional()
    : (described as z.ZodType<unknown, unknown>).prefault(value as never);
}

/** The recipe's own settings in plain form. */
function plainly(recipe: Recipe, values: Record<string, unknown>): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const step of recipe.steps)
    for (const [name, spec] of Object.entries(specsOf(methodOfStep(step)!))) {
      const v = values[`${step.id}.${name}`];
      if (v !== undefined) out[`${step.id}.${name}`] = plainParam(spec, v);
    }
  return out;
}

/**
 * What those steps say that read nothing but what goes in: their checks and suggestions. The others are asked when they are reached, with
 * what the steps before them have made.
 */
function firstSteps(
  recipe: Recipe,
  infos: Infos,
  values: Record<string, unknown>,
): { checks: Check[]; suggestions: Record<string, Suggestion> } {
  const checks: Check[] = [];
  const suggestions: Record<string, Suggestion> = {};
  const plain = plainly(recipe, values);
  for (const [k, step] of recipe.steps.entries()) {
    const m = methodOfStep(step)!;
    const froms = Object.entries(step.inputs).flatMap(([role, given]) =>
      fromsOf(given).map((f) => ({ at: role, ...originOf(f) })),
    );
    if (froms.some((f) => f.input === null)) continue;
    const given: Infos = {};
    let there = true;
    for (const { at: role, input, band } of froms) {
      for (const info of own(infos, input!) ?? []) {
        const kind = kindOf(info);
        if (band !== null && !((kind.bands?.(info) ?? []).length > band)) there = false;
        else (given[role] ??= []).push(band === null ? info : kind.pickInfo!(info, band));
      }
    }
    if (!there) continue;
    const words = `Step ${k + 1}, ${stepTitle(step)}: `;
    const about = (role: string): string | undefined => froms.find((f) => f.at === role)?.input ?? undefined;
    try {
      const f = foresee(m, given, settingsOfStep(step, plain));
      for (const { mend: _, ...c } of f.checks) {
        const { about: of, ...rest } = c;
        const input = of === undefined ? undefined : (about(of) ?? `${step.id}.${of}`);
        checks.push({ ...rest, message: words + c.message, ...(input ? { about: input } : {}) });
      }
      for (const [name, s] of Object.entries(f.suggestions)) suggestions[`${step.id}.${name}`] = s;
    } catch (e) {
      if (!(e instanceof HelkError)) throw e;
      const where = e.path === null ? undefined : (about(e.path) ?? `${step.id}.${e.path}`);
      checks.push({ level: 'refused', code: e.code, message: words + e.message, ...(where ? { about: where } : {}) });
    }
  }
  return { checks, suggestions };
}
