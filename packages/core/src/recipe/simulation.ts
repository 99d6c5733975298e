import { HelkError, toProblem } from '../errors';
import type { Note } from '../data/check';
import { transformExtent, type Crs, type Extent } from '../data/crs';
import { featuresIn, type Features } from '../data/features';
import { handleOn, kindOf, type AnyHandle, type Dataset, type DatasetInfo } from '../data/kinds';
import {
  cellArea,
  cellCount,
  cellMetres,
  gridExtent,
  measureRaster,
  metresPerDegree,
  sameGrid,
  type Grid,
  type Raster,
} from '../data/raster';
import { numberColumn, textColumn, type Table } from '../data/table';
import type { Figures, Method } from '../method/define';
import type { Chain } from '../method/chain';
import { runOn, type Made } from '../method/run';
import { simulate } from '../methods/recipe/simulate';
import { insideRows } from '../numeric/scanline';
import { Random, scrambled } from '../numeric/random';
import { randomField } from '../numeric/random-field';
import { givenSetting, readErrors, type Stated } from './errors';
import { recipeMethod } from './method';
import { keptOf } from './reads';
import { KEEP } from './settings';
import type { Recipe } from './shape';

type Hooks = Parameters<Chain>[2];
type Handles = Record<string, AnyHandle[]>;

/** Cells of the grid in which shares of areas are told, at most. */
const MOST_CELLS = 25_000_000;
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

/** Sums over the draws, cell by cell (Welford 1962). */
class Gathered {
  private grid: Grid | null = null;
  private unit: string | null = null;
  private areas = false;
  private measures = false;
  private draws = 0;
  private count = new Uint32Array(0);
  private inside = new Uint32Array(0);
  private mean = new Float64Array(0);
  private squares = new Float64Array(0);

  constructor(
    private readonly plain: Record<string, unknown>,
    private readonly infos: Readonly<Record<string, readonly DatasetInfo[]>>,
  ) {}

  take(d: Dataset): void {
    if (d.kind === 'raster') this.takeRaster(d);
    else if (d.kind === 'features' && d.geometry === 'polygon') this.takeAreas(d);
    else
      throw new HelkError(
        'method.parameter',
        `result: a ${kindOf(d).words.one}${d.kind === 'features' ? ` of ${d.geometry}s` : ''} has no share at a place; choose a grid or areas.`,
        'result',
      );
    this.draws++;
  }

  private begin(grid: Grid): void {
    const n = cellCount(grid);
    this.grid = grid;
    this.inside = new Uint32Array(n);
    if (!this.measures) return;
    this.count = new Uint32Array(n);
    this.mean = new Float64Array(n);
    this.squares = new Float64Array(n);
  }

  private takeRaster(r: Raster): void {
    const band = r.bands[0]!;
    if (!this.grid) {
      this.measures = band.kind === 'measure';
      this.unit = band.unit;
      if (!this.measures && this.plain['class'] === undefined)
        throw new HelkError(
          'method.parameter',
          'class: the result is a grid of classes; say which of them is meant.',
          'result',
        );
      this.begin(r.grid);
    }
    if (!sameGrid(this.grid!, r.grid))
      throw new HelkError(
        'method.refused',
        'This draw came out on another grid than the first; give the cell size and the system by hand.',
      );
    const limit = Number(this.plain['above'] ?? NaN);
    const wanted = Number(this.plain['class'] ?? NaN);
    const { cells } = band;
    for (let i = 0; i < cells.length; i++) {
      const v = cells[i]!;
      if (!this.measures) {
        if (v === wanted) this.inside[i] = this.inside[i]! + 1;
        continue;
      }
      if (v !== v) continue;
      const n = (this.count[i] = this.count[i]! + 1);
      const off = v - this.mean[i]!;
      this.mean[i] = this.mean[i]! + off / n;
      this.squares[i] = this.squares[i]! + off * (v - this.mean[i]!);
      if (v > limit) this.inside[i] = this.inside[i]! + 1;
    }
  }

  private takeAreas(f: Features): void {
    if (!this.grid) {
      this.areas = true;
      this.begin(this.gridFor(f));
    }
    const grid = this.grid!;
    const rows = insideRows(featuresIn(f, grid.crs), grid);
    const mask = new Uint8Array(grid.columns);
    for (let y = 0; y < grid.rows; y++) {
      rows(y, mask);
      const at = y * grid.columns;
      for (let x = 0; x < mask.length; x++) if (mask[x]) this.inside[at + x] = this.inside[at + x]! + 1;
    }
  }

  /** Where areas are told: over the grids that go in, else around the first draw; in the system of the areas. */
  private gridFor(f: Features): Grid {
    const grids = Object.values(this.infos).flatMap((list) =>
      list.flatMap((i) => (i.kind === 'raster' ? [i.grid] : [])),
    );
    let e: Extent | null = null;
    for (const g of grids) {
      const x = within(gridExtent(g), g.crs, f.crs);
      e = e ? [Math.min(e[0], x[0]), Math.min(e[1], x[1]), Math.max(e[2], x[2]), Math.max(e[3], x[3])] : x;
    }
    e ??= around(kindOf(f).extent(kindOf(f).info(f as never) as never) ?? [0, 0, 1, 1]);
    const [w, h] = f.crs?.geographic ? metresPerDegree((e[1] + e[3]) / 2) : [1, 1];
    const first = grids[0] && cellMetres(grids[0], grids[0].rows >> 1);
    const given = this.plain['cellSize'];
    // In plain form a length is told in metres.
    const metres =
      given !== undefined
        ? parseFloat(String(given))
        : first
          ? Math.max(1e-6, Math.round(Math.max(...first))) || Math.max(...first)
          : ((e[2] - e[0]) * w) / 400;
    const [dx, dy] = [metres / w, metres / h];
    const x = Math.floor(e[0] / dx) * dx;
    const y = Math.ceil(e[3] / dy) * dy;
    const grid: Grid = {
      crs: f.crs,
      x,
      y,
      dx,
      dy,
      columns: Math.ceil((e[2] - x) / dx),
      rows: Math.ceil((y - e[1]) / dy),
    };
    if (cellCount(grid) > MOST_CELLS)
      throw new HelkError(
        'method.parameter',
        `cellSize: the shares would be told in ${cellCount(grid)} cells; take larger ones.`,
        'result',
      );
    return grid;
  }

  end(): { rasters: Record<string, Raster>; figures: Figures } {
    const grid = this.grid!;
    const rasters: Record<string, Raster> = {};
    const figures: Figures = { sure: null, possible: null, expected: null, meanSpread: null };
    const limited = this.plain['above'] !== undefined;
    if (this.measures) {
      const sd = Float32Array.from(this.squares, (q, i) =>
        this.count[i]! > 1 ? Math.sqrt(q / (this.count[i]! - 1)) : NaN,
      );
      rasters['mean'] = measureRaster(
        grid,
        Float32Array.from(this.mean, (m, i) => (this.count[i] ? m : NaN)),
        { name: 'mean', unit: this.unit },
      );
      rasters['sd'] = measureRaster(grid, sd, { name: 'sd', unit: this.unit });
      let [sum, n] = [0, 0];
      for (const v of sd)
        if (v === v) {
          sum += v;
          n++;
        }
      figures['meanSpread'] = n ? sum / n : null;
    }
    if (!this.measures || limited) {
      // Of a grid that nothing was told of at a place in any draw there is no share either.
      const share = Float32Array.from(this.inside, (v, i) => (this.measures && !this.count[i] ? NaN : v / this.draws));
      rasters['probability'] = measureRaster(grid, this.areas ? share.map((v) => (v === 0 ? NaN : v)) : share, {
        name: 'probability',
        unit: 'share',
      });
      let [sure, possible, expected] = [0, 0, 0];
      for (let y = 0; y < grid.rows; y++) {
        const area = cellArea(grid, y);
        for (let x = 0; x < grid.columns; x++) {
          const p = share[y * grid.columns + x]!;
          if (p >= 0.95) sure += area;
          if (p >= 0.05) possible += area;
          if (p === p) expected += p * area;
        }
      }
      Object.assign(figures, { sure, possible, expected });
    }
    return { rasters, figures };
  }
}

function within(e: Extent, from: Crs | null, to: Crs | null): Extent {
  return from && to ? transformExtent(e, from, to) : e;
}

/** The same with a quarter more on each side. */
const around = ([w, s, e, n]: Extent): Extent => {
  const [x, y] = [(e - w) / 4, (n - s) / 4];
  return [w - x, s - y, e + x, n + y];
};

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
