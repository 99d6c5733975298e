import { LocalKriging, type Samples } from './kriging';
import { fitVariogram, type Fit, type Held, type Lag, type Variogram, type VariogramKind } from './variogram';

/** Samples that are left out one by one, evenly taken, and neighbours each is estimated from: enough to tell models apart. */
export const LEFT_OUT = 300;
const NEIGHBOURS = 24;

/**
 * Root mean square error of ordinary kriging at samples that are left out one by one (at most some hundreds, evenly taken), each
 * estimated from its nearest neighbours. Infinite where a model cannot be solved. O(samples × neighbours³).
 *
 * Source: Stone 1974, doi:10.1111/j.2517-6161.1974.tb00994.x; its use for choosing a variogram: Cressie 1993, 2.6.4.
 */
export function looError(s: Samples, v: Variogram): number {
  const n = s.x.length;
  if (!(v.sill > 0) || n < 3) return Infinity;
  const k = new LocalKriging(s, v, Math.min(NEIGHBOURS, n - 1));
  const count = Math.min(n, LEFT_OUT);
  let sum = 0;
  for (let q = 0; q < count; q++) {
    const i = Math.floor((q * n) / count);
    const miss = s.z[i]! - k.without(i);
    if (miss !== miss) return Infinity;
    sum += miss * miss;
  }
  return Math.sqrt(sum / count);
}

export interface Chosen extends Fit {
  looRmse: number;
}

/** Models among which the choice is made: those with a sill. */
export const CANDIDATES: readonly VariogramKind[] = ['spherical', 'exponential', 'gaussian'];

/**
 * The fitted models, the one with the least error at left-out samples first: how well a curve runs through the lags says little about how well
 * a surface meets what was not measured.
 *
 * @param s samples in the unit of the distances of the lags
 */
export function rankedModels(s: Samples, lags: readonly Lag[], held: Held = {}): Chosen[] {
  return CANDIDATES.map((m) => fitVariogram(lags, m, held))
    .map((f): Chosen => ({ ...f, looRmse: looError(s, f) }))
    .sort((a, b) => (a.looRmse === b.looRmse ? a.rmse - b.rmse : a.looRmse - b.looRmse));
}
