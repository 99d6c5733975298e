import { kindOf, type AnyHandle, type DatasetInfo } from '../data/kinds';
import type { Note } from '../data/check';
import { HelkError } from '../errors';
import type { Chain, StepDone } from '../method/chain';
import type { Figures } from '../method/define';
import { figureUnit } from '../method/describe';
import { runOn, type Made } from '../method/run';
import { allFroms } from './links';
import { keptOf, methodOfStep, settingsOfStep, stepTitle } from './reads';
import { KEEP } from './settings';
import { fromsOf, originOf, withoutBand, type Recipe, type Step } from './shape';

/** What stands at one place of a recipe while it runs: what went in, or what a step made. */
interface Standing {
  handle: AnyHandle;
  name: string;
  info: DatasetInfo;
}

type Hooks = Parameters<Chain>[2];

/**
 * Runs the steps of a recipe in their order. Each is a run of its method as any other: inputs checked, settings resolved from what stands
 * there, refusals obeyed; so what comes out is what the single runs give. What is not kept goes when the last step that reads it is done.
 *
 * @param plain settings of the recipe, in plain form
 * @throws HelkError of the step that fails, its number and title in the sentence
 */
export async function runChain(
  recipe: Recipe,
  handles: Record<string, AnyHandle[]>,
  plain: Record<string, unknown>,
  hooks: Hooks,
): Promise<Made<{ handle: AnyHandle }>> {
  const kept = new Set(plain[KEEP] === 'all' ? allMade(recipe) : keptOf(recipe));
  const standing = new Map<string, Standing[]>();
  for (const [name, list] of Object.entries(handles)) {
    const held: Standing[] = [];
    for (const [k, handle] of list.entries())
      held.push({
        handle,
        name: hooks.names?.[name]?.[k] ?? name,
        info: hooks.infos?.[name]?.[k] ?? (await kindOf(handle).study(handle)),
      });
    standing.set(name, held);
  }
  const last = lastReads(recipe);
  const made: Made<{ handle: AnyHandle }> & { steps: StepDone[] } = {
    outputs: [],
    figures: {},
    notes: [],
    params: plain,
    steps: [],
  };
  for (const [k, step] of recipe.steps.entries()) {
    const words = `Step ${k + 1}, ${stepTitle(step)}`;
    const share = (s: number): number => (k + s) / recipe.steps.length;
    hooks.onProgress?.(share(0), words);
    const at = { step, words, standing, plain, sink: (role: string) => kept.has(role) || hooks.settle !== undefined };
    const done = await within(words, step, () =>
      runStep(at, { ...hooks, onProgress: (s, stage) => hooks.onProgress?.(share(s), `${words}: ${stage}`) }),
    );
    for (const o of done.outputs) {
      const role = `${step.id}.${o.role}`;
      const m = methodOfStep(step)!;
      const name = step.makes?.[o.role] ?? (m.named ? o.name : m.outputs[o.role]!.label);
      done.did.makes[o.role] = name;
      const handle = hooks.settle ? await hooks.settle(role, name, o.handle) : o.handle;
      if (kept.has(role)) made.outputs.push({ role, name, handle });
      if (last.has(role)) standing.set(role, [{ handle, name, info: await kindOf(handle).study(handle) }]);
    }
    for (const [from, at] of last) if (at === k) standing.delete(from);
    made.steps.push(done.did);
    for (const [name, v] of Object.entries(done.did.figures)) made.figures[`${step.id}.${name}`] = v;
    made.notes.push(...done.did.notes.map((n): Note => ({ ...n, message: `${words}: ${n.message}` })));
  }
  return made;
}

const allMade = (recipe: Recipe): string[] =>
  recipe.steps.flatMap((s) => Object.keys(methodOfStep(s)!.outputs).map((role) => `${s.id}.${role}`));

/** Of everything that is read, the last step that does. */
function lastReads(recipe: Recipe): Map<string, number> {
  const out = new Map<string, number>();
  for (const [k, step] of recipe.steps.entries()) for (const from of allFroms(step)) out.set(withoutBand(from), k);
  return out;
}

/** What a step fails with is told with the step. */
async function within<T>(words: string, step: Step, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (e) {
    if (e instanceof HelkError && e.code !== 'run.cancelled')
      throw new HelkError(e.code, `${words}: ${e.message}`, `${step.id}${e.path === null ? '' : `.${e.path}`}`);
    throw e;
  }
}

interface At {
  step: Step;
  words: string;
  standing: ReadonlyMap<string, Standing[]>;
  plain: Record<string, unknown>;
  /** Whether a result goes to where the hooks say as it comes. */
  sink: (role: string) => boolean;
}

async function runStep(
  { step, standing, plain, sink }: At,
  hooks: Hooks,
): Promise<{ outputs: Made<{ handle: AnyHandle }>['outputs']; did: StepDone }> {
  const method = methodOfStep(step)!;
  const started = Date.now();
  const handles: Record<string, AnyHandle[]> = {};
  const infos: Record<string, DatasetInfo[]> = {};
  const names: Record<string, string[]> = {};
  const inputs: Record<string, string[]> = {};
  for (const [role, given] of Object.entries(step.inputs))
    for (const from of fromsOf(given)) {
      const { band, step: of, role: as } = originOf(from);
      const held = standing.get(withoutBand(from)) ?? [];
      if (!held.length && of !== null && method.inputs[role]!.least > 0)
        throw new HelkError('method.input', `“${of}” has made no ${as} this time, and ${role} needs it.`, role);
      for (const s of held) {
        const kind = kindOf(s.info);
        const bands = kind.bands?.(s.info) ?? [];
        if (band !== null && band >= bands.length)
          throw new HelkError(
            'method.input',
            `“${s.name}” has ${bands.length} bands, none numbered ${band + 1}.`,
            role,
          );
        (handles[role] ??= []).push(band === null ? s.handle : kind.pick!(s.handle, band));
        (infos[role] ??= []).push(band === null ? s.info : kind.pickInfo!(s.info, band));
        (names[role] ??= []).push(band === null ? s.name : `${s.name} ${bands[band]!}`);
      }
      if (held.length) (inputs[role] ??= []).push(from);
    }
  const { openSink } = hooks;
  const { openSink: _, settle: __, infos: ___, ...rest } = hooks;
  const seed = step.seed ?? hooks.seed ?? 1;
  const done = await runOn(method, handles, settingsOfStep(step, plain), {
    ...rest,
    infos,
    names,
    seed,
    ...(openSink
      ? {
          openSink: (role, kind, head) =>
            sink(`${step.id}.${role}`) ? openSink(`${step.id}.${role}`, kind, head) : null,
        }
      : {}),
  });
  const of = { band: Object.values(infos).flat()[0], result: done.outputs[0]?.handle.head };
  return {
    outputs: done.outputs,
    did: {
      id: step.id,
      method: method.id,
      version: method.version,
      title: stepTitle(step),
      inputs,
      params: done.params,
      seed,
      makes: {},
      figures: done.figures,
      units: unitsOf(done.figures, (name) => figureUnit(method.figures[name]?.unit, done.params, of as never)),
      notes: done.notes,
      seconds: (Date.now() - started) / 1000,
    },
  };
}

function unitsOf(figures: Figures, unit: (name: string) => string): Record<string, string> {
  return Object.fromEntries(Object.keys(figures).flatMap((name) => (unit(name) ? [[name, unit(name)]] : [])));
}
