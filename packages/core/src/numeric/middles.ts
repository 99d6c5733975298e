import { featureCount, ringArea2, type Features } from '../data/features';

/**
 * The middle of each feature, x, y: the centre of mass of polygons (holes taken off, all parts together), of lines by their length, of points
 * their mean. Planar, in the coordinates as they are; what has no area (or length) has the mean of its corners, what has no place is not a
 * number. O(corners).
 */
export function middles(f: Features): Float64Array {
  const n = featureCount(f);
  const out = new Float64Array(2 * n).fill(NaN);
  for (let i = 0; i < n; i++) {
    const from = f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!;
    const to = f.ringOffsets[f.partOffsets[f.featureOffsets[i + 1]!]!]!;
    if (from === to) continue;
    // From the first corner, so that large coordinates lose nothing.
    const [ox, oy] = [f.xy[2 * from]!, f.xy[2 * from + 1]!];
    const sums =
      f.geometry === 'polygon' ? ofAreas(f, i, ox, oy) : f.geometry === 'line' ? ofLines(f, i, ox, oy) : null;
    let [x, y, m] = sums ?? [0, 0, 0];
    if (!(Math.abs(m) > 0)) {
      [x, y, m] = [0, 0, to - from];
      for (let c = from; c < to; c++) {
        x += f.xy[2 * c]! - ox;
        y += f.xy[2 * c + 1]! - oy;
      }
    }
    out[2 * i] = ox + x / m;
    out[2 * i + 1] = oy + y / m;
  }
  return out;
}

/** How far middles of the same features may lie apart, as a share of their extent: files keep seven digits of degrees. */
const NEAR = 1e-6;

/** How many of some middles do not lie where the others do, in the same order; all of them where they are not as many. O(n) */
export function elsewhere(own: Float64Array, others: Float64Array): number {
  if (own.length !== others.length) return own.length / 2;
  let [low, high] = [Infinity, -Infinity];
  for (const v of others) {
    if (v < low) low = v;
    if (v > high) high = v;
  }
  const near = NEAR * Math.max(high - low, Number.MIN_VALUE) + 1e-9 * Math.max(Math.abs(low), Math.abs(high));
  let n = 0;
  for (let i = 0; i < own.length; i += 2)
    if (Math.abs(own[i]! - others[i]!) > near || Math.abs(own[i + 1]! - others[i + 1]!) > near) n++;
  return n;
}

function ofAreas(f: Features, i: number, ox: number, oy: number): [number, number, number] {
  let [sx, sy, sm] = [0, 0, 0];
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++)
    for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
      const [a, e] = [f.ringOffsets[r]!, f.ringOffsets[r + 1]!];
      // Outer rings add, holes take off, whichever way they run.
      const sign = Math.sign(ringArea2(f.xy, a, e)) * (r === f.partOffsets[p] ? 1 : -1);
      for (let c = a; c < e - 1; c++) {
        const [x1, y1] = [f.xy[2 * c]! - ox, f.xy[2 * c + 1]! - oy];
        const [x2, y2] = [f.xy[2 * c + 2]! - ox, f.xy[2 * c + 3]! - oy];
        const cross = sign * (x1 * y2 - x2 * y1);
        sx += (cross * (x1 + x2)) / 3;
        sy += (cross * (y1 + y2)) / 3;
        sm += cross;
      }
    }
  return [sx, sy, sm];
}

function ofLines(f: Features, i: number, ox: number, oy: number): [number, number, number] {
  let [sx, sy, sm] = [0, 0, 0];
  for (let r = f.partOffsets[f.featureOffsets[i]!]!; r < f.partOffsets[f.featureOffsets[i + 1]!]!; r++)
    for (let c = f.ringOffsets[r]!; c + 1 < f.ringOffsets[r + 1]!; c++) {
      const [x1, y1] = [f.xy[2 * c]! - ox, f.xy[2 * c + 1]! - oy];
      const [x2, y2] = [f.xy[2 * c + 2]! - ox, f.xy[2 * c + 3]! - oy];
      const d = Math.hypot(x2 - x1, y2 - y1);
      sx += (d * (x1 + x2)) / 2;
      sy += (d * (y1 + y2)) / 2;
      sm += d;
    }
  return [sx, sy, sm];
}
