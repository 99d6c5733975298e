import type { Cells } from '../../data/raster';

type Visit = (
  i: number,
  nw: number,
  n: number,
  ne: number,
  w: number,
  z: number,
  e: number,
  sw: number,
  s: number,
  se: number,
) => void;

/** Calls `visit` with every inner cell's index and its 3 x 3 neighbourhood, row by row; missing neighbours come as NaN. */
export function forWindows(cells: Cells, width: number, height: number, row: (y: number) => void, visit: Visit): void {
  for (let y = 1; y < height - 1; y++) {
    row(y);
    for (let i = y * width + 1, end = y * width + width - 1; i < end; i++) {
      visit(
        i,
        cells[i - width - 1]!,
        cells[i - width]!,
        cells[i - width + 1]!,
        cells[i - 1]!,
        cells[i]!,
        cells[i + 1]!,
        cells[i + width - 1]!,
        cells[i + width]!,
        cells[i + width + 1]!,
      );
    }
  }
}
