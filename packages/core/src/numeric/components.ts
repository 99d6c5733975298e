import { growingCells, type Growing } from './growing';
import { IndexStack } from './heap';

/** Cells of one connected group of missing cells that does not touch the grid's edge. */
export interface Gap {
  /** Indices of its cells, ascending. */
  cells: Int32Array;
}

/** 1 where the value is missing. */
export function missingMask(cells: ArrayLike<number>, missing: number): Uint8Array {
  const mask = new Uint8Array(cells.length);
  for (let i = 0; i < cells.length; i++) {
    const v = cells[i]!;
    if (v !== v || v === missing) mask[i] = 1;
  }
  return mask;
}

/**
 * Enclosed gaps: groups of marked cells, connected by their four sides, that do not reach the edge of the grid. Groups that
 * do reach it are the outside. Flood fill with an explicit stack, O(cells); the mask is used up (left without ones).
 *
 * @returns gaps from north to south, by their first cell in reading order
 */
export function enclosedGaps(mask: Uint8Array, width: number, height: number): Gap[] {
  const stack = new IndexStack();
  const n = width * height;
  const take = (i: number): void => {
    if (mask[i] === 1) {
      mask[i] = 0;
      stack.push(i);
    }
  };
  const flood = (found: Growing<Int32Array> | null): void => {
    while (stack.size > 0) {
      const i = stack.pop();
      found?.push(i);
      const x = i % width;
      if (x > 0) take(i - 1);
      if (x < width - 1) take(i + 1);
      if (i >= width) take(i - width);
      if (i < n - width) take(i + width);
    }
  };
  for (let x = 0; x < width; x++) {
    take(x);
    take(n - width + x);
    flood(null);
  }
  for (let y = 0; y < height; y++) {
    take(y * width);
    take(y * width + width - 1);
    flood(null);
  }
  const gaps: Gap[] = [];
  for (let i = 0; i < n; i++) {
    if (mask[i] !== 1) continue;
    const found = growingCells();
    take(i);
    flood(found);
    gaps.push({ cells: found.done().sort() });
  }
  return gaps;
}

/**
 * Outlines of a group of cells as closed rings in grid corners (column, row), outer ring first then holes, outer rings
 * counter-clockwise with north up. Every boundary edge is walked with the cell on its left; at a corner where four edges
 * meet the walk turns so that cells touching only by a corner are kept apart. O(edges log edges).
 */
export function cellOutlines(cells: Int32Array, width: number): Int32Array[] {
  const has = new Set<number>(cells);
  // Edges keyed by their start corner; up to two leave the same corner.
  const next = new Map<number, number[]>();
  const w1 = width + 1;
  const edge = (x0: number, y0: number, x1: number, y1: number): void => {
    const key = y0 * w1 + x0;
    const list = next.get(key);
    if (list) list.push(y1 * w1 + x1);
    else next.set(key, [y1 * w1 + x1]);
  };
  for (const i of cells) {
    const x = i % width;
    const y = (i - x) / width;
    // Counter-clockwise with y down on the page: west side downwards, south side eastwards, …
    if (x === 0 || !has.has(i - 1)) edge(x, y, x, y + 1);
    if (!has.has(i + width)) edge(x, y + 1, x + 1, y + 1);
    if (x === width - 1 || !has.has(i + 1)) edge(x + 1, y + 1, x + 1, y);
    if (!has.has(i - width)) edge(x + 1, y, x, y);
  }
  const rings: { corners: Int32Array; area: number }[] = [];
  for (const start of [...next.keys()].sort((a, b) => a - b)) {
    while ((next.get(start)?.length ?? 0) > 0) {
      const ring: number[] = [];
      let at = start;
      let from = -1;
      do {
        const options = next.get(at)!;
        let pick = 0;
        if (options.length === 2 && from >= 0) {
          // Turn left (keep the same cell) so that diagonal neighbours do not join.
          const dx = (at % w1) - (from % w1);
          const dy = Math.floor(at / w1) - Math.floor(from / w1);
          const left = at + dy - dx * w1;
          const back = options.indexOf(left);
          if (back >= 0) pick = back;
        }
        const to = options.splice(pick, 1)[0]!;
        // Only corners are kept: a straight run is one edge.
        const n = ring.length;
        if (n >= 2 && straight(ring[n - 2]!, ring[n - 1]!, at, w1)) ring[n - 1] = at;
        else ring.push(at);
        from = at;
        at = to;
      } while (at !== start);
      ring.push(start);
      const corners = new Int32Array(ring.length * 2);
      let area = 0;
      for (let k = 0; k < ring.length; k++) {
        corners[2 * k] = ring[k]! % w1;
        corners[2 * k + 1] = Math.floor(ring[k]! / w1);
        if (k > 0) area += corners[2 * k - 2]! * corners[2 * k + 1]! - corners[2 * k]! * corners[2 * k - 1]!;
      }
      rings.push({ corners, area });
    }
  }
  rings.sort((a, b) => Math.abs(b.area) - Math.abs(a.area));
  return rings.map((r) => r.corners);
}

function straight(a: number, b: number, c: number, w1: number): boolean {
  return (
    (a % w1 === b % w1 && b % w1 === c % w1) ||
    (Math.floor(a / w1) === Math.floor(b / w1) && Math.floor(b / w1) === Math.floor(c / w1))
  );
}
