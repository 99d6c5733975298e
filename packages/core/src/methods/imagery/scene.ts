import { HelkError } from '../../errors';
import type { Check } from '../../data/check';
import { plural } from '../../data/check';
import type { RasterHandle } from '../../data/handle';
import { FreeNames } from '../../data/names';
import { cellCount, type BandInfo, type RasterInfo } from '../../data/raster';
import { room } from '../../data/room';
import type { Job } from '../../method/job';
import { blockRows, defineRowKernel, tellRows, type RowsGiven, type RowSource } from '../../method/rows';
import { scrambled } from '../../numeric/random';
import { comoments, joinComoments, noComoments, type Comoments } from '../../numeric/comoments';

/** The bands of a raster that are computed with as one scene: its measures. */
export interface Scene {
  of: RasterHandle;
  /** Which of its bands. */
  bands: number[];
  /** Of those, each once. */
  names: string[];
  /** Their rows, block by block. */
  inputs: RowSource[];
}

export function sceneOf(of: RasterHandle): Scene {
  const all = of.head.bands;
  const bands = all.flatMap((b, k) => (b.kind === 'measure' ? [k] : []));
  const free = new FreeNames();
  return {
    of,
    bands,
    names: bands.map((k) => free.take(all[k]!.name)),
    inputs: bands.map((band) => ({ of, band })),
  };
}

/** Refuses what is no scene, and says what is left out of one. */
export function sceneChecks(scene: RasterInfo, least = 1): Check[] {
  const measures = scene.bands.filter((b) => b.kind === 'measure');
  const classes = scene.bands.filter((b) => b.kind === 'category');
  if (measures.length < least)
    return [
      {
        level: 'refused',
        code: classes.length ? 'scene.classes' : 'scene.bands',
        about: 'scene',
        message: classes.length
          ? 'This is a raster of classes: its numbers are names, not brightnesses. Give the scene they were made from.'
          : `It has ${plural(measures.length, 'band')}; at least ${least} are needed. Bring bands together into a scene first.`,
      },
    ];
  return classes.length
    ? [
        {
          level: 'look',
          code: 'scene.classBands',
          about: 'scene',
          message: `Bands of classes are left out: ${classes.map((b) => b.name).join(', ')}.`,
        },
      ]
    : [];
}

/** Bytes that bands of a scene take as vectors of single precision. */
export const vectorBytes = (scene: RasterInfo): number =>
  4 * cellCount(scene.grid) * scene.bands.filter((b) => b.kind === 'measure').length;

/**
 * The cells of some rows that have a value in every band, as vectors one behind the other.
 *
 * @param x room for as many vectors as there are cells
 * @param at is given the number of each vector's cell within the rows
 * @returns how many there are
 */
export function completeVectors(inputs: readonly Pick<RowsGiven, 'cells'>[], x: Float32Array, at: Uint32Array): number {
  const b = inputs.length;
  const cells = inputs.map((i) => i.cells);
  const n = cells[0]!.length;
  let found = 0;
  for (let i = 0; i < n; i++) {
    const o = found * b;
    let whole = true;
    for (let j = 0; j < b; j++) {
      const v = cells[j]![i]!;
      if (!(v - v === 0)) {
        whole = false;
        break;
      }
      x[o + j] = v;
    }
    if (whole) at[found++] = i;
  }
  return found;
}

const momentRows = defineRowKernel('imagery.moments', (_: null, block): Comoments => {
  const b = block.inputs.length;
  const n = block.rows * block.width;
  const x = new Float32Array(n * b);
  return comoments(x, completeVectors(block.inputs, x, new Uint32Array(n)), b);
});

/**
 * Mean and covariance of the cells that have a value in every band.
 *
 * @throws HelkError `method.input` where there is no such cell
 */
export async function sceneMoments(job: Job, scene: Scene, progress: (share: number) => number): Promise<Comoments> {
  const { grid } = scene.of.head;
  const told = await tellRows(job, 'reading the scene', grid, scene.inputs, momentRows, null, progress);
  const all = told.reduce(joinComoments, noComoments(scene.bands.length));
  if (all.n === 0)
    throw new HelkError(
      'method.input',
      'No cell has a value in every band; there is nothing to compute with.',
      'scene',
    );
  return all;
}

/** Cells of a scene as vectors. */
export interface Gathered {
  /** n × b, of the values brought to the scale that was asked for. */
  x: Float32Array;
  /** The cell of each, where they are all there are; null for a sample. */
  cells: Uint32Array | null;
}

/** Values that are held at once: 1 GiB. */
export const MOST_VALUES = 2 ** 28;

/**
 * Every cell that has a value in every band, or where there are too many to hold a sample spread evenly over them.
 *
 * @param n how many such cells there are
 * @param shift @param factor of each band: what is held is (value - shift) × factor
 */
export async function gathered(
  job: Job,
  scene: Scene,
  n: number,
  shift: Float64Array,
  factor: Float64Array,
  progress: (share: number) => number,
  mostValues: number,
): Promise<Gathered> {
  const { grid } = scene.of.head;
  const b = scene.bands.length;
  const keep = Math.min(n, Math.floor(mostValues / b));
  const x = room(Float32Array, keep * b);
  const cells = keep === n ? new Uint32Array(n) : null;
  const step = blockRows(grid.columns);
  const vectors = new Float32Array(step * grid.columns * b);
  const at = new Uint32Array(step * grid.columns);
  let seen = 0;
  let kept = 0;
  let next = chosen(0, keep, n);
  for (let from = 0; from < grid.rows; from += step) {
    job.progress(progress(from / grid.rows), 'gathering cells');
    const rows = Math.min(step, grid.rows - from);
    const inputs = [];
    for (const band of scene.bands) inputs.push({ cells: await scene.of.rows(band, from, rows) });
    const found = completeVectors(inputs, vectors, at);
    for (let i = 0; i < found; i++, seen++) {
      if (seen !== next) continue;
      for (let j = 0, o = i * b, p = kept * b; j < b; j++) x[p + j] = (vectors[o + j]! - shift[j]!) * factor[j]!;
      if (cells) cells[kept] = from * grid.columns + at[i]!;
      next = chosen(++kept, keep, n);
    }
  }
  return { x, cells };
}

/**
 * Which of n things is the k-th of a sample of m: one of every n / m, by a number that follows no order of theirs. An even step would see
 * only some columns of a grid whose width it divides.
 */
function chosen(k: number, m: number, n: number): number {
  if (m === n) return k;
  const from = Math.floor((k * n) / m);
  const to = Math.floor(((k + 1) * n) / m);
  return from + (scrambled(k) % Math.max(1, to - from));
}

/** Some vectors, spread evenly over all. */
export function sampled(x: Float32Array, b: number, most: number): Float32Array {
  const n = x.length / b;
  if (n <= most) return x;
  const out = new Float32Array(most * b);
  for (let i = 0; i < most; i++) {
    const from = chosen(i, most, n) * b;
    out.set(x.subarray(from, from + b), i * b);
  }
  return out;
}

/** Columns of statistics, `mean_BAND` and `sd_BAND`, by the names of the bands. */
export const bandUnit = (scene: Scene, k: number): string | null => scene.of.head.bands[scene.bands[k]!]!.unit;

/** What a band of classes is before it has cells: numbers from 1 with their names. */
export const classBand = (name: string, classes: BandInfo['classes'] & object): BandInfo => ({
  name,
  unit: null,
  kind: 'category',
  storedType: classes.some((c) => c.value > 255 || c.value < 1) ? 'int32' : 'uint8',
  missingCode: null,
  classes,
});
