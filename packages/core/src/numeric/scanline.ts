import { featureCount, type Features } from '../data/features';
import type { Grid } from '../data/raster';
import { room } from '../data/room';

/** Edges of some features by the rows of a grid whose centre line they cross. */
export interface EdgeRows {
  /** First row that is crossed. */
  row: number;
  rows: number;
  /** Where the edges of each row begin; one more than there are rows. */
  starts: Uint32Array;
  /** Corner in which an edge begins, and the feature it belongs to; within a row in the order of the features. */
  edges: Uint32Array;
  owners: Uint32Array;
}

/** Sorts the edges of all features by row. An edge crosses the rows whose centre line y + 0.5 lies in [top, bottom). */
export function edgeRows(f: Features, grid: Grid): EdgeRows {
  const { xy, ringOffsets, partOffsets, featureOffsets } = f;
  const rowOf = (c: number): number => (grid.y - xy[2 * c + 1]!) / grid.dy;
  const span = (c: number): [number, number] => {
    const [a, b] = [rowOf(c), rowOf(c + 1)];
    return [Math.max(0, Math.ceil(Math.min(a, b) - 0.5)), Math.min(grid.rows, Math.ceil(Math.max(a, b) - 0.5))];
  };
  const each = (visit: (corner: number, feature: number) => void): void => {
    for (let i = 0, n = featureCount(f); i < n; i++)
      for (let r = partOffsets[featureOffsets[i]!]!; r < partOffsets[featureOffsets[i + 1]!]!; r++)
        for (let c = ringOffsets[r]!; c < ringOffsets[r + 1]! - 1; c++) visit(c, i);
  };
  let top = grid.rows;
  let bottom = 0;
  each((c) => {
    const [from, to] = span(c);
    if (to <= from) return;
    if (from < top) top = from;
    if (to > bottom) bottom = to;
  });
  const rows = Math.max(0, bottom - top);
  const starts = new Uint32Array(rows + 1);
  each((c) => {
    const [from, to] = span(c);
    for (let y = from; y < to; y++) starts[y - top + 1]!++;
  });
  for (let y = 0; y < rows; y++) starts[y + 1]! += starts[y]!;
  const edges = room(Uint32Array, starts[rows]!);
  const owners = room(Uint32Array, edges.length);
  const next = starts.slice();
  each((c, i) => {
    const [from, to] = span(c);
    for (let y = from; y < to; y++) {
      const at = next[y - top]!++;
      edges[at] = c;
      owners[at] = i;
    }
  });
  return { row: top, rows, starts, edges, owners };
}

/** The runs of columns of a row, feature by feature in their order, whose centres lie inside by the even-odd rule. */
export function eachRun(
  { xy }: Pick<Features, 'xy'>,
  e: EdgeRows,
  grid: Grid,
  row: number,
  run: (from: number, to: number, feature: number) => void,
): void {
  const at = row - e.row;
  if (at < 0 || at >= e.rows) return;
  const y = row + 0.5;
  for (let k = e.starts[at]!, end = e.starts[at + 1]!; k < end;) {
    const owner = e.owners[k]!;
    const xs: number[] = [];
    for (; k < end && e.owners[k] === owner; k++) {
      const c = e.edges[k]!;
      const [x0, x1] = [(xy[2 * c]! - grid.x) / grid.dx, (xy[2 * c + 2]! - grid.x) / grid.dx];
      const [y0, y1] = [(grid.y - xy[2 * c + 1]!) / grid.dy, (grid.y - xy[2 * c + 3]!) / grid.dy];
      xs.push(x0 + ((y - y0) / (y1 - y0)) * (x1 - x0));
    }
    xs.sort((a, b) => a - b);
    for (let j = 0; j + 1 < xs.length; j += 2) {
      const from = Math.max(0, Math.ceil(xs[j]! - 0.5));
      const to = Math.min(grid.columns, Math.ceil(xs[j + 1]! - 0.5));
      if (to > from) run(from, to, owner);
    }
  }
}

/**
 * For polygons in a grid's CRS: a function that marks, for a row, the cells whose centre lies inside one of them (1) or in none (0). Each
 * feature is filled by itself, and the features are joined, so that what two of them share is inside. O(edge rows log edges + cells).
 */
export function insideRows(f: Features, grid: Grid): (row: number, mask: Uint8Array) => void {
  const e = edgeRows(f, grid);
  return (row, mask) => {
    mask.fill(0);
    eachRun(f, e, grid, row, (from, to) => mask.fill(1, from, to));
  };
}
