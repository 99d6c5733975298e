import { cholesky, forward } from './cholesky';
import { covarianceOf, type Comoments } from './comoments';

/** A class that is told by its mean and how its values vary together. */
export interface GaussianClass {
  n: number;
  mean: Float64Array;
  /** b × b, by n - 1. */
  covariance: Float64Array;
  /** Lower triangle of it. */
  root: Float64Array;
  /** Natural logarithm of its determinant. */
  logDet: number;
}

/** @returns null where the values do not vary in b ways: too few of them, or all on a line */
export function gaussianClass(c: Comoments): GaussianClass | null {
  const b = c.mean.length;
  const covariance = covarianceOf(c);
  const root = covariance.slice();
  // Bands that repeat each other leave a pivot that is nothing but rounding.
  if (c.n <= b || !cholesky(root, b)) return null;
  let logDet = 0;
  for (let j = 0; j < b; j++) {
    const pivot = root[j * b + j]! ** 2;
    if (!(pivot > 1e-12 * covariance[j * b + j]!)) return null;
    logDet += Math.log(pivot);
  }
  return { n: c.n, mean: c.mean, covariance, root, logDet };
}

/** Squared distance of a vector from a class in units of its own spread (Mahalanobis 1936). @param d room for b numbers */
export function mahalanobis(g: GaussianClass, x: ArrayLike<number>, at: number, d: Float64Array): number {
  const b = d.length;
  const { mean, root } = g;
  let sum = 0;
  for (let i = 0; i < b; i++) {
    let s = x[at + i]! - mean[i]!;
    const r = i * b;
    for (let k = 0; k < i; k++) s -= root[r + k]! * d[k]!;
    s /= root[r + i]!;
    d[i] = s;
    sum += s * s;
  }
  return sum;
}

/** Inverse of a covariance by its lower triangle. */
function inverse(root: Float64Array, b: number): Float64Array {
  // Columns of L⁻¹; A⁻¹ = L⁻ᵀ L⁻¹.
  const l = new Float64Array(b * b);
  for (let c = 0; c < b; c++) {
    const e = new Float64Array(b);
    e[c] = 1;
    forward(root, b, e);
    for (let i = 0; i < b; i++) l[i * b + c] = e[i]!;
  }
  const out = new Float64Array(b * b);
  for (let i = 0; i < b; i++)
    for (let j = 0; j < b; j++) for (let k = 0; k < b; k++) out[i * b + j]! += l[k * b + i]! * l[k * b + j]!;
  return out;
}

/**
 * How far two classes can be told apart, each from 0 (not at all) to 2 (always): the Jeffries-Matusita distance 2 (1 - e^-B) of the
 * Bhattacharyya distance B, and the transformed divergence 2 (1 - e^(-D / 8)) of the divergence D (Richards 2013, section 10.2; Swain and
 * Davis 1978). Infinitely far where the covariance of the two together has no inverse is not told: both are NaN.
 */
export function separability(
  p: GaussianClass,
  q: GaussianClass,
): { jeffriesMatusita: number; transformedDivergence: number } {
  const b = p.mean.length;
  const d = p.mean.map((m, i) => m - q.mean[i]!);
  const both = p.covariance.map((v, i) => (v + q.covariance[i]!) / 2);
  if (!cholesky(both, b)) return { jeffriesMatusita: NaN, transformedDivergence: NaN };
  let logDet = 0;
  for (let j = 0; j < b; j++) logDet += 2 * Math.log(both[j * b + j]!);
  const y = d.slice();
  forward(both, b, y);
  const bhattacharyya = y.reduce((s, v) => s + v * v, 0) / 8 + (logDet - (p.logDet + q.logDet) / 2) / 2;
  const [ip, iq] = [inverse(p.root, b), inverse(q.root, b)];
  let divergence = 0;
  for (let i = 0; i < b; i++)
    for (let j = 0; j < b; j++) {
      const [vp, vq] = [p.covariance[j * b + i]!, q.covariance[j * b + i]!];
      const [a, c] = [ip[i * b + j]!, iq[i * b + j]!];
      divergence += (vp - vq) * (c - a) + (a + c) * d[i]! * d[j]!;
    }
  divergence /= 2;
  return {
    jeffriesMatusita: 2 * (1 - Math.exp(-bhattacharyya)),
    transformedDivergence: 2 * (1 - Math.exp(-divergence / 8)),
  };
}
