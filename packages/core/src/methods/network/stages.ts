import { FeaturesBuilder } from '../../data/features';
import { pieceCorners, type Network } from '../../data/network';
import type { Placed } from '../../numeric/placing';
import { partOfLine } from '../../numeric/reached';
import type { ShortestPaths } from '../../numeric/shortest';
import { costAt, sourcesAt, type Ways } from './common';

export type Spot = Pick<Placed, 'line' | 'share'>;

/** A part of a piece that a way goes along, from share `a` to share `b` of its length; b is below a where it goes back. */
export interface Stage {
  piece: number;
  a: number;
  b: number;
}

/** The parts of pieces from one place to another, in turn; null where there is no way. */
export function stagesBetween(ways: Ways, paths: ShortestPaths, start: Spot, end: Spot): Stage[] | null {
  const { edges, graph } = ways;
  paths.run(sourcesAt(ways, start));
  const found = costAt(ways, paths.cost, end, start);
  if (!(found.cost < Infinity)) return null;
  if (found.by === 'piece') return [{ piece: end.line, a: start.share, b: end.share }];
  const node = (found.by === 'from' ? edges.from : edges.to)[end.line]!;
  const out: Stage[] = [{ piece: start.line, a: start.share, b: paths.source[node]! % 2 === 0 ? 1 : 0 }];
  for (const k of paths.wayTo(node))
    out.push(graph.back[k] ? { piece: graph.edges[k]!, a: 1, b: 0 } : { piece: graph.edges[k]!, a: 0, b: 1 });
  out.push({ piece: end.line, a: found.by === 'from' ? 0 : 1, b: end.share });
  return out.filter((s) => s.a !== s.b);
}

/** The corners of a stage, in the order in which it is gone along. */
export function corners(network: Network, s: Stage): [number, number][] {
  const [first, last] = pieceCorners(network, s.piece);
  const all = partOfLine(network.pieces.xy, first, last, Math.min(s.a, s.b), Math.max(s.a, s.b));
  return s.b < s.a ? all.reverse() : all;
}

export function draw(network: Network, stages: readonly Stage[], start: Placed, b: FeaturesBuilder): void {
  let [x, y] = [NaN, NaN];
  let n = 0;
  const put = (u: number, v: number): void => {
    if (u === x && v === y) return;
    b.coordinate(u, v);
    [x, y] = [u, v];
    n++;
  };
  for (const s of stages) for (const [u, v] of corners(network, s)) put(u, v);
  // Two stops at one place: a line all the same.
  while (n < 2) {
    b.coordinate(start.x, start.y);
    n++;
  }
  b.endRing();
  b.endPart();
  b.endFeature();
}
