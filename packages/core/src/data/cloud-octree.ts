import type { Cloud, Triple } from './cloud';

/** Cells that a net of the coarsest level has along a side, as a power of two. */
const NET_BITS = 7;
/** Points that one piece has at most, and that it has at least where its neighbours have some. */
const MOST = 65_536;
const FEW = 8_192;

/** A run of points of one level that lie near each other. */
export interface CloudChunk {
  /** 0 is the coarsest: its points alone show the whole from far away. Levels add up, no point is in two. */
  level: number;
  count: number;
  /** Lowest and highest X, Y, Z, as stored. */
  box: [number, number, number, number, number, number];
}

export interface CloudLevels {
  /** Points in the order of the chunks, by number; within a chunk ascending. */
  order: Uint32Array;
  chunks: CloudChunk[];
  /** Distance of neighbouring points of the coarsest level, in units of the coordinates; half of it a level on. */
  spacing: number;
}

/**
 * Sorts the points of a cloud into levels: an octree whose levels hold points of the cloud itself. A point belongs to the coarsest level in
 * whose net it is the first in its cell, in the order of the curve of Morton (1966, "A computer oriented geodetic data base and a new
 * technique in file sequencing", IBM), as it is where the point before it on the curve lies in another cell. O(points).
 */
export function cloudLevels(c: Pick<Cloud, 'x' | 'y' | 'z' | 'scale'>): CloudLevels {
  const n = c.x.length;
  if (n === 0) return { order: new Uint32Array(0), chunks: [], spacing: 0 };
  const axes = [c.x, c.y, c.z] as const;
  const low = axes.map(minOf) as unknown as Triple;
  const side = Math.max(...axes.map((v, k) => (maxOf(v) - low[k]!) * c.scale[k]!)) || 1;
  // Points lie on surfaces, about: each level has four times as many as the one before it.
  const deepest = Math.min(7, Math.max(0, Math.ceil(Math.log(n / 16_384) / Math.log(4))));
  const bits = deepest + NET_BITS;
  const { keyHigh, keyLow, order } = mortonOrder(c, low, side, bits);
  const depth = new Uint8Array(n);
  const perLevel = new Uint32Array(deepest + 2);
  for (let i = 0; i < n; i++) {
    const shared = i === 0 ? 0 : sharedLevels(keyHigh, keyLow, i, bits);
    // First in its cell from the net one finer than what it shares with the one before it.
    const d = i === 0 ? 0 : Math.min(deepest, Math.max(0, shared + 1 - NET_BITS));
    depth[i] = d;
    perLevel[d + 1]!++;
  }
  for (let d = 0; d <= deepest; d++) perLevel[d + 1]! += perLevel[d]!;
  const sorted = new Uint32Array(n);
  const chunks: CloudChunk[] = [];
  const at = perLevel.slice();
  // Where a chunk has to end: between two points whose cells of that level, or of one two levels coarser, differ.
  const cellOf = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const d = depth[i]!;
    const k = at[d]!++;
    sorted[k] = order[i]!;
    cellOf[k] = prefix(keyHigh[i]!, keyLow[i]!, bits, d);
  }
  for (let d = 0; d <= deepest; d++) {
    const end = perLevel[d + 1]!;
    for (let from = perLevel[d]!; from < end;) {
      let to = from + 1;
      for (; to < end && to - from < MOST; to++) {
        if (cellOf[to] === cellOf[to - 1]) continue;
        const wide = Math.floor(cellOf[to]! / 64) !== Math.floor(cellOf[to - 1]! / 64);
        if (to - from >= FEW || (wide && to - from >= FEW / 8)) break;
      }
      const part = sorted.subarray(from, to).sort();
      chunks.push({ level: d, count: to - from, box: boxOf(c, part) });
      from = to;
    }
  }
  return { order: sorted, chunks, spacing: side / 2 ** NET_BITS };
}

function minOf(v: Int32Array): number {
  let m = v[0]!;
  for (let i = 1; i < v.length; i++) if (v[i]! < m) m = v[i]!;
  return m;
}
function maxOf(v: Int32Array): number {
  let m = v[0]!;
  for (let i = 1; i < v.length; i++) if (v[i]! > m) m = v[i]!;
  return m;
}

function boxOf({ x, y, z }: Pick<Cloud, 'x' | 'y' | 'z'>, rows: Uint32Array): CloudChunk['box'] {
  let [x0, y0, z0, x1, y1, z1] = [2147483647, 2147483647, 2147483647, -2147483648, -2147483648, -2147483648];
  for (let k = 0; k < rows.length; k++) {
    const i = rows[k]!;
    if (x[i]! < x0) x0 = x[i]!;
    if (x[i]! > x1) x1 = x[i]!;
    if (y[i]! < y0) y0 = y[i]!;
    if (y[i]! > y1) y1 = y[i]!;
    if (z[i]! < z0) z0 = z[i]!;
    if (z[i]! > z1) z1 = z[i]!;
  }
  return [x0, y0, z0, x1, y1, z1];
}

/** Every third bit of 10, the others 0. */
function spread(v: number): number {
  let t = v & 0x3ff;
  t = (t | (t << 16)) & 0x030000ff;
  t = (t | (t << 8)) & 0x0300f00f;
  t = (t | (t << 4)) & 0x030c30c3;
  return (t | (t << 2)) & 0x09249249;
}

/** How many levels, from the coarsest, the cells of a point and the one before it share. */
function sharedLevels(high: Uint32Array, low: Uint32Array, i: number, bits: number): number {
  const coarse = Math.max(0, bits - 10);
  const h = (high[i]! ^ high[i - 1]!) >>> 0;
  // The high word holds the first levels, three bits each, the low one the last ten.
  if (h) return coarse - 1 - Math.floor((31 - Math.clz32(h)) / 3);
  const l = (low[i]! ^ low[i - 1]!) >>> 0;
  const fine = bits - coarse;
  return l ? bits - 1 - Math.floor((31 - Math.clz32(l)) / 3) : coarse + fine;
}

/** Number of the cell of a level that a key lies in. */
function prefix(high: number, low: number, bits: number, level: number): number {
  const coarse = Math.max(0, bits - 10);
  if (level <= coarse) return high >>> (3 * (coarse - level));
  return high * 2 ** (3 * (level - coarse)) + (low >>> (3 * (bits - level)));
}

/** The points along the curve of Morton, with their keys: radix sort by eleven bits at a time. O(points). */
function mortonOrder(
  { x, y, z, scale }: Pick<Cloud, 'x' | 'y' | 'z' | 'scale'>,
  low: Triple,
  side: number,
  bits: number,
): { keyHigh: Uint32Array; keyLow: Uint32Array; order: Uint32Array } {
  const n = x.length;
  const cells = 2 ** bits;
  const k = scale.map((s) => (s * cells) / side) as Triple;
  const fine = Math.min(10, bits);
  const mask = 2 ** fine - 1;
  let keyHigh = new Uint32Array(n);
  let keyLow = new Uint32Array(n);
  let order = new Uint32Array(n);
  for (let i = 0; i < n; i++) {
    const u = Math.min(cells - 1, Math.floor((x[i]! - low[0]) * k[0]));
    const v = Math.min(cells - 1, Math.floor((y[i]! - low[1]) * k[1]));
    const w = Math.min(cells - 1, Math.floor((z[i]! - low[2]) * k[2]));
    keyLow[i] = spread(u & mask) | (spread(v & mask) << 1) | (spread(w & mask) << 2);
    keyHigh[i] = spread(u >>> fine) | (spread(v >>> fine) << 1) | (spread(w >>> fine) << 2);
    order[i] = i;
  }
  const digits: [word: 0 | 1, shift: number][] = [];
  for (let s = 0; s < 3 * fine; s += 11) digits.push([0, s]);
  for (let s = 0; s < 3 * (bits - fine); s += 11) digits.push([1, s]);
  let [high2, low2, order2] = [new Uint32Array(n), new Uint32Array(n), new Uint32Array(n)];
  const start = new Uint32Array(2049);
  for (const [word, shift] of digits) {
    const key = word ? keyHigh : keyLow;
    start.fill(0);
    for (let i = 0; i < n; i++) start[((key[i]! >>> shift) & 2047) + 1]!++;
    for (let d = 0; d < 2048; d++) start[d + 1]! += start[d]!;
    for (let i = 0; i < n; i++) {
      const to = start[(key[i]! >>> shift) & 2047]!++;
      high2[to] = keyHigh[i]!;
      low2[to] = keyLow[i]!;
      order2[to] = order[i]!;
    }
    [keyHigh, high2] = [high2, keyHigh];
    [keyLow, low2] = [low2, keyLow];
    [order, order2] = [order2, order];
  }
  return { keyHigh, keyLow, order };
}
