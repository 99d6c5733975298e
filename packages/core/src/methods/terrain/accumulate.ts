import type { Cells } from '../../data/raster';
import { IndexQueue } from '../../numeric/heap';
import { FLOW_DX, FLOW_DY, NO_DATA, PIT, receiver } from './flow';

/** Facets of Tarboton 1997, table 1: the two neighbours that bound each, as codes clockwise from north. */
const FACETS = [
  [2, 1],
  [0, 1],
  [0, 7],
  [6, 7],
  [6, 5],
  [4, 5],
  [4, 3],
  [2, 3],
] as const;

/**
 * D-infinity direction of one cell after Tarboton 1997 (doi:10.1029/96WR03137): the steepest of eight triangular facets, as an
 * angle in degrees clockwise from north, NaN when no facet descends.
 *
 * @param w cell width, h cell height, in the unit of the elevations
 */
export function dinfAngle(
  z: Cells,
  i: number,
  x: number,
  y: number,
  width: number,
  height: number,
  w: number,
  h: number,
): number {
  const e0 = z[i]!;
  let best = 0;
  let angle = NaN;
  for (const [cardinal, corner] of FACETS) {
    const e1 = at(z, x + FLOW_DX[cardinal]!, y + FLOW_DY[cardinal]!, width, height);
    const e2 = at(z, x + FLOW_DX[corner]!, y + FLOW_DY[corner]!, width, height);
    if (e1 !== e1 || e2 !== e2) continue;
    const along = cardinal % 4 === 0 ? h : w;
    const across = cardinal % 4 === 0 ? w : h;
    const s1 = (e0 - e1) / along;
    const s2 = (e1 - e2) / across;
    let r = Math.atan2(s2, s1);
    let s = Math.hypot(s1, s2);
    const most = Math.atan2(across, along);
    if (r < 0) {
      r = 0;
      s = s1;
    } else if (r > most) {
      r = most;
      s = (e0 - e2) / Math.hypot(along, across);
    }
    if (s <= best) continue;
    best = s;
    const turn = (corner - cardinal + 8) % 8 === 1 ? 1 : -1;
    angle = (cardinal * 45 + (turn * r * 180) / Math.PI + 360) % 360;
  }
  return angle;
}

function at(z: Cells, x: number, y: number, width: number, height: number): number {
  return x < 0 || y < 0 || x >= width || y >= height ? NaN : z[y * width + x]!;
}

export type Shares = (i: number, share: Float64Array) => void;

/**
 * Shares of a cell's water by neighbour code for D-infinity: between the two neighbours beside its angle (Tarboton 1997, in
 * proportion to the angle). A cell without a descending facet follows its D8 direction.
 */
export function dinfShares(
  z: Cells,
  width: number,
  height: number,
  direction: Int8Array,
  w: (row: number) => number,
  h: (row: number) => number,
): Shares {
  return (i, share) => {
    share.fill(0);
    if (direction[i]! < 0) return;
    const y = (i / width) | 0;
    const a = dinfAngle(z, i, i % width, y, width, height, w(y), h(y));
    if (a !== a) {
      share[direction[i]!] = 1;
      return;
    }
    // On cells that are not square the corner lies off 45 degrees; its own angle is used.
    const corner = (Math.atan2(w(y), h(y)) * 180) / Math.PI;
    const angles = [0, corner, 90, 180 - corner, 180, 180 + corner, 270, 360 - corner, 360];
    for (let k = 0; k < 8; k++) {
      const from = angles[k]!;
      const to = angles[k + 1]!;
      if (a < from - 1e-9 || a > to + 1e-9) continue;
      const t = Math.min(1, Math.max(0, (a - from) / (to - from)));
      if (t < 1 - 1e-12) share[k] = 1 - t;
      if (t > 1e-12) share[(k + 1) % 8]! += t;
      return;
    }
  };
}

/**
 * Shares for multiple flow directions after Freeman 1991 (doi:10.1016/0098-3004(91)90048-I): to every lower neighbour in
 * proportion to its slope to the power 1.1 (cf. Quinn et al. 1991, doi:10.1002/hyp.3360050106). A cell without a lower
 * neighbour follows its D8 direction.
 */
export function mfdShares(
  z: Cells,
  width: number,
  height: number,
  direction: Int8Array,
  w: (row: number) => number,
  h: (row: number) => number,
): Shares {
  // Distances change from row to row only.
  const distance = new Float64Array(8);
  let row = -1;
  return (i, share) => {
    share.fill(0);
    if (direction[i]! < 0) return;
    const x = i % width;
    const y = (i / width) | 0;
    if (y !== row) {
      row = y;
      for (let k = 0; k < 8; k++) distance[k] = Math.hypot(FLOW_DX[k]! * w(y), FLOW_DY[k]! * h(y));
    }
    const here = z[i]!;
    let sum = 0;
    for (let k = 0; k < 8; k++) {
      const drop = here - at(z, x + FLOW_DX[k]!, y + FLOW_DY[k]!, width, height);
      if (!(drop > 0)) continue;
      const s = (drop / distance[k]!) ** 1.1;
      share[k] = s;
      sum += s;
    }
    if (sum > 0) for (let k = 0; k < 8; k++) share[k] = share[k]! / sum;
    else share[direction[i]!] = 1;
  };
}

/**
 * Accumulation where water divides: cells are taken once all that drain into them have been (Kahn's order), so nothing is
 * counted twice and there is no recursion. A cell counts itself. Shares are worked out anew instead of being stored. O(cells).
 */
export function accumulateShares(
  direction: Int8Array,
  width: number,
  height: number,
  shares: Shares,
  weight?: (row: number) => number,
): Float64Array {
  const n = width * height;
  const acc = new Float64Array(n);
  const waits = new Uint8Array(n);
  const share = new Float64Array(8);
  const step = FLOW_DX.map((x, k) => FLOW_DY[k]! * width + x);
  const inside = (i: number, k: number): boolean => {
    const x = (i % width) + FLOW_DX[k]!;
    const y = ((i / width) | 0) + FLOW_DY[k]!;
    return x >= 0 && y >= 0 && x < width && y < height && direction[i + step[k]!] !== NO_DATA;
  };
  for (let i = 0; i < n; i++) {
    acc[i] = direction[i] === NO_DATA ? NaN : weight ? weight((i / width) | 0) : 1;
    if (direction[i]! < 0) continue;
    shares(i, share);
    for (let k = 0; k < 8; k++) if (share[k]! > 0 && inside(i, k)) waits[i + step[k]!]!++;
  }
  const queue = new IndexQueue();
  for (let i = 0; i < n; i++) if (waits[i] === 0 && direction[i] !== NO_DATA) queue.push(i);
  for (let i = queue.shift(); i >= 0; i = queue.shift()) {
    if (direction[i] === PIT) continue;
    shares(i, share);
    for (let k = 0; k < 8; k++) {
      if (!(share[k]! > 0) || !inside(i, k)) continue;
      const j = i + step[k]!;
      acc[j]! += acc[i]! * share[k]!;
      if (--waits[j]! === 0) queue.push(j);
    }
  }
  return acc;
}

/** Cells upstream before cells downstream, by D8; cells without data are left out. O(cells). */
export function downstreamOrder(direction: Int8Array, width: number, height: number): Int32Array {
  const n = width * height;
  const donors = new Uint8Array(n);
  let present = 0;
  for (let i = 0; i < n; i++) {
    if (direction[i] !== NO_DATA) present++;
    const t = receiver(direction, i, width, height);
    if (t >= 0) donors[t]!++;
  }
  const order = new Int32Array(present);
  let tail = 0;
  for (let i = 0; i < n; i++) if (donors[i] === 0 && direction[i] !== NO_DATA) order[tail++] = i;
  for (let head = 0; head < tail; head++) {
    const t = receiver(direction, order[head]!, width, height);
    if (t >= 0 && --donors[t]! === 0) order[tail++] = t;
  }
  return order.subarray(0, tail);
}
