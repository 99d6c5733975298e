import { defineKernel } from '../../method/parallel';
import { room } from '../../data/room';
import type { Job } from '../../method/job';
import { nearestInSpace, pointNet, type PointNet } from '../../numeric/point-net';
import type { Metric } from '../../numeric/ground';

/** Points of a block of work. */
const BLOCK = 16_384;

interface Shared {
  net: PointNet;
  x: Float64Array;
  y: Float64Array;
  z: Float64Array;
  neighbours: number;
  within: number;
  /** Where the results go. */
  out: Float32Array;
}
interface Block {
  from: number;
  to: number;
}

/** What a kernel puts where the block's values belong; in shared memory there is nothing left to hand over. */
const handed = (s: Shared, b: Block): Float32Array =>
  s.out.buffer instanceof ArrayBuffer ? s.out.slice(b.from, b.to) : new Float32Array(0);

/**
 * Mean distance of each point to its nearest neighbours; where there are fewer within reach, those that are not there count as at its end.
 */
export const meanDistances = defineKernel('cloud.meanDistances', (s: Shared, b: Block): Float32Array => {
  const index = new Uint32Array(s.neighbours);
  const square = new Float64Array(s.neighbours);
  for (let i = b.from; i < b.to; i++) {
    const n = nearestInSpace(s.net, s.x, s.y, s.z, i, s.neighbours, s.within, index, square);
    let sum = (s.neighbours - n) * s.within;
    for (let k = 0; k < n; k++) sum += Math.sqrt(square[k]!);
    s.out[i] = sum / s.neighbours;
  }
  return handed(s, b);
});

/**
 * Roughness of the surface around each point: the root of the mean squared distance of its neighbours and itself from the plane that fits them
 * best (least eigenvalue of their covariance; Pauly, Gross and Kobbelt 2002, doi:10.1109/VISUAL.2002.1183771). NaN where there are too few.
 */
export const roughness = defineKernel('cloud.roughness', (s: Shared, b: Block): Float32Array => {
  const index = new Uint32Array(s.neighbours);
  const square = new Float64Array(s.neighbours);
  const { x, y, z } = s;
  for (let i = b.from; i < b.to; i++) {
    const n = nearestInSpace(s.net, x, y, z, i, s.neighbours, s.within, index, square);
    if (n < 5) {
      s.out[i] = NaN;
      continue;
    }
    let [mx, my, mz, xx, xy, xz, yy, yz, zz] = [0, 0, 0, 0, 0, 0, 0, 0, 0];
    for (let k = 0; k < n; k++) {
      const j = index[k]!;
      const dx = x[j]! - x[i]!;
      const dy = y[j]! - y[i]!;
      const dz = z[j]! - z[i]!;
      mx += dx;
      my += dy;
      mz += dz;
      xx += dx * dx;
      xy += dx * dy;
      xz += dx * dz;
      yy += dy * dy;
      yz += dy * dz;
      zz += dz * dz;
    }
    const m = n + 1;
    s.out[i] = Math.sqrt(
      Math.max(
        0,
        leastEigenvalue(
          xx / m - (mx / m) ** 2,
          xy / m - (mx * my) / m ** 2,
          xz / m - (mx * mz) / m ** 2,
          yy / m - (my / m) ** 2,
          yz / m - (my * mz) / m ** 2,
          zz / m - (mz / m) ** 2,
        ),
      ),
    );
  }
  return handed(s, b);
});

/** Least eigenvalue of a symmetric matrix of three rows, in closed form (Smith 1961, doi:10.1145/355578.366316). */
export function leastEigenvalue(xx: number, xy: number, xz: number, yy: number, yz: number, zz: number): number {
  const off = xy * xy + xz * xz + yz * yz;
  const q = (xx + yy + zz) / 3;
  const spread = (xx - q) ** 2 + (yy - q) ** 2 + (zz - q) ** 2 + 2 * off;
  const p = Math.sqrt(spread / 6);
  if (p === 0) return q;
  const [a, d, f] = [(xx - q) / p, (yy - q) / p, (zz - q) / p];
  const [b, c, e] = [xy / p, xz / p, yz / p];
  const r = (a * (d * f - e * e) - b * (b * f - e * c) + c * (b * e - d * c)) / 2;
  const phi = Math.acos(Math.min(1, Math.max(-1, r))) / 3;
  return q + 2 * p * Math.cos(phi + (2 * Math.PI) / 3);
}

/**
 * Runs a kernel of neighbours over all points, on all threads.
 *
 * @param spacing of the points, by which the net is laid
 */
export async function overPoints(
  job: Job,
  stage: string,
  kernel: typeof meanDistances,
  p: Metric,
  spacing: number,
  neighbours: number,
  within: number,
  progress: (share: number) => number = (s) => s,
): Promise<Float32Array> {
  const n = p.x.length;
  const out = room(Float32Array, n);
  const shared: Shared = { ...p, net: pointNet(p.x, p.y, 2 * spacing), neighbours, within, out };
  function* blocks(): Generator<Block> {
    for (let from = 0; from < n; from += BLOCK) yield { from, to: Math.min(n, from + BLOCK) };
  }
  await job.parallel(kernel, shared, blocks(), (part, i) => {
    if (part.length) out.set(part, i * BLOCK);
    job.progress(progress(Math.min(1, ((i + 1) * BLOCK) / n)), stage);
  });
  return out;
}
