import { transformer, type Crs, type Extent, type Grid } from '@helk/core';

/** Where a column and row of a grid (whole numbers are corners of cells) lie in a system. */
export function gridPlaces(grid: Grid, crs: Crs): (column: number, row: number) => [number, number] {
  const go = transformer(grid.crs ?? crs, crs);
  return (column, row) => {
    const out = [0, 0];
    go(grid.x + column * grid.dx, grid.y - row * grid.dy, out);
    return out as [number, number];
  };
}

/** The box about two corners. */
export const boxOf = (a: readonly number[], b: readonly number[]): Extent => [
  Math.min(a[0]!, b[0]!),
  Math.min(a[1]!, b[1]!),
  Math.max(a[0]!, b[0]!),
  Math.max(a[1]!, b[1]!),
];
