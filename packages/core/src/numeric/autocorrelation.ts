import { normalTwoSided } from './distributions';
import { Random, scrambled } from './random';
import { lagged, rowCount, weightSums, type Rows } from './sparse-rows';

/** A measure of how values go together with their neighbours', its moments under chance, and how far off it is. */
export interface Autocorrelation {
  value: number;
  expected: number;
  variance: number;
  z: number;
  /** Normal, both sides. */
  p: number;
}

const told = (value: number, expected: number, variance: number): Autocorrelation => {
  const z = (value - expected) / Math.sqrt(variance);
  return { value, expected, variance, z, p: normalTwoSided(z) };
};

/** Differences from the mean. */
export function centred(x: ArrayLike<number>): Float64Array {
  let mean = 0;
  for (let i = 0; i < x.length; i++) mean += (x[i]! - mean) / (i + 1);
  return Float64Array.from(x, (v) => v - mean);
}

const sumOfSquares = (z: Float64Array): number => z.reduce((s, v) => s + v * v, 0);
const dot = (a: Float64Array, b: Float64Array): number => {
  let s = 0;
  for (let i = 0; i < a.length; i++) s += a[i]! * b[i]!;
  return s;
};

/** Moran's I of values that have been centred: the weighted mean of products with neighbours over the variance. O(links) */
export const moranOf = (w: Rows, z: Float64Array, s0: number, into?: Float64Array): number =>
  (z.length / s0) * (dot(z, lagged(w, z, into)) / sumOfSquares(z));

/**
 * Moran's I with mean and variance under randomisation (Cliff and Ord 1981, chapter 2): the values are taken as given and might stand anywhere.
 *
 * @param x one value a row, none missing and not all equal; every row should have neighbours
 */
export function moran(w: Rows, x: ArrayLike<number>): Autocorrelation {
  const n = rowCount(w);
  const z = centred(x);
  const { s0, s1, s2 } = weightSums(w);
  const k = (n * z.reduce((s, v) => s + v ** 4, 0)) / sumOfSquares(z) ** 2;
  const expected = -1 / (n - 1);
  const variance =
    (n * ((n * n - 3 * n + 3) * s1 - n * s2 + 3 * s0 * s0) - k * (n * (n - 1) * s1 - 2 * n * s2 + 6 * s0 * s0)) /
      ((n - 1) * (n - 2) * (n - 3) * s0 * s0) -
    expected * expected;
  return told(moranOf(w, z, s0), expected, variance);
}

/**
 * Moran's I between two variables: values against the neighbours' mean of another, both by their standard deviations by n. Mean and variance
 * are those of all ways to shuffle the other: a linear statistic of a permutation, whose variance is known exactly.
 */
export function moranBetween(w: Rows, x: ArrayLike<number>, y: ArrayLike<number>): Autocorrelation {
  const n = rowCount(w);
  const [a, b] = [standard(x), standard(y)];
  const { s0 } = weightSums(w);
  // Σ wij ai over i: how much the value at j counts.
  const u = new Float64Array(n);
  for (let i = 0; i < n; i++)
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) u[w.neighbours[k]!]! += w.values[k]! * a[i]!;
  const c = centred(u);
  return told(dot(u, b) / s0, 0, (sumOfSquares(c) * n) / (n - 1) / (s0 * s0));
}

/** Standard deviations from the mean, by n. */
export function standard(x: ArrayLike<number>): Float64Array {
  const z = centred(x);
  const sd = Math.sqrt(sumOfSquares(z) / z.length);
  return z.map((v) => v / sd);
}

/** Geary's c of values that have been centred. O(links) */
export function gearyOf(w: Rows, z: Float64Array, s0: number): number {
  let s = 0;
  for (let i = 0; i < z.length; i++)
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) s += w.values[k]! * (z[i]! - z[w.neighbours[k]!]!) ** 2;
  return ((z.length - 1) * s) / (2 * s0 * sumOfSquares(z));
}

/** Geary's c with mean and variance under randomisation (Cliff and Ord 1981, chapter 2). */
export function geary(w: Rows, x: ArrayLike<number>): Autocorrelation {
  const n = rowCount(w);
  const z = centred(x);
  const { s0, s1, s2 } = weightSums(w);
  const k = (n * z.reduce((s, v) => s + v ** 4, 0)) / sumOfSquares(z) ** 2;
  const variance =
    ((n - 1) * s1 * (n * n - 3 * n + 3 - k * (n - 1)) -
      0.25 * (n - 1) * s2 * (n * n + 3 * n - 6 - k * (n * n - n + 2)) +
      s0 * s0 * (n * n - 3 - k * (n - 1) ** 2)) /
    (n * (n - 2) * (n - 3) * s0 * s0);
  return told(gearyOf(w, z, s0), 1, variance);
}

/**
 * The general G (Getis and Ord 1992, doi:10.1111/j.1538-4632.1992.tb00261.x): the share that products of neighbours have in the products of
 * all pairs.
 *
 * @param w without links from a row to itself
 * @param x values of 0 and above
 */
export function generalG(w: Rows, x: ArrayLike<number>): Autocorrelation {
  const n = rowCount(w);
  const v = Float64Array.from(x);
  // Of 1, so that fourth powers of large values stay in range; G has no unit.
  const scale = Math.max(...[v.reduce((a, b) => Math.max(a, b), 0)]) || 1;
  for (let i = 0; i < n; i++) v[i]! /= scale;
  const [m1, m2, m3, m4] = [1, 2, 3, 4].map((q) => v.reduce((s, a) => s + a ** q, 0)) as [
    number,
    number,
    number,
    number,
  ];
  const { s0, s1, s2 } = weightSums(w);
  const g = dot(v, lagged(w, v)) / (m1 * m1 - m2);
  const expected = s0 / (n * (n - 1));
  const s02 = s0 * s0;
  const n2 = n * n;
  const b0 = (n2 - 3 * n + 3) * s1 - n * s2 + 3 * s02;
  const b1 = -((n2 - n) * s1 - 2 * n * s2 + 6 * s02);
  const b2 = -(2 * n * s1 - (n + 3) * s2 + 6 * s02);
  const b3 = 4 * (n - 1) * s1 - 2 * (n + 1) * s2 + 8 * s02;
  const b4 = s1 - s2 + s02;
  const square =
    (b0 * m2 * m2 + b1 * m4 + b2 * m1 * m1 * m2 + b3 * m1 * m3 + b4 * m1 ** 4) /
    ((m1 * m1 - m2) ** 2 * n * (n - 1) * (n - 2) * (n - 3));
  return told(g, expected, square - expected * expected);
}

/** A measure that is worked out again for values shuffled over the rows. */
export type Shuffled = 'moran' | 'between' | 'geary';

/**
 * So many shuffles of the values over all rows, and the measure of each: the distribution by chance. Where values are held against another
 * variable, that one is shuffled.
 */
export function shuffles(
  w: Rows,
  measure: Shuffled,
  x: Float64Array,
  other: Float64Array | null,
  s0: number,
  count: number,
  seed: number,
): Float64Array {
  const random = new Random(scrambled(seed));
  const out = new Float64Array(count);
  const z = (other ?? x).slice();
  const n = z.length;
  const into = new Float64Array(n);
  for (let d = 0; d < count; d++) {
    for (let i = n - 1; i > 0; i--) {
      const j = random.below(i + 1);
      const v = z[i]!;
      z[i] = z[j]!;
      z[j] = v;
    }
    out[d] =
      measure === 'moran'
        ? moranOf(w, z, s0, into)
        : measure === 'geary'
          ? gearyOf(w, z, s0)
          : dot(x, lagged(w, z, into)) / s0;
  }
  return out;
}
