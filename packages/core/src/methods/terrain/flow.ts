import type { Cells } from '../../data/raster';
import { growingBytes, growingCells } from '../../numeric/growing';

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
  const flat = growingCells();
  // Whether a flat cell lies beside higher ground.
  const rim = growingBytes();
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
      const edge = !inner || x === 0 || x === width - 1;
      let best = 0;
      let code = PIT;
      let outwards = PIT;
      let higher = 0;
      for (let k = 0; k < 8; k++) {
        const v = edge && beyond(x, y, k, width, height) ? NaN : z[i + step[k]!]!;
        if (v < e) {
          const drop = (e - v) / length[k]!;
          if (drop > best) {
            best = drop;
            code = k;
          }
        } else if (v > e) higher = 1;
        else if (v !== v && (outwards === PIT || (outwards % 2 === 1 && k % 2 === 0))) outwards = k;
      }
      direction[i] = code !== PIT ? code : outwards;
      if (direction[i] === PIT) {
        flat.push(i);
        rim.push(higher);
      }
    }
  }
  return { direction, pits: resolveFlats(z, width, direction, flat.done(), rim.done()) };
}

const beyond = (x: number, y: number, k: number, width: number, height: number): boolean => {
  const nx = x + FLOW_DX[k]!;
  const ny = y + FLOW_DY[k]!;
  return nx < 0 || ny < 0 || nx >= width || ny >= height;
};

/**
 * Gives flat cells a direction over the combined gradient; returns how many had no way out. Flat cells that touch and are of one height
 * make one flat. A flat cell is never on the edge (those drain outwards), so its neighbours exist. O(flat cells).
 *
 * @param flat cells without a direction, ascending
 * @param rim of each: whether it lies beside higher ground
 */
function resolveFlats(z: Cells, width: number, direction: Int8Array, flat: Int32Array, rim: Uint8Array): number {
  const m = flat.length;
  if (m === 0) return 0;
  const step = Int32Array.from(FLOW_DX, (x, k) => FLOW_DY[k]! * width + x);
  // Number of a flat cell among the flat ones, from 1; 0 for all others.
  const slot = new Int32Array(direction.length);
  for (let s = 0; s < m; s++) slot[flat[s]!] = s + 1;
  const queue = new Int32Array(m);
  /** Steps of each cell from those that have a 1 already, within their flats, breadth first. */
  const spread = (distance: Int32Array, begun: number): void => {
    for (let head = 0, tail = begun; head < tail; head++) {
      const s = queue[head]!;
      const i = flat[s]!;
      const e = z[i]!;
      const next = distance[s]! + 1;
      for (let k = 0; k < 8; k++) {
        const j = i + step[k]!;
        const t = slot[j]! - 1;
        if (t >= 0 && distance[t] === 0 && z[j] === e) {
          distance[t] = next;
          queue[tail++] = t;
        }
      }
    }
  };
  // Towards lower ground: from the cells that touch drained ones of their height.
  const toward = new Int32Array(m);
  let begun = 0;
  for (let s = 0; s < m; s++) {
    const i = flat[s]!;
    const e = z[i]!;
    for (let k = 0; k < 8; k++) {
      const j = i + step[k]!;
      if (z[j] === e && direction[j]! >= 0) {
        toward[s] = 1;
        queue[begun++] = s;
        break;
      }
    }
  }
  spread(toward, begun);
  // Away from higher ground: from the rim.
  const away = new Int32Array(m);
  begun = 0;
  for (let s = 0; s < m; s++)
    if (rim[s]) {
      away[s] = 1;
      queue[begun++] = s;
    }
  spread(away, begun);
  const highest = highestOf(away, z, flat, slot, step, queue);
  // Towards lower ground counts twice; the mask is the sum (Barnes' FlatMask).
  const mask = toward;
  for (let s = 0; s < m; s++)
    if (toward[s]! > 0) mask[s] = 2 * toward[s]! + (away[s]! > 0 ? highest[s]! - away[s]! : 0);
  let pits = 0;
  const resolved = new Int8Array(m).fill(PIT);
  for (let s = 0; s < m; s++) {
    const i = flat[s]!;
    const e = z[i]!;
    let best = mask[s]!;
    if (best > 0)
      for (let k = 0; k < 8; k++) {
        const j = i + step[k]!;
        if (z[j] !== e) continue;
        // Drained cells of the same level are the outlet: lower than any flat cell.
        const v = direction[j]! >= 0 ? 0 : mask[slot[j]! - 1]!;
        if (v < best) {
          best = v;
          resolved[s] = k;
        }
      }
    if (resolved[s] === PIT) pits++;
  }
  for (let s = 0; s < m; s++) direction[flat[s]!] = resolved[s]!;
  return pits;
}

/** For each flat cell the greatest distance from higher ground in its flat. O(flat cells). */
function highestOf(
  away: Int32Array,
  z: Cells,
  flat: Int32Array,
  slot: Int32Array,
  step: Int32Array,
  queue: Int32Array,
): Int32Array {
  const m = flat.length;
  const highest = new Int32Array(m).fill(-1);
  for (let start = 0; start < m; start++) {
    if (highest[start]! >= 0) continue;
    let most = 0;
    let tail = 1;
    queue[0] = start;
    highest[start] = 0;
    for (let head = 0; head < tail; head++) {
      const s = queue[head]!;
      const i = flat[s]!;
      const e = z[i]!;
      if (away[s]! > most) most = away[s]!;
      for (let k = 0; k < 8; k++) {
        const j = i + step[k]!;
        const t = slot[j]! - 1;
        if (t >= 0 && highest[t] === -1 && z[j] === e) {
          highest[t] = 0;
          queue[tail++] = t;
        }
      }
    }
    for (let head = 0; head < tail; head++) highest[queue[head]!] = most;
  }
  return highest;
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
