import { quantileSorted } from './statistics';

/** What a box plot draws of a group of values. */
export interface Box {
  count: number;
  min: number;
  q1: number;
  median: number;
  q3: number;
  max: number;
  mean: number;
  /** Ends of the whiskers: the furthest values within one and a half box lengths of the box. */
  whiskerMin: number;
  whiskerMax: number;
  /** Values beyond the whiskers, ascending. */
  outliers: number[];
}

/**
 * Box and whiskers (Tukey 1977, Exploratory Data Analysis; whiskers reach to the last value within 1.5 box lengths), quartiles
 * by linear interpolation (type 7 of Hyndman and Fan 1996). O(n).
 *
 * @param sorted ascending values without NaN; at least one
 */
export function boxOf(sorted: ArrayLike<number>): Box {
  const n = sorted.length;
  const [q1, median, q3] = [0.25, 0.5, 0.75].map((p) => quantileSorted(sorted, p)) as [number, number, number];
  const reach = 1.5 * (q3 - q1);
  let a = 0;
  while (sorted[a]! < q1 - reach) a++;
  let b = n - 1;
  while (sorted[b]! > q3 + reach) b--;
  let sum = 0;
  const outliers: number[] = [];
  for (let i = 0; i < n; i++) {
    sum += sorted[i]!;
    if (i < a || i > b) outliers.push(sorted[i]!);
  }
  return {
    count: n,
    min: sorted[0]!,
    q1,
    median,
    q3,
    max: sorted[n - 1]!,
    mean: sum / n,
    whiskerMin: sorted[a]!,
    whiskerMax: sorted[b]!,
    outliers,
  };
}

/** A straight line through pairs by least squares, and Pearson's correlation. */
export interface Trend {
  count: number;
  slope: number;
  intercept: number;
  r: number;
}

/** Least squares of y on x over the pairs that are whole; sums are taken from the means. O(n). */
export function trendOf(x: ArrayLike<number>, y: ArrayLike<number>): Trend {
  let [count, mx, my] = [0, 0, 0];
  for (let i = 0; i < x.length; i++) {
    if (x[i] !== x[i] || y[i] !== y[i]) continue;
    count++;
    mx += (x[i]! - mx) / count;
    my += (y[i]! - my) / count;
  }
  let [sxx, syy, sxy] = [0, 0, 0];
  for (let i = 0; i < x.length; i++) {
    if (x[i] !== x[i] || y[i] !== y[i]) continue;
    const [dx, dy] = [x[i]! - mx, y[i]! - my];
    sxx += dx * dx;
    syy += dy * dy;
    sxy += dx * dy;
  }
  const slope = sxy / sxx;
  return { count, slope, intercept: my - slope * mx, r: sxy / Math.sqrt(sxx * syy) };
}
