import { normalTwoSided, tTwoSided } from './distributions';

/** How two rows of values go together: the coefficient, how likely as much is by chance (both sides), and how many pairs there were. */
export interface Association {
  r: number;
  p: number;
  n: number;
}

/** Ranks from 1, equal values sharing the mean of theirs. O(n log n) */
export function midRanks(values: ArrayLike<number>): Float64Array {
  const n = values.length;
  const order = Uint32Array.from({ length: n }, (_, i) => i).sort((a, b) => values[a]! - values[b]!);
  const out = new Float64Array(n);
  for (let i = 0; i < n;) {
    let j = i;
    while (j + 1 < n && values[order[j + 1]!] === values[order[i]!]) j++;
    for (let k = i; k <= j; k++) out[order[k]!] = (i + j) / 2 + 1;
    i = j + 1;
  }
  return out;
}

/** Pearson's product-moment correlation; p from Student's t with n - 2 degrees of freedom. NaN where one of them does not vary. O(n) */
export function pearson(x: ArrayLike<number>, y: ArrayLike<number>): Association {
  const n = x.length;
  let [mx, my] = [0, 0];
  for (let i = 0; i < n; i++) {
    mx += x[i]! / n;
    my += y[i]! / n;
  }
  let [xx, yy, xy] = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    const [a, b] = [x[i]! - mx, y[i]! - my];
    xx += a * a;
    yy += b * b;
    xy += a * b;
  }
  if (!(xx > 0 && yy > 0)) return { r: NaN, p: NaN, n };
  const r = Math.max(-1, Math.min(1, xy / Math.sqrt(xx * yy)));
  const df = n - 2;
  return { r, p: df > 0 ? tTwoSided(r * Math.sqrt(df / ((1 - r) * (1 + r))), df) : NaN, n };
}

/** Spearman's correlation: Pearson's of the ranks, p likewise. O(n log n) */
export const spearman = (x: ArrayLike<number>, y: ArrayLike<number>): Association => pearson(midRanks(x), midRanks(y));

/**
 * Kendall's tau-b, by counting exchanges while sorting (Knight 1966, doi:10.1080/01621459.1966.10480879); p from the normal approximation with the
 * variance for ties (Kendall 1970). O(n log n)
 */
export function kendall(x: ArrayLike<number>, y: ArrayLike<number>): Association {
  const n = x.length;
  const order = Uint32Array.from({ length: n }, (_, i) => i).sort((a, b) => x[a]! - x[b]! || y[a]! - y[b]!);
  const tiesX = ties(n, (i) => x[order[i]!]!);
  let both = 0;
  for (let i = 0; i < n;) {
    let j = i + 1;
    while (j < n && x[order[j]!] === x[order[i]!] && y[order[j]!] === y[order[i]!]) j++;
    both += ((j - i) * (j - i - 1)) / 2;
    i = j;
  }
  const sorted = Float64Array.from(order, (i) => y[i]!);
  const swaps = inversions(sorted);
  const tiesY = ties(n, (i) => sorted[i]!);
  const pairs = (n * (n - 1)) / 2;
  // Pairs in order less pairs against it.
  const s = pairs - tiesX.pairs - tiesY.pairs + both - 2 * swaps;
  const r = s / Math.sqrt((pairs - tiesX.pairs) * (pairs - tiesY.pairs));
  const m = n * (n - 1);
  const variance =
    (m * (2 * n + 5) - tiesX.linear - tiesY.linear) / 18 +
    (2 * tiesX.pairs * tiesY.pairs) / m +
    (n > 2 ? (tiesX.cubic * tiesY.cubic) / (9 * m * (n - 2)) : 0);
  return {
    r: r === r ? Math.max(-1, Math.min(1, r)) : NaN,
    p: r === r ? normalTwoSided(s / Math.sqrt(variance)) : NaN,
    n,
  };
}

/** Of runs of equal values in order: their pairs, and the sums that Kendall's variance wants. */
function ties(n: number, at: (i: number) => number): { pairs: number; linear: number; cubic: number } {
  const out = { pairs: 0, linear: 0, cubic: 0 };
  for (let i = 0; i < n;) {
    let j = i + 1;
    while (j < n && at(j) === at(i)) j++;
    const t = j - i;
    out.pairs += (t * (t - 1)) / 2;
    out.linear += t * (t - 1) * (2 * t + 5);
    out.cubic += t * (t - 1) * (t - 2);
    i = j;
  }
  return out;
}

/** Sorts in place and counts the pairs that stood the wrong way round. */
function inversions(a: Float64Array): number {
  let from = a;
  let to = new Float64Array(a.length);
  let count = 0;
  for (let width = 1; width < a.length; width *= 2) {
    for (let lo = 0; lo < a.length; lo += 2 * width) {
      const [mid, hi] = [Math.min(lo + width, a.length), Math.min(lo + 2 * width, a.length)];
      let [i, j] = [lo, mid];
      for (let k = lo; k < hi; k++) {
        if (i < mid && (j >= hi || from[i]! <= from[j]!)) to[k] = from[i++]!;
        else {
          to[k] = from[j++]!;
          count += mid - i;
        }
      }
    }
    [from, to] = [to, from as Float64Array<ArrayBuffer>];
  }
  if (from !== a) a.set(from);
  return count;
}
