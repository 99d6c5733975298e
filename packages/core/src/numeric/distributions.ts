/** Coefficients of Lanczos' approximation with g = 7 (Godfrey's), good to fifteen digits. */
const LANCZOS = [
  0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313, -176.61502916214059,
  12.507343278686905, -0.13857109526572012, 9.9843695780195716e-6, 1.5056327351493116e-7,
];

/** Logarithm of the gamma function of a number above 0. Lanczos 1964 (doi:10.1137/0701008). */
export function lnGamma(x: number): number {
  if (x < 0.5) return Math.log(Math.PI / Math.sin(Math.PI * x)) - lnGamma(1 - x);
  const z = x - 1;
  let sum = LANCZOS[0]!;
  for (let i = 1; i < LANCZOS.length; i++) sum += LANCZOS[i]! / (z + i);
  const t = z + 7.5;
  return 0.5 * Math.log(2 * Math.PI) + (z + 0.5) * Math.log(t) - t + Math.log(sum);
}

const TINY = 1e-300;
const EPS = 1e-16;
const MOST_STEPS = 10_000;

/**
 * The regularised incomplete beta function I_x(a, b), by its continued fraction (Abramowitz and Stegun 26.5.8) after Lentz.
 *
 * @param x from 0 to 1
 */
export function betaI(x: number, a: number, b: number): number {
  if (!(x > 0)) return x === x ? 0 : NaN;
  if (x >= 1) return 1;
  // The fraction converges fast on the one side of the mean only.
  if (x > (a + 1) / (a + b + 2)) return 1 - betaI(1 - x, b, a);
  const front = Math.exp(lnGamma(a + b) - lnGamma(a) - lnGamma(b) + a * Math.log(x) + b * Math.log1p(-x)) / a;
  const safe = (v: number): number => (Math.abs(v) < TINY ? TINY : v);
  let c = 1;
  let d = 1 / safe(1 - ((a + b) * x) / (a + 1));
  let f = d;
  for (let m = 1; m < MOST_STEPS; m++) {
    const even = (m * (b - m) * x) / ((a + 2 * m - 1) * (a + 2 * m));
    d = 1 / safe(1 + even * d);
    c = safe(1 + even / c);
    f *= d * c;
    const odd = (-(a + m) * (a + b + m) * x) / ((a + 2 * m) * (a + 2 * m + 1));
    d = 1 / safe(1 + odd * d);
    c = safe(1 + odd / c);
    f *= d * c;
    if (Math.abs(d * c - 1) < EPS) break;
  }
  return front * f;
}

/** The regularised upper incomplete gamma function Q(a, x): a series below, a continued fraction above (Abramowitz and Stegun 6.5.29, 6.5.31). */
export function gammaQ(a: number, x: number): number {
  if (!(x > 0)) return x === x ? 1 : NaN;
  if (x === Infinity) return 0;
  const front = Math.exp(a * Math.log(x) - x - lnGamma(a));
  if (x < a + 1) {
    let term = 1 / a;
    let sum = term;
    for (let n = 1; n < MOST_STEPS && Math.abs(term) > EPS * Math.abs(sum); n++) {
      term *= x / (a + n);
      sum += term;
    }
    return 1 - front * sum;
  }
  let b = x + 1 - a;
  let c = 1 / TINY;
  let d = 1 / b;
  let f = d;
  for (let n = 1; n < MOST_STEPS; n++) {
    const an = -n * (n - a);
    b += 2;
    d = 1 / (an * d + b || TINY);
    c = b + an / c || TINY;
    f *= d * c;
    if (Math.abs(d * c - 1) < EPS) break;
  }
  return front * f;
}

/** Chance of a standard normal value farther from 0 than `z`, on both sides. */
export const normalTwoSided = (z: number): number => gammaQ(0.5, (z * z) / 2);
/** Chance of Student's t farther from 0 than `t`, on both sides. */
export const tTwoSided = (t: number, df: number): number => betaI(df / (df + t * t), df / 2, 0.5);
/** Chance of a greater F. */
export const fUpper = (f: number, d1: number, d2: number): number =>
  f > 0 ? betaI(d2 / (d2 + d1 * f), d2 / 2, d1 / 2) : f === f ? 1 : NaN;
/** Chance of a greater chi-square. */
export const chiUpper = (x: number, df: number): number => gammaQ(df / 2, x / 2);
