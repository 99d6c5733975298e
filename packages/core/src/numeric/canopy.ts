import type { CellNet } from './cell-net';

/**
 * Usual crown diameter of a tree of a height, m: for mixed stands after Popescu and Wynne 2004 ("Seeing the trees in the forest",
 * doi:10.14358/PERS.70.5.589); coefficients from memory.
 */
export const usualCrown = (height: number): number => 2.51503 + 0.00901 * height * height;

/** Means of the cells and their neighbours, the nearer the heavier; cells without a value stay so. */
export function smoothed(values: Float64Array, columns: number, rows: number): Float64Array {
  const out = new Float64Array(values.length).fill(NaN);
  for (let y = 0, c = 0; y < rows; y++)
    for (let x = 0; x < columns; x++, c++) {
      if (values[c] !== values[c]) continue;
      let [sum, weight] = [0, 0];
      for (let v = -1; v <= 1; v++)
        for (let u = -1; u <= 1; u++) {
          if (x + u < 0 || y + v < 0 || x + u >= columns || y + v >= rows) continue;
          const t = values[c + v * columns + u]!;
          if (t !== t) continue;
          const w = (u ? 1 : 2) * (v ? 1 : 2);
          sum += w * t;
          weight += w;
        }
      out[c] = sum / weight;
    }
  return out;
}

/**
 * Fills pits of a canopy: cells much lower than most of their neighbours, where a pulse found its way through the leaves, and empty ones among
 * cells that have a value, take the median around. In a copy.
 */
export function withoutPits(values: Float64Array, columns: number, rows: number, depth: number): Float64Array {
  const out = values.slice();
  const around: number[] = [];
  for (let y = 0, c = 0; y < rows; y++)
    for (let x = 0; x < columns; x++, c++) {
      around.length = 0;
      for (let v = -1; v <= 1; v++)
        for (let u = -1; u <= 1; u++) {
          if ((!u && !v) || x + u < 0 || y + v < 0 || x + u >= columns || y + v >= rows) continue;
          const t = values[c + v * columns + u]!;
          if (t === t) around.push(t);
        }
      if (around.length < 5) continue;
      around.sort((a, b) => a - b);
      const median = around[around.length >> 1]!;
      const own = values[c]!;
      if (own !== own || own < median - depth) out[c] = median;
    }
  return out;
}

/**
 * Cells that are the highest within a circle that grows with their height (Popescu and Wynne 2004): tops of trees, highest first.
 *
 * @param least height below which nothing is a tree; `diameter` of the circle for a height
 */
export function treeTops(
  canopy: Float64Array,
  { columns, rows, size }: CellNet,
  least: number,
  diameter: (height: number) => number,
): number[] {
  const tops: number[] = [];
  for (let y = 0, c = 0; y < rows; y++)
    for (let x = 0; x < columns; x++, c++) {
      const h = canopy[c]!;
      if (!(h >= least)) continue;
      const r = Math.max(1, diameter(h) / 2 / size);
      const reach = Math.floor(r);
      let top = true;
      for (let v = -reach; v <= reach && top; v++)
        for (let u = -reach; u <= reach; u++) {
          if ((!u && !v) || u * u + v * v > r * r) continue;
          if (x + u < 0 || y + v < 0 || x + u >= columns || y + v >= rows) continue;
          const j = c + v * columns + u;
          const t = canopy[j]!;
          // Of equal ones the first counts.
          if (t > h || (t === h && j < c)) {
            top = false;
            break;
          }
        }
      if (top) tops.push(c);
    }
  return tops.sort((a, b) => canopy[b]! - canopy[a]! || a - b);
}

/** Shares of the height of the top, and of the mean of the crown so far, that a cell must have to join a crown. */
const OF_TOP = 0.45;
const OF_MEAN = 0.55;

/**
 * Crowns grown from tops, ring by ring (Dalponte and Coomes 2016, "Tree-centric mapping of forest carbon density",
 * doi:10.1111/2041-210X.12575): a neighbour joins that is high enough beside top and mean, not higher than the top, and near enough.
 *
 * @param farthest greatest distance from the top, in cells
 * @returns number of the tree of each cell, -1 for none
 */
export function growCrowns(
  canopy: Float64Array,
  columns: number,
  rows: number,
  tops: readonly number[],
  least: number,
  farthest: number,
): Int32Array {
  const tree = new Int32Array(canopy.length).fill(-1);
  const sum = new Float64Array(tops.length);
  const cells = new Uint32Array(tops.length);
  let front: number[] = [];
  tops.forEach((c, k) => {
    tree[c] = k;
    sum[k] = canopy[c]!;
    cells[k] = 1;
    front.push(c);
  });
  while (front.length) {
    const next: number[] = [];
    for (const c of front) {
      const k = tree[c]!;
      const top = tops[k]!;
      const high = canopy[top]!;
      const [tx, ty] = [top % columns, (top / columns) | 0];
      const [x, y] = [c % columns, (c / columns) | 0];
      for (const [u, v] of [
        [x - 1, y],
        [x + 1, y],
        [x, y - 1],
        [x, y + 1],
      ] as const) {
        if (u < 0 || v < 0 || u >= columns || v >= rows) continue;
        const j = v * columns + u;
        const h = canopy[j]!;
        if (tree[j] !== -1 || !(h >= least) || h > high * 1.05) continue;
        if (h < OF_TOP * high || h < (OF_MEAN * sum[k]!) / cells[k]!) continue;
        if ((u - tx) ** 2 + (v - ty) ** 2 > farthest * farthest) continue;
        tree[j] = k;
        sum[k]! += h;
        cells[k]!++;
        next.push(j);
      }
    }
    front = next;
  }
  return tree;
}
