import type { Cells } from '../../data/raster';
import type { RowBlock } from '../../method/rows';

/**
 * Calls `visit` with each row of a block that has a row above and below: its number in the grid, the three rows from north to south, and its
 * place for results, where it writes every column but the first and the last. Those are NaN, as are rows at the edge of the grid.
 */
export function eachInnerRow(
  block: RowBlock,
  visit: (row: number, north: Cells, middle: Cells, south: Cells, out: Cells) => void,
): void {
  const { cells, above, rows } = block.inputs[0]!;
  const { width } = block;
  const out = block.out[0]!;
  const first = Math.max(1, above);
  const last = Math.max(first, Math.min(rows - 1, above + block.rows));
  out.fill(NaN, 0, (first - above) * width);
  out.fill(NaN, Math.max(0, last - above) * width);
  for (let y = first; y < last; y++) {
    const at = (k: number): Cells => cells.subarray(k * width, (k + 1) * width);
    const o = (y - above) * width;
    visit(block.from - above + y, at(y - 1), at(y), at(y + 1), out.subarray(o, o + width));
    out[o] = out[o + width - 1] = NaN;
  }
}
