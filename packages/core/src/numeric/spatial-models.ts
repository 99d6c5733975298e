import { inverted, leastSquares, minimise, type Fit } from './least-squares';
import { Random } from './random';
import { addUpToOne, lagged, rowCount, type Rows } from './sparse-rows';
import { Shifted, spectralRadius } from './sparse-lu';

export type SpatialModel = 'lag' | 'error';

/** A model with space in it, by maximum likelihood. */
export interface SpatialFit {
  /** Of the columns of X. */
  coefficients: Float64Array;
  standardErrors: Float64Array;
  /** rho of a lag model, lambda of an error model. */
  parameter: number;
  parameterError: number;
  /** By n. */
  sigma2: number;
  logLikelihood: number;
  fitted: Float64Array;
  /** What is left when dependence has been taken out too: without pattern where the model is right. */
  residuals: Float64Array;
  /** The parameter came out at an end of its range, where the likelihood says nothing more. */
  atEnd: boolean;
  /** How the log-determinant was worked out. */
  exact: boolean;
}

/** Up to so many features everything is exact, whatever it takes. */
export const EXACT = 5000;
/** Beyond that: multiplications of one factorisation that are still worth it. */
const WORTH = 1e10;
const ROOM = 6e7;
/** Random vectors and powers of W where determinants are estimated (Barry and Pace 1999, doi:10.1016/S0024-3795(97)10009-X). */
const VECTORS = 50;
const POWERS = 80;

const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let s = 0;
  for (let i = 0; i < a.length; i++) s += a[i]! * b[i]!;
  return s;
};

/** What a likelihood with I - r W in it needs of W. */
export interface Determinant {
  readonly exact: boolean;
  /** The parameter lies between minus this and this. */
  readonly range: number;
  log(r: number): number;
  /** Traces of G, G G and Gᵀ G, where G = W (I - r W)⁻¹. */
  traces(r: number): [g: number, gg: number, gtg: number];
  /** (I - r W)⁻¹ b. */
  solve(r: number, b: ArrayLike<number>): Float64Array;
}

/**
 * Determinants of I - r W: by sparse factors, which is exact; beyond `EXACT` rows, where factors would be too full, by powers of W on random
 * vectors. Above `EXACT` rows traces are estimated by random vectors in either case.
 *
 * @param step called before each long piece of work, so that it can be told of and stopped
 */
export function determinantOf(w: Rows, seed: number, step: () => void = () => undefined): Determinant {
  const n = rowCount(w);
  const range = 1 / (addUpToOne(w) ? 1 : spectralRadius(w));
  const factors = n <= EXACT ? Shifted.of(w) : Shifted.of(w, WORTH, ROOM);
  const series = factors ? null : powersOf(w, seed, range);
  const solve = (r: number, b: ArrayLike<number>): Float64Array => (factors ? factors.solve(r, b) : summed(w, r, b));
  return {
    exact: factors !== null,
    range,
    log: (r) => {
      step();
      return factors ? factors.logDeterminant(r) : series!(r);
    },
    solve,
    traces: (r) => {
      step();
      return factors && n <= EXACT ? exactTraces(w, factors, range, r) : drawnTraces(w, solve, r, seed);
    },
  };
}

/** Columns that are solved for at once. */
const AT_ONCE = 16;

/**
 * tr G and tr G G are the first two derivatives of the log-determinant, less their sign, which is known exactly at any r (five places, error of
 * the fourth order); tr Gᵀ G is the sum of squares of all columns of G.
 */
function exactTraces(w: Rows, factors: Shifted, range: number, r: number): [number, number, number] {
  const n = rowCount(w);
  const h = 0.002 * (range - Math.abs(r));
  const at = [-2, -1, 0, 1, 2].map((k) => factors.logDeterminant(r + k * h)) as [
    number,
    number,
    number,
    number,
    number,
  ];
  const g = -(at[0] - 8 * at[1] + 8 * at[3] - at[4]) / (12 * h);
  const gg = -(-at[0] + 16 * at[1] - 30 * at[2] + 16 * at[3] - at[4]) / (12 * h * h);
  let gtg = 0;
  const row = new Float64Array(AT_ONCE);
  for (let c = 0; c < n; c += AT_ONCE) {
    const count = Math.min(AT_ONCE, n - c);
    const e = new Float64Array(n * count);
    for (let k = 0; k < count; k++) e[(c + k) * count + k] = 1;
    const x = factors.solveSeveral(r, e, count);
    for (let i = 0; i < n; i++) {
      row.fill(0);
      for (let l = w.offsets[i]!; l < w.offsets[i + 1]!; l++) {
        const v = w.values[l]!;
        const from = w.neighbours[l]! * count;
        for (let k = 0; k < count; k++) row[k]! += v * x[from + k]!;
      }
      for (let k = 0; k < count; k++) gtg += row[k]! * row[k]!;
    }
  }
  return [g, gg, gtg];
}

/** The same by random vectors of ones and minus ones (Hutchinson 1990). */
function drawnTraces(
  w: Rows,
  solve: (r: number, b: ArrayLike<number>) => Float64Array,
  r: number,
  seed: number,
): [number, number, number] {
  const n = rowCount(w);
  const random = new Random(seed);
  let [g, gg, gtg] = [0, 0, 0];
  const e = new Float64Array(n);
  for (let c = 0; c < VECTORS; c++) {
    for (let i = 0; i < n; i++) e[i] = random.uint32() & 1 ? 1 : -1;
    const a = lagged(w, solve(r, e));
    g += dot(e, a) / VECTORS;
    gtg += dot(a, a) / VECTORS;
    gg += dot(e, lagged(w, solve(r, a))) / VECTORS;
  }
  return [g, gg, gtg];
}

/** ln |I - r W| = -Σ rᵗ tr(Wᵗ) / t, the traces by random vectors. */
function powersOf(w: Rows, seed: number, range: number): (r: number) => number {
  const n = rowCount(w);
  const random = new Random(seed);
  const traces = new Float64Array(POWERS + 1);
  for (let v = 0; v < VECTORS; v++) {
    const u = new Float64Array(n);
    for (let i = 0; i < n; i++) u[i] = random.uint32() & 1 ? 1 : -1;
    let x = u as Float64Array;
    for (let t = 1; t <= POWERS; t++) {
      x = lagged(w, x);
      traces[t]! += dot(u, x) / VECTORS;
    }
  }
  // The first two are known.
  let [diagonal, square] = [0, 0];
  for (let i = 0; i < n; i++)
    for (let k = w.offsets[i]!; k < w.offsets[i + 1]!; k++) {
      const j = w.neighbours[k]!;
      if (j === i) diagonal += w.values[k]!;
      for (let m = w.offsets[j]!; m < w.offsets[j + 1]!; m++)
        if (w.neighbours[m] === i) square += w.values[k]! * w.values[m]!;
    }
  traces[1] = diagonal;
  traces[2] = square;
  return (r) => {
    if (Math.abs(r) >= range) return NaN;
    let s = 0;
    for (let t = POWERS; t >= 1; t--) s -= (r ** t * traces[t]!) / t;
    return s;
  };
}

/** (I - r W)⁻¹ b as b + r W b + …, until nothing is added any more. */
function summed(w: Rows, r: number, b: ArrayLike<number>): Float64Array {
  const x = Float64Array.from(b);
  let term = x.slice();
  for (let t = 0; t < 5000; t++) {
    term = lagged(w, term) as typeof term;
    let [most, all] = [0, 0];
    for (let i = 0; i < x.length; i++) {
      term[i]! *= r;
      x[i]! += term[i]!;
      most = Math.max(most, Math.abs(term[i]!));
      all = Math.max(all, Math.abs(x[i]!));
    }
    if (most < 1e-13 * all) break;
  }
  return x;
}

/**
 * A regression with a spatial lag (y = r W y + X b + e) or with spatial errors (y = X b + u, u = r W u + e), by maximum likelihood (Ord 1975,
 * doi:10.1080/01621459.1975.10480272); standard errors from the information matrix (Anselin 1988, Spatial Econometrics, section 6.2).
 *
 * @param x columns of X, the constant among them, none a combination of others
 * @returns null where likelihoods cannot be worked out: a column that is a combination of others once dependence is taken out
 */
export function spatialModel(
  model: SpatialModel,
  w: Rows,
  x: readonly Float64Array[],
  y: Float64Array,
  det: Determinant,
): SpatialFit | null {
  const n = y.length;
  const wy = lagged(w, y);
  const wx = x.map((c) => lagged(w, c));
  const less = (a: Float64Array, b: Float64Array, r: number): Float64Array => a.map((v, i) => v - r * b[i]!);
  const fitAt = (r: number): Fit | { dependent: number } =>
    leastSquares(model === 'lag' ? x : x.map((c, k) => less(c, wx[k]!, r)), less(y, wy, r));
  const likelihood = (r: number): number => {
    const fit = fitAt(r);
    const log = det.log(r);
    if ('dependent' in fit || log !== log) return -Infinity;
    return (-n / 2) * (Math.log(2 * Math.PI) + Math.log(fit.rss / n) + 1) + log;
  };
  const end = det.range * (1 - 1e-6);
  // Minus infinity would mislead the parabolas: a high wall does as well.
  const r = minimise((v) => Math.min(1e300, -likelihood(v)), -end, end, 1e-8);
  const fit = fitAt(r);
  const logLikelihood = likelihood(r);
  if ('dependent' in fit || !Number.isFinite(logLikelihood)) return null;
  const sigma2 = fit.rss / n;
  const errors = standardErrors(model, w, x, fit, r, sigma2, det);
  if (!errors) return null;
  return {
    coefficients: fit.coefficients,
    ...errors,
    parameter: r,
    sigma2,
    logLikelihood,
    fitted: y.map((v, i) => v - fit.residuals[i]!),
    residuals: fit.residuals,
    atEnd: Math.abs(r) > det.range * 0.9999,
    exact: det.exact,
  };
}

function standardErrors(
  model: SpatialModel,
  w: Rows,
  x: readonly Float64Array[],
  fit: Fit,
  r: number,
  sigma2: number,
  det: Determinant,
): { standardErrors: Float64Array; parameterError: number } | null {
  const [n, k] = [fit.residuals.length, x.length];
  const [g, gg, gtg] = det.traces(r);
  if (model === 'error') {
    // The parameter and sigma² stand by themselves; coefficients by generalised least squares.
    const both = inverted([n / (2 * sigma2 * sigma2), g / sigma2, g / sigma2, gg + gtg], 2);
    return both
      ? {
          standardErrors: Float64Array.from({ length: k }, (_, j) => Math.sqrt(sigma2 * fit.inverse[j * k + j]!)),
          parameterError: Math.sqrt(both[3]!),
        }
      : null;
  }
  const gxb = lagged(w, det.solve(r, fit.fitted));
  const m = k + 2;
  const info = new Float64Array(m * m);
  const put = (i: number, j: number, v: number): void => {
    info[i * m + j] = info[j * m + i] = v;
  };
  put(0, 0, n / (2 * sigma2 * sigma2));
  put(0, 1, g / sigma2);
  put(1, 1, gg + gtg + dot(gxb, gxb) / sigma2);
  x.forEach((a, i) => {
    put(1, i + 2, dot(a, gxb) / sigma2);
    x.forEach((b, j) => put(i + 2, j + 2, dot(a, b) / sigma2));
  });
  const inverse = inverted(info, m);
  return inverse
    ? {
        standardErrors: Float64Array.from({ length: k }, (_, j) => Math.sqrt(inverse[(j + 2) * m + j + 2]!)),
        parameterError: Math.sqrt(inverse[m + 1]!),
      }
    : null;
}
