import { featureBoxes, featureCount, type Features } from '../data/features';
import { BoxIndex } from './boxes';

/** How two polygons meet: not at all, in points, or along a border. */
export const APART = 0;
export const CORNER = 1;
export const BORDER = 2;

/** Corners and where they belong: what the kernel of near pairs needs. */
export type Outlines = Pick<Features, 'xy' | 'ringOffsets' | 'partOffsets' | 'featureOffsets'>;

/** A border is told from a corner where two outlines run within the tolerance of each other for more than so many tolerances. */
export const BORDER_LEAST = 10;

/** Pairs i < j of polygons: exact ones with how they meet, and those whose boxes come near and that have to be looked at. */
export interface Meetings {
  /** i, j one after the other. */
  found: Uint32Array;
  how: Uint8Array;
  /** Pairs to look at, i, j; those that share a corner exactly, but no edge, are among both. */
  open: Uint32Array;
}

/**
 * Polygons that share corners or edges to the last bit, found by hashing; and pairs beyond that whose boxes come within a reach of each
 * other. O(corners + pairs of boxes).
 *
 * @param reach in the unit of the coordinates
 */
export function exactMeetings(f: Features, reach: number): Meetings {
  const n = featureCount(f);
  const how = new Map<number, number>();
  const meet = (i: number, j: number, v: number): void => {
    if (i === j) return;
    const key = i < j ? i * n + j : j * n + i;
    if ((how.get(key) ?? 0) < v) how.set(key, v);
  };
  const corners = cornerNumbers(f.xy);
  const owner = cornerOwners(f);
  sharing(corners, owner, (a, b) => meet(a, b, CORNER));
  const { key, of } = edges(f, corners, owner);
  sharing(key, of, (a, b) => meet(a, b, BORDER));

  const open: number[] = [];
  const index = new BoxIndex(f);
  const boxes = featureBoxes(f);
  for (let i = 0; i < n; i++)
    for (const j of index.near(
      boxes[4 * i]! - reach,
      boxes[4 * i + 1]! - reach,
      boxes[4 * i + 2]! + reach,
      boxes[4 * i + 3]! + reach,
    ))
      if (j > i && how.get(i * n + j) !== BORDER) open.push(i, j);
  const keys = [...how.keys()].sort((a, b) => a - b);
  const found = new Uint32Array(2 * keys.length);
  keys.forEach((k, at) => {
    found[2 * at] = Math.floor(k / n);
    found[2 * at + 1] = k % n;
  });
  return { found, how: Uint8Array.from(keys, (k) => how.get(k)!), open: Uint32Array.from(open) };
}

/** A number for each corner, the same for those at the same place: by hashing their bits. */
function cornerNumbers(xy: Float64Array): Float64Array {
  const n = xy.length / 2;
  const bits = new Uint32Array(xy.buffer, xy.byteOffset, xy.length * 2);
  let size = 16;
  while (size < 2 * n) size *= 2;
  const table = new Int32Array(size).fill(-1);
  const out = new Float64Array(n);
  for (let c = 0; c < n; c++) {
    let h = bits[4 * c]!;
    for (let k = 1; k < 4; k++) h = Math.imul(h ^ bits[4 * c + k]!, 0x85ebca6b) ^ (h >>> 15);
    h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
    let slot = (h ^ (h >>> 16)) & (size - 1);
    while (table[slot] !== -1 && !(xy[2 * table[slot]!] === xy[2 * c] && xy[2 * table[slot]! + 1] === xy[2 * c + 1]))
      slot = (slot + 1) & (size - 1);
    if (table[slot] === -1) table[slot] = c;
    out[c] = table[slot]!;
  }
  return out;
}

function cornerOwners(f: Outlines): Uint32Array {
  const out = new Uint32Array(f.xy.length / 2);
  for (let i = 0; i + 1 < f.featureOffsets.length; i++) {
    const [from, to] = cornersOf(f, i);
    out.fill(i, from, to);
  }
  return out;
}

const cornersOf = (f: Outlines, i: number): [number, number] => [
  f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!,
  f.ringOffsets[f.partOffsets[f.featureOffsets[i + 1]!]!]!,
];

/** Edges by the numbers of their ends, in either direction alike. */
function edges(f: Outlines, corners: Float64Array, owner: Uint32Array): { key: Float64Array; of: Uint32Array } {
  const n = corners.length;
  const key = new Float64Array(n);
  const of = new Uint32Array(n);
  let count = 0;
  for (let r = 0; r + 1 < f.ringOffsets.length; r++)
    for (let c = f.ringOffsets[r]!; c + 1 < f.ringOffsets[r + 1]!; c++) {
      const [a, b] = [corners[c]!, corners[c + 1]!];
      if (a === b) continue;
      key[count] = a < b ? a * n + b : b * n + a;
      of[count++] = owner[c]!;
    }
  return { key: key.subarray(0, count), of: of.subarray(0, count) };
}

/** Calls for every two owners of the same key. */
function sharing(key: Float64Array, owner: Uint32Array, each: (a: number, b: number) => void): void {
  const n = key.length;
  let size = 16;
  while (size < 2 * n) size *= 2;
  const head = new Int32Array(size).fill(-1);
  const next = new Int32Array(n).fill(-1);
  for (let c = 0; c < n; c++) {
    const k = key[c]!;
    const h = Math.imul((k % 4294967296) >>> 0, 0x9e3779b1) ^ Math.imul(Math.floor(k / 4294967296), 0x85ebca6b);
    let slot = (h ^ (h >>> 15)) & (size - 1);
    while (head[slot] !== -1 && key[head[slot]!] !== k) slot = (slot + 1) & (size - 1);
    for (let o = head[slot]!; o !== -1; o = next[o]!) if (owner[o] !== owner[c]) each(owner[o]!, owner[c]!);
    next[c] = head[slot]!;
    head[slot] = c;
  }
}

/** How a pair meets within a tolerance. */
export interface Near {
  how: number;
  /** It meets so only because of the tolerance: corners are not shared, there is a gap or an overlap. */
  loose: boolean;
  /** They do not meet, but come within `wide` of each other. */
  nearly: boolean;
}

/**
 * How two polygons meet when their borders do not share every corner: a corner of one on an edge of the other, a gap or an overlap of no
 * more than the tolerance. A border is shared where one outline runs within the tolerance of the other for more than `BORDER_LEAST`
 * tolerances. O(edges where their boxes meet, squared; sorted by x where there are many).
 *
 * @param reach the tolerance, in the unit of the coordinates
 * @param wide how far off is still worth a word
 */
export function meeting(f: Outlines, i: number, j: number, reach: number, wide: number): Near {
  const [a, b] = nearEdges(f, i, j, wide);
  const how = contact(a, b, reach);
  if (how === APART) return { how, loose: false, nearly: contact(a, b, wide) !== APART };
  let size = 0;
  for (const v of a.length ? a : b) size = Math.max(size, Math.abs(v));
  const bits = Math.max(size, 1) * 1e-13;
  return { how, loose: bits < reach && contact(a, b, bits) < how, nearly: false };
}

/** Edges of each that lie where the boxes of both, made wider, meet: x1, y1, x2, y2 one after the other. */
function nearEdges(f: Outlines, i: number, j: number, wide: number): [number[], number[]] {
  const [p, q] = [boxOf(f, i), boxOf(f, j)];
  const w = Math.max(p[0], q[0]) - wide;
  const s = Math.max(p[1], q[1]) - wide;
  const e = Math.min(p[2], q[2]) + wide;
  const n = Math.min(p[3], q[3]) + wide;
  const of = (k: number): number[] => {
    const out: number[] = [];
    for (let r = f.partOffsets[f.featureOffsets[k]!]!; r < f.partOffsets[f.featureOffsets[k + 1]!]!; r++)
      for (let c = f.ringOffsets[r]!; c + 1 < f.ringOffsets[r + 1]!; c++) {
        const [x1, y1, x2, y2] = [f.xy[2 * c]!, f.xy[2 * c + 1]!, f.xy[2 * c + 2]!, f.xy[2 * c + 3]!];
        if ((x1 < w && x2 < w) || (x1 > e && x2 > e) || (y1 < s && y2 < s) || (y1 > n && y2 > n)) continue;
        if (x1 !== x2 || y1 !== y2) out.push(x1, y1, x2, y2);
      }
    return out;
  };
  return [of(i), of(j)];
}

function boxOf(f: Outlines, i: number): [number, number, number, number] {
  let [w, s, e, n] = [Infinity, Infinity, -Infinity, -Infinity];
  const [from, to] = cornersOf(f, i);
  for (let c = from; c < to; c++) {
    const [x, y] = [f.xy[2 * c]!, f.xy[2 * c + 1]!];
    if (x < w) w = x;
    if (x > e) e = x;
    if (y < s) s = y;
    if (y > n) n = y;
  }
  return [w, s, e, n];
}

/** How edges meet within a reach. */
function contact(a: number[], b: number[], reach: number): number {
  const order = Array.from({ length: b.length / 4 }, (_, k) => k).sort(
    (k, l) => Math.min(b[4 * k]!, b[4 * k + 2]!) - Math.min(b[4 * l]!, b[4 * l + 2]!),
  );
  const lows = order.map((k) => Math.min(b[4 * k]!, b[4 * k + 2]!) - reach);
  let [touch, along] = [false, 0];
  for (let k = 0; k < a.length; k += 4) {
    const [x1, y1, x2, y2] = [a[k]!, a[k + 1]!, a[k + 2]!, a[k + 3]!];
    const [xl, xh] = [Math.min(x1, x2), Math.max(x1, x2)];
    const [yl, yh] = [Math.min(y1, y2) - reach, Math.max(y1, y2) + reach];
    const length = Math.hypot(x2 - x1, y2 - y1);
    const pieces: [number, number][] = [];
    for (let m = 0; m < order.length && lows[m]! <= xh; m++) {
      const o = 4 * order[m]!;
      const [u1, v1, u2, v2] = [b[o]!, b[o + 1]!, b[o + 2]!, b[o + 3]!];
      if (Math.max(u1, u2) + reach < xl || Math.max(v1, v2) < yl || Math.min(v1, v2) > yh) continue;
      const piece = within(x1, y1, x2, y2, u1, v1, u2, v2, reach);
      if (piece) pieces.push(piece);
    }
    if (!pieces.length) continue;
    touch = true;
    // Parts of the edge, each counted once.
    pieces.sort((p, q) => p[0] - q[0]);
    let end = 0;
    for (const [t0, t1] of pieces) {
      along += Math.max(0, t1 - Math.max(end, t0)) * length;
      end = Math.max(end, t1);
    }
    if (along > BORDER_LEAST * reach) return BORDER;
  }
  return touch ? CORNER : APART;
}

/** The part of a first edge, as shares of it, that lies within a reach of a second one; null where there is none. */
function within(
  x1: number,
  y1: number,
  x2: number,
  y2: number,
  u1: number,
  v1: number,
  u2: number,
  v2: number,
  reach: number,
): [number, number] | null {
  const length = Math.hypot(u2 - u1, v2 - v1);
  const [ux, uy] = [(u2 - u1) / length, (v2 - v1) / length];
  // Along the second edge, and off it.
  const [s0, h0] = [(x1 - u1) * ux + (y1 - v1) * uy, (y1 - v1) * ux - (x1 - u1) * uy];
  const [ds, dh] = [(x2 - x1) * ux + (y2 - y1) * uy, (y2 - y1) * ux - (x2 - x1) * uy];
  let [t0, t1] = [0, 1];
  for (const [at, step, low, high] of [
    [s0, ds, -reach, length + reach],
    [h0, dh, -reach, reach],
  ] as const) {
    if (step === 0) {
      if (at < low || at > high) return null;
      continue;
    }
    const [p, q] = [(low - at) / step, (high - at) / step];
    t0 = Math.max(t0, Math.min(p, q));
    t1 = Math.min(t1, Math.max(p, q));
    if (t0 > t1) return null;
  }
  return [t0, t1];
}
