import type { Cells } from '../../data/raster';
import type { RowBlock } from '../../method/rows';

/**
 * Calls `visit` with each row of a block that has a row above and below: its number in the grid, the three rows from north to south, and its
 * place for results. What `visit` leaves out is NaN, as are rows at the edge of the grid.
 */
export function eachInnerRow(
  block: RowBlock,
  visit: (row: number, north: Cells, middle: Cells, south: Cells, out: Cells) => void,
): void {
  const { cells, above, rows } = block.inputs[0]!;
  const { width } = block;
  const out = block.out[0]!;
  out.fill(NaN);
  for (let y = Math.max(1, above), last = Math.min(rows - 1, above + block.rows); y < last; y++) {
    const at = (k: number): Cells => cells.subarray(k * width, (k + 1) * width);
    const o = (y - above) * width;
    visit(block.from - above + y, at(y - 1), at(y), at(y + 1), out.subarray(o, o + width));
  }
}
