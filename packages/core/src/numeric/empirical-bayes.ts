import { rowCount, type Rows } from './sparse-rows';

/** Rates drawn towards a mean. */
export interface SmoothedRates {
  rates: Float64Array;
  /** Rate of all. */
  mean: number;
  /** How many means stand in for rates that vary no more than by chance. */
  flat: number;
}

/**
 * Empirical Bayes rates by moments, towards the rate of all (Marshall 1991, doi:10.2307/2347593): with r = cases / population,
 * A = s² - m / mean population, each rate becomes m + A / (A + m / population) (r - m); A below 0 counts as 0.
 */
export function smoothed(cases: ArrayLike<number>, population: ArrayLike<number>): SmoothedRates {
  const n = cases.length;
  const all = Uint32Array.from({ length: n }, (_, i) => i);
  const { mean, spread } = moments(all, cases, population);
  const rates = new Float64Array(n);
  for (let i = 0; i < n; i++) rates[i] = drawn(mean, spread, cases[i]!, population[i]!);
  return { rates, mean, flat: spread === 0 ? 1 : 0 };
}

/** The same towards the rate of each place and its neighbours, links counting once whatever their weight. */
export function smoothedNear(w: Rows, cases: ArrayLike<number>, population: ArrayLike<number>): SmoothedRates {
  const n = rowCount(w);
  const rates = new Float64Array(n);
  let flat = 0;
  for (let i = 0; i < n; i++) {
    const near = new Set(w.neighbours.subarray(w.offsets[i], w.offsets[i + 1]));
    near.add(i);
    const { mean, spread } = moments(Uint32Array.from(near), cases, population);
    if (spread === 0) flat++;
    rates[i] = drawn(mean, spread, cases[i]!, population[i]!);
  }
  const whole = moments(
    Uint32Array.from({ length: n }, (_, i) => i),
    cases,
    population,
  );
  return { rates, mean: whole.mean, flat };
}

function moments(
  rows: Uint32Array,
  cases: ArrayLike<number>,
  population: ArrayLike<number>,
): { mean: number; spread: number } {
  let [c, p] = [0, 0];
  for (const i of rows) {
    c += cases[i]!;
    p += population[i]!;
  }
  const mean = c / p;
  let s = 0;
  for (const i of rows) s += population[i]! * (cases[i]! / population[i]! - mean) ** 2;
  return { mean, spread: Math.max(0, s / p - mean / (p / rows.length)) };
}

const drawn = (mean: number, spread: number, cases: number, population: number): number => {
  const c = spread + mean / population;
  return c > 0 ? mean + (spread / c) * (cases / population - mean) : mean;
};
