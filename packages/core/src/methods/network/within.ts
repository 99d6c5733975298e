import { pieceCorners, pieceCount, type Network } from '../../data/network';
import { later, momentOf, type Moment } from '../../data/moment';
import type { Geos, Shape } from '../../numeric/geos';
import { FeaturesBuilder } from '../../data/features';
import type { Placed } from '../../numeric/placing';
import { partOfLine, reachedOf, type Start, type Stretch } from '../../numeric/reached';
import { ShortestPaths } from '../../numeric/shortest';
import { sourcesAt, waysOf, type Direction, type Ways } from './common';
import type { WayOfGoing } from './modes';
import { MOST_AHEAD, Transit } from './transit';

/** Segments of a quarter of a circle, as in the reference. */
const QUADRANT = 16;

/** What is reached within a limit: parts of pieces, and nodes. */
export interface Within {
  stretches: Stretch[];
  nodes: number[];
}

/** What is reached within each limit from places together. */
export type Search = (spots: readonly Placed[], limits: readonly number[]) => Within[];

/** By one mode along streets. */
function alongStreets(ways: Ways): Search {
  const paths = new ShortestPaths(ways.graph);
  return (spots, limits) => {
    paths.run(
      spots.flatMap((s) => sourcesAt(ways, s)),
      limits.at(-1)!,
    );
    const by = startsByEdge(spots.map((s): Start => ({ edge: s.line, share: s.share, cost: 0 })));
    return limits.map((limit) => withinOf(ways, paths, by, limit));
  };
}

/** Streets reached at one of the times of leaving, for a chart through them. */
export interface Through {
  /** After the departure, s. */
  after: number;
  limit: number;
  /** Metres of streets. */
  length: number;
}

/**
 * By public transport. Over a window of times of leaving a place counts as reached where at least `share` of the departures, one a minute, reach it
 * in time; with share 0 where any does.
 */
function byTimetable(
  transit: Transit,
  at: Moment,
  direction: Direction,
  window: number,
  share: number,
  tell: (t: Through) => void,
): Search {
  const steps = Array.from({ length: Math.floor(window / 60) + 1 }, (_, k) => 60 * k);
  const need = Math.max(1, Math.ceil(share * steps.length));
  return (spots, limits) => {
    const all: Within[][] = limits.map(() => []);
    for (const after of steps) {
      transit.setOut(later(at, after));
      const most = Math.min(MOST_AHEAD, limits.at(-1)!);
      // Away from places one search serves all limits; towards them each limit is a time by which one has to be there.
      const once = direction === 'from' ? transit.search(spots, 0, most) : null;
      limits.forEach((limit, k) => {
        const found = once ?? transit.search(spots, -Math.min(MOST_AHEAD, limit), 0);
        const w = withinOf(transit.ways, found, startsByEdge(found.starts), limit);
        all[k]!.push(w);
        const { length } = transit.ways.network;
        tell({ after, limit, length: w.stretches.reduce((s, x) => s + (x.b - x.a) * length[x.edge]!, 0) });
      });
    }
    return all.map((w) => (w.length === 1 ? w[0]! : often(w, need)));
  };
}

/** How one goes, and when. */
export interface Going {
  mode: WayOfGoing;
  direction: Direction;
  departure?: string | undefined;
  window: number;
  over: 'half' | 'any';
  change: number;
}

/** The search for a way of going, and the streets that it goes along. */
export function searchOf(network: Network, p: Going, tell: (t: Through) => void): { ways: Ways; search: Search } {
  if (p.mode !== 'transit') {
    const ways = waysOf(network, network.seconds[p.mode], p.direction);
    return { ways, search: alongStreets(ways) };
  }
  const transit = new Transit(network, network.timetable!, p.direction, p.change);
  const share = p.over === 'half' ? 0.5 : 0;
  return {
    ways: transit.ways,
    search: byTimetable(transit, momentOf(p.departure!), p.direction, p.window, share, tell),
  };
}

/** What is in at least so many of several. */
export function often(all: readonly Within[], need: number): Within {
  const nodes = new Map<number, number>();
  for (const w of all) for (const v of w.nodes) nodes.set(v, (nodes.get(v) ?? 0) + 1);
  const byEdge = new Map<number, Stretch[]>();
  for (const w of all)
    for (const s of w.stretches) {
      const own = byEdge.get(s.edge);
      if (own) own.push(s);
      else byEdge.set(s.edge, [s]);
    }
  const stretches: Stretch[] = [];
  for (const [edge, own] of [...byEdge].sort((a, b) => a[0] - b[0])) {
    const ends = own.flatMap((s): [number, number][] => [
      [s.a, 1],
      [s.b, -1],
    ]);
    // Where one ends and another begins they touch: beginnings come first.
    ends.sort((p, q) => p[0] - q[0] || q[1] - p[1]);
    let [depth, a] = [0, NaN];
    for (const [x, d] of ends) {
      if (depth < need && depth + d >= need) a = x;
      if (depth >= need && depth + d < need && x > a) {
        const there = own.filter((s) => s.a < x && s.b > a);
        const nth = (v: (s: Stretch) => number): number =>
          there.map(v).sort((p, q) => p - q)[Math.min(there.length, need) - 1]!;
        stretches.push({ edge, a, b: x, first: nth((s) => s.first), last: nth((s) => s.last) });
      }
      depth += d;
    }
  }
  return {
    stretches,
    nodes: [...nodes]
      .filter(([, n]) => n >= need)
      .map(([v]) => v)
      .sort((a, b) => a - b),
  };
}

function startsByEdge(starts: readonly Start[]): Map<number, Start[]> {
  const by = new Map<number, Start[]>();
  for (const s of starts) {
    const own = by.get(s.edge);
    if (own) own.push(s);
    else by.set(s.edge, [s]);
  }
  return by;
}

/** All parts of pieces that are reached within a limit, in the order of the pieces, and the nodes. */
function withinOf(
  { edges, network }: Pick<Ways, 'edges' | 'network'>,
  { cost, reached }: Pick<ShortestPaths, 'cost' | 'reached'>,
  starts: ReadonlyMap<number, readonly Start[]>,
  limit: number,
): Within {
  const stretches: Stretch[] = [];
  for (let i = 0; i < pieceCount(network); i++) {
    const own = starts.get(i);
    if (!own && !(cost[edges.from[i]!]! <= limit) && !(cost[edges.to[i]!]! <= limit)) continue;
    stretches.push(...reachedOf(edges, i, cost, own ?? [], limit));
  }
  return { stretches, nodes: Array.from(reached.filter((v) => cost[v]! <= limit)) };
}

export function stretchLine({ network }: Pick<Ways, 'network'>, s: Stretch, b: FeaturesBuilder): void {
  const [first, last] = pieceCorners(network, s.edge);
  for (const [x, y] of partOfLine(network.pieces.xy, first, last, s.a, s.b)) b.coordinate(x, y);
  b.endRing();
  b.endPart();
}

/** What lies within a width of reached streets: flat where they end, round about the nodes that are reached. 0 where nothing is. */
export function areaOf(g: Geos, ways: Ways, { stretches, nodes }: Within, width: number): Shape {
  if (!stretches.length) return 0;
  const lines = new FeaturesBuilder();
  for (const s of stretches) stretchLine(ways, s, lines);
  lines.endFeature();
  const way = g.shape(lines.build('line', null, []), 0);
  const shapes = [g.bufferFlat(way, width, QUADRANT)];
  g.free(way);
  if (nodes.length) {
    const points = new FeaturesBuilder();
    for (const v of nodes) {
      points.coordinate(ways.network.nodes[2 * v]!, ways.network.nodes[2 * v + 1]!);
      points.endRing();
      points.endPart();
    }
    points.endFeature();
    const at = g.shape(points.build('point', null, []), 0);
    shapes.push(g.buffer(at, width, QUADRANT));
    g.free(at);
  }
  return g.unionAll(shapes);
}
