import type { Cells } from '../data/raster';
import { growingCells, growingFloats } from './growing';

/** Squares along a row whose lowest and highest corner are known together. */
const SEGMENT = 64;

/** Lowest and highest corner of the squares of each segment, row by row, so that levels that pass by need not be looked for in it. */
export interface SquareRanges {
  segments: number;
  low: Float32Array | Float64Array;
  high: Float32Array | Float64Array;
}

/** @param room where the ranges are held, when threads are to share them; O(cells) */
export function squareRanges(
  cells: Cells,
  width: number,
  height: number,
  room: (n: number) => Float64Array = (n) => new Float64Array(n),
): SquareRanges {
  const segments = Math.ceil(Math.max(0, width - 1) / SEGMENT);
  const low = room(segments * Math.max(0, height - 1));
  const high = room(low.length);
  for (let y = 0; y < height - 1; y++) {
    for (let s = 0; s < segments; s++) {
      let min = Infinity;
      let max = -Infinity;
      const end = Math.min(width, (s + 1) * SEGMENT + 1);
      for (let r = y; r < y + 2; r++)
        for (let i = r * width + s * SEGMENT, e = r * width + end; i < e; i++) {
          const v = cells[i]!;
          if (v < min) min = v;
          if (v > max) max = v;
        }
      low[y * segments + s] = min;
      high[y * segments + s] = max;
    }
  }
  return { segments, low, high };
}

/**
 * Lines of one level through the centres of a grid's cells by marching squares (Lorensen and Cline 1987,
 * doi:10.1145/37402.37422, in two dimensions), crossings interpolated linearly, saddles decided by the mean of the four. A
 * square with a missing corner carries no line. A value equal to the level counts as above. O(squares near the level + points).
 *
 * @returns polylines of column, row (cell centres at halves); closed ones repeat their first point
 */
export function isolines(
  cells: Cells,
  width: number,
  height: number,
  level: number,
  ranges: SquareRanges = squareRanges(cells, width, height),
): Float64Array[] {
  const found = crossings(cells, width, height, level, ranges);
  return follow(found.places.done(), found.first.done(), found.second.done());
}

/** Crossings of the level with the edges between neighbouring cells, each joined to those of the squares on either side. */
function crossings(cells: Cells, width: number, height: number, level: number, ranges: SquareRanges) {
  const places = growingFloats();
  const first = growingCells();
  const second = growingCells();
  let count = 0;
  const made = (x: number, y: number): number => {
    places.push2(x, y);
    first.push(-1);
    second.push(-1);
    return count++;
  };
  /** The crossing on an edge, made when it is met first. */
  const at = (slots: Int32Array, k: number, x: number, y: number): number =>
    slots[k]! >= 0 ? slots[k]! : (slots[k] = made(x, y));
  const link = (from: number, to: number): void => {
    if (first.at(from) < 0) first.set(from, to);
    else second.set(from, to);
  };
  const join = (p: number, q: number): void => {
    link(p, q);
    link(q, p);
  };
  // The crossing on the edge to the east of a cell, in the row above and the present one; to the south, of the present column.
  let above = new Int32Array(width).fill(-1);
  let below = new Int32Array(width).fill(-1);
  const south = new Int32Array(width).fill(-1);
  const { segments, low, high } = ranges;
  for (let y = 0; y < height - 1; y++) {
    let some = false;
    for (let s = 0; s < segments; s++) {
      const k = y * segments + s;
      // All above, all below, or nothing there.
      if (!(high[k]! >= level) || !(low[k]! < level)) continue;
      some = true;
      const end = Math.min(width - 1, (s + 1) * SEGMENT);
      for (let x = s * SEGMENT; x < end; x++) {
        const i = y * width + x;
        const nw = cells[i]!;
        const ne = cells[i + 1]!;
        const sw = cells[i + width]!;
        const se = cells[i + width + 1]!;
        const code = (nw >= level ? 8 : 0) | (ne >= level ? 4 : 0) | (se >= level ? 2 : 0) | (sw >= level ? 1 : 0);
        if (code === 0 || code === 15) continue;
        const mean = (nw + ne + sw + se) / 4;
        if (mean !== mean) continue;
        switch (code) {
          case 1:
          case 14:
            join(
              at(south, x, x + 0.5, y + 0.5 + (level - nw) / (sw - nw)),
              at(below, x, x + 0.5 + (level - sw) / (se - sw), y + 1.5),
            );
            break;
          case 2:
          case 13:
            join(
              at(below, x, x + 0.5 + (level - sw) / (se - sw), y + 1.5),
              at(south, x + 1, x + 1.5, y + 0.5 + (level - ne) / (se - ne)),
            );
            break;
          case 3:
          case 12:
            join(
              at(south, x, x + 0.5, y + 0.5 + (level - nw) / (sw - nw)),
              at(south, x + 1, x + 1.5, y + 0.5 + (level - ne) / (se - ne)),
            );
            break;
          case 4:
          case 11:
            join(
              at(above, x, x + 0.5 + (level - nw) / (ne - nw), y + 0.5),
              at(south, x + 1, x + 1.5, y + 0.5 + (level - ne) / (se - ne)),
            );
            break;
          case 6:
          case 9:
            join(
              at(above, x, x + 0.5 + (level - nw) / (ne - nw), y + 0.5),
              at(below, x, x + 0.5 + (level - sw) / (se - sw), y + 1.5),
            );
            break;
          case 7:
          case 8:
            join(
              at(south, x, x + 0.5, y + 0.5 + (level - nw) / (sw - nw)),
              at(above, x, x + 0.5 + (level - nw) / (ne - nw), y + 0.5),
            );
            break;
          default:
            // A saddle: the mean says which two corners hang together.
            if ((code === 5) === mean >= level) {
              join(
                at(south, x, x + 0.5, y + 0.5 + (level - nw) / (sw - nw)),
                at(above, x, x + 0.5 + (level - nw) / (ne - nw), y + 0.5),
              );
              join(
                at(below, x, x + 0.5 + (level - sw) / (se - sw), y + 1.5),
                at(south, x + 1, x + 1.5, y + 0.5 + (level - ne) / (se - ne)),
              );
            } else {
              join(
                at(south, x, x + 0.5, y + 0.5 + (level - nw) / (sw - nw)),
                at(below, x, x + 0.5 + (level - sw) / (se - sw), y + 1.5),
              );
              join(
                at(above, x, x + 0.5 + (level - nw) / (ne - nw), y + 0.5),
                at(south, x + 1, x + 1.5, y + 0.5 + (level - ne) / (se - ne)),
              );
            }
        }
      }
    }
    [above, below] = [below, above];
    below.fill(-1);
    if (some) south.fill(-1);
  }
  return { places, first, second };
}

/** Lines along the links: those with ends first, then the closed ones, each from its first crossing. */
function follow(places: Float64Array, first: Int32Array, second: Int32Array): Float64Array[] {
  const lines: Float64Array[] = [];
  let held = new Float64Array(1024);
  const one = (start: number): void => {
    let n = 0;
    for (let at = start; ;) {
      const x = places[2 * at]!;
      const y = places[2 * at + 1]!;
      if (n < 2 || held[n - 2] !== x || held[n - 1] !== y) {
        if (n + 2 > held.length) {
          const more = new Float64Array(2 * held.length);
          more.set(held);
          held = more;
        }
        held[n++] = x;
        held[n++] = y;
      }
      const to = second[at]! >= 0 ? second[at]! : first[at]!;
      if (to < 0) break;
      if (second[at]! >= 0) second[at] = -1;
      else first[at] = -1;
      // The link back is used up too.
      if (second[to] === at) second[to] = -1;
      else if (first[to] === at) {
        first[to] = second[to]!;
        second[to] = -1;
      }
      at = to;
    }
    if (n >= 4) lines.push(held.slice(0, n));
  };
  for (let k = 0; k < first.length; k++) if (first[k]! >= 0 && second[k]! < 0) one(k);
  for (let k = 0; k < first.length; k++) if (first[k]! >= 0) one(k);
  return lines;
}

/** Corners cut at a quarter of their sides (Chaikin 1974, doi:10.1016/0146-664X(74)90028-8); ends of open lines stay. */
export function chaikin(line: Float64Array, times: number): Float64Array {
  let l = line;
  const n0 = l.length;
  const closed = n0 > 6 && l[0] === l[n0 - 2] && l[1] === l[n0 - 1];
  for (let k = 0; k < times && l.length >= 6; k++) {
    const out: number[] = closed ? [] : [l[0]!, l[1]!];
    for (let i = 0; i + 3 < l.length; i += 2) {
      const [ax, ay, bx, by] = [l[i]!, l[i + 1]!, l[i + 2]!, l[i + 3]!];
      if (closed || i > 0) out.push(0.75 * ax + 0.25 * bx, 0.75 * ay + 0.25 * by);
      if (closed || i + 5 < l.length) out.push(0.25 * ax + 0.75 * bx, 0.25 * ay + 0.75 * by);
    }
    if (closed) out.push(out[0]!, out[1]!);
    else out.push(l[l.length - 2]!, l[l.length - 1]!);
    l = Float64Array.from(out);
  }
  return l;
}
