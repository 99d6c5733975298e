import { room } from '../data/room';

/**
 * Points in the cells of a regular net over x and y, in shared memory, so that several threads can ask it. O(n) to make. Unlike `NearPoints`
 * it is plain data, and distances are in space.
 */
export interface PointNet {
  x0: number;
  y0: number;
  size: number;
  columns: number;
  rows: number;
  /** Where the points of a cell begin in `order`; one more than there are cells. */
  start: Uint32Array;
  order: Uint32Array;
}

/** Cells of a net at most. */
const MOST_CELLS = 2 ** 27;

/** @param size side of a cell; larger where there would be too many */
export function pointNet(x: Float64Array, y: Float64Array, size: number): PointNet {
  const n = x.length;
  let [w, s, e, t] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < n; i++) {
    if (x[i]! < w) w = x[i]!;
    if (x[i]! > e) e = x[i]!;
    if (y[i]! < s) s = y[i]!;
    if (y[i]! > t) t = y[i]!;
  }
  if (n === 0) [w, s, e, t] = [0, 0, 0, 0];
  let side = size > 0 ? size : 1;
  const count = (): number => (Math.floor((e - w) / side) + 1) * (Math.floor((t - s) / side) + 1);
  while (count() > Math.min(MOST_CELLS, 4 * n + 1024)) side *= 2;
  const columns = Math.floor((e - w) / side) + 1;
  const rows = Math.floor((t - s) / side) + 1;
  const start = room(Uint32Array, columns * rows + 1);
  const cellOf = (i: number): number => Math.floor((y[i]! - s) / side) * columns + Math.floor((x[i]! - w) / side);
  for (let i = 0; i < n; i++) start[cellOf(i) + 1]!++;
  for (let c = 0; c < columns * rows; c++) start[c + 1]! += start[c]!;
  const at = start.slice(0, columns * rows);
  const order = room(Uint32Array, n);
  for (let i = 0; i < n; i++) order[at[cellOf(i)]!++] = i;
  return { x0: w, y0: s, size: side, columns, rows, start, order };
}

/**
 * The `most` points nearest to a point in space, itself left out, within a distance, nearest first.
 *
 * @param index filled with the points, `square` with their squared distances
 * @returns how many there are
 */
export function nearestInSpace(
  net: PointNet,
  x: Float64Array,
  y: Float64Array,
  z: Float64Array,
  i: number,
  most: number,
  within: number,
  index: Uint32Array,
  square: Float64Array,
): number {
  const { columns, rows, size, start, order } = net;
  const px = x[i]!;
  const py = y[i]!;
  const pz = z[i]!;
  const c0 = Math.floor((px - net.x0) / size);
  const r0 = Math.floor((py - net.y0) / size);
  const limit = within * within;
  let n = 0;
  const last = Math.ceil(within / size);
  for (let ring = 0; ring <= last; ring++) {
    const reach = ring - 1 < 0 ? 0 : (ring - 1) * size;
    // What lies beyond the ring before is at least that far from anywhere in the middle cell.
    if (ring > 1 && n === most && square[n - 1]! <= reach * reach) break;
    const low = r0 - ring;
    const high = r0 + ring;
    for (let r = low < 0 ? 0 : low; r <= high && r < rows; r++) {
      const edge = r === low || r === high;
      const step = edge || ring === 0 ? 1 : 2 * ring;
      for (let c = c0 - ring; c <= c0 + ring; c += step) {
        if (c < 0 || c >= columns) continue;
        const b = r * columns + c;
        const end = start[b + 1]!;
        for (let k = start[b]!; k < end; k++) {
          const j = order[k]!;
          if (j === i) continue;
          const dx = x[j]! - px;
          const dy = y[j]! - py;
          const dz = z[j]! - pz;
          const d = dx * dx + dy * dy + dz * dz;
          if (d > limit || (n === most && d >= square[n - 1]!)) continue;
          let at = n < most ? n++ : n - 1;
          for (; at > 0 && square[at - 1]! > d; at--) {
            square[at] = square[at - 1]!;
            index[at] = index[at - 1]!;
          }
          square[at] = d;
          index[at] = j;
        }
      }
    }
  }
  return n;
}
