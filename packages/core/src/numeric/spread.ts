/** Mean and spread of some vectors of b values, taken up one after the other. */
export interface Spread {
  n: number;
  mean: Float64Array;
  /** Sums of squared deviations from the mean. */
  squares: Float64Array;
}

export const noSpread = (b: number): Spread => ({ n: 0, mean: new Float64Array(b), squares: new Float64Array(b) });

/** Takes up one more vector (Welford 1962): no digits are lost, however large the values are. */
export function addTo(s: Spread, x: ArrayLike<number>, at: number): void {
  s.n++;
  for (let j = 0; j < s.mean.length; j++) {
    const v = x[at + j]!;
    const d = v - s.mean[j]!;
    s.mean[j] = s.mean[j]! + d / s.n;
    s.squares[j] = s.squares[j]! + d * (v - s.mean[j]!);
  }
}

/** Of both together (Chan, Golub and LeVeque 1979). */
export function joinSpreads(p: Spread, q: Spread): Spread {
  if (p.n === 0) return q;
  if (q.n === 0) return p;
  const n = p.n + q.n;
  return {
    n,
    mean: p.mean.map((m, j) => m + ((q.mean[j]! - m) * q.n) / n),
    squares: p.squares.map((s, j) => s + q.squares[j]! + ((q.mean[j]! - p.mean[j]!) ** 2 * p.n * q.n) / n),
  };
}

/** Standard deviations, by n - 1; 0 of a single vector. */
export const sdOf = ({ n, squares }: Spread): Float64Array => squares.map((s) => Math.sqrt(s / Math.max(1, n - 1)));
