import { addUpToOne, runsBothWays, parts, rowCount } from '../numeric/sparse-rows';
import type { Crs, Extent } from './crs';
import type { ColumnInfo } from './features';
import type { Weights } from './weights';

/** What there is to know of weights without their bulk. */
export interface WeightsInfo {
  kind: 'weights';
  crs: Crs | null;
  /** Of the middles; null where they are not known. */
  extent: Extent | null;
  /** Features, one row each. */
  places: number;
  links: number;
  /** How many features have 0, 1, 2 … neighbours; the last stands for all beyond. */
  connectivity: number[];
  mean: number;
  min: number;
  max: number;
  /** Features without any neighbour. */
  islands: number;
  /** Parts between which there is no link, islands among them. */
  components: number;
  /** Each row adds up to 1. */
  standardised: boolean;
  /** Every link has one that runs back. */
  symmetric: boolean;
  /** A feature counts among its own neighbours. */
  self: boolean;
  made: string;
  open: boolean;
  /** Rows that they are stored as: links, and islands. */
  stored: number;
  columns: ColumnInfo[];
}

/** Numbers of neighbours that are told one by one. */
const TOLD = 200;

export function weightsInfo(w: Weights): WeightsInfo {
  const { offsets, neighbours } = w.rows;
  const n = rowCount(w.rows);
  let [min, max, islands, self, links] = [Infinity, 0, 0, false, 0];
  const connectivity: number[] = [];
  for (let i = 0; i < n; i++) {
    let k = 0;
    for (let l = offsets[i]!; l < offsets[i + 1]!; l++)
      if (neighbours[l] === i) self = true;
      else k++;
    links += k;
    min = Math.min(min, k);
    max = Math.max(max, k);
    if (k === 0) islands++;
    const slot = Math.min(k, TOLD);
    while (connectivity.length <= slot) connectivity.push(0);
    connectivity[slot]!++;
  }
  let extent: Extent | null = null;
  for (let i = 0; i < n; i++) {
    const [x, y] = [w.places[2 * i]!, w.places[2 * i + 1]!];
    if (x !== x) continue;
    extent = extent
      ? [Math.min(extent[0], x), Math.min(extent[1], y), Math.max(extent[2], x), Math.max(extent[3], y)]
      : [x, y, x, y];
  }
  let alone = 0;
  for (let i = 0; i < n; i++) if (offsets[i] === offsets[i + 1]) alone++;
  const number = (name: string): ColumnInfo => ({ name, type: 'number', unit: null });
  return {
    kind: 'weights',
    crs: w.crs,
    extent,
    places: n,
    links,
    connectivity,
    mean: n ? links / n : 0,
    min: n ? min : 0,
    max,
    islands,
    components: parts(w.rows).count,
    standardised: n > 0 && addUpToOne(w.rows),
    symmetric: runsBothWays(w.rows),
    self,
    made: w.made,
    open: w.open,
    stored: neighbours.length + alone,
    columns: [number('from'), number('to'), number('weight')],
  };
}
