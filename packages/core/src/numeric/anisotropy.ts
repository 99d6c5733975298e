import type { Samples } from './kriging';

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
