import { growingCells, growingCounts } from './growing';
import { IndexHeap } from './heap';
import { room } from '../data/room';

/** Patches of equal neighbouring cells. */
export interface Patches {
  /** Number of the patch of each cell; -1 where there is no value. */
  of: Int32Array;
  /** Value and size, in cells, of each. */
  values: Int32Array;
  cells: Uint32Array;
}

/**
 * Cells of equal value that touch, patch by patch in the order of their first cell (Rosenfeld and Pfaltz 1966). O(cells).
 *
 * @param connect 4: by their sides; 8: by their corners too
 */
export function patchesOf(cells: Int32Array, width: number, missing: number, connect: 4 | 8): Patches {
  const n = cells.length;
  const of = room(Int32Array, n);
  const parent = growingCounts();
  const root = (i: number): number => {
    let r = i;
    while (parent.at(r) !== r) r = parent.at(r);
    while (parent.at(i) !== r) {
      const up = parent.at(i);
      parent.set(i, r);
      i = up;
    }
    return r;
  };
  for (let i = 0; i < n; i++) {
    const v = cells[i]!;
    if (v === missing) {
      of[i] = -1;
      continue;
    }
    const x = i % width;
    let own = -1;
    const touch = (j: number): void => {
      if (cells[j] !== v) return;
      const r = root(of[j]!);
      if (own < 0) own = r;
      else if (r !== own) {
        // The older of two is the root of both.
        const [a, b] = r < own ? [r, own] : [own, r];
        parent.set(b, a);
        own = a;
      }
    };
    if (x > 0) touch(i - 1);
    if (i >= width) {
      touch(i - width);
      if (connect === 8) {
        if (x > 0) touch(i - width - 1);
        if (x + 1 < width) touch(i - width + 1);
      }
    }
    if (own < 0) {
      own = parent.length;
      parent.push(own);
    }
    of[i] = own;
  }
  const number = new Int32Array(parent.length).fill(-1);
  const values = growingCells();
  const sizes = growingCounts();
  for (let i = 0; i < n; i++) {
    if (of[i]! < 0) continue;
    const r = root(of[i]!);
    if (number[r]! < 0) {
      number[r] = sizes.length;
      sizes.push(0);
      values.push(cells[i]!);
    }
    const p = number[r]!;
    of[i] = p;
    sizes.set(p, sizes.at(p) + 1);
  }
  return { of, values: values.done(), cells: sizes.done() };
}

/**
 * Lets patches that are smaller than an area take the value of a neighbour, from the smallest on: of the one they share the longest border
 * with (of several the largest). What then touches and has one value is one patch, whose size counts. A patch without a neighbour stays.
 *
 * @param areas of each patch
 * @returns the value of each patch afterwards, and how many were absorbed
 */
export function absorbed(
  { of, values }: Patches,
  width: number,
  areas: Float64Array,
  minArea: number,
): { values: Int32Array; absorbed: number } {
  const size = areas.slice();
  const value = values.slice();
  const into = Int32Array.from(values, (_, i) => i);
  const root = (i: number): number => {
    let r = i;
    while (into[r] !== r) r = into[r]!;
    while (into[i] !== r) [i, into[i]] = [into[i]!, r];
    return r;
  };
  // Lengths of shared borders, in cell sides; only those of patches that are too small.
  const borders = new Map<number, Map<number, number>>();
  const add = (p: number, q: number, length: number): void => {
    let own = borders.get(p);
    if (!own) borders.set(p, (own = new Map<number, number>()));
    own.set(q, (own.get(q) ?? 0) + length);
  };
  const beside = (i: number, j: number): void => {
    const [p, q] = [of[i]!, of[j]!];
    if (p < 0 || q < 0 || p === q || (size[p]! >= minArea && size[q]! >= minArea)) return;
    add(p, q, 1);
    add(q, p, 1);
  };
  for (let i = 0; i < of.length; i++) {
    if (i % width) beside(i, i - 1);
    if (i >= width) beside(i, i - width);
  }
  const heap = new IndexHeap();
  for (let p = 0; p < size.length; p++) if (size[p]! < minArea) heap.push(size[p]!, p);
  const merge = (p: number, q: number): void => {
    into[p] = q;
    size[q]! += size[p]!;
    for (const [r, length] of borders.get(p) ?? []) {
      borders.get(r)?.delete(p);
      if (r === q) continue;
      add(q, r, length);
      add(r, q, length);
    }
    borders.delete(p);
    borders.get(q)?.delete(p);
  };
  let gone = 0;
  for (let p = heap.pop(); p >= 0; p = heap.pop()) {
    if (into[p] !== p || size[p]! >= minArea) continue;
    let best = -1;
    let longest = 0;
    for (const [q, length] of borders.get(p) ?? [])
      if (
        length > longest ||
        (length === longest && (size[q]! > size[best]! || (size[q] === size[best] && q < best)))
      ) {
        best = q;
        longest = length;
      }
    if (best < 0) continue;
    gone++;
    // Others of the value it takes, which it now joins.
    const like = [...borders.get(p)!.keys()].filter((q) => q !== best && value[q] === value[best]);
    merge(p, best);
    for (const q of like) merge(q, best);
    if (size[best]! < minArea) heap.push(size[best]!, best);
  }
  return { values: Int32Array.from(values, (_, p) => value[root(p)]!), absorbed: gone };
}
