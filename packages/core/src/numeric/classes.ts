import { quantileSorted } from './statistics';

/** Rules that cut an ordered set of values into classes. */
export type BreakRule = 'equal' | 'quantile' | 'natural' | 'geometric' | 'sd' | 'own';

/** Above this many different values natural breaks are found on as many evenly spaced ranks. */
const MOST_DISTINCT = 20_000;

/**
 * Inner breaks for `classes` classes over sorted values, ascending, without doubles and strictly inside the range, so that there may be
 * fewer than asked for. A value belongs to the class it is at or above the lower break of.
 *
 * - `equal`: steps of one width. `quantile`: as many values in each (type 7 of Hyndman and Fan 1996).
 * - `natural`: least squared deviation within the classes (Fisher 1958, doi:10.1080/01621459.1958.10501479; Jenks 1977), exact.
 * - `geometric`: widths grow by one factor, from the lower end where the median lies below the middle, from the upper end otherwise.
 * - `sd`: the mean and whole (for an even number of classes, otherwise half) standard deviations about it.
 *
 * @param sorted values, ascending, without missing ones
 */
export function classBreaks(sorted: Float64Array, classes: number, rule: Exclude<BreakRule, 'own'>): number[] {
  const n = sorted.length;
  if (n === 0 || classes < 2) return [];
  const low = sorted[0]!;
  const high = sorted[n - 1]!;
  if (!(high > low)) return [];
  let breaks: number[] = [];
  if (rule === 'equal')
    breaks = Array.from({ length: classes - 1 }, (_, k) => low + ((k + 1) * (high - low)) / classes);
  else if (rule === 'quantile')
    breaks = Array.from({ length: classes - 1 }, (_, k) => quantileSorted(sorted, (k + 1) / classes));
  else if (rule === 'natural') breaks = naturalBreaks(sorted, classes);
  else if (rule === 'geometric') breaks = geometricBreaks(low, high, quantileSorted(sorted, 0.5), classes);
  else {
    let mean = 0;
    for (const v of sorted) mean += (v - low) / n;
    mean += low;
    let square = 0;
    for (const v of sorted) square += (v - mean) ** 2;
    const sd = Math.sqrt(square / Math.max(1, n - 1));
    for (let k = -(classes - 2) / 2; k <= (classes - 2) / 2; k++) breaks.push(mean + k * sd);
  }
  return [...new Set(breaks)].filter((b) => b > low && b <= high).sort((a, b) => a - b);
}

/** Class of a value among ascending inner breaks: 0 below the first, k at or above the k-th. */
export function classOf(v: number, breaks: readonly number[]): number {
  let lo = 0;
  let hi = breaks.length;
  while (lo < hi) {
    const m = (lo + hi) >> 1;
    if (v >= breaks[m]!) lo = m + 1;
    else hi = m;
  }
  return lo;
}

function geometricBreaks(low: number, high: number, median: number, classes: number): number[] {
  // The middle class ends so that the median is as far from the near end as the factor allows; at most 3 a step, to keep breaks apart.
  const share = Math.min(
    0.5,
    Math.max(
      0.02,
      (median - low) / (high - low) > 0.5 ? (high - median) / (high - low) : (median - low) / (high - low),
    ),
  );
  const f = Math.min(3, Math.max(1.0001, ((1 - share) / share) ** (2 / classes)));
  const total = (f ** classes - 1) / (f - 1);
  const at = (k: number): number => (f ** k - 1) / (f - 1) / total;
  const fromBelow = median - low <= high - median;
  return Array.from({ length: classes - 1 }, (_, k) =>
    fromBelow ? low + at(k + 1) * (high - low) : high - at(classes - k - 1) * (high - low),
  );
}

/**
 * Exact one-dimensional partition by dynamic programming; the best cut moves right with the end of the range, so each row is filled by
 * divide and conquer (Wang and Song 2011, doi:10.32614/RJ-2011-015). O(classes · n log n). Breaks are the first values of classes.
 */
function naturalBreaks(sorted: Float64Array, classes: number): number[] {
  const { values, weights } = distinct(sorted);
  const n = values.length;
  const k = Math.min(classes, n);
  if (k < 2) return [];
  // Sums about the middle value keep their digits.
  const mid = values[n >> 1]!;
  const w = new Float64Array(n + 1);
  const s = new Float64Array(n + 1);
  const q = new Float64Array(n + 1);
  for (let i = 0; i < n; i++) {
    const d = values[i]! - mid;
    w[i + 1] = w[i]! + weights[i]!;
    s[i + 1] = s[i]! + weights[i]! * d;
    q[i + 1] = q[i]! + weights[i]! * d * d;
  }
  const cost = (a: number, b: number): number => {
    const m = w[b + 1]! - w[a]!;
    const t = s[b + 1]! - s[a]!;
    return Math.max(0, q[b + 1]! - q[a]! - (t * t) / m);
  };
  let before = Float64Array.from(values, (_, i) => cost(0, i));
  const cuts: Int32Array[] = [];
  for (let c = 1; c < k; c++) {
    const now = new Float64Array(n).fill(Infinity);
    const cut = new Int32Array(n);
    const todo: [number, number, number, number][] = [[c, n - 1, c, n - 1]];
    while (todo.length) {
      const [from, to, left, right] = todo.pop()!;
      if (from > to) continue;
      const m = (from + to) >> 1;
      let best = Infinity;
      let at = Math.max(c, left);
      for (let j = Math.max(c, left); j <= Math.min(m, right); j++) {
        const v = before[j - 1]! + cost(j, m);
        if (v < best) {
          best = v;
          at = j;
        }
      }
      now[m] = best;
      cut[m] = at;
      todo.push([from, m - 1, left, at], [m + 1, to, at, right]);
    }
    cuts.push(cut);
    before = now;
  }
  const breaks: number[] = [];
  for (let c = k - 2, end = n - 1; c >= 0; c--) {
    const at = cuts[c]![end]!;
    breaks.unshift(values[at]!);
    end = at - 1;
  }
  return breaks;
}

function distinct(sorted: Float64Array): { values: Float64Array; weights: Float64Array } {
  let some: Float64Array = sorted;
  if (sorted.length > MOST_DISTINCT)
    some = Float64Array.from(
      { length: MOST_DISTINCT },
      (_, i) => sorted[Math.floor((i * (sorted.length - 1)) / (MOST_DISTINCT - 1))]!,
    );
  const values: number[] = [];
  const weights: number[] = [];
  for (const v of some) {
    if (values.length && values[values.length - 1] === v) weights[weights.length - 1]!++;
    else {
      values.push(v);
      weights.push(1);
    }
  }
  return { values: Float64Array.from(values), weights: Float64Array.from(weights) };
}
