import type { Cells } from '../../data/raster';
import { IndexQueue } from '../../numeric/heap';

/** The eight neighbours, clockwise from north: the direction code k means k x 45 degrees. */
export const FLOW_DX = [0, 1, 1, 1, 0, -1, -1, -1];
export const FLOW_DY = [-1, -1, 0, 1, 1, 1, 0, -1];
/** Direction codes beside 0…7. */
export const PIT = -1;
export const NO_DATA = -2;

/**
 * D8 flow direction after O'Callaghan and Mark 1984 (doi:10.1016/S0734-189X(84)80011-0): to the neighbour of steepest descent,
 * the first clockwise from north among equals. Flats are resolved after Garbrecht and Martz 1997
 * (doi:10.1016/S0022-1694(96)03138-1) in the form of Barnes, Lehman and Mulla 2014 (doi:10.1016/j.cageo.2013.01.009): towards
 * lower ground and away from higher. Cells on the edge or beside missing cells that have no lower neighbour drain outwards.
 * Whatever still has no way out is a pit. O(cells).
 *
 * @param z elevations, missing as NaN
 * @param dx width of a cell in each row, in the unit of the elevations
 * @returns code 0…7 clockwise from north, `PIT` or `NO_DATA`; the number of pits
 */
export function d8(
  z: Cells,
  width: number,
  height: number,
  dx: (row: number) => number,
  dy: (row: number) => number,
): { direction: Int8Array; pits: number } {
  const n = width * height;
  const direction = new Int8Array(n);
  const flat: number[] = [];
  for (let y = 0; y < height; y++) {
    const w = dx(y);
    const h = dy(y);
    const diagonal = Math.hypot(w, h);
    const length = [h, diagonal, w, diagonal, h, diagonal, w, diagonal];
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const e = z[i]!;
      if (e !== e) {
        direction[i] = NO_DATA;
        continue;
      }
      let best = 0;
      let code = PIT;
      let outwards = PIT;
      for (let k = 0; k < 8; k++) {
        const nx = x + FLOW_DX[k]!;
        const ny = y + FLOW_DY[k]!;
        const v = nx < 0 || ny < 0 || nx >= width || ny >= height ? NaN : z[ny * width + nx]!;
        if (v !== v) {
          if (outwards === PIT || (outwards % 2 === 1 && k % 2 === 0)) outwards = k;
          continue;
        }
        const drop = (e - v) / length[k]!;
        if (drop > best) {
          best = drop;
          code = k;
        }
      }
      direction[i] = code !== PIT ? code : outwards;
      if (direction[i] === PIT) flat.push(i);
    }
  }
  return { direction, pits: resolveFlats(z, width, height, direction, flat) };
}

/** Gives flat cells a direction over the combined gradient; returns how many had no way out. */
function resolveFlats(z: Cells, width: number, height: number, direction: Int8Array, flat: number[]): number {
  const n = width * height;
  if (flat.length === 0) return 0;
  const label = new Int32Array(n);
  const inFlat = (i: number): boolean => direction[i] === PIT;
  const step = FLOW_DX.map((x, k) => FLOW_DY[k]! * width + x);
  // A flat cell is never on the edge (those drain outwards), so its neighbours exist.
  let labels = 0;
  const stack: number[] = [];
  for (const start of flat) {
    if (label[start] !== 0) continue;
    labels++;
    label[start] = labels;
    stack.push(start);
    while (stack.length > 0) {
      const i = stack.pop()!;
      for (let k = 0; k < 8; k++) {
        const j = i + step[k]!;
        if (inFlat(j) && label[j] === 0 && z[j] === z[i]) {
          label[j] = labels;
          stack.push(j);
        }
      }
    }
  }
  // Away from higher ground: distance from the rim, breadth first.
  const away = new Int32Array(n);
  const highest = new Int32Array(labels + 1);
  const queue = new IndexQueue();
  for (const i of flat) {
    for (let k = 0; k < 8; k++) {
      if (z[i + step[k]!]! > z[i]!) {
        away[i] = 1;
        queue.push(i);
        break;
      }
    }
  }
  for (let i = queue.shift(); i >= 0; i = queue.shift()) {
    highest[label[i]!] = Math.max(highest[label[i]!]!, away[i]!);
    for (let k = 0; k < 8; k++) {
      const j = i + step[k]!;
      if (inFlat(j) && label[j] === label[i] && away[j] === 0) {
        away[j] = away[i]! + 1;
        queue.push(j);
      }
    }
  }
  // Towards lower ground, twice as strong; the mask is the sum (Barnes' FlatMask).
  const toward = new Int32Array(n);
  for (const i of flat) {
    for (let k = 0; k < 8; k++) {
      const j = i + step[k]!;
      if (z[j] === z[i] && direction[j]! >= 0) {
        toward[i] = 1;
        queue.push(i);
        break;
      }
    }
  }
  for (let i = queue.shift(); i >= 0; i = queue.shift()) {
    for (let k = 0; k < 8; k++) {
      const j = i + step[k]!;
      if (inFlat(j) && label[j] === label[i] && toward[j] === 0) {
        toward[j] = toward[i]! + 1;
        queue.push(j);
      }
    }
  }
  let pits = 0;
  const resolved = new Int8Array(flat.length);
  flat.forEach((i, m) => {
    resolved[m] = PIT;
    if (toward[i] === 0) {
      pits++;
      return;
    }
    const mask = (c: number): number => 2 * toward[c]! + (away[c]! > 0 ? highest[label[c]!]! - away[c]! : 0);
    const own = mask(i);
    let best = own;
    for (let k = 0; k < 8; k++) {
      const j = i + step[k]!;
      if (z[j] !== z[i]) continue;
      // Drained cells of the same level are the outlet: lower than any flat cell.
      const v = direction[j]! >= 0 ? 0 : label[j] === label[i] ? mask(j) : Infinity;
      if (v < best) {
        best = v;
        resolved[m] = k;
      }
    }
    if (resolved[m] === PIT) pits++;
  });
  flat.forEach((i, m) => (direction[i] = resolved[m]!));
  return pits;
}

/**
 * How many cells drain through each one by D8, itself included: donors are counted, then sources are followed down
 * (no recursion). O(cells).
 */
export function accumulateD8(
  direction: Int8Array,
  width: number,
  height: number,
  weight?: (row: number) => number,
): Float64Array {
  const n = width * height;
  const acc = new Float64Array(n);
  const donors = new Uint8Array(n);
  const to = (i: number): number => receiver(direction, i, width, height);
  for (let i = 0; i < n; i++) {
    const t = to(i);
    if (t >= 0) donors[t]!++;
    acc[i] = direction[i] === NO_DATA ? NaN : weight ? weight((i / width) | 0) : 1;
  }
  for (let start = 0; start < n; start++) {
    if (donors[start] !== 0 || direction[start] === NO_DATA) continue;
    // Down from a source until a confluence still waits for another branch.
    for (let i = start; ;) {
      const t = to(i);
      donors[i] = 255;
      if (t < 0) break;
      acc[t]! += acc[i]!;
      if (--donors[t]! > 0) break;
      i = t;
    }
  }
  return acc;
}

/** The cell a cell drains to, or -1 when the water leaves, ends or there is nothing. */
export function receiver(direction: Int8Array, i: number, width: number, height: number): number {
  const d = direction[i]!;
  if (d < 0) return -1;
  const x = (i % width) + FLOW_DX[d]!;
  const y = ((i / width) | 0) + FLOW_DY[d]!;
  if (x < 0 || y < 0 || x >= width || y >= height) return -1;
  const t = y * width + x;
  return direction[t] === NO_DATA ? -1 : t;
}
