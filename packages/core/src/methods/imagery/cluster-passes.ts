import type { RasterSink } from '../../data/handle';
import { MISSING_CLASS, type Grid } from '../../data/raster';
import { isShared } from '../../data/room';
import type { Job } from '../../method/job';
import { defineKernel } from '../../method/parallel';
import { blockRows, defineRowKernel, overRows } from '../../method/rows';
import {
  assignNearest,
  exchange,
  joinAssigned,
  movedMeans,
  tally,
  type Assigned,
  type Labels,
  type Vectors,
} from '../../numeric/clusters';
import { isodataStep, type IsodataRules } from '../../numeric/isodata';
import { completeVectors, type Scene } from './scene';

/** Vectors that a thread goes over at a time. */
const STRETCH = 2 ** 16;

/** Clusters that have been found, and what is left of the work. */
export interface Found {
  means: Float64Array;
  counts: Float64Array;
  iterations: number;
  /** Cells that still changed in the last iteration. */
  left: number;
}

/** Clusters that hold something, from the one of the least sum of means. */
export function brightest({ means, counts }: Found, b: number, factor: Float64Array): number[] {
  const bright = (c: number): number => factor.reduce((s, f, j) => s + means[c * b + j]! / f, 0);
  return Array.from(counts, (_, c) => c)
    .filter((c) => counts[c]! > 0)
    .sort((p, q) => bright(p) - bright(q) || p - q);
}

/**
 * Goes over all vectors until nothing changes, or the limit is reached.
 *
 * @param labels of the vectors, none of which has a cluster yet; afterwards those of the means that are given back
 */
export async function clustered(
  job: Job,
  method: 'kmeans' | 'exchange' | 'both' | 'isodata',
  v: Vectors,
  starts: Float64Array,
  labels: Labels,
  most: number,
  rules: IsodataRules,
): Promise<Found> {
  const { b } = v;
  let means = starts;
  let iterations = 0;
  let left = 0;
  let last: Assigned | null = null;
  const all = method === 'both' ? 2 * most : most;
  const tell = (): void =>
    job.progress(0.2 + (0.65 * iterations) / (all + 1), `iteration ${iterations + 1} of at most ${all}`);
  const settled = method === 'exchange' ? 0 : most;
  while (iterations < settled) {
    tell();
    last = await pass(job, v, means, labels);
    iterations++;
    left = last.moved;
    if (method === 'isodata') {
      const step = isodataStep(means, last, b, rules, iterations, iterations === most);
      means = step.means;
      // Other clusters than those the cells were just given to: nothing has settled.
      if (step.dropped || step.split || step.joined) left = Math.max(1, left);
      else if (last.moved === 0) break;
    } else {
      means = movedMeans(means, last, b);
      if (last.moved === 0) break;
    }
  }
  // Where the last step moved the means, or made other clusters, cells are given to those.
  if (!last || left > 0) last = await pass(job, v, means, labels);
  if (method === 'exchange' || method === 'both') {
    means = movedMeans(means, last, b);
    const counts = last.counts.slice();
    const n = v.x.length / b;
    for (let passes = 0; passes < most; passes++) {
      let moved = 0;
      for (let from = 0; from < n; from += STRETCH) {
        tell();
        moved += exchange(v, from, Math.min(n, from + STRETCH), means, counts, labels);
      }
      iterations++;
      left = moved;
      if (moved === 0) break;
    }
    return { means, counts, iterations, left };
  }
  return { means, counts: last.counts, iterations, left };
}

/** A pass over all vectors, on all threads. */
async function pass(job: Job, v: Vectors, means: Float64Array, labels: Labels): Promise<Assigned> {
  const n = v.x.length / v.b;
  const stretches = Array.from({ length: Math.ceil(n / STRETCH) }, (_, i) => i * STRETCH);
  let all: Assigned | null = null;
  await job.parallel(nearestStretch, { ...v, means, labels }, stretches, ({ found, own }, i) => {
    // What lies in shared memory has been written into already.
    if (own) labels.set(own, stretches[i]);
    all = all ? joinAssigned(all, found) : found;
  });
  return all!;
}

const nearestStretch = defineKernel(
  'imagery.cluster.nearest',
  ({ x, b, means, labels }: Vectors & { means: Float64Array; labels: Labels }, from: number) => {
    const to = Math.min(labels.length, from + STRETCH);
    const found = assignNearest({ x, b }, from, to, means, labels);
    return { found, own: isShared(labels) ? null : labels.slice(from, to) };
  },
);

/** Writes the clusters that cells were given, and adds up what they hold. */
export async function byLabels(
  job: Job,
  grid: Grid,
  cells: Uint32Array,
  v: Vectors,
  labels: Labels,
  means: Float64Array,
  order: number[],
  sink: RasterSink,
): Promise<Assigned> {
  const number = new Int32Array(means.length / v.b).fill(MISSING_CLASS);
  order.forEach((c, i) => (number[c] = i + 1));
  const step = blockRows(grid.columns);
  let at = 0;
  let all: Assigned | null = null;
  for (let from = 0; from < grid.rows; from += step) {
    job.progress(0.87 + (0.13 * from) / grid.rows, 'writing');
    const rows = Math.min(step, grid.rows - from);
    const out = new Int32Array(rows * grid.columns).fill(MISSING_CLASS);
    const first = at;
    const base = from * grid.columns;
    for (; at < cells.length && cells[at]! < base + out.length; at++) out[cells[at]! - base] = number[labels[at]!]!;
    await sink.write(0, out);
    const here = tally(v, first, at, means, labels);
    all = all ? joinAssigned(all, here) : here;
  }
  return all!;
}

/** Gives every cell of a scene the cluster of the nearest mean. */
export async function byMeans(
  job: Job,
  scene: Scene,
  means: Float64Array,
  shift: Float64Array,
  factor: Float64Array,
  order: number[],
  sink: RasterSink,
): Promise<Assigned> {
  const params = { means, shift, factor, order };
  const { grid } = scene.of.head;
  const told = await overRows(
    job,
    'writing',
    grid,
    scene.inputs,
    nearestRows,
    params,
    sink,
    ['int32'],
    (s) => 0.87 + 0.13 * s,
  );
  return told.reduce(joinAssigned);
}

interface Placing {
  means: Float64Array;
  shift: Float64Array;
  factor: Float64Array;
  /** Clusters that are kept, in the order of their numbers. */
  order: number[];
}

const nearestRows = defineRowKernel('imagery.cluster', ({ means, shift, factor, order }: Placing, block): Assigned => {
  const b = block.inputs.length;
  const n = block.rows * block.width;
  const x = new Float32Array(n * b);
  const at = new Uint32Array(n);
  const found = completeVectors(block.inputs, x, at);
  for (let i = 0; i < found * b; i++) x[i] = (x[i]! - shift[i % b]!) * factor[i % b]!;
  const labels = new Int32Array(found);
  // Means that hold nothing are too far for any cell.
  const kept = Float64Array.from(means, (m, i) => (order.includes(Math.floor(i / b)) ? m : Infinity));
  const a = assignNearest({ x, b }, 0, found, kept, labels);
  const number = new Int32Array(means.length / b);
  order.forEach((c, i) => (number[c] = i + 1));
  const out = block.out[0]!.fill(MISSING_CLASS);
  for (let i = 0; i < found; i++) out[at[i]!] = number[labels[i]!]!;
  return a;
});
