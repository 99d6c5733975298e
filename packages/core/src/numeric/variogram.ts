import { solve } from './cholesky';

export type VariogramKind = 'spherical' | 'exponential' | 'gaussian' | 'linear';

/** A variogram model: `sill` is the total one (nugget and partial sill together). */
export interface Variogram {
  model: VariogramKind;
  nugget: number;
  sill: number;
  /** Parameter a of the model, in units of the coordinates; the linear one rises by the partial sill over it, without end. */
  range: number;
}

export interface Lag {
  /** Mean distance of the pairs in it. */
  distance: number;
  semivariance: number;
  pairs: number;
}

/** Distance beyond which the model says there is hardly any correlation: 95 % of the sill (exponential 3 a, Gaussian √3 a). */
export const practicalRange = (v: Variogram): number =>
  v.model === 'exponential' ? 3 * v.range : v.model === 'gaussian' ? Math.sqrt(3) * v.range : v.range;

/** Share of the partial sill at a distance; 0 at none. */
export function shape(model: VariogramKind, r: number): number {
  switch (model) {
    case 'spherical':
      return r >= 1 ? 1 : 1.5 * r - 0.5 * r * r * r;
    case 'exponential':
      return 1 - Math.exp(-r);
    case 'gaussian':
      return 1 - Math.exp(-r * r);
    case 'linear':
      return r;
  }
}

/** Semivariance of a model at a distance; 0 at none, the nugget just beyond. */
export const semivariance = (v: Variogram, h: number): number =>
  h > 0 ? v.nugget + (v.sill - v.nugget) * shape(v.model, h / v.range) : 0;

/**
 * Empirical variogram (Matheron 1963): half the mean squared difference of pairs by distance. Lags are half open, (0, w], (w, 2 w] …; pairs
 * at one place fall into the first. O(n²).
 *
 * @param direction only pairs within `tolerance` degrees of this azimuth, clockwise from north
 */
export function empiricalVariogram(
  x: ArrayLike<number>,
  y: ArrayLike<number>,
  z: ArrayLike<number>,
  lag: number,
  maxDistance: number,
  direction?: { azimuth: number; tolerance: number },
): Lag[] {
  // A rounded lag leaves no sliver of a last one; what lies beyond the last belongs to it.
  const k = Math.max(1, Math.ceil(maxDistance / lag - 0.02));
  const sum = new Float64Array(k);
  const far = new Float64Array(k);
  const pairs = new Float64Array(k);
  const n = x.length;
  const most = maxDistance * maxDistance;
  const turn = direction ? Math.cos((2 * direction.tolerance * Math.PI) / 180) : 0;
  const wanted = direction ? (2 * direction.azimuth * Math.PI) / 180 : 0;
  for (let i = 0; i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      const dx = x[j]! - x[i]!;
      const dy = y[j]! - y[i]!;
      const d2 = dx * dx + dy * dy;
      if (d2 > most) continue;
      // Twice the angle, so that a pair and its reverse are one direction.
      if (direction && d2 > 0 && Math.cos(2 * Math.atan2(dx, dy) - wanted) < turn - 1e-12) continue;
      const d = Math.sqrt(d2);
      const b = Math.min(k - 1, Math.max(0, Math.ceil(d / lag - 1e-12) - 1));
      const dz = z[j]! - z[i]!;
      sum[b]! += dz * dz;
      far[b]! += d;
      pairs[b]!++;
    }
  }
  const out: Lag[] = [];
  for (let b = 0; b < k; b++)
    if (pairs[b]! > 0)
      out.push({ distance: far[b]! / pairs[b]!, semivariance: sum[b]! / (2 * pairs[b]!), pairs: pairs[b]! });
  return out;
}

export interface Fit extends Variogram {
  /** Root mean square error of the fitted semivariances, weighted by pairs over squared distance. */
  rmse: number;
  /** Share of the (weighted) variance of the semivariances that the model explains. */
  r2: number;
}

/** Some values may be held fixed. */
export type Held = Partial<Pick<Variogram, 'nugget' | 'sill' | 'range'>>;

/**
 * Least squares with weights of pairs over squared distance (Zhang, van Eijkeren and Heemink 1995, doi:10.1016/0098-3004(95)00040-R), the
 * range by a fine search refined by golden section, nugget and partial sill linear at each range and never below zero.
 */
export function fitVariogram(lags: readonly Lag[], model: VariogramKind, held: Held = {}): Fit {
  const far = Math.max(...lags.map((l) => l.distance));
  const w = lags.map((l) => l.pairs / Math.max(l.distance, far * 1e-3) ** 2);
  const total = w.reduce((a, b) => a + b, 0);
  const best = (range: number): { v: Variogram; error: number } => {
    const g = lags.map((l) => shape(model, l.distance / range));
    const { nugget, partial } = linearPart(lags, w, g, held);
    const v: Variogram = { model, nugget, sill: nugget + partial, range };
    const error = lags.reduce((s, l, i) => s + w[i]! * (l.semivariance - nugget - partial * g[i]!) ** 2, 0);
    return { v, error };
  };
  let found: { v: Variogram; error: number };
  if (held.range !== undefined) found = best(held.range);
  else if (model === 'linear') found = best(far);
  else {
    const low = Math.log(far / 200);
    const high = Math.log(far * 4);
    const steps = 160;
    let k = 0;
    found = best(Math.exp(low));
    for (let i = 1; i <= steps; i++) {
      const f = best(Math.exp(low + ((high - low) * i) / steps));
      if (f.error < found.error) {
        found = f;
        k = i;
      }
    }
    let a = low + ((high - low) * Math.max(0, k - 1)) / steps;
    let b = low + ((high - low) * Math.min(steps, k + 1)) / steps;
    const golden = (Math.sqrt(5) - 1) / 2;
    for (let i = 0; i < 60; i++) {
      const [c, d] = [b - golden * (b - a), a + golden * (b - a)];
      if (best(Math.exp(c)).error < best(Math.exp(d)).error) b = d;
      else a = c;
    }
    const f = best(Math.exp((a + b) / 2));
    if (f.error <= found.error) found = f;
  }
  const mean = lags.reduce((s, l, i) => s + w[i]! * l.semivariance, 0) / total;
  const spread = lags.reduce((s, l, i) => s + w[i]! * (l.semivariance - mean) ** 2, 0);
  return { ...found.v, rmse: Math.sqrt(found.error / total), r2: spread > 0 ? 1 - found.error / spread : 1 };
}

/** Nugget and partial sill at a given shape: weighted least squares, neither below zero. */
function linearPart(lags: readonly Lag[], w: number[], g: number[], held: Held): { nugget: number; partial: number } {
  let [sw, sg, sgg, sy, sgy] = [0, 0, 0, 0, 0];
  lags.forEach((l, i) => {
    sw += w[i]!;
    sg += w[i]! * g[i]!;
    sgg += w[i]! * g[i]! * g[i]!;
    sy += w[i]! * l.semivariance;
    sgy += w[i]! * g[i]! * l.semivariance;
  });
  const only = (nugget: number): { nugget: number; partial: number } => ({
    nugget,
    partial: Math.max(0, sgg > 0 ? (sgy - nugget * sg) / sgg : 0),
  });
  if (held.nugget !== undefined && held.sill !== undefined)
    return { nugget: held.nugget, partial: Math.max(0, held.sill - held.nugget) };
  if (held.nugget !== undefined) return only(held.nugget);
  if (held.sill !== undefined) {
    // γ = n + (s - n) g: linear in the nugget alone.
    let [a, b] = [0, 0];
    lags.forEach((l, i) => {
      a += w[i]! * (1 - g[i]!) ** 2;
      b += w[i]! * (1 - g[i]!) * (l.semivariance - held.sill! * g[i]!);
    });
    const nugget = Math.min(held.sill, Math.max(0, a > 0 ? b / a : 0));
    return { nugget, partial: held.sill - nugget };
  }
  const b = Float64Array.of(sy, sgy);
  if (!solve(Float64Array.of(sw, sg, sg, sgg), 2, b)) return { nugget: Math.max(0, sy / sw), partial: 0 };
  if (b[0]! < 0) return only(0);
  if (b[1]! < 0) return { nugget: sy / sw, partial: 0 };
  return { nugget: b[0]!, partial: b[1]! };
}
