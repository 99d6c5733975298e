import type { Zeros } from './features';

/** Codes that stand for "missing" in practice (common practice, no source): all-nines, type limits, huge floats. */
const CODES = [
  -9999, -9999.9, -9999.99, -99999, -999, -999.9, -99, -99.9, -99.99, 999, 9999, 99999, -32768, 32767, 65535, 255,
  -2147483648, 1e20, -1e30, -3.4028234663852886e38, 3.4028234663852886e38,
];

/** A code that recurs stands off from the rest by more than this share of their range (common practice, no source). */
export const LEAST_APART = 0.25;
/** Too few to say that zeros stand apart from them. */
const LEAST_OTHERS = 8;

/** How often a value that is no usual code has to recur to look like one. */
const LEAST_OFTEN = 3;

/**
 * Whether a value is a usual code and stands apart from the rest of the sorted ones, or is the one negative value among positive ones, recurs
 * and stands off further than all of their range (common practice, no source).
 */
export function codeIn(v: number, sorted: Float64Array): boolean {
  const usual = CODES.some((c) => c === v || Math.fround(c) === v);
  if (!usual && !(v < 0)) return false;
  const others = sorted.filter((s) => s !== v);
  if (others.length === 0) return false;
  const lo = others[0]!;
  const hi = others[others.length - 1]!;
  if (!usual) return lo >= 0 && lo - v > hi - lo && hi > lo && sorted.length - others.length >= LEAST_OFTEN;
  return (v < lo ? lo - v : v - hi) > LEAST_APART * (hi - lo);
}

/** An extreme value that is a usual code and stands apart from the rest of the values by more than their whole range. */
export function suspectIn(sorted: Float64Array): { value: number; count: number } | null {
  for (const value of [sorted[0]!, sorted[sorted.length - 1]!]) {
    if (!codeIn(value, sorted)) continue;
    const others = sorted.filter((s) => s !== value);
    const count = sorted.length - others.length;
    const lo = others[0]!;
    const hi = others[others.length - 1]!;
    if ((value < lo ? lo - value : value - hi) > hi - lo || count > 1) return { value, count };
  }
  return null;
}

/** Recurring zeros further from all other values than a quarter of their range (common practice, no source): measured, or a code? */
export function zerosIn(sorted: Float64Array): Zeros | null {
  const others = sorted.filter((v) => v !== 0);
  const low = others[0]!;
  const high = others[others.length - 1]!;
  const count = sorted.length - others.length;
  if (count < 2 || count > others.length || new Set(others).size < LEAST_OTHERS || low * high < 0) return null;
  return Math.min(Math.abs(low), Math.abs(high)) > LEAST_APART * (high - low) ? { count, low, high } : null;
}
