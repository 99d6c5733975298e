import { assignNearest, exchange, movedMeans, settle, spreadStarts, tally, within, type Vectors } from './clusters';
import { Random } from './random';
import { medianInPlace } from './select';

/** Series as vectors that can be grouped, and the rows that they came from. */
export interface GroupedSeries extends Vectors {
  rows: Uint32Array;
  /** Rows left out: with too few values, and without any profile because all values are alike. */
  few: number;
  flat: number;
  /** Values that were filled in. */
  filled: number;
}

/** Share of steps that a series must have to be grouped. */
export const LEAST_SHARE = 0.5;

/**
 * Series of a window as vectors: as they are, or as profiles (less their mean, by their standard deviation), which are the same whatever is added to a series
 * or it is multiplied by. Gaps are filled on the straight line between the values around them, at the ends with the nearest. O(values).
 *
 * @param series one behind the other, `steps` each, of which `count` from `from` on are taken
 */
export function seriesVectors(
  series: Float64Array,
  steps: number,
  from: number,
  count: number,
  profile: boolean,
): GroupedSeries {
  const n = series.length / steps;
  const rows: number[] = [];
  const x = new Float32Array(n * count);
  const own = new Float64Array(count);
  let [few, flat, filled, m] = [0, 0, 0, 0];
  for (let i = 0; i < n; i++) {
    let there = 0;
    for (let k = 0; k < count; k++) {
      const v = series[i * steps + from + k]!;
      own[k] = v;
      if (v === v) there++;
    }
    if (there < Math.max(2, LEAST_SHARE * count)) {
      few++;
      continue;
    }
    filled += fillGaps(own);
    if (profile) {
      let mean = 0;
      for (let k = 0; k < count; k++) mean += own[k]! / count;
      let q = 0;
      for (let k = 0; k < count; k++) q += (own[k]! - mean) ** 2;
      const sd = Math.sqrt(q / count);
      if (!(sd > 1e-12 * Math.max(1e-300, Math.abs(mean)))) {
        flat++;
        continue;
      }
      for (let k = 0; k < count; k++) own[k] = (own[k]! - mean) / sd;
    }
    x.set(own, m * count);
    rows.push(i);
    m++;
  }
  return { x: x.slice(0, m * count), b: count, rows: Uint32Array.from(rows), few, flat, filled };
}

/** Fills gaps of a series that has at least one value, in place; says how many there were. */
function fillGaps(v: Float64Array): number {
  let last = -1;
  let filled = 0;
  for (let k = 0; k <= v.length; k++) {
    if (k < v.length && v[k] !== v[k]) continue;
    for (let g = last + 1; g < k; g++) {
      const [a, b] = [v[last], v[k]];
      v[g] = last < 0 ? b! : k === v.length ? a! : a! + ((b! - a!) * (g - last)) / (k - last);
      filled++;
    }
    last = k;
  }
  return filled;
}

export interface Grouping {
  labels: Int32Array;
  /** Mean of each group, or the series that stands for it. */
  middles: Float64Array;
  /** What was made least: squared distances to means, or distances to medoids. */
  cost: number;
}

/**
 * k groups about means: nearest mean and mean in turns (Lloyd 1982) from spread starts, then single series exchanged as long as that leaves
 * less within (Rubin 1967). Null where there are fewer different series.
 */
export function meansOf(v: Vectors, k: number, seed: number, most = 100): Grouping | null {
  const starts = spreadStarts(v, k, new Random(seed));
  if (starts.length < k * v.b) return null;
  const n = v.x.length / v.b;
  const labels = new Int32Array(n).fill(-1);
  let means = settle(v, starts, most).means;
  const counts = assignNearest(v, 0, n, means, labels).counts;
  for (let round = 0; round < MOST_EXCHANGES; round++) if (exchange(v, 0, n, means, counts, labels) === 0) break;
  const zero = new Float64Array(k * v.b);
  means = movedMeans(zero, tally(v, 0, n, zero, labels), v.b);
  return { labels, middles: means, cost: within(tally(v, 0, n, means, labels), v.b).reduce((s, q) => s + q, 0) };
}
const MOST_EXCHANGES = 20;

/** Members of a group among which its medoid is looked for; of more those nearest to the mean. */
const CANDIDATES = 400;

/**
 * k groups about medoids: series of the set itself, such that distances to them are least, by turns of nearest medoid and best member
 * (Park and Jun 2009, doi:10.1016/j.eswa.2008.01.039) from spread starts. Of a group of more than 400 those nearest to its mean are tried.
 */
export function medoidsOf(v: Vectors, k: number, seed: number, most = 50): Grouping | null {
  const { x, b } = v;
  const n = x.length / b;
  const starts = spreadStarts(v, k, new Random(seed));
  if (starts.length < k * b) return null;
  let middles = starts;
  const labels = new Int32Array(n).fill(-1);
  let before = Number.MAX_VALUE;
  for (let round = 0; ; round++) {
    assignNearest(v, 0, n, middles, labels);
    let cost = 0;
    for (let i = 0; i < n; i++) cost += distance(x, i * b, middles, labels[i]! * b, b);
    if (!(cost < before - 1e-9 * before) || round >= most) return { labels, middles, cost };
    before = cost;
    const next = middles.slice();
    for (let g = 0; g < k; g++) {
      const own: number[] = [];
      for (let i = 0; i < n; i++) if (labels[i] === g) own.push(i);
      const best = medoid(v, own);
      if (best >= 0) for (let j = 0; j < b; j++) next[g * b + j] = x[best * b + j]!;
    }
    middles = next;
  }
}

function medoid({ x, b }: Vectors, own: readonly number[]): number {
  const mean = new Float64Array(b);
  for (const i of own) for (let j = 0; j < b; j++) mean[j]! += x[i * b + j]! / own.length;
  const tried =
    own.length <= CANDIDATES
      ? own
      : own
          .map((i) => ({ i, d: distance(x, i * b, mean, 0, b) }))
          .sort((p, q) => p.d - q.d || p.i - q.i)
          .slice(0, CANDIDATES)
          .map((o) => o.i);
  let [best, least] = [-1, Infinity];
  for (const c of tried) {
    let sum = 0;
    for (const i of own) {
      sum += distance(x, i * b, x, c * b, b);
      if (sum >= least) break;
    }
    if (sum < least) [best, least] = [c, sum];
  }
  return best;
}

function distance(a: ArrayLike<number>, i: number, c: ArrayLike<number>, j: number, b: number): number {
  let q = 0;
  for (let k = 0; k < b; k++) {
    const d = a[i + k]! - c[j + k]!;
    q += d * d;
  }
  return Math.sqrt(q);
}

/** Squared distances to the means of groups, and to the mean of all: what the index of Caliński and Harabasz is made of. O(n b). */
export function squaresOf({ x, b }: Vectors, labels: Int32Array, k: number): { within: number; total: number } {
  const n = labels.length;
  const means = new Float64Array((k + 1) * b);
  const counts = new Float64Array(k + 1);
  for (let i = 0; i < n; i++)
    for (const g of [labels[i]!, k]) {
      counts[g]!++;
      for (let j = 0; j < b; j++) means[g * b + j]! += x[i * b + j]!;
    }
  for (let g = 0; g <= k; g++) for (let j = 0; j < b; j++) means[g * b + j]! /= Math.max(1, counts[g]!);
  let [within, total] = [0, 0];
  for (let i = 0; i < n; i++) {
    within += distance(x, i * b, means, labels[i]! * b, b) ** 2;
    total += distance(x, i * b, means, k * b, b) ** 2;
  }
  return { within, total };
}

/** Caliński and Harabasz 1974 (doi:10.1080/03610927408827101): between by within, each by its degrees of freedom. */
export const groupIndex = (n: number, k: number, { within, total }: { within: number; total: number }): number =>
  within > 0 ? (total - within) / (k - 1) / (within / (n - k)) : Infinity;

/** Members of a group that a silhouette is worked out against, at most. */
export const MOST_AGAINST = 500;

/** Some members of each group, all where they are not too many, evenly through the rest. */
export function groupSamples(labels: Int32Array, k: number, most = MOST_AGAINST): Uint32Array[] {
  const all: number[][] = Array.from({ length: k }, () => []);
  labels.forEach((g, i) => all[g]!.push(i));
  return all.map((own) => {
    const take = Math.min(own.length, most);
    return Uint32Array.from({ length: take }, (_, j) => own[Math.floor((j * own.length) / take)]!);
  });
}

/**
 * How well series lie in their groups (Rousseeuw 1987, doi:10.1016/0377-0427(87)90125-7): mean distance to the nearest other group less that to
 * the others of their own, by the larger of both: 1 well within, 0 between two, below 0 nearer to another. Alone in a group: 0. Two numbers a series: that,
 * and the nearest other group (from 0, -1 for none). O(members against × b) a series.
 */
export function silhouettesOf(
  { x, b }: Vectors,
  labels: Int32Array,
  against: readonly Uint32Array[],
  from: number,
  to: number,
): Float64Array {
  const out = new Float64Array(2 * (to - from));
  for (let i = from; i < to; i++) {
    let [own, other, at] = [0, Infinity, -1];
    let alone = true;
    for (let g = 0; g < against.length; g++) {
      let [sum, n] = [0, 0];
      for (const j of against[g]!) {
        if (j === i) continue;
        sum += distance(x, i * b, x, j * b, b);
        n++;
      }
      if (g === labels[i]) {
        alone = n === 0;
        own = n ? sum / n : 0;
      } else if (n && sum / n < other) [other, at] = [sum / n, g];
    }
    out[2 * (i - from)] = alone || at < 0 ? 0 : (other - own) / Math.max(own, other) || 0;
    out[2 * (i - from) + 1] = at;
  }
  return out;
}

/** Mean and quantiles of the series of a group at each step: what it is read by. Missing values are left out. */
export function bandOf(
  series: Float64Array,
  steps: number,
  rows: ArrayLike<number>,
): { mean: Float64Array; low: Float64Array; high: Float64Array; median: Float64Array } {
  const out = {
    mean: new Float64Array(steps).fill(NaN),
    low: new Float64Array(steps).fill(NaN),
    high: new Float64Array(steps).fill(NaN),
    median: new Float64Array(steps).fill(NaN),
  };
  const own = new Float64Array(rows.length);
  for (let t = 0; t < steps; t++) {
    let [n, sum] = [0, 0];
    for (let k = 0; k < rows.length; k++) {
      const v = series[rows[k]! * steps + t]!;
      if (v !== v) continue;
      own[n++] = v;
      sum += v;
    }
    if (!n) continue;
    out.mean[t] = sum / n;
    out.median[t] = medianInPlace(own, n);
    const sorted = own.subarray(0, n).sort();
    out.low[t] = sorted[Math.round(0.1 * (n - 1))]!;
    out.high[t] = sorted[Math.round(0.9 * (n - 1))]!;
  }
  return out;
}
