import {
  assignNearest,
  exchange,
  movedMeans,
  spreadStarts,
  tally,
  within,
  type Assigned,
  type Vectors,
} from './clusters';
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

/** Share of the mean variance of the values below which means that move are taken as settled. */
const SETTLED = 1e-4;

/**
 * k groups about means: nearest mean and mean in turns (Lloyd 1982) from spread starts, until the means hardly move. Distances that bounds
 * show not to matter are not worked out (Hamerly 2010, doi:10.1137/1.9781611972801.12). Null where there are fewer different series.
 */
export function meansOf(v: Vectors, k: number, seed: number, most = 100): Grouping | null {
  const { x, b } = v;
  const starts = spreadStarts(v, k, new Random(seed));
  if (starts.length < k * b) return null;
  const n = x.length / b;
  const labels = new Int32Array(n);
  const [upper, lower] = [new Float64Array(n).fill(Infinity), new Float64Array(n)];
  const moved = new Float64Array(k);
  const half = new Float64Array(k);
  const still = SETTLED * varianceOf(v);
  let means = starts;
  for (let round = 0; round < most; round++) {
    // Half the distance of each mean to the nearest other: within it nothing changes hands.
    for (let c = 0; c < k; c++) {
      half[c] = Infinity;
      for (let o = 0; o < k; o++)
        if (o !== c) half[c] = Math.min(half[c]!, meansApart(means, c * b, means, o * b, b) / 2);
    }
    for (let i = 0; i < n; i++) {
      const safe = Math.max(half[labels[i]!]!, lower[i]!);
      if (upper[i]! <= safe) continue;
      upper[i] = fromMean(x, i * b, means, labels[i]! * b, b);
      if (upper[i]! <= safe) continue;
      let [best, least, next] = [0, Infinity, Infinity];
      for (let c = 0; c < k; c++) {
        const d = c === labels[i] ? upper[i]! : fromMean(x, i * b, means, c * b, b);
        if (d < least) [best, next, least] = [c, least, d];
        else if (d < next) next = d;
      }
      labels[i] = best;
      upper[i] = least;
      lower[i] = next;
    }
    const after = movedMeans(new Float64Array(k * b), tallied(v, labels, k, means), b);
    let [shift, far] = [0, 0];
    for (let c = 0; c < k; c++) {
      moved[c] = meansApart(after, c * b, means, c * b, b);
      shift += moved[c]! ** 2;
      far = Math.max(far, moved[c]!);
    }
    means = after;
    for (let i = 0; i < n; i++) {
      upper[i]! += moved[labels[i]!]!;
      lower[i]! -= far;
    }
    if (shift <= still) break;
  }
  return { labels, middles: means, cost: costOf(v, means, labels) };
}

/** Single series exchanged between groups as long as that leaves less within them (Rubin 1967); about their means afterwards. O(n k b) a round. */
export function polished(v: Vectors, g: Grouping, rounds = 20): Grouping {
  const k = g.middles.length / v.b;
  const labels = g.labels.slice();
  const means = g.middles.slice();
  const { counts } = tally(v, 0, labels.length, means, labels);
  for (let r = 0; r < rounds; r++) if (exchange(v, 0, labels.length, means, counts, labels) === 0) break;
  const middles = movedMeans(new Float64Array(k * v.b), tallied(v, labels, k, means), v.b);
  return { labels, middles, cost: costOf(v, middles, labels) };
}

/** Sums of groups, for their means; one that nothing fell to keeps the mean it had. */
function tallied(v: Vectors, labels: Int32Array, k: number, means: Float64Array): Assigned {
  const a = tally(v, 0, labels.length, new Float64Array(k * v.b), labels);
  for (let c = 0; c < k; c++)
    if (!a.counts[c]) {
      a.counts[c] = 1;
      for (let j = 0; j < v.b; j++) a.sums[c * v.b + j] = means[c * v.b + j]!;
    }
  return a;
}

const costOf = (v: Vectors, means: Float64Array, labels: Int32Array): number =>
  within(tally(v, 0, labels.length, means, labels), v.b).reduce((s, q) => s + q, 0);

/** Mean over the steps of the variance of the values there. */
function varianceOf(v: Vectors): number {
  const n = v.x.length / v.b;
  const zero = new Int32Array(n);
  const all = within(tally(v, 0, n, new Float64Array(v.b), zero), v.b);
  return all.reduce((s, q) => s + q, 0) / n / v.b;
}

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
    for (let i = 0; i < n; i++) cost += fromMean(x, i * b, middles, labels[i]! * b, b);
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
          .map((i) => ({ i, d: fromMean(x, i * b, mean, 0, b) }))
          .sort((p, q) => p.d - q.d || p.i - q.i)
          .slice(0, CANDIDATES)
          .map((o) => o.i);
  let [best, least] = [-1, Infinity];
  for (const c of tried) {
    let sum = 0;
    for (const i of own) {
      sum += apart(x, i * b, c * b, b);
      if (sum >= least) break;
    }
    if (sum < least) [best, least] = [c, sum];
  }
  return best;
}

// One loop three times: given arrays of several types one function would be slow for all of them.

/** Distance of two series. */
function apart(x: Float32Array, i: number, j: number, b: number): number {
  let p = 0;
  let q = 0;
  let r = 0;
  let s = 0;
  let k = 0;
  // Four sums side by side: one would wait for itself at every step.
  for (; k + 3 < b; k += 4) {
    const d = x[i + k]! - x[j + k]!;
    const e = x[i + k + 1]! - x[j + k + 1]!;
    const f = x[i + k + 2]! - x[j + k + 2]!;
    const g = x[i + k + 3]! - x[j + k + 3]!;
    p += d * d;
    q += e * e;
    r += f * f;
    s += g * g;
  }
  for (; k < b; k++) p += (x[i + k]! - x[j + k]!) ** 2;
  return Math.sqrt(p + q + (r + s));
}

/** Distance of a series from a mean. */
function fromMean(x: Float32Array, i: number, means: Float64Array, j: number, b: number): number {
  let p = 0;
  let q = 0;
  let r = 0;
  let s = 0;
  let k = 0;
  // Four sums side by side: one would wait for itself at every step.
  for (; k + 3 < b; k += 4) {
    const d = x[i + k]! - means[j + k]!;
    const e = x[i + k + 1]! - means[j + k + 1]!;
    const f = x[i + k + 2]! - means[j + k + 2]!;
    const g = x[i + k + 3]! - means[j + k + 3]!;
    p += d * d;
    q += e * e;
    r += f * f;
    s += g * g;
  }
  for (; k < b; k++) p += (x[i + k]! - means[j + k]!) ** 2;
  return Math.sqrt(p + q + (r + s));
}

/** Distance of two means. */
function meansApart(a: Float64Array, i: number, c: Float64Array, j: number, b: number): number {
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
    within += fromMean(x, i * b, means, labels[i]! * b, b) ** 2;
    total += fromMean(x, i * b, means, k * b, b) ** 2;
  }
  return { within, total };
}

/** Caliński and Harabasz 1974 (doi:10.1080/03610927408827101): between by within, each by its degrees of freedom. */
export const groupIndex = (n: number, k: number, { within, total }: { within: number; total: number }): number =>
  within > 0 ? (total - within) / (k - 1) / (within / (n - k)) : Infinity;

/** Members of a group that a silhouette is worked out against, at most. */
export const MOST_AGAINST = 200;

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
        sum += apart(x, i * b, j * b, b);
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
