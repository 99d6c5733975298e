/** Eigenvalues of a symmetric matrix from the largest, each with its vector of length 1 whose largest part by size is positive. */
export interface Eigen {
  values: Float64Array;
  /** Row by row: vector k stands in row k. */
  vectors: Float64Array;
}

const SWEEPS = 60;

/**
 * Eigenvalues and vectors of a symmetric matrix by cyclic rotations (Jacobi 1846; Golub and Van Loan 2013, section 8.5). O(n³) a sweep; some
 * six to ten sweeps.
 *
 * @param given n × n, row by row; left as it is
 */
export function symmetricEigen(given: ArrayLike<number>, n: number): Eigen {
  const a = Float64Array.from(given);
  const v = new Float64Array(n * n);
  for (let i = 0; i < n; i++) v[i * n + i] = 1;
  let whole = 0;
  for (const x of a) whole += x * x;
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    let off = 0;
    for (let p = 0; p < n; p++) for (let q = p + 1; q < n; q++) off += a[p * n + q]! ** 2;
    if (off <= 1e-30 * whole) break;
    for (let p = 0; p < n; p++) for (let q = p + 1; q < n; q++) rotate(a, v, n, p, q);
  }
  const order = Array.from({ length: n }, (_, i) => i).sort((i, j) => a[j * n + j]! - a[i * n + i]! || i - j);
  const vectors = new Float64Array(n * n);
  order.forEach((c, k) => {
    let largest = 0;
    for (let i = 0; i < n; i++) if (Math.abs(v[i * n + c]!) > Math.abs(v[largest * n + c]!) + 1e-12) largest = i;
    const sign = v[largest * n + c]! < 0 ? -1 : 1;
    for (let i = 0; i < n; i++) vectors[k * n + i] = sign * v[i * n + c]!;
  });
  return { values: Float64Array.from(order, (i) => a[i * n + i]!), vectors };
}

/** Turns axes p and q so that what they share becomes 0. */
function rotate(a: Float64Array, v: Float64Array, n: number, p: number, q: number): void {
  const apq = a[p * n + q]!;
  if (apq === 0) return;
  const theta = (a[q * n + q]! - a[p * n + p]!) / (2 * apq);
  const t = (theta >= 0 ? 1 : -1) / (Math.abs(theta) + Math.hypot(theta, 1));
  const c = 1 / Math.hypot(t, 1);
  const s = t * c;
  for (let i = 0; i < n; i++) {
    const [x, y] = [a[i * n + p]!, a[i * n + q]!];
    a[i * n + p] = c * x - s * y;
    a[i * n + q] = s * x + c * y;
  }
  for (let i = 0; i < n; i++) {
    const [x, y] = [a[p * n + i]!, a[q * n + i]!];
    a[p * n + i] = c * x - s * y;
    a[q * n + i] = s * x + c * y;
  }
  for (let i = 0; i < n; i++) {
    const [x, y] = [v[i * n + p]!, v[i * n + q]!];
    v[i * n + p] = c * x - s * y;
    v[i * n + q] = s * x + c * y;
  }
}
