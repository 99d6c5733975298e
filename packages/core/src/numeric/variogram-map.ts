/** Semivariance by the difference in x and y: square cells around the middle, rows from the north, each pair counted both ways. */
export interface VariogramMap {
  /** Cells along a side, odd; the middle one holds pairs nearly at one place. */
  size: number;
  width: number;
  /** NaN where there are no pairs. */
  semivariance: Float64Array;
  pairs: Float64Array;
}

/**
 * Variogram map: how unlike places are by distance and direction at once, so that a direction in which they stay alike further is seen.
 * It is alike in opposite cells. O(n²).
 *
 * Source: Isaaks and Srivastava 1989, An Introduction to Applied Geostatistics, chapter 7 (variogram surface).
 *
 * @param width side of a cell
 * @param maxDistance greatest difference in x or y
 */
export function variogramMap(
  x: ArrayLike<number>,
  y: ArrayLike<number>,
  z: ArrayLike<number>,
  width: number,
  maxDistance: number,
): VariogramMap {
  const half = Math.max(1, Math.floor(maxDistance / width + 0.5));
  const size = 2 * half + 1;
  const sum = new Float64Array(size * size);
  const pairs = new Float64Array(size * size);
  const n = x.length;
  for (let i = 0; i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      const c = Math.round((x[j]! - x[i]!) / width);
      const r = Math.round((y[j]! - y[i]!) / width);
      if (c > half || c < -half || r > half || r < -half) continue;
      const dz = z[j]! - z[i]!;
      const a = (half - r) * size + half + c;
      const b = (half + r) * size + half - c;
      sum[a]! += dz * dz;
      pairs[a]!++;
      sum[b]! += dz * dz;
      pairs[b]!++;
    }
  }
  const semivariance = sum.map((s, k) => (pairs[k]! > 0 ? s / (2 * pairs[k]!) : NaN));
  return { size, width, semivariance, pairs };
}
