import { graphOf, strongComponents, weakComponents } from '../numeric/graph';
import { Placer, type Placed } from '../numeric/placing';
import { columnInfo } from './column-facts';
import { metresPerUnit, transformer, type Crs, type Extent } from './crs';
import { dateOf } from './gtfs-spec';
import type { Timetable } from './timetable';
import { callsOf, type Calls } from './timetable-calls';
import { serviceDays } from './timetable-facts';
import { FEED_CRS, metresBetween } from './timetable-lines';
import { featuresExtent, type ColumnInfo } from './features';
import { MODES, networkLines, nodeCount, pieceCount, pieceCorners, type Mode, type Network } from './network';

/** Ends this near to a street that they do not join are told of, m (common practice, no source). */
const NEARLY = 10;
/** Places that are told of a fault. */
const TOLD = 200;

/** Places of a fault: how many there are, and the first of them. */
export interface Fault {
  count: number;
  /** x, y, and what is measured there: a gap in m. */
  places: number[][];
}

/** What there is to know of a network without its bulk. */
export interface NetworkInfo {
  kind: 'network';
  crs: Crs | null;
  extent: Extent | null;
  pieces: number;
  nodes: number;
  /** Metres. */
  length: number;
  /** Columns of the lines that it is written as. */
  columns: ColumnInfo[];
  /** Metres that may be gone along by a mode, and how many pieces one way only. */
  modes: Record<Mode, { length: number; oneWay: number }>;
  /** Parts that do not hang together, and the share of the length that is in the largest. */
  components: number;
  largestShare: number;
  deadEnds: number;
  /** Dead ends that lie near a street which they do not join. */
  nearly: Fault;
  /** Nodes of the largest part that a car cannot come to from the others, or not leave. */
  traps: Fault;
  /** What there is to know of its timetable, where it has one. */
  timetable?: TransitFacts;
}

/** A timetable as far as ways through a network depend on it. */
export interface TransitFacts {
  stops: number;
  /** Stops that lie too far from any street one may walk along. */
  apart: number;
  lines: number;
  trips: number;
  timezone: string;
  first: string | null;
  last: string | null;
  perDay: number[];
}

/** Farther than this from a street a stop is not come to on foot, m (common practice, no source). */
export const STOP_REACH = 100;

/** Everything there is to know of a network. O(n log n). */
export function networkInfo(n: Network): NetworkInfo {
  const count = pieceCount(n);
  const nodes = nodeCount(n);
  const { of, count: components } = weakComponents(nodes, n.from, n.to);
  const lengths = new Float64Array(components);
  for (let i = 0; i < count; i++) lengths[of[n.from[i]!]!]! += n.length[i]!;
  const length = n.length.reduce((s, l) => s + l, 0);
  const largest = lengths.indexOf(lengths.reduce((a, b) => Math.max(a, b), 0));
  const degree = degrees(n);
  let deadEnds = 0;
  for (const d of degree) if (d === 1) deadEnds++;
  return {
    kind: 'network',
    crs: n.pieces.crs,
    extent: featuresExtent(n.pieces),
    pieces: count,
    nodes,
    length,
    columns: networkLines(n).columns.map(columnInfo),
    modes: Object.fromEntries(MODES.map((m) => [m, modeFacts(n, m)])) as NetworkInfo['modes'],
    components,
    largestShare: length > 0 ? lengths[largest]! / length : 0,
    deadEnds,
    nearly: nearlyJoined(n, degree),
    traps: carTraps(n, of, largest),
    ...(n.timetable ? { timetable: transitFacts(n, n.timetable) } : {}),
  };
}

function transitFacts(n: Network, t: Timetable): TransitFacts {
  const c = callsOf(t);
  const days = serviceDays(c);
  return {
    stops: c.stops.length,
    apart: stopPlaces(n, c).reduce((k, p) => k + Number(p === null), 0),
    lines: c.lines.length,
    trips: c.trips.length,
    timezone: c.timezone.slice(0, 100),
    first: days ? dateOf(days.first) : null,
    last: days ? dateOf(days.last) : null,
    perDay: days?.perDay ?? [],
  };
}

/** Where stops lie on the streets one may walk along; null for those too far from any, and for those that nothing calls at. */
export function stopPlaces(n: Network, c: Calls): (Placed | null)[] {
  const { crs } = n.pieces;
  const { there, back } = n.seconds.walk;
  const open = (i: number): boolean => there[i]! < Infinity || back[i]! < Infinity;
  const go = crs ? transformer(FEED_CRS(), crs) : null;
  const placer = new Placer(n.pieces);
  const at = [0, 0];
  return c.stops.map((s) => {
    if (s.lon !== s.lon || !go) return null;
    go(s.lon, s.lat, at);
    // In degrees the nearest is looked for in a box that is wide enough everywhere, and its distance measured on the ellipsoid.
    const metres = crs!.geographic ? 1 : metresPerUnit(crs!);
    const within = crs!.geographic
      ? STOP_REACH / 111_000 / Math.max(0.05, Math.cos((s.lat * Math.PI) / 180))
      : STOP_REACH / metres;
    const found = placer.place(at[0]!, at[1]!, within, open);
    if (!found || (crs!.geographic && metresBetween(s.lon, s.lat, found.x, found.y) > STOP_REACH)) return null;
    return found;
  });
}

/** Ends of pieces at each node. */
function degrees(n: Network): Uint32Array {
  const degree = new Uint32Array(nodeCount(n));
  for (let i = 0; i < n.from.length; i++) {
    degree[n.from[i]!]!++;
    degree[n.to[i]!]!++;
  }
  return degree;
}

function modeFacts(n: Network, mode: Mode): { length: number; oneWay: number } {
  const { there, back } = n.seconds[mode];
  let [length, oneWay] = [0, 0];
  for (let i = 0; i < there.length; i++) {
    const [a, b] = [there[i]! < Infinity, back[i]! < Infinity];
    if (a || b) length += n.length[i]!;
    if (a !== b) oneWay++;
  }
  return { length, oneWay };
}

/** Dead ends with a piece near them that has no node in common with theirs. */
function nearlyJoined(n: Network, degree: Uint32Array): Fault {
  const out: Fault = { count: 0, places: [] };
  const { crs } = n.pieces;
  if (crs?.geographic) return out;
  const metres = crs ? metresPerUnit(crs) : 1;
  const placer = new Placer(n.pieces);
  for (let i = 0; i < n.from.length; i++)
    for (const node of [n.from[i]!, n.to[i]!]) {
      if (degree[node] !== 1) continue;
      const [x, y] = [n.nodes[2 * node]!, n.nodes[2 * node + 1]!];
      const [a, b] = [n.from[i]!, n.to[i]!];
      const joins = (p: number): boolean => [n.from[p]!, n.to[p]!].some((v) => v === a || v === b);
      const found = placer.place(x, y, NEARLY / metres, (p) => !joins(p));
      if (!found) continue;
      out.count++;
      if (out.places.length < TOLD) out.places.push([x, y, found.distance * metres]);
    }
  out.places.sort((p, q) => p[2]! - q[2]!);
  return out;
}

/** Nodes at ends of pieces for cars that do not belong to those which reach each other, within the largest part. */
function carTraps(n: Network, component: Uint32Array, largest: number): Fault {
  const out: Fault = { count: 0, places: [] };
  const { there, back } = n.seconds.car;
  const { of, count } = strongComponents(graphOf(nodeCount(n), n.from, n.to, there, back));
  const sizes = new Uint32Array(count);
  const seen = new Uint8Array(nodeCount(n));
  for (let i = 0; i < n.from.length; i++) {
    if (!(there[i]! < Infinity || back[i]! < Infinity) || component[n.from[i]!] !== largest) continue;
    for (const v of [n.from[i]!, n.to[i]!]) {
      if (seen[v]) continue;
      seen[v] = 1;
      sizes[of[v]!]!++;
    }
  }
  const main = sizes.indexOf(sizes.reduce((a, b) => Math.max(a, b), 0));
  for (let v = 0; v < seen.length; v++) {
    if (!seen[v] || of[v] === main) continue;
    out.count++;
    if (out.places.length < TOLD) out.places.push([n.nodes[2 * v]!, n.nodes[2 * v + 1]!]);
  }
  return out;
}

/** A clause that says why nothing can be done with a network; null when all is well. */
export function networkFlaw(n: Network): string | null {
  const count = pieceCount(n);
  if (n.pieces.geometry !== 'line') return 'its pieces are no lines';
  if (n.length.length !== count || n.to.length !== count) return 'its pieces have unlike many ends';
  for (let i = 0; i < count; i++) {
    if (n.from[i]! >= nodeCount(n) || n.to[i]! >= nodeCount(n)) return `piece ${i + 1} ends at no node`;
    const [a, b] = pieceCorners(n, i);
    if (b <= a) return `piece ${i + 1} has no two corners`;
    if (!(n.length[i]! >= 0)) return `piece ${i + 1} has no length`;
  }
  for (const m of MODES)
    for (const v of [n.seconds[m].there, n.seconds[m].back])
      for (let i = 0; i < count; i++) if (!(v[i]! >= 0)) return `piece ${i + 1} takes ${v[i]} seconds`;
  return null;
}
