import { between, cellAt, fillFromAround, lowestIn, type CellNet } from './cell-net';

/** Points in metres. */
export interface Metric {
  x: Float64Array;
  y: Float64Array;
  z: Float64Array;
}

export type Tell = (share: number) => void;

/** A point this far below all lowest points around it is an echo from below the ground, m (common practice, no source). */
const TOO_LOW = 1.2;

/**
 * Marks points that lie below the ground: those much lower than the lowest points of all cells around theirs. Again and again, since one may
 * hide another. Changes `skip`; says how many were found.
 */
export function skipTooLow(p: Metric, net: CellNet, skip: Uint8Array): number {
  const { columns, rows, size } = net;
  let found = 0;
  const lowest = lowestIn(net, p.x, p.y, p.z, skip);
  for (let round = 0; round < 5; round++) {
    const out: number[] = [];
    for (let c = 0; c < lowest.length; c++) {
      const i = lowest[c]!;
      if (i < 0) continue;
      const [u, v] = [c % columns, (c / columns) | 0];
      let around = 0;
      let lowestAround = Infinity;
      for (let b = Math.max(0, v - 2); b <= Math.min(rows - 1, v + 2); b++)
        for (let a = Math.max(0, u - 2); a <= Math.min(columns - 1, u + 2); a++) {
          const j = lowest[b * columns + a]!;
          if (j < 0 || j === i) continue;
          around++;
          const apart = Math.hypot(a - u, b - v) * size;
          // Ground may fall off as steeply as it is far.
          lowestAround = Math.min(lowestAround, p.z[j]! - 0.7 * Math.max(0, apart - size));
        }
      if (around >= 5 && p.z[i]! < lowestAround - TOO_LOW) out.push(i);
    }
    if (!out.length) break;
    for (const i of out) skip[i] = 1;
    found += out.length;
    const again = new Set(out.map((i) => cellAt(net, p.x[i]!, p.y[i]!)));
    for (const c of again) lowest[c] = -1;
    for (let i = 0; i < p.x.length; i++) {
      if (skip[i]) continue;
      const c = cellAt(net, p.x[i]!, p.y[i]!);
      if (!again.has(c)) continue;
      const j = lowest[c]!;
      if (j < 0 || p.z[i]! < p.z[j]!) lowest[c] = i;
    }
  }
  return found;
}

/** Heights of the lowest points of cells, empty ones filled from around. */
export function lowestSurface(p: Metric, net: CellNet, skip: Uint8Array): Float64Array {
  const low = lowestIn(net, p.x, p.y, p.z, skip);
  const out = Float64Array.from(low, (i) => (i < 0 ? NaN : p.z[i]!));
  fillFromAround(out, net.columns, net.rows);
  return out;
}

/** Points that lie no further from a surface over the cells than a height. */
export function nearSurface(
  p: Metric,
  net: CellNet,
  surface: Float64Array,
  threshold: number,
  skip: Uint8Array,
): Uint8Array {
  const out = new Uint8Array(p.x.length);
  for (let i = 0; i < out.length; i++)
    if (!skip[i] && Math.abs(p.z[i]! - between(net, surface, p.x[i]!, p.y[i]!)) <= threshold) out[i] = 1;
  return out;
}

/**
 * Takes away patches of supposed ground that stand like a step above the ground around them: roofs that a surface has reached. A patch is what
 * hangs together without steps; it has to be smaller than the largest window and higher than what lies around by more than a step.
 *
 * @param step height difference, m, that parts patches
 * @param widest side of the largest building, m
 * @returns how many points were taken away from `ground`
 */
export function dropIslands(p: Metric, net: CellNet, ground: Uint8Array, step: number, widest: number): number {
  const { columns, rows, size } = net;
  const n = columns * rows;
  const sum = new Float64Array(n);
  const count = new Uint32Array(n);
  for (let i = 0; i < ground.length; i++) {
    if (!ground[i]) continue;
    const c = cellAt(net, p.x[i]!, p.y[i]!);
    sum[c]! += p.z[i]!;
    count[c]!++;
  }
  const level = sum.map((s, c) => (count[c] ? s / count[c]! : NaN));
  const patch = new Int32Array(n).fill(-1);
  const patches: number[][] = [];
  for (let start = 0; start < n; start++) {
    if (!count[start] || patch[start] !== -1) continue;
    const cells = [start];
    patch[start] = patches.length;
    for (const c of cells) {
      const [x, y] = [c % columns, (c / columns) | 0];
      for (let v = Math.max(0, y - 1); v <= Math.min(rows - 1, y + 1); v++)
        for (let u = Math.max(0, x - 1); u <= Math.min(columns - 1, x + 1); u++) {
          const j = v * columns + u;
          if (!count[j] || patch[j] !== -1 || Math.abs(level[j]! - level[c]!) > step) continue;
          patch[j] = patches.length;
          cells.push(j);
        }
    }
    patches.push(cells);
  }
  const large = patches.map((cells) => cells.length * size * size > widest * widest);
  if (!large.some((l) => l)) return 0;
  const around = level.map((z, c) => (patch[c]! >= 0 && large[patch[c]!] ? z : NaN));
  fillFromAround(around, columns, rows);
  const dropped = patches.map((cells, k) => {
    if (large[k]) return false;
    const above = cells.reduce((s, c) => s + level[c]! - around[c]!, 0) / cells.length;
    return above > step;
  });
  let taken = 0;
  for (let i = 0; i < ground.length; i++)
    if (ground[i] && dropped[patch[cellAt(net, p.x[i]!, p.y[i]!)]!]) {
      ground[i] = 0;
      taken++;
    }
  return taken;
}

/** Fall of the cloth in a step, m, and how much of a step's way is kept for the next. */
const FALL = 0.2 * 0.65 ** 2;
const KEPT = 0.99;
const STEPS = 500;

/**
 * A cloth dropped onto the points turned upside down (Zhang et al. 2016, "An easy-to-use airborne LiDAR data filtering method based on cloth
 * simulation", doi:10.3390/rs8060501): particles fall, are pulled together by springs, and stop where they meet the turned ground. Where the
 * cloth hangs free near a slope it is put down at the end, as in section 2.2 of the paper.
 *
 * @param low heights of the lowest points of the cells
 * @param stiffness 1 for steep land, 2 for hills, 3 for flat land
 * @returns height of the cloth at the middle of each cell, the right way up
 */
export function clothSurface(low: Float64Array, net: CellNet, stiffness: number, tell: Tell): Float64Array {
  const { columns, rows } = net;
  const n = low.length;
  // Turned over: the cloth falls from above the highest.
  const floor = low.map((z) => -z);
  let top = -Infinity;
  for (const f of floor) if (f > top) top = f;
  const now = new Float64Array(n).fill(top + 0.05);
  const before = now.slice();
  const fixed = new Uint8Array(n);
  // Two free neighbours move half of the way each, a free one and a fixed one all of it, by as much as so many pulls of 0.3 come to.
  const one = 1 - 0.7 ** stiffness;
  const both = 0.5 * (1 - 0.4 ** stiffness);
  const pull = (i: number, j: number): void => {
    if (fixed[i] && fixed[j]) return;
    const d = now[j]! - now[i]!;
    if (fixed[i]) now[j]! -= one * d;
    else if (fixed[j]) now[i]! += one * d;
    else {
      now[i]! += both * d;
      now[j]! -= both * d;
    }
  };
  for (let step = 0; step < STEPS; step++) {
    tell(step / STEPS);
    for (let i = 0; i < n; i++) {
      if (fixed[i]) continue;
      const v = now[i]!;
      now[i] = v + (v - before[i]!) * KEPT - FALL;
      before[i] = v;
    }
    for (let y = 0, i = 0; y < rows; y++)
      for (let x = 0; x < columns; x++, i++)
        for (const k of [1, 2]) {
          const right = x + k < columns;
          const up = y + k < rows;
          if (right) pull(i, i + k);
          if (up) pull(i, i + k * columns);
          if (right && up) {
            pull(i, i + k * columns + k);
            pull(i + k, i + k * columns);
          }
        }
    let moved = 0;
    for (let i = 0; i < n; i++) {
      if (fixed[i]) continue;
      if (now[i]! < floor[i]!) {
        now[i] = floor[i]!;
        fixed[i] = 1;
      } else {
        const d = Math.abs(now[i]! - before[i]!);
        if (d > moved) moved = d;
      }
    }
    if (step > 0 && moved < 0.005) break;
  }
  putDown(now, floor, fixed, columns, rows);
  return now.map((v) => -v);
}

/** Free particles beside fixed ones that lie about as high as those do are put down onto the ground, and so on from there. */
function putDown(now: Float64Array, floor: Float64Array, fixed: Uint8Array, columns: number, rows: number): void {
  // The step between neighbours is the paper's; that the cloth may hang a metre above is ours, for banks and ditches.
  const LEVEL = 0.3;
  const GAP = 1;
  const queue: number[] = [];
  for (let i = 0; i < now.length; i++) if (fixed[i]) queue.push(i);
  while (queue.length) {
    const i = queue.pop()!;
    const x = i % columns;
    const y = (i / columns) | 0;
    for (const [u, v] of [
      [x - 1, y],
      [x + 1, y],
      [x, y - 1],
      [x, y + 1],
    ] as const) {
      if (u < 0 || v < 0 || u >= columns || v >= rows) continue;
      const j = v * columns + u;
      if (fixed[j] || Math.abs(floor[j]! - floor[i]!) >= LEVEL || now[j]! - floor[j]! >= GAP) continue;
      now[j] = floor[j]!;
      fixed[j] = 1;
      queue.push(j);
    }
  }
}

/**
 * Opening by windows that grow (Zhang et al. 2003, "A progressive morphological filter for removing nonground measurements from airborne LIDAR
 * data", doi:10.1109/TGRS.2003.810682): what is cut off higher than land of that slope can be is no ground. Windows double up to the largest.
 *
 * @param slope greatest rise of the ground, m per m
 * @param start height above which something is cut off by the first window, m
 * @returns height of the ground at each cell, cells that are none filled from around
 */
export function openedSurface(
  low: Float64Array,
  net: CellNet,
  maxWindow: number,
  slope: number,
  start: number,
  most: number,
  tell: Tell,
): Float64Array {
  const { columns, rows, size } = net;
  const off = new Uint8Array(low.length);
  let surface: Float64Array = low.slice();
  let last = 1;
  const windows: number[] = [];
  for (let half = 1; (2 * half + 1) * size <= Math.max(maxWindow, 3 * size); half *= 2) windows.push(half);
  windows.forEach((half, k) => {
    tell(k / windows.length);
    const w = 2 * half + 1;
    const allowed = w <= 3 ? start : Math.min(most, slope * (w - last) * size + start);
    const opened = opening(surface, columns, rows, half);
    for (let c = 0; c < low.length; c++) if (surface[c]! - opened[c]! > allowed) off[c] = 1;
    surface = opened;
    last = w;
  });
  const ground = low.map((z, c) => (off[c] ? NaN : z));
  if (ground.every((z) => z !== z)) return surface;
  fillFromAround(ground, columns, rows);
  return ground;
}

/** The highest of the lowest of square windows so many cells to each side: what is narrower than a window and higher than all around is cut off. */
export const opening = (values: Float64Array, columns: number, rows: number, half: number): Float64Array =>
  extreme(extreme(values, columns, rows, half, Math.min), columns, rows, half, Math.max);

/** Lowest or highest of a square window, by rows and then by columns (van Herk 1992's two passes over each). O(cells). */
function extreme(
  values: Float64Array,
  columns: number,
  rows: number,
  half: number,
  pick: (a: number, b: number) => number,
): Float64Array {
  const line = (from: Float64Array, to: Float64Array, start: number, step: number, n: number): void => {
    const w = 2 * half + 1;
    const ahead = new Float64Array(n);
    const back = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      const v = from[start + i * step]!;
      ahead[i] = i % w === 0 ? v : pick(ahead[i - 1]!, v);
    }
    for (let i = n - 1; i >= 0; i--) {
      const v = from[start + i * step]!;
      back[i] = i === n - 1 || (i + 1) % w === 0 ? v : pick(back[i + 1]!, v);
    }
    for (let i = 0; i < n; i++) {
      const a = Math.max(0, i - half);
      const b = Math.min(n - 1, i + half);
      // A window cut off at the end may lie within one block, where neither pass has it alone.
      if (Math.floor(a / w) === Math.floor(b / w)) {
        let best = from[start + a * step]!;
        if (a % w === 0) best = ahead[b]!;
        else if ((b + 1) % w === 0 || b === n - 1) best = back[a]!;
        else for (let k = a + 1; k <= b; k++) best = pick(best, from[start + k * step]!);
        to[start + i * step] = best;
      } else to[start + i * step] = pick(back[a]!, ahead[b]!);
    }
  };
  const across = new Float64Array(values.length);
  const out = new Float64Array(values.length);
  for (let y = 0; y < rows; y++) line(values, across, y * columns, 1, columns);
  for (let x = 0; x < columns; x++) line(across, out, x, columns, rows);
  return out;
}
