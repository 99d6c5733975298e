import type { Cells } from '../data/raster';

/**
 * Half widths of a disc by row offset: `half[dy + reach]` cells to either side whose centres lie within the radius.
 *
 * @param rx, ry radius in cells along columns and rows
 */
export function discRows(rx: number, ry: number): { reach: number; half: Int32Array } {
  const reach = Math.floor(ry + 1e-9);
  const half = Int32Array.from({ length: 2 * reach + 1 }, (_, k) =>
    Math.floor(rx * Math.sqrt(Math.max(0, 1 - ((k - reach) / Math.max(ry, 1e-12)) ** 2)) + 1e-9),
  );
  return { reach, half };
}

/**
 * Sum and count of the values within a disc around every cell, by running sums along rows: O(cells x radius) instead of
 * O(cells x radius²). Missing cells are left out. `visit` gets each row once.
 *
 * @param from, to the rows that are wanted; those around them only lend their values
 */
export function discSums(
  cells: Cells,
  width: number,
  height: number,
  rx: number,
  ry: number,
  visit: (row: number, sum: Float64Array, count: Float64Array, squares: Float64Array) => void,
  from = 0,
  to = height,
): void {
  const { reach, half } = discRows(rx, ry);
  // Running sums of the rows in reach; differences from the middle of the values keep the squares' digits.
  let shift = 0;
  for (let i = 0; i < cells.length; i++) {
    if (cells[i]! === cells[i]!) {
      shift = cells[i]!;
      break;
    }
  }
  const slots = 2 * reach + 1;
  const prefix = Array.from({ length: slots }, () => ({
    s: new Float64Array(width + 1),
    c: new Float64Array(width + 1),
    q: new Float64Array(width + 1),
  }));
  const load = (y: number): void => {
    const p = prefix[((y % slots) + slots) % slots]!;
    for (let x = 0; x < width; x++) {
      const v = cells[y * width + x]! - shift;
      const there = v === v;
      p.s[x + 1] = p.s[x]! + (there ? v : 0);
      p.q[x + 1] = p.q[x]! + (there ? v * v : 0);
      p.c[x + 1] = p.c[x]! + (there ? 1 : 0);
    }
  };
  const sum = new Float64Array(width);
  const count = new Float64Array(width);
  const squares = new Float64Array(width);
  for (let y = Math.max(0, from - reach); y < Math.min(from + reach, height); y++) load(y);
  for (let y = from; y < to; y++) {
    if (y + reach < height) load(y + reach);
    sum.fill(0);
    count.fill(0);
    squares.fill(0);
    for (let dy = -reach; dy <= reach; dy++) {
      const r = y + dy;
      if (r < 0 || r >= height) continue;
      const p = prefix[((r % slots) + slots) % slots]!;
      const w = half[dy + reach]!;
      for (let x = 0; x < width; x++) {
        const a = x - w < 0 ? 0 : x - w;
        const b = x + w + 1 > width ? width : x + w + 1;
        sum[x]! += p.s[b]! - p.s[a]!;
        count[x]! += p.c[b]! - p.c[a]!;
        squares[x]! += p.q[b]! - p.q[a]!;
      }
    }
    for (let x = 0; x < width; x++) {
      const m = count[x]!;
      // Squares about the mean, from sums about the shift.
      squares[x] = m > 0 ? Math.max(0, squares[x]! - (sum[x]! * sum[x]!) / m) : 0;
      sum[x]! += shift * m;
    }
    visit(y, sum, count, squares);
  }
}
