import { room } from '../../data/room';
import type { Cells } from '../../data/raster';
import { growingCells } from '../../numeric/growing';
import { IndexStack } from '../../numeric/heap';

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
  const direction = room(Int8Array, n);
  const flat = growingCells();
  const step = Int32Array.from(FLOW_DX, (x, k) => FLOW_DY[k]! * width + x);
  const length = new Float64Array(8);
  for (let y = 0; y < height; y++) {
    const w = dx(y);
    const h = dy(y);
    const diagonal = Math.hypot(w, h);
    length.set([h, diagonal, w, diagonal, h, diagonal, w, diagonal]);
    const inner = y > 0 && y < height - 1;
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const e = z[i]!;
      if (e !== e) {
        direction[i] = NO_DATA;
        continue;
      }
      let code = PIT;
      let whole = inner && x > 0 && x < width - 1;
      if (whole) {
        let best = 0;
        for (let k = 0; k < 8; k++) {
          const v = z[i + step[k]!]!;
          if (v >= e) continue;
          // Written so that a missing neighbour, too, comes here.
          if (!(v < e)) whole = false;
          const drop = (e - v) / length[k]!;
          if (drop > best) {
            best = drop;
            code = k;
          }
        }
      }
      if (!whole) code = atRim(z, x, y, width, height, length);
      direction[i] = code;
      if (code === PIT) flat.push(i);
    }
  }
  return { direction, pits: resolveFlats(z, width, direction, flat.done()) };
}

/** The same for a cell on the edge or beside missing ones: without lower neighbours it drains outwards, straight rather than askew. */
function atRim(z: Cells, x: number, y: number, width: number, height: number, length: Float64Array): number {
  const e = z[y * width + x]!;
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
  return code !== PIT ? code : outwards;
}

/**
 * Gives flat cells a direction over the combined gradient; returns how many had no way out. Flat cells that touch and are of one height
 * make one flat; flats are taken one after the other, since what lies together is fetched together. A flat cell is never on the edge
 * (those drain outwards), so its neighbours exist. O(flat cells).
 *
 * @param flat cells without a direction
 */
function resolveFlats(z: Cells, width: number, direction: Int8Array, flat: Int32Array): number {
  const step = Int32Array.from(FLOW_DX, (x, k) => FLOW_DY[k]! * width + x);
  // Steps from lower ground, then the mask; 0 not seen yet, -1 seen.
  const toward = new Int32Array(direction.length);
  const away = new Int32Array(direction.length);
  const members = new Int32Array(flat.length);
  const queue = new Int32Array(flat.length);
  const outlets = new IndexStack();
  const rims = new IndexStack();
  let pits = 0;
  for (let f = 0; f < flat.length; f++) {
    const start = flat[f]!;
    if (toward[start] !== 0) continue;
    const e = z[start]!;
    // The flat: which of its cells touch drained ones of their height, and which touch higher ground.
    let size = 1;
    members[0] = start;
    toward[start] = -1;
    for (let head = 0; head < size; head++) {
      const i = members[head]!;
      let drains = false;
      let higher = false;
      for (let k = 0; k < 8; k++) {
        const j = i + step[k]!;
        const v = z[j]!;
        if (v > e) higher = true;
        else if (v === e) {
          if (direction[j] !== PIT) drains = true;
          else if (toward[j] === 0) {
            toward[j] = -1;
            members[size++] = j;
          }
        }
      }
      if (drains) outlets.push(i);
      if (higher) rims.push(i);
    }
    if (outlets.size === 0) {
      pits += size;
      rims.clear();
      continue;
    }
    spread(toward, -1, outlets, z, direction, step, queue);
    const highest = spread(away, 0, rims, z, direction, step, queue);
    // Towards lower ground counts twice; the mask is the sum (Barnes' FlatMask).
    for (let m = 0; m < size; m++) {
      const i = members[m]!;
      toward[i] = 2 * toward[i]! + (away[i]! > 0 ? highest - away[i]! : 0);
    }
    for (let m = 0; m < size; m++) {
      const i = members[m]!;
      let best = toward[i]!;
      let code = PIT;
      for (let k = 0; k < 8; k++) {
        const j = i + step[k]!;
        if (z[j] !== e) continue;
        // Drained cells of the same level are the outlet: lower than any flat cell. (Of this flat none is marked as drained yet.)
        const v = direction[j] !== PIT ? 0 : toward[j]!;
        if (v < best) {
          best = v;
          code = k;
        }
      }
      if (code === PIT) pits++;
      queue[m] = code;
    }
    for (let m = 0; m < size; m++) direction[members[m]!] = queue[m]!;
  }
  return pits;
}

/**
 * Steps of each cell of a flat from where it begins, breadth first; answers the greatest.
 *
 * @param unset what stands in a cell that has not been reached
 * @param from cells that are one step away; taken off
 */
function spread(
  distance: Int32Array,
  unset: number,
  from: IndexStack,
  z: Cells,
  direction: Int8Array,
  step: Int32Array,
  queue: Int32Array,
): number {
  let tail = from.size;
  // In the order in which they were found.
  for (let k = tail - 1; k >= 0; k--) {
    const i = from.pop();
    queue[k] = i;
    distance[i] = 1;
  }
  if (tail === 0) return 0;
  const e = z[queue[0]!]!;
  for (let head = 0; head < tail; head++) {
    const i = queue[head]!;
    const next = distance[i]! + 1;
    for (let k = 0; k < 8; k++) {
      const j = i + step[k]!;
      if (distance[j] === unset && direction[j] === PIT && z[j] === e) {
        distance[j] = next;
        queue[tail++] = j;
      }
    }
  }
  return distance[queue[tail - 1]!]!;
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
