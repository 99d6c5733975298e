import type { Cells } from '../../data/raster';
import { IndexStack } from '../../numeric/heap';
import { FLOW_DX, FLOW_DY, NO_DATA, receiver } from './flow';

/** No cell waits for more than eight. */
const TAKEN = 255;

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
  const diagonal = Math.sqrt(w * w + h * h);
  let best = 0;
  let facet = -1;
  // Slopes along and across the steepest facet; across NaN where its diagonal is steeper than any place within.
  let down = 0;
  let aside = 0;
  for (let f = 0; f < 8; f++) {
    const [cardinal, corner] = FACETS[f]!;
    const e1 = at(z, x + FLOW_DX[cardinal]!, y + FLOW_DY[cardinal]!, width, height);
    const e2 = at(z, x + FLOW_DX[corner]!, y + FLOW_DY[corner]!, width, height);
    if (e1 !== e1 || e2 !== e2) continue;
    const upright = cardinal % 4 === 0;
    const along = upright ? h : w;
    const across = upright ? w : h;
    const s1 = (e0 - e1) / along;
    let s2 = (e1 - e2) / across;
    let s: number;
    if (s2 < 0) {
      s2 = 0;
      s = s1;
    } else if (s2 * along > s1 * across) {
      s2 = NaN;
      s = (e0 - e2) / diagonal;
    } else s = Math.sqrt(s1 * s1 + s2 * s2);
    if (s <= best) continue;
    best = s;
    facet = f;
    down = s1;
    aside = s2;
  }
  if (facet < 0) return NaN;
  const [cardinal, corner] = FACETS[facet]!;
  const upright = cardinal % 4 === 0;
  const r = aside !== aside ? Math.atan2(upright ? w : h, upright ? h : w) : Math.atan2(aside, down);
  const turn = (corner - cardinal + 8) % 8 === 1 ? 1 : -1;
  return (cardinal * 45 + (turn * r * 180) / Math.PI + 360) % 360;
}

function at(z: Cells, x: number, y: number, width: number, height: number): number {
  return x < 0 || y < 0 || x >= width || y >= height ? NaN : z[y * width + x]!;
}

/** How a cell's water divides. */
export interface Division {
  /** Shares by neighbour code, adding up to one; all zero where a cell has no direction. */
  shares: (i: number, share: Float64Array) => void;
  /** The neighbours within the grid that get some, a bit each by code. */
  receivers: (i: number) => number;
}

/**
 * Shares of a cell's water by neighbour code for D-infinity: between the two neighbours beside its angle (Tarboton 1997, in
 * proportion to the angle). A cell without a descending facet follows its D8 direction.
 */
export function dinfDivision(
  z: Cells,
  width: number,
  height: number,
  direction: Int8Array,
  w: (row: number) => number,
  h: (row: number) => number,
): Division {
  const share = new Float64Array(8);
  const angles = new Float64Array(9);
  let row = -1;
  const shares = (i: number, share: Float64Array): void => {
    share.fill(0);
    if (direction[i]! < 0) return;
    const y = (i / width) | 0;
    const wide = w(y);
    const high = h(y);
    const a = dinfAngle(z, i, i - y * width, y, width, height, wide, high);
    if (a !== a) {
      share[direction[i]!] = 1;
      return;
    }
    if (y !== row) {
      row = y;
      // On cells that are not square the corner lies off 45 degrees; its own angle is used.
      const corner = (Math.atan2(wide, high) * 180) / Math.PI;
      angles.set([0, corner, 90, 180 - corner, 180, 180 + corner, 270, 360 - corner, 360]);
    }
    let k = 0;
    while (k < 7 && a > angles[k + 1]! + 1e-9) k++;
    const t = Math.min(1, Math.max(0, (a - angles[k]!) / (angles[k + 1]! - angles[k]!)));
    if (t < 1 - 1e-12) share[k] = 1 - t;
    if (t > 1e-12) share[(k + 1) % 8]! += t;
  };
  const receivers = (i: number): number => {
    shares(i, share);
    let mask = 0;
    for (let k = 0; k < 8; k++) if (share[k]! > 0) mask |= 1 << k;
    return mask && (mask & (mask - 1)) === 0 ? alone(direction, i, mask, width, height) : mask;
  };
  return { shares, receivers };
}

/** A single receiver may lie outside; several are neighbours whose elevations were looked at. */
function alone(direction: Int8Array, i: number, mask: number, width: number, height: number): number {
  return mask === 1 << direction[i]! && receiver(direction, i, width, height) < 0 ? 0 : mask;
}

/**
 * Shares for multiple flow directions after Freeman 1991 (doi:10.1016/0098-3004(91)90048-I): to every lower neighbour in
 * proportion to its slope to the power 1.1 (cf. Quinn et al. 1991, doi:10.1002/hyp.3360050106). A cell without a lower
 * neighbour follows its D8 direction.
 */
export function mfdDivision(
  z: Cells,
  width: number,
  height: number,
  direction: Int8Array,
  w: (row: number) => number,
  h: (row: number) => number,
): Division {
  // Distances change from row to row only.
  const distance = new Float64Array(8);
  const step = Int32Array.from(FLOW_DX, (x, k) => FLOW_DY[k]! * width + x);
  let row = -1;
  const lower = (i: number, y: number): number => {
    const here = z[i]!;
    const x = i - y * width;
    let mask = 0;
    if (x > 0 && y > 0 && x < width - 1 && y < height - 1) {
      for (let k = 0; k < 8; k++) if (here > z[i + step[k]!]!) mask |= 1 << k;
    } else
      for (let k = 0; k < 8; k++) if (here > at(z, x + FLOW_DX[k]!, y + FLOW_DY[k]!, width, height)) mask |= 1 << k;
    return mask;
  };
  const shares = (i: number, share: Float64Array): void => {
    share.fill(0);
    if (direction[i]! < 0) return;
    const y = (i / width) | 0;
    const mask = lower(i, y);
    if (mask === 0) {
      share[direction[i]!] = 1;
      return;
    }
    if (y !== row) {
      row = y;
      for (let k = 0; k < 8; k++) distance[k] = Math.hypot(FLOW_DX[k]! * w(y), FLOW_DY[k]! * h(y));
    }
    const here = z[i]!;
    let sum = 0;
    for (let k = 0; k < 8; k++) {
      if ((mask & (1 << k)) === 0) continue;
      const s = ((here - z[i + step[k]!]!) / distance[k]!) ** 1.1;
      share[k] = s;
      sum += s;
    }
    for (let k = 0; k < 8; k++) share[k] = share[k]! / sum;
  };
  const receivers = (i: number): number => {
    if (direction[i]! < 0) return 0;
    return lower(i, (i / width) | 0) || alone(direction, i, 1 << direction[i]!, width, height);
  };
  return { shares, receivers };
}

/**
 * Accumulation where water divides: cells are taken once all that drain into them have been (Kahn's order, the newest first, which
 * stays near in memory), so nothing is counted twice and there is no recursion. A cell counts itself. Receivers are kept, a byte a
 * cell, so that shares are worked out once. O(cells).
 */
export function accumulateDivided(
  direction: Int8Array,
  width: number,
  height: number,
  division: Division,
  weight?: (row: number) => number,
): Float64Array {
  const n = width * height;
  const acc = new Float64Array(n);
  const waits = new Uint8Array(n);
  const to = new Uint8Array(n);
  const share = new Float64Array(8);
  const step = Int32Array.from(FLOW_DX, (x, k) => FLOW_DY[k]! * width + x);
  for (let y = 0, i = 0; y < height; y++) {
    const own = weight ? weight(y) : 1;
    for (let x = 0; x < width; x++, i++) {
      acc[i] = direction[i] === NO_DATA ? NaN : own;
      if (direction[i]! < 0) continue;
      const mask = division.receivers(i);
      to[i] = mask;
      for (let k = 0; k < 8; k++) if (mask & (1 << k)) waits[i + step[k]!]!++;
    }
  }
  const ready = new IndexStack();
  for (let start = 0; start < n; start++) {
    if (waits[start] !== 0 || direction[start] === NO_DATA) continue;
    // Marked as taken: it waits for none, and none may take it again.
    waits[start] = TAKEN;
    ready.push(start);
    while (ready.size > 0) {
      const i = ready.pop();
      const mask = to[i]!;
      if (mask === 0) continue;
      if ((mask & (mask - 1)) === 0) {
        const j = i + step[31 - Math.clz32(mask)]!;
        acc[j]! += acc[i]!;
        if (--waits[j]! === 0) {
          waits[j] = TAKEN;
          ready.push(j);
        }
        continue;
      }
      division.shares(i, share);
      for (let k = 0; k < 8; k++) {
        if ((mask & (1 << k)) === 0) continue;
        const j = i + step[k]!;
        acc[j]! += acc[i]! * share[k]!;
        if (--waits[j]! === 0) {
          waits[j] = TAKEN;
          ready.push(j);
        }
      }
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
