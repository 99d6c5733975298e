import { normalTwoSided } from './distributions';
import { Random, scrambled } from './random';
import { lagged, rowCount, type Rows } from './sparse-rows';

/**
 * Local Moran's I of values that have been centred: z of a place times the weighted sum of its neighbours' z, over the variance by n (Anselin
 * 1995, doi:10.1111/j.1538-4632.1995.tb00338.x). Rows that add up to 1 make their mean the global I. O(links)
 */
export function localMoranOf(w: Rows, z: Float64Array, variance: number): Float64Array {
  const out = lagged(w, z);
  for (let i = 0; i < out.length; i++) out[i]! *= z[i]! / variance;
  return out;
}

/** z-values of the local G. O(links) */
export interface LocalG {
  z: Float64Array;
  /** Normal, both sides. */
  p: Float64Array;
}

/**
 * The local G as its z-value (Ord and Getis 1995, doi:10.1111/j.1538-4632.1995.tb00912.x): with links from places to themselves G*, else G,
 * for which mean and deviation leave the place itself out. Rows without neighbours are not numbers.
 *
 * @param star whether rows hold the place itself
 */
export function localG(w: Rows, x: ArrayLike<number>, star: boolean): LocalG {
  const n = rowCount(w);
  let [sum, squares] = [0, 0];
  // About the mean, so that large values lose nothing; z does not change.
  let mean = 0;
  for (let i = 0; i < n; i++) mean += (x[i]! - mean) / (i + 1);
  const v = Float64Array.from(x, (a) => a - mean);
  for (const a of v) {
    sum += a;
    squares += a * a;
  }
  const z = new Float64Array(n).fill(NaN);
  for (let i = 0; i < n; i++) {
    let [own, square, got] = [0, 0, 0];
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) {
      own += w.values[k]!;
      square += w.values[k]! ** 2;
      got += w.values[k]! * v[w.neighbours[k]!]!;
    }
    if (own === 0) continue;
    const m = star ? n : n - 1;
    const [s, q] = star ? [sum, squares] : [sum - v[i]!, squares - v[i]! ** 2];
    const middle = s / m;
    const deviation = Math.sqrt(q / m - middle * middle);
    z[i] = (got - own * middle) / (deviation * Math.sqrt((m * square - own * own) / (m - 1)));
  }
  return { z, p: z.map((a) => (a === a ? normalTwoSided(a) : NaN)) };
}

/**
 * Conditional permutations: a place keeps its value, its neighbours' are drawn without replacement from all other places, and their weighted sum
 * is held against the one observed. Folded: of draws at least as large and draws at least as small, the smaller number counts,
 * p = (r + 1) / (m + 1). One random stream a place, so that the same comes out however places are spread.
 *
 * @param w a link from a place to itself keeps its value
 * @param from first row, `to` the one after the last
 * @returns p of each, not a number without neighbours
 */
export function conditional(
  w: Rows,
  x: Float64Array,
  from: number,
  to: number,
  draws: number,
  seed: number,
): Float64Array {
  const n = x.length;
  const out = new Float64Array(to - from).fill(NaN);
  // The numbers of all others; whatever order draws leave them in, the next draw from it is as random.
  const others = new Uint32Array(n - 1);
  for (let k = 0; k < n - 1; k++) others[k] = k;
  for (let i = from; i < to; i++) {
    const weights: number[] = [];
    let [observed, fixed] = [0, 0];
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) {
      const j = w.neighbours[k]!;
      observed += w.values[k]! * x[j]!;
      if (j === i) fixed += w.values[k]! * x[i]!;
      else weights.push(w.values[k]!);
    }
    if (!weights.length) continue;
    const random = new Random(scrambled(seed ^ Math.imul(i + 1, 0x9e3779b1)));
    const m = weights.length;
    const alike = weights.every((v) => v === weights[0]);
    // Sums in another order differ in their last bits; what is equal must count as equal.
    const slack = 1e-12 * Math.max(Math.abs(observed), 1e-300);
    let [above, below] = [0, 0];
    for (let d = 0; d < draws; d++) {
      let s = 0;
      for (let k = 0; k < m; k++) {
        const r = k + Math.floor((random.uint32() / 4294967296) * (n - 1 - k));
        const o = others[r]!;
        others[r] = others[k]!;
        others[k] = o;
        const v = x[o >= i ? o + 1 : o]!;
        s += alike ? v : weights[k]! * v;
      }
      const drawn = fixed + (alike ? s * weights[0]! : s);
      if (drawn >= observed - slack) above++;
      if (drawn <= observed + slack) below++;
    }
    out[i - from] = (Math.min(above, below) + 1) / (draws + 1);
  }
  return out;
}

export type Correction = 'none' | 'fdr' | 'bonferroni';

/**
 * Values of p made larger for many tests, so that they can be held against one level: Bonferroni's (times their number) or those of Benjamini and
 * Hochberg (1995, doi:10.1111/j.2517-6161.1995.tb02031.x). Those that are not numbers are no tests. O(n log n)
 */
export function adjusted(p: ArrayLike<number>, how: Correction): Float64Array {
  const out = Float64Array.from(p);
  const tests = Array.from(out.keys()).filter((i) => out[i] === out[i]);
  const m = tests.length;
  if (how === 'bonferroni') for (const i of tests) out[i] = Math.min(1, out[i]! * m);
  if (how === 'fdr') {
    tests.sort((a, b) => p[b]! - p[a]!);
    let least = 1;
    tests.forEach((i, k) => (out[i] = least = Math.min(least, (p[i]! * m) / (m - k))));
  }
  return out;
}
