/** A net of square cells over an area, in metres; rows go from south to north. */
export interface CellNet {
  x0: number;
  y0: number;
  size: number;
  columns: number;
  rows: number;
}

/** The net of whole multiples of the cell size that holds all points. */
export function cellNet(x: Float64Array, y: Float64Array, size: number): CellNet {
  let [w, s, e, t] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < x.length; i++) {
    if (x[i]! < w) w = x[i]!;
    if (x[i]! > e) e = x[i]!;
    if (y[i]! < s) s = y[i]!;
    if (y[i]! > t) t = y[i]!;
  }
  if (!x.length) [w, s, e, t] = [0, 0, 0, 0];
  const x0 = Math.floor(w / size) * size;
  const y0 = Math.floor(s / size) * size;
  return {
    x0,
    y0,
    size,
    columns: Math.floor((e - x0) / size) + 1,
    rows: Math.floor((t - y0) / size) + 1,
  };
}

export const cellAt = (net: CellNet, x: number, y: number): number =>
  Math.floor((y - net.y0) / net.size) * net.columns + Math.floor((x - net.x0) / net.size);

/**
 * The lowest of some points in each cell.
 *
 * @param skip 1 for points that are passed over
 * @returns number of the point, -1 where there is none
 */
export function lowestIn(
  net: CellNet,
  x: Float64Array,
  y: Float64Array,
  z: Float64Array,
  skip: Uint8Array | null,
): Int32Array {
  const out = new Int32Array(net.columns * net.rows).fill(-1);
  for (let i = 0; i < x.length; i++) {
    if (skip?.[i]) continue;
    const c = cellAt(net, x[i]!, y[i]!);
    const j = out[c]!;
    if (j < 0 || z[i]! < z[j]!) out[c] = i;
  }
  return out;
}

/**
 * Fills cells without a value from those around them, nearest first: each takes the mean of its neighbours that have one, ring after ring.
 * In place. O(cells).
 */
export function fillFromAround(values: Float64Array, columns: number, rows: number): void {
  let front: number[] = [];
  const queued = new Uint8Array(values.length);
  const around = (c: number, each: (j: number) => void): void => {
    const x = c % columns;
    const y = (c / columns) | 0;
    for (let v = Math.max(0, y - 1); v <= Math.min(rows - 1, y + 1); v++)
      for (let u = Math.max(0, x - 1); u <= Math.min(columns - 1, x + 1); u++) {
        const j = v * columns + u;
        if (j !== c) each(j);
      }
  };
  for (let c = 0; c < values.length; c++) {
    if (values[c] === values[c]) continue;
    let rim = false;
    around(c, (j) => (rim ||= values[j] === values[j]));
    if (rim) {
      front.push(c);
      queued[c] = 1;
    }
  }
  while (front.length) {
    const found = front.map((c) => {
      let [sum, n] = [0, 0];
      around(c, (j) => {
        if (values[j] === values[j]) {
          sum += values[j]!;
          n++;
        }
      });
      return sum / n;
    });
    const next: number[] = [];
    front.forEach((c, k) => (values[c] = found[k]!));
    for (const c of front)
      around(c, (j) => {
        if (values[j] !== values[j] && !queued[j]) {
          queued[j] = 1;
          next.push(j);
        }
      });
    front = next;
  }
}

/** A value between the middles of cells, bilinear; at the rim that of the nearest ones. */
export function between(net: CellNet, values: Float64Array, x: number, y: number): number {
  const { columns, rows, size } = net;
  const u = Math.min(columns - 1, Math.max(0, (x - net.x0) / size - 0.5));
  const v = Math.min(rows - 1, Math.max(0, (y - net.y0) / size - 0.5));
  const i = Math.min(columns - 2 < 0 ? 0 : columns - 2, Math.floor(u));
  const j = Math.min(rows - 2 < 0 ? 0 : rows - 2, Math.floor(v));
  const i1 = Math.min(columns - 1, i + 1);
  const j1 = Math.min(rows - 1, j + 1);
  const fx = u - i;
  const fy = v - j;
  const a = values[j * columns + i]!;
  const b = values[j * columns + i1]!;
  const c = values[j1 * columns + i]!;
  const d = values[j1 * columns + i1]!;
  return (a * (1 - fx) + b * fx) * (1 - fy) + (c * (1 - fx) + d * fx) * fy;
}
