import type { Features } from '../data/features';
import type { Grid } from '../data/raster';

/**
 * For polygons in a grid's CRS: a function that marks, for a row, the cells whose centre lies inside (1) or outside (0),
 * by the even-odd rule along the row's centre line. Edges are sorted by row once; O(edges log edges + cells).
 */
export function insideRows(f: Features, grid: Grid): (row: number, mask: Uint8Array) => void {
  interface Edge {
    x0: number;
    y0: number;
    x1: number;
    y1: number;
  }
  const buckets = new Map<number, Edge[]>();
  const { xy, ringOffsets } = f;
  for (let r = 0; r < ringOffsets.length - 1; r++) {
    for (let i = ringOffsets[r]!; i < ringOffsets[r + 1]! - 1; i++) {
      // In fractional cells, rows downwards.
      const e: Edge = {
        x0: (xy[2 * i]! - grid.x) / grid.dx,
        y0: (grid.y - xy[2 * i + 1]!) / grid.dy,
        x1: (xy[2 * i + 2]! - grid.x) / grid.dx,
        y1: (grid.y - xy[2 * i + 3]!) / grid.dy,
      };
      const top = Math.min(e.y0, e.y1);
      const bottom = Math.max(e.y0, e.y1);
      if (top === bottom) continue;
      // Rows whose centre line y + 0.5 lies in [top, bottom).
      const from = Math.max(0, Math.ceil(top - 0.5));
      const to = Math.min(grid.rows, Math.ceil(bottom - 0.5));
      for (let y = from; y < to; y++) {
        const list = buckets.get(y);
        if (list) list.push(e);
        else buckets.set(y, [e]);
      }
    }
  }
  return (row, mask) => {
    mask.fill(0);
    const edges = buckets.get(row);
    if (!edges) return;
    const y = row + 0.5;
    const xs = edges.map((e) => e.x0 + ((y - e.y0) / (e.y1 - e.y0)) * (e.x1 - e.x0)).sort((a, b) => a - b);
    for (let k = 0; k + 1 < xs.length; k += 2) {
      const from = Math.max(0, Math.ceil(xs[k]! - 0.5));
      const to = Math.min(grid.columns, Math.ceil(xs[k + 1]! - 0.5));
      if (to > from) mask.fill(1, from, to);
    }
  };
}
