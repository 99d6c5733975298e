import type { Samples } from './kriging';
import { empiricalVariogram, fitVariogram, semivariance, type Lag, type Variogram } from './variogram';

/** Distances that count differently by direction. */
export interface Anisotropy {
  /** Direction of the longest range, degrees clockwise from north. */
  angle: number;
  /** Shortest range over the longest, above 0 and at most 1. */
  ratio: number;
}

/**
 * Places turned and stretched across the longest range, so that distances count alike in every direction (geometric anisotropy; Journel and
 * Huijbregts 1978, Mining Geostatistics, III.B.4). What lies along the angle keeps its distance.
 */
export function straightened(
  x: ArrayLike<number>,
  y: ArrayLike<number>,
  a: Anisotropy | null,
): { x: Float64Array; y: Float64Array } {
  const [u, v] = [Float64Array.from(x), Float64Array.from(y)];
  if (!a || a.ratio === 1) return { x: u, y: v };
  const t = (a.angle * Math.PI) / 180;
  const [sin, cos] = [Math.sin(t), Math.cos(t)];
  for (let i = 0; i < u.length; i++) {
    u[i] = (x[i]! * cos - y[i]! * sin) / a.ratio;
    v[i] = x[i]! * sin + y[i]! * cos;
  }
  return { x: u, y: v };
}

export const straightenedSamples = (s: Samples, a: Anisotropy | null): Samples => ({
  z: s.z,
  ...straightened(s.x, s.y, a),
});

/** Azimuths of directional variograms, degrees, each with 22.5° to either side. */
const DIRECTIONS = [0, 30, 60, 90, 120, 150];
/** Pairs of a lag so that it counts (common practice, no source). */
const LEAST_PAIRS = 10;
/** Ratios that are tried; hardly any data bear a stronger one than the first (common practice, no source). */
const RATIOS = [0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9];

/**
 * The direction and ratio with which one model comes nearest to the variograms of all directions at once: least squares over their lags with
 * weights of pairs over squared distance, direction and ratio by a search in steps of 10° and 0.1, the model fitted anew for each.
 *
 * @returns null where too few directions have pairs enough, or nothing comes nearer than the same range in every direction
 */
export function fittedAnisotropy(s: Samples, v: Variogram, lag: number, maxDistance: number): Anisotropy | null {
  const all: (Lag & { azimuth: number })[] = [];
  let used = 0;
  for (const azimuth of DIRECTIONS) {
    const lags = empiricalVariogram(s.x, s.y, s.z, lag, maxDistance, { azimuth, tolerance: 22.5 }).filter(
      (l) => l.pairs >= LEAST_PAIRS,
    );
    if (lags.length < 3) continue;
    used++;
    all.push(...lags.map((l) => ({ ...l, azimuth })));
  }
  if (used < 4) return null;
  const miss = (angle: number, ratio: number): number => {
    const turned = all.map((l) => {
      const t = ((l.azimuth - angle) * Math.PI) / 180;
      return { ...l, distance: l.distance * Math.hypot(Math.cos(t), Math.sin(t) / ratio) };
    });
    const f = fitVariogram(turned, v.model, { nugget: v.nugget });
    return all.reduce(
      (sum, l, i) => sum + (l.pairs / l.distance ** 2) * (l.semivariance - semivariance(f, turned[i]!.distance)) ** 2,
      0,
    );
  };
  let best: Anisotropy | null = null;
  let least = miss(0, 1);
  for (let angle = 0; angle < 180; angle += 10)
    for (const ratio of RATIOS) {
      const m = miss(angle, ratio);
      if (m < least) [least, best] = [m, { angle, ratio }];
    }
  return best;
}
