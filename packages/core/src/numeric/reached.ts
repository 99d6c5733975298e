/** A stretch of an edge that is reached within a limit, by shares of its length. */
export interface Stretch {
  edge: number;
  a: number;
  b: number;
  /** When its first place is reached, and its last, seconds. */
  first: number;
  last: number;
}

/** Edges between nodes, and what it costs to go along all of each: entering at its beginning, and at its end. */
export interface Crossed {
  from: Uint32Array;
  to: Uint32Array;
  up: Float64Array;
  down: Float64Array;
}

/** A place on an edge from which one starts, at a cost. */
export interface Start {
  edge: number;
  share: number;
  cost: number;
}

/**
 * The parts of an edge that are reached within a limit: from its ends, whose costs are known, and from starts that lie on it. Where two fronts meet
 * they are one stretch.
 *
 * @param cost of the nodes, Infinity where not reached
 */
export function reachedOf(
  e: Crossed,
  edge: number,
  cost: Float64Array,
  starts: readonly Start[],
  limit: number,
): Stretch[] {
  const [u, v] = [cost[e.from[edge]!]!, cost[e.to[edge]!]!];
  const [up, down] = [e.up[edge]!, e.down[edge]!];
  /** Fronts: where they begin, which way they go, and when they set out. */
  const fronts: { at: number; way: 1 | -1; cost: number; rate: number }[] = [];
  const add = (at: number, way: 1 | -1, c: number, rate: number): void => {
    if (c <= limit && rate < Infinity) fronts.push({ at, way, cost: c, rate });
  };
  add(0, 1, u, up);
  add(1, -1, v, down);
  for (const s of starts) {
    add(s.share, 1, s.cost, up);
    add(s.share, -1, s.cost, down);
  }
  if (!fronts.length) return [];
  const parts = fronts
    .map(({ at, way, cost: c, rate }): [number, number] => {
      const room = way === 1 ? 1 - at : at;
      const far = rate > 0 ? Math.min(room, (limit - c) / rate) : room;
      return way === 1 ? [at, at + far] : [at - far, at];
    })
    .sort((p, q) => p[0] - q[0]);
  const merged: [number, number][] = [];
  for (const [a, b] of parts) {
    const last = merged.at(-1);
    if (last && a <= last[1] + 1e-12) last[1] = Math.max(last[1], b);
    else merged.push([a, b]);
  }
  const time = (s: number): number => {
    let least = Infinity;
    for (const f of fronts) {
      const way = (s - f.at) * f.way;
      if (way >= -1e-12) least = Math.min(least, f.cost + Math.max(0, way) * f.rate);
    }
    return least;
  };
  // Times are greatest where a stretch ends or where two fronts meet, least where one begins.
  const meetings: number[] = [];
  for (const f of fronts)
    for (const g of fronts)
      if (f.way === 1 && g.way === -1 && g.at >= f.at && f.rate + g.rate > 0)
        meetings.push((g.cost - f.cost + g.rate * g.at + f.rate * f.at) / (f.rate + g.rate));
  return merged
    .filter(([a, b]) => b > a)
    .map(([a, b]) => {
      const inside = (s: number): boolean => s > a && s < b;
      const at = [a, b, ...meetings.filter(inside), ...fronts.map((f) => f.at).filter(inside)].map(time);
      return { edge, a, b, first: Math.min(...at), last: Math.min(limit, Math.max(...at)) };
    });
}

/** The corners of a part of a line, by shares of its length. */
export function partOfLine(xy: Float64Array, first: number, last: number, a: number, b: number): [number, number][] {
  let all = 0;
  for (let i = first; i < last; i++) all += segment(xy, i);
  const [from, to] = [a * all, b * all];
  const out: [number, number][] = [];
  let at = 0;
  const place = (i: number, d: number, l: number): [number, number] => {
    const t = l > 0 ? d / l : 0;
    return [xy[2 * i]! + t * (xy[2 * i + 2]! - xy[2 * i]!), xy[2 * i + 1]! + t * (xy[2 * i + 3]! - xy[2 * i + 1]!)];
  };
  for (let i = first; i < last; i++) {
    const l = segment(xy, i);
    if (!out.length && (from < at + l || i === last - 1))
      out.push(a <= 0 ? [xy[2 * first]!, xy[2 * first + 1]!] : place(i, from - at, l));
    if (out.length) {
      if (to <= at + l || i === last - 1) {
        out.push(b >= 1 ? [xy[2 * last]!, xy[2 * last + 1]!] : place(i, to - at, l));
        break;
      }
      out.push([xy[2 * i + 2]!, xy[2 * i + 3]!]);
    }
    at += l;
  }
  return out;
}

const segment = (xy: Float64Array, i: number): number =>
  Math.hypot(xy[2 * i + 2]! - xy[2 * i]!, xy[2 * i + 3]! - xy[2 * i + 1]!);
