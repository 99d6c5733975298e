import { normalTwoSided } from './distributions';
import { medianInPlace, selectInPlace } from './select';

/** What the test says of one series. */
export interface TrendFound {
  /** Values that are there. */
  n: number;
  /** Pairs that rise less pairs that fall. */
  s: number;
  variance: number;
  /** Kendall's tau-b; not a number where all values are alike. */
  tau: number;
  z: number;
  p: number;
  /** Sen's, a step; the ends of its interval of 95 %. */
  slope: number;
  low: number;
  high: number;
  /** How alike neighbouring steps are once the slope is taken away; not a number where that cannot be told. */
  alike: number;
}

/** Values that a test needs at least. */
export const LEAST_VALUES = 3;
/** Quantile of the normal distribution for an interval of 95 %. */
const Z95 = 1.959963984540054;

/** What is done about neighbouring steps that are alike before the test. */
export type Whitening = 'none' | 'plain' | 'trendFree';

/** Pairs of steps that are held against each other. */
export function pairsOf(steps: number, season: number): number {
  const rounds = season > 1 ? season : 1;
  let pairs = 0;
  for (let g = 0; g < Math.min(rounds, steps); g++) {
    const m = Math.ceil((steps - g) / rounds);
    pairs += (m * (m - 1)) / 2;
  }
  return pairs;
}

/** Room for the work on one series of so many steps, used again for the next. */
export class TrendRoom {
  readonly slopes: Float64Array;
  readonly sorted: Float64Array;
  readonly white: Float64Array;
  constructor(steps: number, season = 0) {
    this.slopes = new Float64Array(pairsOf(steps, season));
    this.sorted = new Float64Array(steps);
    this.white = new Float64Array(steps);
  }
}

/**
 * Whether one series rises or falls: the test of Mann (1945) and Kendall (1975) with ties, p from the normal distribution with the
 * correction for continuity, and the slope of Sen (1968) with its interval. Missing steps are passed over; slopes are by the steps
 * between, so that gaps count as what they are. With `season` steps a round only values of the same season are held against each other
 * (Hirsch, Slack and Smith 1982). O(n²).
 *
 * @param x series, not a number where a value is missing
 */
export function trendOf(x: Float64Array, season: number, whitening: Whitening, room: TrendRoom): TrendFound {
  const slope = senOf(x, season, room);
  const alike = alikeness(x, slope.slope);
  let tested = x;
  if (whitening !== 'none') tested = whitened(x, slope.slope, alike, whitening, room.white);
  const t = kendallOf(tested, season, room, tested === x ? slope.s : null);
  const few = t.n < LEAST_VALUES;
  const z = t.variance > 0 ? (t.s - Math.sign(t.s)) / Math.sqrt(t.variance) : 0;
  // The interval is that of the slope of the series itself.
  const own = tested === x ? t : kendallOf(x, season, room, slope.s);
  const [low, high] = intervalOf(slope.pairs, own.variance, room.slopes);
  return {
    n: own.n,
    s: few ? NaN : t.s,
    variance: few ? NaN : t.variance,
    tau: few ? NaN : t.tau,
    z: few ? NaN : z,
    p: few ? NaN : normalTwoSided(z),
    slope: own.n < LEAST_VALUES ? NaN : slope.slope,
    low: own.n < LEAST_VALUES ? NaN : low,
    high: own.n < LEAST_VALUES ? NaN : high,
    alike,
  };
}

/** Slopes of all pairs, of one season where there are seasons, in `room.slopes`: how many, their median, and how many more rise than fall. */
function senOf(x: Float64Array, season: number, { slopes }: TrendRoom): { pairs: number; slope: number; s: number } {
  const n = x.length;
  const step = season > 1 ? season : 1;
  let m = 0;
  let s = 0;
  for (let i = 0; i < n; i++) {
    const a = x[i]!;
    if (a !== a) continue;
    for (let j = i + step; j < n; j += step) {
      const d = x[j]! - a;
      if (d !== d) continue;
      slopes[m++] = d / (j - i);
      s += Math.sign(d);
    }
  }
  return { pairs: m, slope: medianInPlace(slopes, m), s };
}

/** Slopes between which the true one lies with 95 %, by the variance of S (Sen 1968, equation 2.6), out of those in the room. */
function intervalOf(pairs: number, variance: number, slopes: Float64Array): [number, number] {
  if (!pairs) return [NaN, NaN];
  const c = Z95 * Math.sqrt(Math.max(0, variance));
  const at = (k: number): number => selectInPlace(slopes, Math.min(pairs - 1, Math.max(0, k)), pairs);
  return [at(halfEven((pairs - c) / 2) - 1), at(halfEven((pairs + c) / 2))];
}

function halfEven(v: number): number {
  const r = Math.round(v);
  return Math.abs(v % 1) === 0.5 && r % 2 !== 0 ? r - 1 : r;
}

/** S, its variance with ties and tau-b, summed over the seasons where there are any. @param known S, where it has been counted already */
function kendallOf(
  x: Float64Array,
  season: number,
  { sorted }: TrendRoom,
  known: number | null,
): { n: number; s: number; variance: number; tau: number } {
  const rounds = season > 1 ? season : 1;
  let [n, s, variance, possible] = [0, known ?? 0, 0, 0];
  for (let g = 0; g < rounds; g++) {
    let m = 0;
    for (let i = g; i < x.length; i += rounds) if (x[i] === x[i]) sorted[m++] = x[i]!;
    if (m < 2) {
      n += m;
      continue;
    }
    for (let i = 0; known === null && i < m - 1; i++) {
      const a = sorted[i]!;
      for (let j = i + 1; j < m; j++) {
        const b = sorted[j]!;
        s += b > a ? 1 : b < a ? -1 : 0;
      }
    }
    const own = sorted.subarray(0, m).sort();
    let v = m * (m - 1) * (2 * m + 5);
    let tied = 0;
    for (let i = 0; i < m;) {
      let j = i + 1;
      while (j < m && own[j] === own[i]) j++;
      const t = j - i;
      if (t > 1) {
        v -= t * (t - 1) * (2 * t + 5);
        tied += (t * (t - 1)) / 2;
      }
      i = j;
    }
    n += m;
    variance += v / 18;
    const all = (m * (m - 1)) / 2;
    possible += Math.sqrt(all * (all - tied));
  }
  return { n, s, variance, tau: possible > 0 ? s / possible : NaN };
}

/** Correlation of neighbouring steps after a slope is taken away. */
function alikeness(x: Float64Array, slope: number): number {
  if (slope !== slope) return NaN;
  const n = x.length;
  let [count, mean] = [0, 0];
  for (let i = 0; i < n; i++)
    if (x[i] === x[i]) {
      mean += x[i]! - slope * i;
      count++;
    }
  mean /= count;
  let [within, between, pairs] = [0, 0, 0];
  let last = NaN;
  for (let i = 0; i < n; i++) {
    const d = x[i]! - slope * i - mean;
    if (d === d) within += d * d;
    if (d === d && last === last) {
      between += d * last;
      pairs++;
    }
    last = d;
  }
  return count < 4 || pairs < 3 || !(within > 0) ? NaN : between / within;
}

/** Correlation of neighbours beyond which it is no chance at 5 %, one-sided (Anderson 1942, doi:10.1214/aoms/1177731638). */
export const alikeBeyond = (n: number): number =>
  n > 2 ? (-1 + 1.6448536269514722 * Math.sqrt(n - 2)) / (n - 1) : Infinity;

/**
 * A series without what neighbouring steps have of each other. `plain` takes it from the series itself (von Storch 1995), which takes a part of the
 * trend as well; `trendFree` takes the slope away first and puts it back afterwards (Yue, Pilon, Phinney and Cavadias 2002,
 * doi:10.1002/hyp.1095). The series itself where neighbours are not alike.
 */
function whitened(x: Float64Array, slope: number, alike: number, how: Whitening, out: Float64Array): Float64Array {
  const n = x.length;
  const bare = how === 'trendFree' ? slope : 0;
  const r = how === 'trendFree' ? alike : alikeness(x, 0);
  let there = 0;
  for (let i = 0; i < n; i++) if (x[i] === x[i]) there++;
  if (!(Math.abs(r) > alikeBeyond(there))) return x;
  const own = out.subarray(0, n);
  own[0] = NaN;
  for (let i = 1; i < n; i++) own[i] = x[i]! - bare * i - r * (x[i - 1]! - bare * (i - 1)) + bare * i;
  return own;
}

/** Figures of a series as they come out of a kernel. */
export const TREND_FIELDS = ['n', 's', 'variance', 'tau', 'z', 'p', 'slope', 'low', 'high', 'alike'] as const;

/** The same for series one behind the other, from step `from` on, so many steps: rows of `TREND_FIELDS`. */
export function trendsOf(
  series: Float64Array,
  steps: number,
  from: number,
  count: number,
  season: number,
  whitening: Whitening,
): Float64Array {
  const n = series.length / steps;
  const out = new Float64Array(n * TREND_FIELDS.length);
  const room = new TrendRoom(count, season);
  for (let i = 0; i < n; i++) {
    const t = trendOf(series.subarray(i * steps + from, i * steps + from + count), season, whitening, room);
    TREND_FIELDS.forEach((f, k) => (out[i * TREND_FIELDS.length + k] = t[f]));
  }
  return out;
}
