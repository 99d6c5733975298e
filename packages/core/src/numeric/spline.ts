import { solve } from './cholesky';
import type { Samples } from './kriging';

/** r² ln r of a squared distance. */
const kernel = (d2: number): number => (d2 > 0 ? 0.5 * d2 * Math.log(d2) : 0);

/**
 * Thin plate spline (Duchon 1977; Wahba 1990): the smoothest sheet through the samples, or near them where `smoothing` is above 0.
 * Coordinates are taken in units of the extent, about its middle. O(n³).
 *
 * @param smoothing added to the diagonal of the kernel in units of the coordinates, as SciPy's RBFInterpolator does
 * @returns null where the samples all lie on a line
 */
export function thinPlate(s: Samples, smoothing: number): Sheet | null {
  const n = s.x.length;
  let [mx, my] = [0, 0];
  for (let i = 0; i < n; i++) {
    mx += s.x[i]! / n;
    my += s.y[i]! / n;
  }
  let size = 1e-12;
  for (let i = 0; i < n; i++) size = Math.max(size, Math.abs(s.x[i]! - mx), Math.abs(s.y[i]! - my));
  const u = Float64Array.from(s.x, (x) => (x - mx) / size);
  const v = Float64Array.from(s.y, (y) => (y - my) / size);
  const m = n + 3;
  const a = new Float64Array(m * m);
  const b = new Float64Array(m);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < i; j++) a[i * m + j] = a[j * m + i] = kernel((u[i]! - u[j]!) ** 2 + (v[i]! - v[j]!) ** 2);
    // The kernel shrinks with the square of the unit (its logarithm moves into the plane), and so must what is added to it.
    a[i * m + i] = smoothing / (size * size);
    a[i * m + n] = a[n * m + i] = 1;
    a[i * m + n + 1] = a[(n + 1) * m + i] = u[i]!;
    a[i * m + n + 2] = a[(n + 2) * m + i] = v[i]!;
    b[i] = s.z[i]!;
  }
  if (!solve(a, m, b)) return null;
  return { mx, my, size, u, v, b };
}

/** A sheet worked out: the samples about their middle in units of their extent, and their weights with those of the plane. */
export interface Sheet {
  mx: number;
  my: number;
  size: number;
  u: Float64Array;
  v: Float64Array;
  b: Float64Array;
}

/** Height of a sheet at a place. O(n). */
export function sheetAt({ mx, my, size, u, v, b }: Sheet, x: number, y: number): number {
  const n = u.length;
  const [p, q] = [(x - mx) / size, (y - my) / size];
  let t = b[n]! + b[n + 1]! * p + b[n + 2]! * q;
  for (let i = 0; i < n; i++) t += b[i]! * kernel((u[i]! - p) ** 2 + (v[i]! - q) ** 2);
  return t;
}
