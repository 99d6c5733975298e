import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural } from '../../data/check';
import type { Features } from '../../data/features';
import { momentOf, type Moment } from '../../data/moment';
import type { Network, Seconds } from '../../data/network';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output } from '../../method/define';
import { choice, column, quantity } from '../../method/params';
import type { Placed } from '../../numeric/placing';
import { ShortestPaths } from '../../numeric/shortest';
import { costAt, inPlane, nameColumn, placed, secondsOf, sourcesAt, waysOf, wayLength, type Placement } from './common';
import { Journeys } from './journeys';
import { changeParam, departureParam, modeChecks, modeParam, suggestDeparture, transitOnlyTime } from './modes';
import { closedParam, without } from './what-if';

/** Pairs that a table holds at most. */
const MOST = 20_000_000;

export const matrix = defineMethod({
  id: 'network.matrix',
  version: 1,
  title: 'Times between places',
  question: 'How far is everything from everything?',
  about:
    'Seconds and metres by way from each origin to each destination, by the quickest or the shortest way. Places begin where they lie nearest to a street of the mode. Pairs between which there is no way have neither; places too far from a street have no row. By public transport all leave at one time; metres are those on foot and along the line.',
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
    departure: departureParam(),
    change: changeParam(),
    closed: closedParam(),
    idColumn: column({ of: 'origins', label: 'Column that names places' }).optional(),
  }),
  outputs: { times: output.table('Times') },
  figures: { pairs: { label: 'Pairs' }, unreachable: { label: 'Without a way' } },
  checks: ({ network, origins, destinations }, p) => [
    ...modeChecks(network, p),
    ...transitOnlyTime(p),
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
  suggest: ({ network }, p) => suggestDeparture(network, p.mode),
  estimate: ({ network, origins, destinations }) => ({
    cells: origins.count * destinations.count,
    of: 'pairs',
    bytes: network.pieces * 300 + origins.count * destinations.count * 48,
    seconds: 0.3 + (origins.count * network.pieces) / 4e6,
  }),
  run: ({ network: given, origins, destinations }, p, job) => {
    const { network, plane, metres } = inPlane(without(given, p.closed, job));
    const seconds = network.seconds[p.mode === 'transit' ? 'walk' : p.mode];
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
    const look =
      p.mode === 'transit'
        ? timetabled(new Journeys(network, plane, network.timetable!, p.change), momentOf(p.departure!))
        : streeted(network, seconds, p.weight);
    const rows: { o: number; d: number; seconds: number; length: number }[] = [];
    let unreachable = 0;
    const there = [...from.places.keys()].filter((i) => from.places[i]);
    there.forEach((o, k) => {
      job.progress(k / there.length, 'ways');
      const wayTo = look(from.places[o]!);
      to.places.forEach((at, d) => {
        if (!at) return;
        const found = wayTo(at);
        if (!found) unreachable++;
        rows.push({ o, d, ...(found ?? { seconds: NaN, length: NaN }) });
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

/** From a place, the way to any other: seconds and metres, null where there is none. */
type Look = (start: Placed) => (at: Placed) => { seconds: number; length: number } | null;

function streeted(network: Network, seconds: Seconds, weight: 'time' | 'length'): Look {
  const ways = waysOf(network, weight === 'time' ? seconds : lengthsWhere(network.length, seconds), 'from');
  const paths = new ShortestPaths(ways.graph);
  return (start) => {
    paths.run(sourcesAt(ways, start));
    return (at) => {
      const end = costAt(ways, paths.cost, at, start);
      if (!(end.cost < Infinity)) return null;
      return {
        seconds: weight === 'time' ? end.cost : secondsOf(ways, seconds, paths, start, at, end.by),
        length: wayLength(ways, paths, start, at, end.by),
      };
    };
  };
}

const timetabled =
  (journeys: Journeys, at: Moment): Look =>
  (start) => {
    journeys.from(start, at);
    return (end) => journeys.to(end);
  };

/** Lengths as costs, where a mode may go. */
export const lengthsWhere = (length: Float64Array, { there, back }: Seconds): Seconds => ({
  there: length.map((l, i) => (there[i]! < Infinity ? l : Infinity)),
  back: length.map((l, i) => (back[i]! < Infinity ? l : Infinity)),
});
