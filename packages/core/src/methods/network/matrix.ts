import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import type { Features } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, column, quantity } from '../../method/params';
import { ShortestPaths } from '../../numeric/shortest';
import {
  costAt,
  inPlane,
  modeChecks,
  modeParam,
  nameColumn,
  placed,
  secondsOf,
  sourcesAt,
  waysOf,
  wayLength,
  type Placement,
} from './common';

/** Pairs that a table holds at most. */
const MOST = 20_000_000;

export const matrix = defineMethod({
  id: 'network.matrix',
  version: 1,
  title: 'Times between places',
  question: 'How far is everything from everything?',
  about:
    'Seconds and metres by way from each origin to each destination, by the quickest or the shortest way. Places begin where they lie nearest to a street of the mode. Pairs between which there is no way have neither; places too far from a street have no row.',
  keywords: ['distance matrix', 'origin destination', 'od', 'travel times', 'cost matrix'],
  sources: ['Dijkstra 1959, doi:10.1007/BF01386390'],
  inputs: {
    network: input.network({}),
    origins: input.features({ label: 'Origins', geometry: 'point' }),
    destinations: input.features({ label: 'Destinations', geometry: 'point' }),
  },
  params: z.object({
    mode: modeParam(),
    weight: choice({ time: 'the quickest', length: 'the shortest' }, { label: 'Way' }).default('time'),
    maxSnap: quantity('length', { label: 'Farthest from a street', unit: 'm', above: 0 }).default(100),
    idColumn: column({ of: 'origins', label: 'Column that names places' }).optional(),
  }),
  outputs: { times: output.table('Times') },
  figures: { pairs: { label: 'Pairs' }, unreachable: { label: 'Without a way' } },
  checks: ({ network, origins, destinations }, p) => [
    ...modeChecks(network, p.mode),
    ...(origins.count * destinations.count > MOST
      ? [
          {
            level: 'refused' as const,
            code: 'network.pairs',
            about: 'destinations',
            message: `${origins.count} × ${destinations.count} pairs are more than a table of ${MOST} rows holds; take fewer places.`,
          },
        ]
      : []),
  ],
  estimate: ({ network, origins, destinations }) => ({
    cells: origins.count * destinations.count,
    of: 'pairs',
    bytes: network.pieces * 300 + origins.count * destinations.count * 48,
    seconds: 0.3 + (origins.count * network.pieces) / 4e6,
  }),
  run: ({ network: given, origins, destinations }, p, job) => {
    const { network, metres } = inPlane(given);
    const seconds = network.seconds[p.mode];
    const ways = waysOf(network, p.weight === 'time' ? seconds : lengthsWhere(network.length, seconds), 'from');
    if (p.idColumn && !origins.columns.some((c) => c.name === p.idColumn))
      throw new HelkError(
        'method.parameter',
        `idColumn: there is no column "${p.idColumn}" among the origins.`,
        'idColumn',
      );
    // Destinations without the column are called by their numbers.
    const near = (points: Features, what: string): Placement => {
      const id = points.columns.some((c) => c.name === p.idColumn) ? p.idColumn : undefined;
      return placed(points, { network, seconds }, metres, p.maxSnap, id, job, what);
    };
    const [from, to] = [near(origins, 'origins'), near(destinations, 'destinations')];
    const paths = new ShortestPaths(ways.graph);
    const rows: { o: number; d: number; seconds: number; length: number }[] = [];
    let unreachable = 0;
    const there = [...from.places.keys()].filter((i) => from.places[i]);
    there.forEach((o, k) => {
      job.progress(k / there.length, 'ways');
      const start = from.places[o]!;
      paths.run(sourcesAt(ways, start));
      to.places.forEach((at, d) => {
        if (!at) return;
        const end = costAt(ways, paths.cost, at, start);
        if (!(end.cost < Infinity)) {
          unreachable++;
          rows.push({ o, d, seconds: NaN, length: NaN });
          return;
        }
        rows.push({
          o,
          d,
          seconds: p.weight === 'time' ? end.cost : secondsOf(ways, seconds, paths, start, at, end.by),
          length: wayLength(ways, paths, start, at, end.by),
        });
      });
    });
    if (unreachable) job.note('look', 'network.unreachable', `Between ${plural(unreachable, 'pair')} there is no way.`);
    return {
      times: {
        kind: 'table' as const,
        columns: [
          nameColumn(
            'origin',
            rows.map((r) => from.names[r.o]!),
          ),
          nameColumn(
            'destination',
            rows.map((r) => to.names[r.d]!),
          ),
          numberColumn(
            'seconds',
            rows.map((r) => r.seconds),
            's',
          ),
          numberColumn(
            'length',
            rows.map((r) => r.length),
            'm',
          ),
        ],
      },
      figures: { pairs: rows.length, unreachable },
    };
  },
});

/** Lengths as costs, where a mode may go. */
export const lengthsWhere = (length: Float64Array, { there, back }: { there: Float64Array; back: Float64Array }) => ({
  there: length.map((l, i) => (there[i]! < Infinity ? l : Infinity)),
  back: length.map((l, i) => (back[i]! < Infinity ? l : Infinity)),
});
