import { HelkError } from '../../errors';
import { metresPerUnit, parseCrs, transformer, type Crs } from '../../data/crs';
import { featureCount, featuresIn, valueOf, type Column, type Features } from '../../data/features';
import { nodeCount, type Network, type Seconds } from '../../data/network';
import { formatNumber } from '../../data/number-words';
import { numberColumn, textColumn } from '../../data/table';
import type { Job } from '../../method/job';
import { choice } from '../../method/params';
import { graphOf, type Graph } from '../../numeric/graph';
import { Placer, type Placed } from '../../numeric/placing';
import type { Crossed } from '../../numeric/reached';
import type { ShortestPaths } from '../../numeric/shortest';

export const directionParam = (first: 'from' | 'towards') =>
  choice(
    { from: 'away from them', towards: 'towards them' },
    { label: 'Way', help: 'One-way streets make it differ.' },
  ).default(first);

/** A plane of metres about the middle of what lies in degrees, true in areas; the system itself where it is a plane already. */
export function planeOf({ crs, xy }: Pick<Features, 'crs' | 'xy'>): Crs | null {
  if (!crs?.geographic) return crs;
  let [w, s, e, t] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < xy.length; i += 2) {
    [w, e] = [Math.min(w, xy[i]!), Math.max(e, xy[i]!)];
    [s, t] = [Math.min(s, xy[i + 1]!), Math.max(t, xy[i + 1]!)];
  }
  const [lat, lon] = xy.length ? [(s + t) / 2, (w + e) / 2] : [0, 0];
  return parseCrs(`+proj=laea +lat_0=${lat} +lon_0=${lon} +x_0=0 +y_0=0 +datum=WGS84 +units=m +no_defs`);
}

/** Places of nodes in another system. */
export function nodesIn(nodes: Float64Array, from: Crs | null, to: Crs | null): Float64Array {
  if (!from || !to || from === to) return nodes;
  const go = transformer(from, to);
  const out = new Float64Array(nodes.length);
  const at = [0, 0];
  for (let i = 0; i < nodes.length; i += 2) {
    go(nodes[i]!, nodes[i + 1]!, at);
    out.set(at, i);
  }
  return out;
}

/** The network in a plane of metres or feet; one in degrees in a plane of its own. */
export function inPlane(n: Network): { network: Network; plane: Crs | null; metres: number } {
  const { crs } = n.pieces;
  const plane = planeOf(n.pieces);
  if (plane === crs) return { network: n, plane, metres: crs ? metresPerUnit(crs) : 1 };
  const [nodes, pieces] = [nodesIn(n.nodes, crs, plane), featuresIn(n.pieces, plane)];
  return { network: { ...n, nodes, pieces }, plane, metres: 1 };
}

/** Which way costs are counted: from a place to all others, or from all others to it. */
export type Direction = 'from' | 'towards';

/** A mode in a direction: its graph, and what edges cost entering at their beginning and at their end. */
export interface Ways {
  network: Network;
  graph: Graph;
  edges: Crossed;
  direction: Direction;
  seconds: Seconds;
}

export function waysOf(network: Network, seconds: Seconds, direction: Direction): Ways {
  const { from, to } = network;
  const { there, back } = seconds;
  const [up, down] = direction === 'from' ? [there, back] : [back, there];
  return {
    network,
    graph: graphOf(nodeCount(network), from, to, there, back, direction === 'towards'),
    edges: { from, to, up, down },
    direction,
    seconds,
  };
}

/** The ends of the piece on which a place lies, with what it costs to come to them (or from them to it). */
export function sourcesAt(
  { edges }: Pick<Ways, 'edges'>,
  at: Pick<Placed, 'line' | 'share'>,
): [node: number, cost: number][] {
  const i = at.line;
  const part = (share: number, rate: number): number => (share === 0 ? 0 : share * rate);
  return [
    [edges.to[i]!, part(1 - at.share, edges.up[i]!)],
    [edges.from[i]!, part(at.share, edges.down[i]!)],
  ];
}

/** What it costs to come to a place on a piece, from the costs of its ends and from another place on the same piece. */
export function costAt(
  { edges }: Pick<Ways, 'edges'>,
  cost: Float64Array,
  at: Pick<Placed, 'line' | 'share'>,
  own: Pick<Placed, 'line' | 'share'> | null = null,
): { cost: number; by: 'from' | 'to' | 'piece' } {
  const i = at.line;
  const along = (c: number, share: number, rate: number): number => (share === 0 ? c : c + share * rate);
  const ways: { cost: number; by: 'from' | 'to' | 'piece' }[] = [
    { cost: along(cost[edges.from[i]!]!, at.share, edges.up[i]!), by: 'from' },
    { cost: along(cost[edges.to[i]!]!, 1 - at.share, edges.down[i]!), by: 'to' },
  ];
  if (own?.line === i) {
    const d = at.share - own.share;
    ways.push({ cost: d >= 0 ? along(0, d, edges.up[i]!) : along(0, -d, edges.down[i]!), by: 'piece' });
  }
  return ways.reduce((a, b) => (b.cost < a.cost ? b : a));
}

type End = 'from' | 'to' | 'piece';
type Spot = Pick<Placed, 'line' | 'share'>;

/** Sums what pieces have along the way between two places that a search went: whole pieces, and the shares of the first and the last. */
function along(
  { edges, graph }: Pick<Ways, 'edges' | 'graph'>,
  paths: ShortestPaths,
  start: Spot,
  end: Spot,
  by: End,
  up: (edge: number) => number,
  down: (edge: number) => number,
): number {
  // A share of what takes for ever is nothing where nothing of it is gone along.
  const part = (share: number, v: number): number => (share === 0 ? 0 : share * v);
  if (by === 'piece')
    return end.share >= start.share
      ? part(end.share - start.share, up(end.line))
      : part(start.share - end.share, down(end.line));
  const node = by === 'from' ? edges.from[end.line]! : edges.to[end.line]!;
  const way = paths.wayTo(node);
  let sum = by === 'from' ? part(end.share, up(end.line)) : part(1 - end.share, down(end.line));
  for (const k of way) sum += graph.back[k] ? down(graph.edges[k]!) : up(graph.edges[k]!);
  // Which end of its piece the way set out from: sources come in pairs, the end of the piece first.
  const toEnd = paths.source[node]! % 2 === 0;
  return sum + (toEnd ? part(1 - start.share, up(start.line)) : part(start.share, down(start.line)));
}

/** Metres of a way that a search went. */
export const wayLength = (ways: Ways, paths: ShortestPaths, start: Spot, end: Spot, by: End): number => {
  const of = (e: number): number => ways.network.length[e]!;
  return along(ways, paths, start, end, by, of, of);
};

/** Seconds of a way that was the shortest. */
export const secondsOf = (ways: Ways, s: Seconds, paths: ShortestPaths, start: Spot, end: Spot, by: End): number => {
  const [up, down] = ways.direction === 'from' ? [s.there, s.back] : [s.back, s.there];
  return along(
    ways,
    paths,
    start,
    end,
    by,
    (e) => up[e]!,
    (e) => down[e]!,
  );
};

/** Names as numbers where all are, else as texts. */
export const nameColumn = (name: string, values: readonly (string | number)[]): Column =>
  values.every((v) => typeof v === 'number') ? numberColumn(name, values) : textColumn(name, values.map(String));

/** Places of features on a network; null for those that lie too far from a street of the mode. */
export interface Placement {
  places: (Placed | null)[];
  /** What each is called. */
  names: (string | number)[];
  /** Metres off a street, where one is in reach; Infinity elsewhere. */
  off: Float64Array;
}

/**
 * Places points on the pieces that a mode may go along, and says which are not placed and which are moved far.
 *
 * @throws HelkError `method.input` where none can be placed
 */
export function placed(
  points: Features,
  { network, seconds }: Pick<Ways, 'network' | 'seconds'>,
  metres: number,
  maxSnap: number,
  idColumn: string | undefined,
  job: Job,
  what: string,
): Placement {
  const { there, back } = seconds;
  const open = (i: number): boolean => there[i]! < Infinity || back[i]! < Infinity;
  const f = featuresIn(points, network.pieces.crs);
  const placer = new Placer(network.pieces);
  const n = featureCount(f);
  const id = idColumn ? points.columns.find((c) => c.name === idColumn) : undefined;
  if (idColumn && !id)
    throw new HelkError(
      'method.parameter',
      `idColumn: there is no column "${idColumn}" among the ${what}.`,
      'idColumn',
    );
  const names = Array.from({ length: n }, (_, i) => {
    const v = id ? valueOf(id, i) : null;
    return v === null || typeof v === 'boolean' ? i + 1 : v;
  });
  const off = new Float64Array(n).fill(Infinity);
  const places = names.map((_, i) => {
    const part = f.featureOffsets[i]!;
    if (part === f.featureOffsets[i + 1]) return null;
    const c = f.ringOffsets[f.partOffsets[part]!]!;
    const at = placer.place(f.xy[2 * c]!, f.xy[2 * c + 1]!, LOOK / metres, open);
    if (!at) return null;
    off[i] = at.distance * metres;
    return off[i] <= maxSnap ? at : null;
  });
  const lost = [...places.keys()].filter((i) => !places[i]);
  const said = (i: number): string => `${names[i]!}${off[i]! < Infinity ? ` (${formatNumber(off[i]!)} m off)` : ''}`;
  if (lost.length === n)
    throw new HelkError(
      'method.input',
      `None of the ${what} lies within ${formatNumber(maxSnap)} m of a street: ${lost.slice(0, MOST_SAID).map(said).join(', ')}. Do they lie in the same place?`,
      'maxSnap',
    );
  const listed = (rows: readonly number[]): string =>
    rows.slice(0, MOST_SAID).map(said).join(', ') + (rows.length > MOST_SAID ? ' …' : '');
  if (lost.length)
    job.note(
      'look',
      'network.unplaced',
      `${lost.length} of the ${n} ${what} ${lost.length === 1 ? 'lies' : 'lie'} more than ${formatNumber(maxSnap)} m from any street and ${lost.length === 1 ? 'is' : 'are'} left out: ${listed(lost)}.`,
    );
  const far = [...places.keys()].filter((i) => places[i] && off[i]! > maxSnap / 2);
  if (far.length)
    job.note(
      'look',
      'network.moved',
      `${far.length} of the ${n} ${what} ${far.length === 1 ? 'is' : 'are'} moved by more than ${formatNumber(maxSnap / 2)} m to a street: ${listed(far)}.`,
    );
  return { places, names, off };
}

/** Places that are named in a note. */
const MOST_SAID = 5;

/** Farther than this nothing is said of how far off a street a place lies, m. */
const LOOK = 20_000;
