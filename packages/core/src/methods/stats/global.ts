import { numberColumn } from '../../data/table';
import type { Table } from '../../data/table';
import { input } from '../../method/define';
import type { Job } from '../../method/job';
import { number } from '../../method/params';
import { defineKernel } from '../../method/parallel';
import { shuffles, type Shuffled } from '../../numeric/autocorrelation';
import { weightSums, type Rows } from '../../numeric/sparse-rows';

/** Inputs of every measure of how like neighbours are. */
export const measured = {
  features: input.features({ label: 'Features' }),
  weights: input.weights({ label: 'Weights', least: 0 }),
};

export const permutationsParam = () =>
  number({
    label: 'Shuffles',
    min: 9,
    max: 99_999,
    help: 'Of the values over the features; p by chance is no smaller than 1 in so many and one.',
  }).default(999);

interface Shuffling {
  rows: Rows;
  measure: Shuffled;
  x: Float64Array;
  other: Float64Array | null;
  s0: number;
  seed: number;
}
/** Shuffles that a thread does in one go: fixed, so that the same come out however many threads there are. */
const BLOCK = 50;

const shuffled = defineKernel('stats.shuffle', (s: Shuffling, b: { number: number; count: number }) =>
  shuffles(s.rows, s.measure, s.x, s.other, s.s0, b.count, s.seed + b.number),
);

/** The measure of so many shuffles, in order. */
export async function chanceOf(
  rows: Rows,
  measure: Shuffled,
  x: Float64Array,
  other: Float64Array | null,
  permutations: number,
  job: Job,
): Promise<Float64Array> {
  const { s0 } = weightSums(rows);
  const seed = job.random.uint32() >>> 2;
  const out = new Float64Array(permutations);
  const blocks = function* (): Generator<{ number: number; count: number }> {
    for (let k = 0; k * BLOCK < permutations; k++)
      yield { number: k, count: Math.min(BLOCK, permutations - k * BLOCK) };
  };
  let at = 0;
  await job.parallel(shuffled, { rows, measure, x, other, s0, seed }, blocks(), (part) => {
    out.set(part, at);
    at += part.length;
    job.progress(at / permutations, 'shuffling');
  });
  return out;
}

/** (r + 1) / (m + 1), where r draws show at least as much of it as is observed. @param sign 1 where more is more of it, -1 where less is */
export function pOf(observed: number, draws: Float64Array, sign: 1 | -1): number {
  const slack = 1e-12 * Math.abs(observed);
  let r = 0;
  for (const d of draws) if (sign * (d - observed) >= -slack) r++;
  return (r + 1) / (draws.length + 1);
}

/** The draws as a table, in order, the observed value first. */
export const chanceTable = (name: string, observed: number, draws: Float64Array): Table => ({
  kind: 'table',
  columns: [
    numberColumn(
      'draw',
      [0, ...draws.keys()].map((k, i) => (i ? k + 1 : 0)),
    ),
    numberColumn(name, [observed, ...draws]),
  ],
});
