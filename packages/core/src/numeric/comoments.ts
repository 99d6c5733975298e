/** How many vectors there are, their mean, and the sums of products of their deviations from it (b × b, row by row, symmetric). */
export interface Comoments {
  n: number;
  mean: Float64Array;
  products: Float64Array;
}

export const noComoments = (b: number): Comoments => ({
  n: 0,
  mean: new Float64Array(b),
  products: new Float64Array(b * b),
});

/**
 * Moments of vectors that stand one behind the other. Sums are taken about the first vector, which keeps their digits. O(n b²).
 *
 * @param x n × b
 */
export function comoments(x: ArrayLike<number>, n: number, b: number): Comoments {
  const out = noComoments(b);
  if (n === 0) return out;
  const { mean, products } = out;
  out.n = n;
  const shift = Float64Array.from({ length: b }, (_, j) => x[j]!);
  const d = new Float64Array(b);
  for (let i = 0, o = 0; i < n; i++, o += b) {
    for (let j = 0; j < b; j++) {
      const v = x[o + j]! - shift[j]!;
      d[j] = v;
      mean[j]! += v;
      const r = j * b;
      for (let k = 0; k <= j; k++) products[r + k]! += v * d[k]!;
    }
  }
  for (let j = 0; j < b; j++)
    for (let k = 0; k <= j; k++) {
      const s = products[j * b + k]! - (mean[j]! * mean[k]!) / n;
      products[j * b + k] = products[k * b + j] = j === k ? Math.max(0, s) : s;
    }
  for (let j = 0; j < b; j++) mean[j] = shift[j]! + mean[j]! / n;
  return out;
}

/** Moments of two parts together (Chan, Golub and LeVeque 1983, doi:10.1080/00031305.1983.10483115). */
export function joinComoments(p: Comoments, q: Comoments): Comoments {
  if (!p.n || !q.n) return p.n ? p : q;
  const b = p.mean.length;
  const n = p.n + q.n;
  const d = q.mean.map((m, j) => m - p.mean[j]!);
  const w = (p.n * q.n) / n;
  return {
    n,
    mean: p.mean.map((m, j) => m + (d[j]! * q.n) / n),
    products: p.products.map((s, i) => s + q.products[i]! + d[Math.floor(i / b)]! * d[i % b]! * w),
  };
}

/** The covariance matrix, by n - 1; of fewer than two vectors all 0. */
export const covarianceOf = (c: Comoments): Float64Array => c.products.map((s) => (c.n > 1 ? s / (c.n - 1) : 0));
