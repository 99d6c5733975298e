/** A least-squares fit of y on the columns of X. */
export interface Fit {
  coefficients: Float64Array;
  residuals: Float64Array;
  fitted: Float64Array;
  /** Sum of squared residuals. */
  rss: number;
  /** (XᵀX)⁻¹, row by row. */
  inverse: Float64Array;
}

/** Columns that add nothing beyond this share of their length count as combinations of those before. */
const DEPENDENT = 1e-9;

/**
 * Least squares by Householder reflections (Golub and Van Loan 2013, section 5.3). O(n k²)
 *
 * @param x columns of X, each with n values
 * @returns the number of a column that is a combination of those before it, where there is one
 */
export function leastSquares(x: readonly ArrayLike<number>[], y: ArrayLike<number>): Fit | { dependent: number } {
  const [n, k] = [y.length, x.length];
  const q = x.map((c) => Float64Array.from(c));
  const r = new Float64Array(k * k);
  const v = Float64Array.from(y);
  for (let j = 0; j < k; j++) {
    const c = q[j]!;
    let [whole, norm] = [0, 0];
    for (let i = 0; i < n; i++) {
      whole += x[j]![i]! ** 2;
      if (i >= j) norm += c[i]! ** 2;
    }
    norm = Math.sqrt(norm);
    if (!(norm > DEPENDENT * Math.sqrt(whole))) return { dependent: j };
    const alpha = c[j]! > 0 ? -norm : norm;
    for (let m = 0; m < j; m++) r[m * k + j] = c[m]!;
    r[j * k + j] = alpha;
    c[j]! -= alpha;
    let square = 0;
    for (let i = j; i < n; i++) square += c[i]! ** 2;
    for (const other of [...q.slice(j + 1), v]) {
      let s = 0;
      for (let i = j; i < n; i++) s += c[i]! * other[i]!;
      s = (2 * s) / square;
      for (let i = j; i < n; i++) other[i]! -= s * c[i]!;
    }
  }
  const coefficients = new Float64Array(k);
  for (let j = k - 1; j >= 0; j--) {
    let s = v[j]!;
    for (let m = j + 1; m < k; m++) s -= r[j * k + m]! * coefficients[m]!;
    coefficients[j] = s / r[j * k + j]!;
  }
  const fitted = new Float64Array(n);
  for (let j = 0; j < k; j++) for (let i = 0; i < n; i++) fitted[i]! += coefficients[j]! * x[j]![i]!;
  const residuals = Float64Array.from(y, (a, i) => a - fitted[i]!);
  return { coefficients, residuals, fitted, rss: residuals.reduce((s, e) => s + e * e, 0), inverse: inverseOf(r, k) };
}

/** (RᵀR)⁻¹ of an upper triangle. */
function inverseOf(r: Float64Array, k: number): Float64Array {
  const u = new Float64Array(k * k);
  for (let j = 0; j < k; j++) {
    u[j * k + j] = 1 / r[j * k + j]!;
    for (let i = j - 1; i >= 0; i--) {
      let s = 0;
      for (let m = i + 1; m <= j; m++) s += r[i * k + m]! * u[m * k + j]!;
      u[i * k + j] = -s / r[i * k + i]!;
    }
  }
  const out = new Float64Array(k * k);
  for (let i = 0; i < k; i++)
    for (let j = 0; j < k; j++) {
      let s = 0;
      for (let m = Math.max(i, j); m < k; m++) s += u[i * k + m]! * u[j * k + m]!;
      out[i * k + j] = s;
    }
  return out;
}

/** Inverse of a symmetric positive definite matrix, by elimination with the largest pivot; null where there is none. O(k³) */
export function inverted(given: ArrayLike<number>, k: number): Float64Array | null {
  // Scaled to a diagonal of ones first: entries may be of very unlike size.
  const d = Float64Array.from({ length: k }, (_, i) => Math.sqrt(given[i * k + i]!));
  if (!d.every((v) => v > 0)) return null;
  const a = Float64Array.from(given, (v, at) => v / (d[Math.floor(at / k)]! * d[at % k]!));
  const out = new Float64Array(k * k);
  for (let i = 0; i < k; i++) out[i * k + i] = 1;
  for (let c = 0; c < k; c++) {
    let p = c;
    for (let i = c + 1; i < k; i++) if (Math.abs(a[i * k + c]!) > Math.abs(a[p * k + c]!)) p = i;
    if (!(Math.abs(a[p * k + c]!) > 1e-14)) return null;
    for (let j = 0; j < k; j++) {
      [a[c * k + j], a[p * k + j]] = [a[p * k + j]!, a[c * k + j]!];
      [out[c * k + j], out[p * k + j]] = [out[p * k + j]!, out[c * k + j]!];
    }
    const s = 1 / a[c * k + c]!;
    for (let j = 0; j < k; j++) {
      a[c * k + j]! *= s;
      out[c * k + j]! *= s;
    }
    for (let i = 0; i < k; i++) {
      const f = i === c ? 0 : a[i * k + c]!;
      if (f === 0) continue;
      for (let j = 0; j < k; j++) {
        a[i * k + j]! -= f * a[c * k + j]!;
        out[i * k + j]! -= f * out[c * k + j]!;
      }
    }
  }
  return out.map((v, at) => v / (d[Math.floor(at / k)]! * d[at % k]!));
}

/**
 * The least value of a smooth function between two ends, by parabolas and golden sections (Brent 1973, Algorithms for Minimization without
 * Derivatives, chapter 5).
 */
export function minimise(f: (x: number) => number, low: number, high: number, tolerance = 1e-10): number {
  const golden = (3 - Math.sqrt(5)) / 2;
  let [a, b] = [low, high];
  let x = a + golden * (b - a);
  let [w, v] = [x, x];
  let fx = f(x);
  let [fw, fv] = [fx, fx];
  let [d, e] = [0, 0];
  for (let step = 0; step < 200; step++) {
    const m = (a + b) / 2;
    const tol = tolerance * Math.abs(x) + 1e-12;
    if (Math.abs(x - m) <= 2 * tol - (b - a) / 2) break;
    let parabola = false;
    if (Math.abs(e) > tol) {
      const r = (x - w) * (fx - fv);
      let q = (x - v) * (fx - fw);
      let p = (x - v) * q - (x - w) * r;
      q = 2 * (q - r);
      if (q > 0) p = -p;
      q = Math.abs(q);
      if (Math.abs(p) < Math.abs((q * e) / 2) && p > q * (a - x) && p < q * (b - x)) {
        e = d;
        d = p / q;
        parabola = true;
        if (x + d - a < 2 * tol || b - (x + d) < 2 * tol) d = x < m ? tol : -tol;
      }
    }
    if (!parabola) {
      e = x < m ? b - x : a - x;
      d = golden * e;
    }
    const u = Math.abs(d) >= tol ? x + d : x + (d > 0 ? tol : -tol);
    const fu = f(u);
    if (fu <= fx) {
      if (u < x) b = x;
      else a = x;
      [v, w, x] = [w, x, u];
      [fv, fw, fx] = [fw, fx, fu];
    } else {
      if (u < x) a = u;
      else b = u;
      if (fu <= fw || w === x) {
        [v, w] = [w, u];
        [fv, fw] = [fw, fu];
      } else if (fu <= fv || v === x || v === w) [v, fv] = [u, fu];
    }
  }
  return x;
}
