import { lowestIn, type CellNet } from './cell-net';
import type { Metric, Tell } from './ground';
import { Tin } from './tin';

const ROUNDS = 25;

/**
 * A surface of triangles that grows from the lowest points of large cells (Axelsson 2000, "DEM generation from laser scanner data using adaptive
 * TIN models", ISPRS Archives 33, B4): points near a triangle, seen under small angles from its corners, join it, until none does.
 *
 * @param net fine cells, whose lowest points may join
 * @param maxWindow side of the large cells: larger than the largest building, m
 * @param distance greatest height above a triangle, m; `angle` greatest angle, radians
 * @returns the surface
 */
export function grownTin(
  p: Metric,
  net: CellNet,
  skip: Uint8Array,
  maxWindow: number,
  distance: number,
  angle: number,
  tell: Tell,
): Tin {
  const { columns, rows } = net;
  const low = lowestIn(net, p.x, p.y, p.z, skip);
  const step = Math.max(1, Math.round(maxWindow / net.size));
  const used = new Uint8Array(low.length);
  let points: number[] = [];
  for (let v = 0; v < rows; v += step)
    for (let u = 0; u < columns; u += step) {
      let best = -1;
      for (let b = v; b < Math.min(rows, v + step); b++)
        for (let a = u; a < Math.min(columns, u + step); a++) {
          const i = low[b * columns + a]!;
          if (i >= 0 && (best < 0 || p.z[i]! < p.z[low[best]!]!)) best = b * columns + a;
        }
      if (best >= 0) {
        used[best] = 1;
        points.push(low[best]!);
      }
    }
  // Corners beyond the points, as high as the seeds near them, so that the surface reaches to the rim.
  const corners = (): { x: number[]; y: number[]; z: number[] } => {
    const spare = 2 * maxWindow;
    const x = [net.x0 - spare, net.x0 + columns * net.size + spare];
    const y = [net.y0 - spare, net.y0 + rows * net.size + spare];
    const at = { x: [] as number[], y: [] as number[], z: [] as number[] };
    for (const cx of x)
      for (const cy of y) {
        let [best, near] = [Infinity, 0];
        for (const i of points) {
          const d = (p.x[i]! - cx) ** 2 + (p.y[i]! - cy) ** 2;
          if (d < best) [best, near] = [d, p.z[i]!];
        }
        at.x.push(cx);
        at.y.push(cy);
        at.z.push(near);
      }
    return at;
  };
  const rim = corners();
  const build = (): Tin =>
    new Tin(
      Float64Array.from([...rim.x, ...points.map((i) => p.x[i]!)]),
      Float64Array.from([...rim.y, ...points.map((i) => p.y[i]!)]),
      Float64Array.from([...rim.z, ...points.map((i) => p.z[i]!)]),
    );
  let tin = build();
  for (let round = 0; round < ROUNDS; round++) {
    tell(round / ROUNDS);
    const joined: number[] = [];
    for (let c = 0; c < low.length; c++) {
      const i = low[c]!;
      if (used[c] || i < 0) continue;
      const [x, y, z] = [p.x[i]!, p.y[i]!, p.z[i]!];
      const corner = tin.cornersAt(x, y);
      if (!corner) continue;
      const above = Math.abs(z - tin.heightAt(x, y));
      if (above > distance) continue;
      let nearest = Infinity;
      for (const k of corner) {
        const [cx, cy] = k < 4 ? [rim.x[k]!, rim.y[k]!] : [p.x[points[k - 4]!]!, p.y[points[k - 4]!]!];
        nearest = Math.min(nearest, Math.hypot(cx - x, cy - y));
      }
      if (Math.atan2(above, nearest) <= angle || above < 0.05) {
        used[c] = 1;
        joined.push(i);
      }
    }
    if (!joined.length) break;
    points = points.concat(joined);
    tin = build();
  }
  return tin;
}
