import { HelkError, toProblem } from '../errors';
import type { Note } from '../data/check';
import type { Features } from '../data/features';
import { handleOn, type AnyHandle, type Dataset, type DatasetInfo } from '../data/kinds';
import { cellMetres, gridExtent, metresPerDegree, type Raster } from '../data/raster';
import { numberColumn, textColumn, type Table } from '../data/table';
import type { Figures, Method } from '../method/define';
import type { Chain } from '../method/chain';
import { runOn, type Made } from '../method/run';
import { simulate } from '../methods/recipe/simulate';
import { Random, scrambled } from '../numeric/random';
import { randomField } from '../numeric/random-field';
import { givenSetting, readErrors, type Stated } from './errors';
import { Gathered } from './gathered';
import { recipeMethod } from './method';
import { keptOf } from './reads';
import { KEEP } from './settings';
import type { Recipe } from './shape';

type Hooks = Parameters<Chain>[2];
type Handles = Record<string, AnyHandle[]>;

/** Reasons of failed draws that are told. */
const MOST_TOLD = 3;

/**
 * The simulation of one recipe: it takes what the recipe takes.
 *
 * @throws HelkError `recipe.invalid` when the recipe cannot run
 */
export function simulationMethod(recipe: Recipe): Method {
  const of = recipeMethod(recipe, 'recipe:simulated');
  const result = (params: Record<string, unknown>): string => {
    const wanted = params['result'] as string | undefined;
    const kept = keptOf(recipe);
    if (wanted && !Object.hasOwn(of.outputs, wanted))
      throw new HelkError(
        'method.parameter',
        `result: the recipe makes no “${wanted}”; it makes ${Object.keys(of.outputs).join(', ')}.`,
        'result',
      );
    const first = wanted ?? kept.find((k) => ['raster', 'features'].includes(of.outputs[k]!.kind));
    if (!first) throw new HelkError('method.parameter', 'result: the recipe keeps neither a grid nor areas.', 'result');
    return first;
  };
  return {
    ...simulate,
    inputs: of.inputs,
    checks: (inputs, values) => {
      const infos = Object.fromEntries(
        Object.entries(inputs as Record<string, DatasetInfo | DatasetInfo[] | undefined>).map(([k, v]) => [
          k,
          Array.isArray(v) ? v : v ? [v] : [],
        ]),
      );
      // The same as of the recipe itself, with its settings as they are.
      const plain = of.params.safeParse({});
      const own = plain.success ? (of.checks?.(inputs as never, plain.data as never) ?? []) : [];
      try {
        readErrors(String(values['errors']), of, infos);
        result(values);
      } catch (e) {
        if (!(e instanceof HelkError)) throw e;
        own.push({
          level: 'refused',
          code: 'simulate.asked',
          message: e.message,
          ...(e.path ? { about: e.path } : {}),
        });
      }
      return own;
    },
    chain: (handles, plain, hooks) => draw(recipe, of, result(plain), handles, plain, hooks),
  };
}

/** Runs the draws one after the other and gathers what comes of them. */
async function draw(
  recipe: Recipe,
  of: Method,
  wanted: string,
  handles: Handles,
  plain: Record<string, unknown>,
  hooks: Hooks,
): Promise<Made<{ handle: AnyHandle }>> {
  const stated = readErrors(String(plain['errors']), of, hooks.infos ?? {});
  const n = Number(plain['draws']);
  const narrowed: Recipe = { ...recipe, keep: [wanted] };
  const method = recipeMethod(narrowed, of.id);
  const base = await loaded(handles, stated);
  const gathered = new Gathered(plain, hooks.infos ?? {});
  const told = new Map<number, { figures: Figures; reason: string }>();
  const { openSink: _, settle: __, infos: ___, ...rest } = hooks;
  for (let k = 0; k < n; k++) {
    const seed = scrambled((hooks.seed ?? 1) + scrambled(k));
    const { inputs, settings } = perturbed(base, handles, stated, seed);
    try {
      const done = await runOn(
        method,
        inputs,
        { ...settings, [KEEP]: 'kept' },
        {
          ...rest,
          seed,
          onProgress: (s, stage) => hooks.onProgress?.((k + s) / n, `draw ${k + 1} of ${n}: ${stage}`),
        },
      );
      const made = done.outputs.find((o) => o.role === wanted);
      if (!made) throw new HelkError('method.input', `The recipe made no ${wanted}.`);
      gathered.take(await made.handle.load());
      told.set(k, { figures: done.figures, reason: '' });
    } catch (e) {
      if (!(e instanceof HelkError) || e.code === 'run.cancelled' || e.path === 'result') throw e;
      told.set(k, { figures: {}, reason: toProblem(e).message });
    }
  }
  const failed = [...told.values()].filter((t) => t.reason);
  if (failed.length === n)
    throw new HelkError('method.refused', `Every draw failed; the first because: ${failed[0]!.reason}`);
  const { rasters, figures } = gathered.end();
  const notes: Note[] = [...new Set(failed.map((f) => f.reason))].slice(0, MOST_TOLD).map((reason) => ({
    level: 'look',
    code: 'simulate.failed',
    message: `${failed.length} of ${n} draws failed and are left out: ${reason}`,
  }));
  const outputs: Made<{ handle: AnyHandle }>['outputs'] = Object.entries(rasters).map(([role, r]) => ({
    role,
    name: simulate.outputs[role]!.label,
    handle: handleOn(r),
  }));
  outputs.push({ role: 'draws', name: 'Draws', handle: handleOn(tableOf(recipe, told)) });
  return { outputs, figures: { draws: n, failed: failed.length, ...figures }, notes, params: plain };
}

/** What is changed from draw to draw, in memory. */
async function loaded(handles: Handles, stated: readonly Stated[]): Promise<Record<string, Dataset[]>> {
  const out: Record<string, Dataset[]> = {};
  for (const s of stated)
    if (s.kind !== 'setting') {
      out[s.name] = [];
      for (const h of handles[s.name] ?? []) out[s.name]!.push(await h.load());
    }
  return out;
}

/** What goes into one draw: each stated error drawn anew. */
function perturbed(
  base: Readonly<Record<string, Dataset[]>>,
  handles: Handles,
  stated: readonly Stated[],
  seed: number,
): { inputs: Handles; settings: Record<string, unknown> } {
  const inputs = { ...handles };
  const settings: Record<string, unknown> = {};
  for (const [k, s] of stated.entries()) {
    // Each error has a stream of its own, so that stating one more does not change the others.
    const own = scrambled(seed ^ scrambled(k + 1));
    if (s.kind === 'setting') settings[s.name] = givenSetting(s, s.from + (s.to - s.from) * new Random(own).uniform());
    else if (s.kind === 'values')
      inputs[s.name] = base[s.name]!.map((d) => handleOn(withError(d as Raster, base[s.name] as Raster[], s, own)));
    else inputs[s.name] = base[s.name]!.map((d, i) => handleOn(moved(d as Features, s.sd, scrambled(own + i))));
  }
  return { inputs, settings };
}

/** A grid with errors on the values of its first band; missing cells stay missing. All tiles of an input share one field. */
export function withError(r: Raster, all: readonly Raster[], s: { sd: number; length: number }, seed: number): Raster {
  const { grid } = r;
  // One latitude for all of them, so that tiles agree where they overlap.
  const [south, north] = all
    .map((t) => gridExtent(t.grid))
    .reduce(([a, b], e) => [Math.min(a, e[1]), Math.max(b, e[3])], [Infinity, -Infinity] as [number, number]);
  const [w, h] = cellMetres({ ...grid, y: (south + north) / 2 + grid.dy / 2 }, 0);
  const field = randomField(
    seed,
    {
      column: Math.round(grid.x / grid.dx),
      row: Math.round(-grid.y / grid.dy),
      width: grid.columns,
      height: grid.rows,
    },
    [s.length / w, s.length / h],
  );
  const [band, ...others] = r.bands;
  const cells = Float32Array.from(field, (f, i) => band!.cells[i]! + s.sd * f);
  return { ...r, bands: [{ ...band!, storedType: 'float32', cells }, ...others] };
}

/** Points moved by a normal error in each direction, m. */
export function moved(f: Features, sd: number, seed: number): Features {
  if (f.geometry !== 'point')
    throw new HelkError('method.parameter', 'errors: only points have an error of position here.', 'result');
  const random = new Random(seed);
  const xy = f.xy.slice();
  for (let i = 0; i < xy.length; i += 2) {
    const [w, h] = f.crs?.geographic ? metresPerDegree(xy[i + 1]!) : [1, 1];
    xy[i] = xy[i]! + (sd * random.normal()) / w;
    xy[i + 1] = xy[i + 1]! + (sd * random.normal()) / h;
  }
  return { ...f, xy };
}

/** A row a draw: its number, why it failed, and every figure that is a number. */
function tableOf(recipe: Recipe, told: ReadonlyMap<number, { figures: Figures; reason: string }>): Table {
  const rows = [...told.values()];
  // What stands last in the chain is read first.
  const steps = recipe.steps.map((s) => s.id);
  const step = (figure: string): number => steps.indexOf(figure.split('.')[0]!);
  const names = [
    ...new Set(rows.flatMap((r) => Object.entries(r.figures).flatMap(([k, v]) => (typeof v === 'number' ? [k] : [])))),
  ].sort((a, b) => step(b) - step(a));
  return {
    kind: 'table',
    columns: [
      numberColumn(
        'draw',
        [...told.keys()].map((k) => k + 1),
      ),
      ...(rows.some((r) => r.reason)
        ? [
            textColumn(
              'failed',
              rows.map((r) => r.reason),
            ),
          ]
        : []),
      ...names.map((name) =>
        numberColumn(
          name,
          rows.map((r) => (typeof r.figures[name] === 'number' ? r.figures[name] : NaN)),
        ),
      ),
    ],
  };
}
