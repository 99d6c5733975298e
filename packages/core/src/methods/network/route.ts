import * as z from 'zod';
import { HelkError } from '../../errors';
import { FeaturesBuilder, featuresIn, type Features } from '../../data/features';
import { pieceCorners, type Network } from '../../data/network';
import { sideOf } from '../../data/number-words';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column, quantity } from '../../method/params';
import type { Placed } from '../../numeric/placing';
import { partOfLine } from '../../numeric/reached';
import { ShortestPaths } from '../../numeric/shortest';
import { bestOrder, EXACT } from '../../numeric/tour';
import { costAt, inPlane, modeChecks, modeParam, nameColumn, placed, sourcesAt, waysOf, type Ways } from './common';
import { lengthsWhere } from './matrix';

/** Stops whose order is looked for, at most: of more it takes too long. */
const MOST_ORDERED = 200;

/** A part of a piece that a way goes along, from share `a` to share `b` of its length; b is below a where it goes back. */
interface Stage {
  piece: number;
  a: number;
  b: number;
}

export const route = defineMethod({
  id: 'network.route',
  version: 1,
  title: 'Way over stops',
  question: 'Which is the best way?',
  about: `The quickest or the shortest way from the first stop over all others to the last, in the order given or in the best one: exactly for up to ${EXACT} stops between the two (Held and Karp 1962), of more by the cheapest insertion and then moving runs of up to three stops while that helps (Or 1976), which is near to the best. Directions name the streets by their id, with how one turns into them.`,
  keywords: ['routing', 'shortest path', 'directions', 'travelling salesman', 'round', 'tour', 'navigation'],
  sources: ['Dijkstra 1959, doi:10.1007/BF01386390', 'Held and Karp 1962, doi:10.1137/0110015'],
  inputs: {
    network: input.network({}),
    stops: input.features({ label: 'Stops', geometry: 'point' }),
  },
  params: z.object({
    mode: modeParam(),
    weight: choice({ time: 'the quickest', length: 'the shortest' }, { label: 'Way' }).default('time'),
    order: choice({ asGiven: 'as given', best: 'the best, first and last stay' }, { label: 'Order of stops' }).default(
      'asGiven',
    ),
    maxSnap: quantity('length', { label: 'Farthest from a street', unit: 'm', above: 0 }).default(100),
    idColumn: column({ of: 'stops', label: 'Column that names stops' }).optional(),
  }),
  outputs: {
    route: shown(output.features('Way', 'way'), { features: { width: 4 } }),
    directions: shown(output.table('Directions', 'directions'), { first: true }),
  },
  figures: { seconds: { label: 'Time', unit: 's' }, length: { label: 'Length', unit: 'm' } },
  checks: ({ network, stops }, p) => [
    ...modeChecks(network, p.mode),
    ...(stops.count < 2
      ? [{ level: 'refused' as const, code: 'route.stops', about: 'stops', message: 'A way needs two stops at least.' }]
      : []),
    ...(p.order === 'best' && stops.count > MOST_ORDERED
      ? [
          {
            level: 'refused' as const,
            code: 'route.many',
            about: 'order',
            message: `The best order of ${stops.count} stops is not looked for; of ${MOST_ORDERED} it is.`,
          },
        ]
      : []),
  ],
  estimate: ({ network, stops }) => ({
    cells: stops.count,
    of: 'stops',
    bytes: network.pieces * 300 + stops.count * 5000,
    seconds: 0.3 + (stops.count * network.pieces) / 3e6,
  }),
  run: ({ network: given, stops }, p, job) => {
    const { network, plane, metres } = inPlane(given);
    const seconds = network.seconds[p.mode];
    const ways = waysOf(network, p.weight === 'time' ? seconds : lengthsWhere(network.length, seconds), 'from');
    const at = placed(stops, { network, seconds }, metres, p.maxSnap, p.idColumn, job, 'stops');
    const there = [...at.places.keys()].filter((i) => at.places[i]);
    if (there.length < 2)
      throw new HelkError('method.input', 'Only one stop lies near a street; a way needs two.', 'stops');
    const paths = new ShortestPaths(ways.graph);
    const order = p.order === 'best' ? ordered(ways, paths, there, at.places, job) : there;
    const lines = new FeaturesBuilder();
    const legs: { from: string | number; to: string | number; seconds: number; length: number }[] = [];
    const steps: Step[] = [];
    for (let k = 0; k + 1 < order.length; k++) {
      job.progress(0.5 + (0.5 * k) / order.length, 'ways');
      const [a, b] = [order[k]!, order[k + 1]!];
      const stages = stagesBetween(ways, paths, at.places[a]!, at.places[b]!);
      if (!stages)
        throw new HelkError(
          'method.input',
          `There is no way from ${at.names[a]!} to ${at.names[b]!}: they lie in parts that do not hang together, or one-way streets lead elsewhere.`,
          'stops',
        );
      draw(network, stages, at.places[a]!, lines);
      const leg = { from: at.names[a]!, to: at.names[b]!, seconds: 0, length: 0 };
      for (const s of stages) {
        const share = Math.abs(s.b - s.a);
        leg.length += share * network.length[s.piece]!;
        leg.seconds += share === 0 ? 0 : share * (s.b >= s.a ? seconds.there : seconds.back)[s.piece]!;
      }
      legs.push(leg);
      steps.push(...directions(network, stages, seconds, k + 1, leg.to));
    }
    const route: Features = {
      ...lines.build('line', plane, []),
      columns: [
        numberColumn(
          'leg',
          legs.map((_, k) => k + 1),
        ),
        nameColumn(
          'from',
          legs.map((l) => l.from),
        ),
        nameColumn(
          'to',
          legs.map((l) => l.to),
        ),
        textColumn(
          'mode',
          legs.map(() => p.mode),
        ),
        numberColumn(
          'seconds',
          legs.map((l) => l.seconds),
          's',
        ),
        numberColumn(
          'length',
          legs.map((l) => l.length),
          'm',
        ),
      ],
    };
    return {
      route: featuresIn(route, given.pieces.crs),
      directions: {
        kind: 'table' as const,
        columns: [
          numberColumn(
            'leg',
            steps.map((s) => s.leg),
          ),
          textColumn(
            'turn',
            steps.map((s) => s.turn),
          ),
          textColumn(
            'street',
            steps.map((s) => s.street),
          ),
          numberColumn(
            'seconds',
            steps.map((s) => s.seconds),
            's',
          ),
          numberColumn(
            'length',
            steps.map((s) => s.length),
            'm',
          ),
        ],
      },
      figures: {
        seconds: legs.reduce((s, l) => s + l.seconds, 0),
        length: legs.reduce((s, l) => s + l.length, 0),
      },
    };
  },
});

/** Stops in the order that costs least; said where it is not certain. */
function ordered(
  ways: Ways,
  paths: ShortestPaths,
  there: readonly number[],
  places: readonly (Placed | null)[],
  job: { note(level: 'info', code: string, message: string): void; progress(share: number, stage: string): void },
): number[] {
  const cost = there.map((i, k) => {
    job.progress((0.5 * k) / there.length, 'order');
    paths.run(sourcesAt(ways, places[i]!));
    return there.map((j) => costAt(ways, paths.cost, places[j]!, places[i]!).cost);
  });
  const { order, exact } = bestOrder(cost);
  if (!exact)
    job.note(
      'info',
      'route.order',
      `The order of more than ${EXACT + 2} stops is bettered step by step; it is near to the best.`,
    );
  return order.map((k) => there[k]!);
}

/** The parts of pieces from one place to another, in turn; null where there is no way. */
function stagesBetween(ways: Ways, paths: ShortestPaths, start: Placed, end: Placed): Stage[] | null {
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
function corners(network: Network, s: Stage): [number, number][] {
  const [first, last] = pieceCorners(network, s.piece);
  const all = partOfLine(network.pieces.xy, first, last, Math.min(s.a, s.b), Math.max(s.a, s.b));
  return s.b < s.a ? all.reverse() : all;
}

function draw(network: Network, stages: readonly Stage[], start: Placed, b: FeaturesBuilder): void {
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

interface Step {
  leg: number;
  turn: string;
  street: string;
  seconds: number;
  length: number;
}

/** Stages of one street put together, with how one turns into it; at the end, where one has come. */
function directions(
  network: Network,
  stages: readonly Stage[],
  seconds: { there: Float64Array; back: Float64Array },
  leg: number,
  to: string | number,
): Step[] {
  const named = network.pieces.columns.find((c) => /^(name|street|street_?name)$/i.test(c.name) && c.type === 'text');
  const id = named ?? network.pieces.columns.find((c) => c.name === 'id');
  const nameOf = (i: number): string => (!id || id.missing?.[i] ? '' : String(id.values[i]!));
  const out: Step[] = [];
  let heading = NaN;
  for (const s of stages) {
    const line = corners(network, s);
    const [a, b] = [line[0]!, line[1] ?? line[0]!];
    const into = Math.atan2(b[0] - a[0], b[1] - a[1]);
    const share = Math.abs(s.b - s.a);
    const time = share * (s.b >= s.a ? seconds.there : seconds.back)[s.piece]!;
    const length = share * network.length[s.piece]!;
    const last = out.at(-1);
    const street = nameOf(s.piece);
    if (last?.street === street && Math.abs(turned(heading, into)) < 60) {
      last.seconds += time;
      last.length += length;
    } else
      out.push({
        leg,
        turn: last ? turnWords(turned(heading, into)) : `set out ${sideOf((into * 180) / Math.PI)}`,
        street,
        seconds: time,
        length,
      });
    const [c, d] = [line.at(-2) ?? a, line.at(-1)!];
    heading = Math.atan2(d[0] - c[0], d[1] - c[1]);
  }
  out.push({ leg, turn: 'arrive', street: String(to), seconds: 0, length: 0 });
  return out;
}

/** Degrees to the right, from -180 to 180. */
const turned = (from: number, into: number): number => {
  const d = ((into - from) * 180) / Math.PI;
  return ((((d + 180) % 360) + 360) % 360) - 180;
};
function turnWords(degrees: number): string {
  const side = degrees > 0 ? 'right' : 'left';
  const d = Math.abs(degrees);
  if (d < 20) return 'straight on';
  if (d < 60) return `half ${side}`;
  if (d < 130) return side;
  return d < 165 ? `sharp ${side}` : 'back';
}
