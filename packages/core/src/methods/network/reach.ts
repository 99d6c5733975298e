import * as z from 'zod';
import {
  featureCount,
  FeaturesBuilder,
  featuresIn,
  takeFeatures,
  type Column,
  type Features,
} from '../../data/features';
import { featureArea } from '../../data/measure';
import { pieceCorners, pieceCount } from '../../data/network';
import type { NetworkInfo } from '../../data/network-facts';
import { numberColumn, textColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column, quantities, quantity } from '../../method/params';
import { withGeos, type Geos, type Shape } from '../../numeric/geos';
import { partOfLine, reachedOf, type Start, type Stretch } from '../../numeric/reached';
import { ShortestPaths } from '../../numeric/shortest';
import { roundNear } from '../raster/reproject';
import {
  directionParam,
  inPlane,
  modeChecks,
  modeParam,
  nameColumn,
  placed,
  sourcesAt,
  waysOf,
  type Ways,
} from './common';

/** Segments of a quarter of a circle, as in the reference. */
const QUADRANT = 16;
/** Width on either side of a street that nobody gave, m: a quarter of a piece's mean length, within these. */
const WIDTHS = [10, 60] as const;

export const reach = defineMethod({
  id: 'network.reach',
  version: 1,
  title: 'Reach',
  question: 'Where does one get in this time?',
  about:
    'The streets that are reached within limits of time from facilities, or from which facilities are reached, and the area beside them. A street that is reached only in part ends where the time ends, flat; blocks that no reached street comes near stay holes. As discs each limit has all that is reached within it, as bands what the one before did not reach. Facilities begin where they lie nearest to a street of the mode; those too far from any are left out and listed.',
  keywords: [
    'service area',
    'isochrone',
    'catchment',
    'accessibility',
    'walking distance',
    'drive time',
    'travel time',
  ],
  sources: ['Dijkstra 1959, doi:10.1007/BF01386390'],
  inputs: {
    network: input.network({}),
    facilities: input.features({ label: 'Facilities', geometry: 'point' }),
  },
  params: z.object({
    mode: modeParam(),
    limits: quantities('time', {
      label: 'Limits',
      unit: 'min',
      above: 0,
      help: 'Several apart by commas: 5, 10, 15.',
    }).prefault('5, 10, 15 min'),
    direction: directionParam('from'),
    shape: choice({ discs: 'all within each limit', bands: 'between one and the next' }, { label: 'Areas' }).default(
      'discs',
    ),
    merge: choice({ no: 'one each', yes: 'merged' }, { label: 'Of several facilities' }).default('no'),
    maxSnap: quantity('length', { label: 'Farthest from a street', unit: 'm', above: 0 }).default(100),
    width: quantity('length', {
      label: 'Beside a street',
      unit: 'm',
      above: 0,
      help: 'How far the area goes on either side.',
    }).optional(),
    idColumn: column({ of: 'facilities', label: 'Column that names facilities' }).optional(),
  }),
  outputs: {
    reach: shown(output.features('Reach'), {
      features: {
        by: { kind: 'classes', column: 'limit', rule: 'natural', classes: 3, own: [], ramp: 'tide', reversed: true },
        fill: 0.6,
        outline: '#2d7295',
        width: 0.6,
      },
      first: true,
    }),
    unplaced: output.maybeFeatures('Left out', 'left out'),
    edges: output.features('Streets reached', 'streets reached'),
  },
  figures: {
    placed: { label: 'Facilities placed' },
    unplaced: { label: 'Left out' },
    area: { label: 'Reached within the largest limit', unit: 'm2' },
  },
  checks: ({ network }, p) => modeChecks(network, p.mode),
  suggest: ({ network }) => ({ width: suggestWidth(network) }),
  estimate: ({ network, facilities }) => ({
    cells: network.pieces,
    of: 'pieces',
    bytes: network.pieces * 400 + facilities.count * 2e6,
    seconds: 0.5 + network.pieces / 5e5 + facilities.count * 0.1,
  }),
  run: async ({ network: given, facilities }, p, job) => {
    const { network, plane, metres } = inPlane(given);
    const ways = waysOf(network, network.seconds[p.mode], p.direction);
    const { places, names, off } = placed(facilities, ways, metres, p.maxSnap, p.idColumn, job, 'facilities');
    const width = (p.width ?? WIDTHS[0]) / metres;
    const there = [...places.keys()].filter((i) => places[i]);
    const groups = p.merge === 'yes' ? [there] : there.map((i) => [i]);
    const most = p.limits.at(-1)!;
    const paths = new ShortestPaths(ways.graph);
    const areas = new FeaturesBuilder();
    const edges = new FeaturesBuilder();
    const rows: { group: number; limit: number }[] = [];
    const streets: { group: number; stretch: Stretch }[] = [];
    const merged = await withGeos((g) => {
      const largest: Shape[] = [];
      groups.forEach((group, k) => {
        job.progress(0.1 + (0.8 * k) / groups.length, 'reach');
        const starts = group.map((i): Start => ({ edge: places[i]!.line, share: places[i]!.share, cost: 0 }));
        paths.run(
          group.flatMap((i) => sourcesAt(ways, places[i]!)),
          most,
        );
        const by = startsByEdge(starts);
        let before: Shape = 0;
        for (const limit of p.limits) {
          const stretches = stretchesWithin(ways, paths, by, limit);
          if (limit === most)
            for (const s of stretches) {
              line(ways, s, edges);
              edges.endFeature();
              streets.push({ group: k, stretch: s });
            }
          const area = areaOf(g, ways, paths, stretches, limit, width);
          if (!area) continue;
          const seen = p.shape === 'bands' && before ? g.difference(area, before) : area;
          if (g.append(seen, 'polygon', areas)) {
            areas.endFeature();
            rows.push({ group: k, limit });
          }
          if (seen !== area) g.free(seen);
          if (before) g.free(before);
          before = area;
        }
        if (before) largest.push(before);
      });
      job.progress(0.92, 'area');
      const all = new FeaturesBuilder();
      if (largest.length && g.append(g.unionAll(largest), 'polygon', all)) all.endFeature();
      return all.build('polygon', plane, []);
    });
    const named = (all: readonly { group: number }[]): Column[] =>
      p.merge === 'yes'
        ? []
        : [
            nameColumn(
              'facility',
              all.map((r) => names[groups[r.group]![0]!]!),
            ),
          ];
    // The largest first: what is nearer lies on top of it.
    const down = [...rows.keys()].sort((a, b) => rows[b]!.limit - rows[a]!.limit || a - b);
    const shapes = takeFeatures(areas.build('polygon', plane, []), down);
    const told = down.map((k) => rows[k]!);
    const made: Features = {
      ...shapes,
      columns: [
        ...named(told),
        textColumn(
          'mode',
          told.map(() => p.mode),
        ),
        numberColumn(
          'limit',
          told.map((r) => r.limit),
          's',
        ),
        numberColumn(
          'area',
          told.map((_, i) => featureArea(shapes, i)),
          'm2',
        ),
      ],
    };
    const reached: Features = {
      ...edges.build('line', plane, []),
      columns: [
        ...named(streets),
        numberColumn(
          'first',
          streets.map((s) => s.stretch.first),
          's',
        ),
        numberColumn(
          'seconds',
          streets.map((s) => s.stretch.last),
          's',
        ),
      ],
    };
    const lost = [...places.keys()].filter((i) => !places[i]);
    const out = given.pieces.crs;
    let area = 0;
    for (let i = 0; i < featureCount(merged); i++) area += featureArea(merged, i);
    return {
      reach: featuresIn(made, out),
      edges: featuresIn(reached, out),
      unplaced: lost.length ? leftOut(facilities, lost, off) : undefined,
      figures: { placed: there.length, unplaced: lost.length, area },
    };
  },
});

function suggestWidth(info: NetworkInfo) {
  if (!info.pieces) return undefined;
  const mean = info.length / info.pieces;
  const width = Math.min(WIDTHS[1], Math.max(WIDTHS[0], roundNear(mean / 4)));
  return {
    value: `${width} m`,
    reason: `a quarter of the mean length of a piece, ${Math.round(mean)} m, within 10 and 60 m`,
  };
}

/** The facilities that are not on the network, with how far off they lie. */
function leftOut(facilities: Features, rows: number[], off: Float64Array): Features {
  const f = takeFeatures(facilities, rows);
  return {
    ...f,
    columns: [
      ...f.columns.filter((c) => c.name !== 'off'),
      numberColumn(
        'off',
        rows.map((i) => (off[i]! < Infinity ? off[i]! : NaN)),
        'm',
      ),
    ],
  };
}

function startsByEdge(starts: readonly Start[]): Map<number, Start[]> {
  const by = new Map<number, Start[]>();
  for (const s of starts) by.set(s.edge, [...(by.get(s.edge) ?? []), s]);
  return by;
}

/** All parts of pieces that are reached within a limit, in the order of the pieces. */
function stretchesWithin(
  { edges, network }: Pick<Ways, 'edges' | 'network'>,
  { cost }: Pick<ShortestPaths, 'cost'>,
  starts: ReadonlyMap<number, readonly Start[]>,
  limit: number,
): Stretch[] {
  const out: Stretch[] = [];
  for (let i = 0; i < pieceCount(network); i++) {
    const own = starts.get(i);
    if (!own && !(cost[edges.from[i]!]! <= limit) && !(cost[edges.to[i]!]! <= limit)) continue;
    out.push(...reachedOf(edges, i, cost, own ?? [], limit));
  }
  return out;
}

function line({ network }: Pick<Ways, 'network'>, s: Stretch, b: FeaturesBuilder): void {
  const [first, last] = pieceCorners(network, s.edge);
  for (const [x, y] of partOfLine(network.pieces.xy, first, last, s.a, s.b)) b.coordinate(x, y);
  b.endRing();
  b.endPart();
}

/** What lies within a width of reached streets: flat where they end, round about the nodes that are reached. 0 where nothing is. */
function areaOf(
  g: Geos,
  ways: Ways,
  { cost, reached }: ShortestPaths,
  stretches: readonly Stretch[],
  limit: number,
  width: number,
): Shape {
  if (!stretches.length) return 0;
  const lines = new FeaturesBuilder();
  for (const s of stretches) line(ways, s, lines);
  lines.endFeature();
  const points = new FeaturesBuilder();
  let nodes = 0;
  for (const v of reached) {
    if (!(cost[v]! <= limit)) continue;
    points.coordinate(ways.network.nodes[2 * v]!, ways.network.nodes[2 * v + 1]!);
    points.endRing();
    points.endPart();
    nodes++;
  }
  points.endFeature();
  const way = g.shape(lines.build('line', null, []), 0);
  const shapes = [g.bufferFlat(way, width, QUADRANT)];
  g.free(way);
  if (nodes) {
    const at = g.shape(points.build('point', null, []), 0);
    shapes.push(g.buffer(at, width, QUADRANT));
    g.free(at);
  }
  return g.unionAll(shapes);
}
