import { room } from '../data/room';
import { cholesky, solve, solveCholesky } from './cholesky';
import { NearPoints } from './near';
import { shape, type Variogram } from './variogram';

/** Places and values, no two at one place. */
export interface Samples {
  x: Float64Array;
  y: Float64Array;
  z: Float64Array;
}

/** Functions of the place that the mean is a combination of: 1, or 1, x, y about a middle and in a unit of their own. */
interface Trend {
  count: number;
  fill: (x: number, y: number, out: Float64Array, at: number) => void;
}

function trendOf(s: Samples, drift: 'none' | 'linear'): Trend {
  if (drift === 'none') return { count: 1, fill: (_x, _y, out, at) => void (out[at] = 1) };
  let [mx, my] = [0, 0];
  for (let i = 0; i < s.x.length; i++) {
    mx += s.x[i]! / s.x.length;
    my += s.y[i]! / s.y.length;
  }
  let size = 1e-12;
  for (let i = 0; i < s.x.length; i++) size = Math.max(size, Math.abs(s.x[i]! - mx), Math.abs(s.y[i]! - my));
  return {
    count: 3,
    fill: (x, y, out, at) => {
      out[at] = 1;
      out[at + 1] = (x - mx) / size;
      out[at + 2] = (y - my) / size;
    },
  };
}

/** Covariance as a function of squared distance; the unbounded linear model is lifted by a constant, which the weights' sum cancels. */
function covarianceOf(v: Variogram, s: Samples): (d2: number) => number {
  const partial = v.sill - v.nugget;
  let top = v.sill;
  if (v.model === 'linear') {
    let [w, e, b, t] = [Infinity, -Infinity, Infinity, -Infinity];
    for (let i = 0; i < s.x.length; i++) {
      w = Math.min(w, s.x[i]!);
      e = Math.max(e, s.x[i]!);
      b = Math.min(b, s.y[i]!);
      t = Math.max(t, s.y[i]!);
    }
    top = v.nugget + (partial * 3 * Math.max(Math.hypot(e - w, t - b), v.range)) / v.range;
  }
  return (d2) => (d2 === 0 ? top : top - v.nugget - partial * shape(v.model, Math.sqrt(d2) / v.range));
}

/** What is worked out once for all places: the factor L of the covariances, C⁻¹ F, C⁻¹ (z - F β), β and (Fᵀ C⁻¹ F)⁻¹. */
export interface Factors {
  l: Float64Array;
  u: Float64Array;
  w: Float64Array;
  beta: Float64Array;
  inverse: Float64Array;
}

/** O(n³). @throws Error when the covariances of the samples are not positive definite */
export function factorsOf(s: Samples, v: Variogram, drift: 'none' | 'linear'): Factors {
  const n = s.x.length;
  const trend = trendOf(s, drift);
  const p = trend.count;
  const cov = covarianceOf(v, s);
  const l = room(Float64Array, n * n);
  for (let i = 0; i < n; i++)
    for (let j = 0; j <= i; j++) l[i * n + j] = cov((s.x[i]! - s.x[j]!) ** 2 + (s.y[i]! - s.y[j]!) ** 2);
  if (!cholesky(l, n)) throw new Error('not positive definite');
  const f = new Float64Array(n * p);
  for (let i = 0; i < n; i++) trend.fill(s.x[i]!, s.y[i]!, f, i * p);
  const u = new Float64Array(n * p);
  const column = new Float64Array(n);
  for (let k = 0; k < p; k++) {
    for (let i = 0; i < n; i++) column[i] = f[i * p + k]!;
    solveCholesky(l, n, column);
    for (let i = 0; i < n; i++) u[i * p + k] = column[i]!;
  }
  const gram = new Float64Array(p * p);
  const beta = new Float64Array(p);
  for (let a = 0; a < p; a++)
    for (let i = 0; i < n; i++) {
      beta[a]! += u[i * p + a]! * s.z[i]!;
      for (let b = 0; b < p; b++) gram[a * p + b]! += f[i * p + a]! * u[i * p + b]!;
    }
  const inverse = new Float64Array(p * p);
  for (let k = 0; k < p; k++) {
    const e = new Float64Array(p);
    e[k] = 1;
    if (!solve(gram.slice(), p, e)) throw new Error('no trend');
    for (let a = 0; a < p; a++) inverse[a * p + k] = e[a]!;
  }
  if (!solve(gram.slice(), p, beta)) throw new Error('no trend');
  const w = Float64Array.from(s.z, (z, i) => z - dot(f, i * p, beta, p));
  solveCholesky(l, n, w);
  return { l, u, w, beta, inverse };
}

/**
 * Kriging with all samples (ordinary, or with a linear drift; Cressie 1993, sections 3.2 and 3.4): the covariances are factorised once, and
 * places are taken in blocks so that each row of the factor serves several. O(n³) once, O(n²) a place with the error, O(n) without.
 *
 * @throws Error when the covariances of the samples are not positive definite
 */
export class GlobalKriging {
  private readonly n: number;
  private readonly p: number;
  private readonly trend: Trend;
  private readonly cov: (d2: number) => number;
  private readonly l: Float64Array;
  private readonly u: Float64Array;
  private readonly w: Float64Array;
  private readonly beta: Float64Array;
  private readonly inverse: Float64Array;

  /** @param factors of the same samples, model and drift, where they have been worked out already */
  constructor(
    private readonly s: Samples,
    v: Variogram,
    drift: 'none' | 'linear' = 'none',
    factors: Factors = factorsOf(s, v, drift),
  ) {
    this.n = s.x.length;
    this.trend = trendOf(s, drift);
    this.p = this.trend.count;
    this.cov = covarianceOf(v, s);
    ({ l: this.l, u: this.u, w: this.w, beta: this.beta, inverse: this.inverse } = factors);
  }

  /** Estimates and their variances at places; `variance` may be left out. */
  at(x: ArrayLike<number>, y: ArrayLike<number>, estimate: Float64Array, variance?: Float64Array): void {
    const { n, p, s, l } = this;
    const c = new Float64Array(8 * n);
    const f = new Float64Array(p);
    const r = new Float64Array(p);
    for (let from = 0; from < x.length; from += 8) {
      const m = Math.min(8, x.length - from);
      for (let k = 0; k < m; k++) {
        const [px, py] = [x[from + k]!, y[from + k]!];
        let sum = 0;
        for (let i = 0; i < n; i++) {
          const v = this.cov((s.x[i]! - px) ** 2 + (s.y[i]! - py) ** 2);
          c[8 * i + k] = v;
          sum += v * this.w[i]!;
        }
        this.trend.fill(px, py, f, 0);
        estimate[from + k] = sum + dot(f, 0, this.beta, p);
        if (!variance) continue;
        for (let a = 0; a < p; a++) {
          let t = f[a]!;
          for (let i = 0; i < n; i++) t -= this.u[i * p + a]! * c[8 * i + k]!;
          r[a] = t;
        }
        let extra = 0;
        for (let a = 0; a < p; a++) for (let b = 0; b < p; b++) extra += r[a]! * this.inverse[a * p + b]! * r[b]!;
        variance[from + k] = this.cov(0) + extra;
      }
      if (variance) this.lessExplained(c, m, l, variance, from);
    }
  }

  /**
   * Takes |L⁻¹ c|² off the variances of eight places: forward substitution by tiles of four rows and four places, so that what is loaded
   * serves sixteen products.
   */
  private lessExplained(c: Float64Array, m: number, l: Float64Array, variance: Float64Array, from: number): void {
    const { n } = this;
    const whole = n - (n % 4);
    for (let i = 0; i < whole; i += 4) for (let q = 0; q < m; q += 4) tile(c, l, n, i, q);
    for (let i = whole; i < n; i++) {
      for (let q = 0; q < m; q++) {
        let s = c[8 * i + q]!;
        for (let k = 0; k < i; k++) s -= l[i * n + k]! * c[8 * k + q]!;
        c[8 * i + q] = s / l[i * n + i]!;
      }
    }
    for (let q = 0; q < m; q++) {
      let s = 0;
      for (let i = 0; i < n; i++) s += c[8 * i + q]! * c[8 * i + q]!;
      variance[from + q] = Math.max(0, variance[from + q]! - s);
    }
  }
}

/** Rows i to i + 3 of L⁻¹ c for the places q to q + 3; the rows above are done. */
function tile(c: Float64Array, l: Float64Array, n: number, i: number, q: number): void {
  const [r0, r1, r2, r3] = [i * n, (i + 1) * n, (i + 2) * n, (i + 3) * n];
  let [a0, a1, a2, a3] = [0, 0, 0, 0];
  let [b0, b1, b2, b3] = [0, 0, 0, 0];
  let [d0, d1, d2, d3] = [0, 0, 0, 0];
  let [e0, e1, e2, e3] = [0, 0, 0, 0];
  for (let k = 0, j = q; k < i; k++, j += 8) {
    const c0 = c[j]!;
    const c1 = c[j + 1]!;
    const c2 = c[j + 2]!;
    const c3 = c[j + 3]!;
    const l0 = l[r0 + k]!;
    a0 += l0 * c0;
    a1 += l0 * c1;
    a2 += l0 * c2;
    a3 += l0 * c3;
    const l1 = l[r1 + k]!;
    b0 += l1 * c0;
    b1 += l1 * c1;
    b2 += l1 * c2;
    b3 += l1 * c3;
    const l2 = l[r2 + k]!;
    d0 += l2 * c0;
    d1 += l2 * c1;
    d2 += l2 * c2;
    d3 += l2 * c3;
    const l3 = l[r3 + k]!;
    e0 += l3 * c0;
    e1 += l3 * c1;
    e2 += l3 * c2;
    e3 += l3 * c3;
  }
  const sums = [a0, a1, a2, a3, b0, b1, b2, b3, d0, d1, d2, d3, e0, e1, e2, e3];
  for (let r = 0; r < 4; r++) {
    const row = (i + r) * n;
    for (let k = 0; k < 4; k++) {
      let s = c[8 * (i + r) + q + k]! - sums[4 * r + k]!;
      for (let t = 0; t < r; t++) s -= l[row + i + t]! * c[8 * (i + t) + q + k]!;
      c[8 * (i + r) + q + k] = s / l[row + i + r]!;
    }
  }
}

function dot(a: Float64Array, at: number, b: Float64Array, n: number): number {
  let s = 0;
  for (let k = 0; k < n; k++) s += a[at + k]! * b[k]!;
  return s;
}

/**
 * Kriging with the nearest samples of each place, of any number in all. The small systems are solved by elimination, so that they need not be
 * positive definite. O(k³) a place.
 */
export class LocalKriging {
  private readonly near: NearPoints;
  private readonly trend: Trend;
  private readonly cov: (d2: number) => number;
  private readonly index: Uint32Array;
  private readonly square: Float64Array;

  constructor(
    private readonly s: Samples,
    v: Variogram,
    private readonly neighbours: number,
    drift: 'none' | 'linear' = 'none',
  ) {
    this.near = new NearPoints(s.x, s.y);
    this.trend = trendOf(s, drift);
    this.cov = covarianceOf(v, s);
    this.index = new Uint32Array(neighbours);
    this.square = new Float64Array(neighbours);
  }

  at(x: ArrayLike<number>, y: ArrayLike<number>, estimate: Float64Array, variance?: Float64Array): void {
    for (let q = 0; q < x.length; q++) {
      const k = this.near.find(x[q]!, y[q]!, this.neighbours, Infinity, this.index, this.square);
      const r = this.solveAt(x[q]!, y[q]!, k);
      estimate[q] = r?.estimate ?? NaN;
      if (variance) variance[q] = r ? Math.max(0, this.cov(0) - r.explained) : NaN;
    }
  }

  /** The estimate at a sample from the nearest others; NaN where the system cannot be solved. */
  without(i: number): number {
    const { s, index, square } = this;
    // One more, since the nearest is the sample itself, or another at its place.
    const [more, far] = [new Uint32Array(this.neighbours + 1), new Float64Array(this.neighbours + 1)];
    const found = this.near.find(s.x[i]!, s.y[i]!, this.neighbours + 1, Infinity, more, far);
    let k = 0;
    for (let j = 0; j < found && k < this.neighbours; j++) {
      if (more[j] === i) continue;
      index[k] = more[j]!;
      square[k++] = far[j]!;
    }
    return this.solveAt(s.x[i]!, s.y[i]!, k)?.estimate ?? NaN;
  }

  /** The system of the first `k` neighbours found. */
  private solveAt(x: number, y: number, k: number): { estimate: number; explained: number } | null {
    const { s, cov } = this;
    const p = this.trend.count;
    const f = new Float64Array(p);
    const m = k + p;
    const a = new Float64Array(m * m);
    const b = new Float64Array(m);
    for (let i = 0; i < k; i++) {
      const [xi, yi] = [s.x[this.index[i]!]!, s.y[this.index[i]!]!];
      for (let j = 0; j <= i; j++)
        a[i * m + j] = a[j * m + i] = cov((xi - s.x[this.index[j]!]!) ** 2 + (yi - s.y[this.index[j]!]!) ** 2);
      this.trend.fill(xi, yi, f, 0);
      for (let t = 0; t < p; t++) a[i * m + k + t] = a[(k + t) * m + i] = f[t]!;
      b[i] = cov(this.square[i]!);
    }
    this.trend.fill(x, y, f, 0);
    for (let t = 0; t < p; t++) b[k + t] = f[t]!;
    const right = b.slice();
    if (!solve(a, m, b)) return null;
    let [estimate, explained] = [0, 0];
    for (let i = 0; i < k; i++) estimate += b[i]! * s.z[this.index[i]!]!;
    for (let i = 0; i < m; i++) explained += b[i]! * right[i]!;
    return { estimate, explained };
  }
}
