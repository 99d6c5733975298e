import Flatbush from 'flatbush';
import { growingCounts, growingFloats } from './growing';

/** Lines one after the other: those of part i are the coordinates `offsets[i]` to `offsets[i + 1]`. */
export interface Chains {
  xy: Float64Array;
  offsets: Uint32Array;
}

/** Stretches of lines between places where lines join. */
export interface StreetNet {
  /** x, y of the nodes. */
  nodes: Float64Array;
  from: Uint32Array;
  to: Uint32Array;
  /** The chain that a stretch is of. */
  chain: Uint32Array;
  xy: Float64Array;
  offsets: Uint32Array;
  /** The earlier stretch that one lies on, -1 where it lies on none. */
  twin: Int32Array;
  /** Stretches that began and ended at one node and were no longer than the tolerance, left out. */
  specks: number;
}

interface Cut {
  segment: number;
  t: number;
  x: number;
  y: number;
}

/** Places within a distance of each other are one node: the first that came. */
class Nodes {
  private readonly xy = growingFloats();
  private readonly cells = new Map<number, number[]>();
  private readonly size: number;

  constructor(
    private readonly x0: number,
    private readonly y0: number,
    private readonly tolerance: number,
    extent: number,
  ) {
    // Without a tolerance equal places still have to meet; a billionth of the extent is rounding.
    this.size = Math.max(tolerance, extent * 1e-9, 1e-12);
  }

  at(x: number, y: number): number {
    const [cx, cy] = [Math.floor((x - this.x0) / this.size), Math.floor((y - this.y0) / this.size)];
    const reach = Math.max(this.tolerance, this.size * 0.5) ** 2;
    let best = -1;
    let least = Infinity;
    for (let j = -1; j <= 1; j++)
      for (let i = -1; i <= 1; i++)
        for (const n of this.cells.get(key(cx + i, cy + j)) ?? []) {
          const d = (this.xy.at(2 * n) - x) ** 2 + (this.xy.at(2 * n + 1) - y) ** 2;
          if (d <= reach && d < least) [best, least] = [n, d];
        }
    if (best >= 0) return best;
    const n = this.xy.length / 2;
    this.xy.push2(x, y);
    const k = key(cx, cy);
    const held = this.cells.get(k);
    if (held) held.push(n);
    else this.cells.set(k, [n]);
    return n;
  }

  done(): Float64Array {
    return this.xy.done();
  }
}

const key = (x: number, y: number): number => x * 67_108_864 + y;

/**
 * Joins lines into a net: ends within a tolerance of each other are one node, and a line is cut where another ends on it (`atEnds`), and also
 * where it crosses another or has a corner in common with it (`crossings`). Stretches begin and end exactly at their nodes. Deterministic, in the
 * order of the lines. O(n log n) for lines that are short against the whole.
 *
 * @param tolerance in the units of the coordinates
 */
export function joinStreets(
  chains: Chains,
  tolerance: number,
  crossings: boolean,
  tell: (share: number) => void = () => undefined,
): StreetNet {
  const { xy, offsets } = chains;
  const n = offsets.length - 1;
  const cuts = new Map<number, Cut[]>();
  const put = (chain: number, cut: Cut): void => {
    const held = cuts.get(chain);
    if (held) held.push(cut);
    else cuts.set(chain, [cut]);
  };
  // Segments by their boxes; the chain of each.
  const first = growingCounts();
  const owner = growingCounts();
  for (let c = 0; c < n; c++)
    for (let i = offsets[c]!; i + 1 < offsets[c + 1]!; i++) {
      first.push(i);
      owner.push(c);
    }
  const [starts, owners] = [first.done(), owner.done()];
  const m = starts.length;
  const index = m ? new Flatbush(m) : null;
  for (let s = 0; s < m; s++) {
    const i = 2 * starts[s]!;
    const [ax, ay, bx, by] = [xy[i]!, xy[i + 1]!, xy[i + 2]!, xy[i + 3]!];
    index!.add(Math.min(ax, bx), Math.min(ay, by), Math.max(ax, bx), Math.max(ay, by));
  }
  index?.finish();
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < xy.length; i += 2) {
    [x0, y0] = [Math.min(x0, xy[i]!), Math.min(y0, xy[i + 1]!)];
    [x1, y1] = [Math.max(x1, xy[i]!), Math.max(y1, xy[i + 1]!)];
  }
  const extent = Math.max(x1 - x0, y1 - y0, 0);
  const reach = Math.max(tolerance, extent * 1e-9);

  const endsOn = (chain: number, at: number, own: number): void => {
    const [px, py] = [xy[2 * at]!, xy[2 * at + 1]!];
    for (const s of index!.search(px - reach, py - reach, px + reach, py + reach)) {
      // The segment that the end itself is of.
      if (starts[s] === own && owners[s] === chain) continue;
      const i = 2 * starts[s]!;
      const [ax, ay] = [xy[i]!, xy[i + 1]!];
      const [dx, dy] = [xy[i + 2]! - ax, xy[i + 3]! - ay];
      const l2 = dx * dx + dy * dy;
      const t = l2 > 0 ? Math.min(1, Math.max(0, ((px - ax) * dx + (py - ay) * dy) / l2)) : 0;
      const [x, y] = [ax + t * dx, ay + t * dy];
      if ((x - px) ** 2 + (y - py) ** 2 <= reach * reach) put(owners[s]!, { segment: starts[s]!, t, x, y });
    }
  };
  for (let c = 0; c < n; c++) {
    if ((c & 4095) === 0) tell((0.4 * c) / n);
    const [a, b] = [offsets[c]!, offsets[c + 1]! - 1];
    if (b <= a) continue;
    endsOn(c, a, a);
    endsOn(c, b, b - 1);
  }
  if (crossings)
    for (let s = 0; s < m; s++) {
      if ((s & 4095) === 0) tell(0.4 + (0.3 * s) / m);
      const i = 2 * starts[s]!;
      const [ax, ay, bx, by] = [xy[i]!, xy[i + 1]!, xy[i + 2]!, xy[i + 3]!];
      for (const o of index!.search(Math.min(ax, bx), Math.min(ay, by), Math.max(ax, bx), Math.max(ay, by))) {
        if (o <= s || (owners[o] === owners[s] && starts[o] === starts[s]! + 1)) continue;
        const j = 2 * starts[o]!;
        const at = crossing(ax, ay, bx, by, xy[j]!, xy[j + 1]!, xy[j + 2]!, xy[j + 3]!);
        if (!at) continue;
        put(owners[s]!, { segment: starts[s]!, t: at.t, x: at.x, y: at.y });
        put(owners[o]!, { segment: starts[o]!, t: at.u, x: at.x, y: at.y });
      }
    }

  const nodes = new Nodes(x0, y0, tolerance, extent);
  // Ends first: they say where nodes are, cuts come to them.
  const ends = new Uint32Array(2 * n);
  for (let c = 0; c < n; c++) {
    const [a, b] = [offsets[c]!, offsets[c + 1]! - 1];
    if (b <= a) continue;
    ends[2 * c] = nodes.at(xy[2 * a]!, xy[2 * a + 1]!);
    ends[2 * c + 1] = nodes.at(xy[2 * b]!, xy[2 * b + 1]!);
  }
  const out = {
    xy: growingFloats(),
    offsets: growingCounts(),
    from: growingCounts(),
    to: growingCounts(),
    chain: growingCounts(),
  };
  out.offsets.push(0);
  for (let c = 0; c < n; c++) {
    if ((c & 4095) === 0) tell(0.7 + (0.2 * c) / n);
    const [a, b] = [offsets[c]!, offsets[c + 1]! - 1];
    if (b <= a) continue;
    const own = (cuts.get(c) ?? []).sort((p, q) => p.segment - q.segment || p.t - q.t);
    let node = ends[2 * c]!;
    let next = a + 1;
    out.xy.push2(xy[2 * a]!, xy[2 * a + 1]!);
    const end = (to: number, x: number, y: number): void => {
      out.xy.push2(x, y);
      out.offsets.push(out.xy.length / 2);
      out.from.push(node);
      out.to.push(to);
      out.chain.push(c);
      node = to;
    };
    for (const cut of own) {
      const to = nodes.at(cut.x, cut.y);
      // A cut where one stands already, or where the line ends in any case.
      if (to === node && along(xy, next, cut, out.xy) <= 2 * reach) continue;
      if (to === ends[2 * c + 1] && restOf(xy, cut, b) <= 2 * reach) continue;
      for (; next <= cut.segment; next++) out.xy.push2(xy[2 * next]!, xy[2 * next + 1]!);
      end(to, cut.x, cut.y);
      out.xy.push2(cut.x, cut.y);
    }
    for (; next < b; next++) out.xy.push2(xy[2 * next]!, xy[2 * next + 1]!);
    end(ends[2 * c + 1]!, xy[2 * b]!, xy[2 * b + 1]!);
  }
  tell(0.9);
  return tidied(
    nodes.done(),
    { xy: out.xy.done(), offsets: out.offsets.done() },
    out.from.done(),
    out.to.done(),
    out.chain.done(),
    reach,
  );
}

/** How far it is from the last corner that was written to a cut. */
function along(xy: Float64Array, next: number, cut: Cut, written: { length: number; at(i: number): number }): number {
  let [x, y] = [written.at(written.length - 2), written.at(written.length - 1)];
  let d = 0;
  for (let i = next; i <= cut.segment; i++) {
    d += Math.hypot(xy[2 * i]! - x, xy[2 * i + 1]! - y);
    [x, y] = [xy[2 * i]!, xy[2 * i + 1]!];
  }
  return d + Math.hypot(cut.x - x, cut.y - y);
}

/** How far it is from a cut to the end of its line. */
function restOf(xy: Float64Array, cut: Cut, last: number): number {
  let [x, y] = [cut.x, cut.y];
  let d = 0;
  for (let i = cut.segment + 1; i <= last; i++) {
    d += Math.hypot(xy[2 * i]! - x, xy[2 * i + 1]! - y);
    [x, y] = [xy[2 * i]!, xy[2 * i + 1]!];
  }
  return d;
}

/** Where two segments meet, with the shares of both; null where they do not, or lie along each other. */
export function crossing(
  ax: number,
  ay: number,
  bx: number,
  by: number,
  cx: number,
  cy: number,
  dx: number,
  dy: number,
): { x: number; y: number; t: number; u: number } | null {
  const [rx, ry, sx, sy] = [bx - ax, by - ay, dx - cx, dy - cy];
  const det = rx * sy - ry * sx;
  if (Math.abs(det) <= 1e-12 * Math.hypot(rx, ry) * Math.hypot(sx, sy)) return null;
  const t = ((cx - ax) * sy - (cy - ay) * sx) / det;
  const u = ((cx - ax) * ry - (cy - ay) * rx) / det;
  const slack = 1e-9;
  if (!(t >= -slack && t <= 1 + slack && u >= -slack && u <= 1 + slack)) return null;
  const at = Math.min(1, Math.max(0, t));
  return { x: ax + at * rx, y: ay + at * ry, t: at, u: Math.min(1, Math.max(0, u)) };
}

/** Ends moved onto their nodes; specks and stretches that lie on earlier ones left out. */
function tidied(
  nodes: Float64Array,
  chains: Chains,
  from: Uint32Array,
  to: Uint32Array,
  chain: Uint32Array,
  reach: number,
): StreetNet {
  const { xy, offsets } = chains;
  const lengths = new Float64Array(from.length);
  for (let p = 0; p < from.length; p++) {
    const [a, b] = [offsets[p]!, offsets[p + 1]! - 1];
    xy.set(nodes.subarray(2 * from[p]!, 2 * from[p]! + 2), 2 * a);
    xy.set(nodes.subarray(2 * to[p]!, 2 * to[p]! + 2), 2 * b);
    for (let i = a; i < b; i++) lengths[p]! += Math.hypot(xy[2 * i + 2]! - xy[2 * i]!, xy[2 * i + 3]! - xy[2 * i + 1]!);
  }
  const keep = new Uint8Array(from.length).fill(1);
  let specks = 0;
  for (let p = 0; p < from.length; p++)
    if (from[p] === to[p] && lengths[p]! <= 4 * reach) {
      keep[p] = 0;
      specks++;
    }
  const used = new Int32Array(nodes.length / 2).fill(-1);
  const rows = [...keep.keys()].filter((p) => keep[p]);
  const places = growingFloats();
  const number = (v: number): number => {
    if (used[v]! < 0) {
      used[v] = places.length / 2;
      places.push2(nodes[2 * v]!, nodes[2 * v + 1]!);
    }
    return used[v]!;
  };
  const kept = { xy: growingFloats(), offsets: growingCounts() };
  kept.offsets.push(0);
  const [f, t] = [new Uint32Array(rows.length), new Uint32Array(rows.length)];
  rows.forEach((p, k) => {
    f[k] = number(from[p]!);
    t[k] = number(to[p]!);
    for (let i = offsets[p]!; i < offsets[p + 1]!; i++) kept.xy.push2(xy[2 * i]!, xy[2 * i + 1]!);
    kept.offsets.push(kept.xy.length / 2);
  });
  return {
    nodes: places.done(),
    from: f,
    to: t,
    chain: Uint32Array.from(rows, (p) => chain[p]!),
    xy: kept.xy.done(),
    offsets: kept.offsets.done(),
    twin: twins(xy, offsets, from, to, lengths, rows, reach),
    specks,
  };
}

/** Stretches between the same nodes, equally long and with the same middle, but for the tolerance. */
function twins(
  xy: Float64Array,
  offsets: Uint32Array,
  from: Uint32Array,
  to: Uint32Array,
  lengths: Float64Array,
  rows: readonly number[],
  reach: number,
): Int32Array {
  const by = new Map<number, number[]>();
  const twin = new Int32Array(rows.length).fill(-1);
  rows.forEach((p, k) => {
    const pair = key(Math.min(from[p]!, to[p]!), Math.max(from[p]!, to[p]!));
    const others = by.get(pair);
    if (!others) {
      by.set(pair, [k]);
      return;
    }
    const [x, y] = middle(xy, offsets, p, lengths[p]!);
    const same = others.find((o) => {
      if (Math.abs(lengths[rows[o]!]! - lengths[p]!) > 4 * reach) return false;
      const [ox, oy] = middle(xy, offsets, rows[o]!, lengths[rows[o]!]!);
      return Math.hypot(ox - x, oy - y) <= 4 * reach;
    });
    if (same === undefined) others.push(k);
    else twin[k] = same;
  });
  return twin;
}

function middle(xy: Float64Array, offsets: Uint32Array, p: number, length: number): [number, number] {
  let left = length / 2;
  for (let i = offsets[p]!; i + 1 < offsets[p + 1]!; i++) {
    const [dx, dy] = [xy[2 * i + 2]! - xy[2 * i]!, xy[2 * i + 3]! - xy[2 * i + 1]!];
    const l = Math.hypot(dx, dy);
    if (left <= l && l > 0) return [xy[2 * i]! + (dx * left) / l, xy[2 * i + 1]! + (dy * left) / l];
    left -= l;
  }
  const last = offsets[p + 1]! - 1;
  return [xy[2 * last]!, xy[2 * last + 1]!];
}
