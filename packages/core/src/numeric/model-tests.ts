import { chiUpper, normalTwoSided } from './distributions';
import { symmetricEigen } from './eigen';
import { leastSquares, type Fit } from './least-squares';
import { lagged, laggedBack, weightSums, type Rows } from './sparse-rows';

/** A test of a model: its value, degrees of freedom (none where it has none), and how likely as much is if nothing is amiss. */
export interface ModelTest {
  value: number;
  df: number | null;
  p: number | null;
}

const chi = (value: number, df: number): ModelTest => ({ value, df, p: chiUpper(value, df) });
const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => {
  let s = 0;
  for (let i = 0; i < a.length; i++) s += a[i]! * b[i]!;
  return s;
};

/** Whether residuals are normal, by skewness and kurtosis (Jarque and Bera 1987). */
export function jarqueBera(e: ArrayLike<number>): ModelTest {
  const n = e.length;
  let mean = 0;
  for (let i = 0; i < n; i++) mean += e[i]! / n;
  let [m2, m3, m4] = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    const d = e[i]! - mean;
    m2 += (d * d) / n;
    m3 += d ** 3 / n;
    m4 += d ** 4 / n;
  }
  return chi((n * ((m3 / m2 ** 1.5) ** 2 + (m4 / m2 ** 2 - 3) ** 2 / 4)) / 6, 2);
}

/** Share of the variation of `y` that columns (the constant among them) account for, and the sum of squares. */
function explained(x: readonly ArrayLike<number>[], y: Float64Array): { share: number; sum: number; used: number } {
  let all = [...x];
  let fit = leastSquares(all, y);
  // Squares and products of few values may say the same twice.
  while ('dependent' in fit) {
    const drop = fit.dependent;
    all = all.filter((_, k) => k !== drop);
    fit = leastSquares(all, y);
  }
  const mean = y.reduce((s, v) => s + v, 0) / y.length;
  const total = y.reduce((s, v) => s + (v - mean) ** 2, 0);
  return { share: 1 - fit.rss / total, sum: total - fit.rss, used: all.length };
}

/** Whether the spread of residuals follows the variables (Breusch and Pagan 1979), and in the form that does not rest on normal ones (Koenker and Bassett 1982). */
export function breuschPagan(
  x: readonly ArrayLike<number>[],
  e: Float64Array,
): { plain: ModelTest; studentised: ModelTest } {
  const n = e.length;
  const variance = dot(e, e) / n;
  const g = e.map((v) => (v * v) / variance);
  const { share, sum, used } = explained(x, g);
  return { plain: chi(sum / 2, used - 1), studentised: chi(n * share, used - 1) };
}

/** The same against all squares and products of the variables too (White 1980). @param x the constant first */
export function white(x: readonly ArrayLike<number>[], e: Float64Array): ModelTest {
  const columns: ArrayLike<number>[] = [...x];
  for (let a = 1; a < x.length; a++)
    for (let b = a; b < x.length; b++) columns.push(Float64Array.from(x[a]!, (v, i) => v * x[b]![i]!));
  if (columns.length >= e.length) return { value: NaN, df: null, p: null };
  const { share, used } = explained(
    columns,
    e.map((v) => v * v),
  );
  return chi(e.length * share, used - 1);
}

/** How nearly columns, scaled to length 1, are combinations of each other (Belsley, Kuh and Welsch 1980): above 30 is much, common practice. */
export function conditionNumber(x: readonly ArrayLike<number>[]): number {
  const k = x.length;
  const lengths = x.map((c) => Math.sqrt(dot(c, c)));
  const products = new Float64Array(k * k);
  for (let i = 0; i < k; i++)
    for (let j = 0; j < k; j++) products[i * k + j] = dot(x[i]!, x[j]!) / (lengths[i]! * lengths[j]!);
  const { values } = symmetricEigen(products, k);
  return Math.sqrt(values[0]! / values[k - 1]!);
}

/** By how much the variance of each coefficient is larger than if its variable stood alone. @param x the constant first; its own is left out */
export function inflation(x: readonly ArrayLike<number>[]): number[] {
  return x.slice(1).map((c, k) => {
    const { share } = explained(
      x.filter((_, o) => o !== k + 1),
      Float64Array.from(c),
    );
    return 1 / (1 - share);
  });
}

interface Traces {
  ww: number;
  wwt: number;
}
function tracesOf(w: Rows): Traces {
  const { s1 } = weightSums(w);
  const wwt = dot(w.values, w.values);
  // S1 = Σ wij² + Σ wij wji.
  return { wwt, ww: s1 - wwt };
}

/** Moran's I of the residuals of a least-squares fit, with mean and variance for residuals (Cliff and Ord 1981, section 8.3). */
export function residualMoran(
  w: Rows,
  x: readonly Float64Array[],
  fit: Fit,
): { value: number; expected: number; variance: number; z: number; p: number } {
  const [n, k] = [fit.residuals.length, x.length];
  const { s0 } = weightSums(w);
  const e = fit.residuals;
  const value = ((n / s0) * dot(e, lagged(w, e))) / dot(e, e);
  const wx = x.map((c) => lagged(w, c));
  const xw = x.map((c) => laggedBack(w, c));
  const times = (a: Float64Array[], b: Float64Array[]): Float64Array =>
    Float64Array.from({ length: k * k }, (_, at) => dot(a[Math.floor(at / k)]!, b[at % k]!));
  const product = (a: Float64Array, b: Float64Array): Float64Array =>
    Float64Array.from({ length: k * k }, (_, at) => {
      let s = 0;
      for (let m = 0; m < k; m++) s += a[Math.floor(at / k) * k + m]! * b[m * k + (at % k)]!;
      return s;
    });
  const trace = (a: Float64Array): number => {
    let s = 0;
    for (let i = 0; i < k; i++) s += a[i * k + i]!;
    return s;
  };
  const columns = x as Float64Array[];
  const b = product(fit.inverse, times(columns, wx));
  const bt = product(fit.inverse, times(columns, xw));
  const { ww, wwt } = tracesOf(w);
  let diagonal = 0;
  for (let i = 0; i < n; i++)
    for (let l = w.offsets[i]!; l < w.offsets[i + 1]!; l++) if (w.neighbours[l] === i) diagonal += w.values[l]!;
  const mw = diagonal - trace(b);
  const mwmw = ww - 2 * trace(product(fit.inverse, times(xw, wx))) + trace(product(b, b));
  const mwmwt =
    wwt -
    trace(product(fit.inverse, times(xw, xw))) -
    trace(product(fit.inverse, times(wx, wx))) +
    trace(product(b, bt));
  const expected = ((n / s0) * mw) / (n - k);
  const variance = ((n / s0) ** 2 * (mwmw + mwmwt + mw * mw)) / ((n - k) * (n - k + 2)) - expected * expected;
  const z = (value - expected) / Math.sqrt(variance);
  return { value, expected, variance, z, p: normalTwoSided(z) };
}

/** Tests for dependence that a least-squares fit leaves (Anselin, Bera, Florax and Yoon 1996, doi:10.1016/0166-0462(95)02111-6). */
export interface DependenceTests {
  lmLag: ModelTest;
  lmError: ModelTest;
  robustLmLag: ModelTest;
  robustLmError: ModelTest;
  sarma: ModelTest;
}

export function dependenceTests(w: Rows, x: readonly Float64Array[], y: Float64Array, fit: Fit): DependenceTests {
  const n = y.length;
  const e = fit.residuals;
  const s2 = dot(e, e) / n;
  const { ww, wwt } = tracesOf(w);
  const t = ww + wwt;
  const error = dot(e, lagged(w, e)) / s2;
  const lag = dot(e, lagged(w, y)) / s2;
  const wf = lagged(w, fit.fitted);
  const left = leastSquares(x, wf);
  const j = ('dependent' in left ? 0 : left.rss) / s2 + t;
  const lmError = chi((error * error) / t, 1);
  const robustLmLag = chi((lag - error) ** 2 / (j - t), 1);
  return {
    lmLag: chi((lag * lag) / j, 1),
    lmError,
    robustLmLag,
    robustLmError: chi((error - (t / j) * lag) ** 2 / (t * (1 - t / j)), 1),
    sarma: chi(robustLmLag.value + lmError.value, 2),
  };
}

/** Level of the usual decision (common practice). */
export const LEVEL = 0.05;

/**
 * Which model is to be trusted, by the usual rule (Anselin and Rey 1991; Anselin 2005, common practice): least squares where neither test for
 * dependence says otherwise, the one that does where one does, the larger of the robust forms where both do.
 */
export function advised(t: DependenceTests): { model: 'ols' | 'lag' | 'error'; reason: string } {
  const p = (m: ModelTest): string => (m.p! < 0.001 ? 'p below 0.001' : `p ${m.p!.toFixed(3)}`);
  const [lag, error] = [t.lmLag.p! < LEVEL, t.lmError.p! < LEVEL];
  if (!lag && !error)
    return {
      model: 'ols',
      reason: `Neither test finds dependence that least squares leaves (lag ${p(t.lmLag)}, error ${p(t.lmError)}).`,
    };
  if (lag !== error)
    return {
      model: lag ? 'lag' : 'error',
      reason: `Only the test for a spatial ${lag ? 'lag' : 'error'} stands out (lag ${p(t.lmLag)}, error ${p(t.lmError)}).`,
    };
  const [robustLag, robustError] = [t.robustLmLag, t.robustLmError];
  const model = robustLag.value >= robustError.value ? 'lag' : 'error';
  const both = robustLag.p! < LEVEL && robustError.p! < LEVEL;
  const none = robustLag.p! >= LEVEL && robustError.p! >= LEVEL;
  return {
    model,
    reason: `Both tests stand out; of the robust ones that for a spatial ${model} is larger (lag ${p(robustLag)}, error ${p(robustError)}).${both ? ' Both of these stand out too: something else may be wrong with the model, such as a variable that is left out.' : none ? ' Neither of these does by itself, so the choice is not a strong one.' : ''}`,
  };
}
