import * as z from 'zod';
import { plural } from '../../data/check';
import { besideColumns, featureCount, type Features } from '../../data/features';
import { momentOf, type Moment } from '../../data/moment';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { column, quantity } from '../../method/params';
import { ShortestPaths } from '../../numeric/shortest';
import {
  costAt,
  directionParam,
  inPlane,
  nameColumn,
  placed,
  sourcesAt,
  wayLength,
  waysOf,
  type Direction,
  type Ways,
  type Placement,
} from './common';
import { Journeys } from './journeys';
import { changeParam, departureParam, modeChecks, modeParam, suggestDeparture } from './modes';
import { addedParam, closedParam, without, withMore } from './what-if';

export const nearest = defineMethod({
  id: 'network.nearest',
  version: 1,
  title: 'Nearest facility by way',
  question: 'Which facility is the nearest by way?',
  about:
    'Gives each place the facility that is nearest to it in time by way, with the seconds and metres. Ties go to the facility that comes first. Places from which none is reached, or none within the limit, have none. By public transport all leave at one time; metres are those on foot and along the line.',
  keywords: ['closest facility', 'allocation', 'assign', 'catchment', 'location-allocation'],
  sources: ['Dijkstra 1959, doi:10.1007/BF01386390'],
  inputs: {
    network: input.network({}),
    places: input.features({ label: 'Places', geometry: 'point' }),
    facilities: input.features({ label: 'Facilities', geometry: 'point' }),
  },
  params: z.object({
    mode: modeParam(),
    direction: directionParam('towards'),
    limit: quantity('time', { label: 'At most', unit: 'min', above: 0 }).optional(),
    maxSnap: quantity('length', { label: 'Farthest from a street', unit: 'm', above: 0 }).default(100),
    departure: departureParam(),
    change: changeParam(),
    closed: closedParam(),
    added: addedParam(),
    idColumn: column({ of: 'facilities', label: 'Column that names facilities' }).optional(),
  }),
  outputs: {
    assigned: shown(output.features('Nearest', 'nearest'), {
      features: { by: { kind: 'category', column: 'facility' } as never },
      first: true,
    }),
  },
  figures: { assigned: { label: 'Places with a facility' }, unreachable: { label: 'Without one' } },
  checks: ({ network }, p) => modeChecks(network, p),
  suggest: ({ network }, p) => suggestDeparture(network, p.mode),
  estimate: ({ network, places }) => ({
    cells: places.count,
    of: 'places',
    bytes: network.pieces * 300 + places.count * 200,
    seconds: 0.3 + network.pieces / 1e6 + places.count / 1e5,
  }),
  run: ({ network: given, places: points, facilities: some }, p, job) => {
    const { network, plane, metres } = inPlane(without(given, p.closed, job));
    const facilities = withMore(some, p.added, given, p.idColumn);
    const seconds = network.seconds[p.mode === 'transit' ? 'walk' : p.mode];
    const near = (f: Features, id: string | undefined, what: string): Placement =>
      placed(f, { network, seconds }, metres, p.maxSnap, id, job, what);
    const goals = near(facilities, p.idColumn, 'facilities');
    const at = near(points, undefined, 'places');
    const limit = p.limit ?? Infinity;
    const found =
      p.mode === 'transit'
        ? byVehicle(
            new Journeys(network, plane, network.timetable!, p.change),
            goals,
            at,
            p.direction,
            momentOf(p.departure!),
            job,
          )
        : byStreet(waysOf(network, seconds, p.direction), goals, at, limit, job);
    const n = featureCount(points);
    const kept = found.map((v) => (v && v.seconds <= limit ? v : null));
    const assigned = kept.reduce((s, v) => s + Number(v !== null), 0);
    if (assigned < n)
      job.note(
        'look',
        'network.unreachable',
        `${plural(n - assigned, 'place')} ${n - assigned === 1 ? 'has' : 'have'} no facility${p.limit ? ' within the limit' : ''}.`,
      );
    const names = kept.map((v) => (v ? goals.names[v.facility]! : null));
    const out: Features = {
      ...points,
      columns: besideColumns(points.columns, [
        {
          ...nameColumn(
            'facility',
            names.map((v) => v ?? (typeof goals.names[0] === 'number' ? NaN : '')),
          ),
          ...(names.includes(null) ? { missing: Uint8Array.from(names, (v) => Number(v === null)) } : {}),
        },
        numberColumn(
          'seconds',
          kept.map((v) => v?.seconds ?? NaN),
          's',
        ),
        numberColumn(
          'length',
          kept.map((v) => v?.length ?? NaN),
          'm',
        ),
      ]),
    };
    return { assigned: out, figures: { assigned, unreachable: n - assigned } };
  },
});

interface Nearest {
  /** By its row. */
  facility: number;
  seconds: number;
  length: number;
}

/** One search from all facilities, or towards them, together. */
function byStreet(ways: Ways, goals: Placement, at: Placement, limit: number, job: Progressing): (Nearest | null)[] {
  const { network } = ways;
  const there = [...goals.places.keys()].filter((i) => goals.places[i]);
  const paths = new ShortestPaths(ways.graph);
  // Two sources a facility, the ends of its piece.
  paths.run(
    there.flatMap((i) => sourcesAt(ways, goals.places[i]!)),
    limit,
  );
  const onPiece = new Map<number, number[]>();
  for (const i of there) {
    const e = goals.places[i]!.line;
    onPiece.set(e, [...(onPiece.get(e) ?? []), i]);
  }
  return at.places.map((place, i) => {
    if ((i & 4095) === 0) job.progress(0.5 + (0.5 * i) / at.places.length, 'places');
    if (!place) return null;
    let best = costAt(ways, paths.cost, place);
    const node = (best.by === 'from' ? network.from : network.to)[place.line]!;
    let who = best.cost < Infinity ? there[paths.source[node]! >> 1]! : -1;
    for (const f of onPiece.get(place.line) ?? []) {
      const own = costAt(ways, paths.cost, place, goals.places[f]);
      if (own.by === 'piece' && own.cost < best.cost) [best, who] = [own, f];
    }
    if (who < 0) return null;
    return { facility: who, seconds: best.cost, length: wayLength(ways, paths, goals.places[who]!, place, best.by) };
  });
}

/** A search from each facility, or from each place: what runs depends on when one sets out. */
function byVehicle(
  journeys: Journeys,
  goals: Placement,
  at: Placement,
  direction: Direction,
  departure: Moment,
  job: Progressing,
): (Nearest | null)[] {
  const out = new Array<Nearest | null>(at.places.length).fill(null);
  const [starts, ends] = direction === 'from' ? [goals.places, at.places] : [at.places, goals.places];
  starts.forEach((start, k) => {
    job.progress(k / starts.length, 'ways');
    if (!start) return;
    journeys.from(start, departure);
    ends.forEach((end, j) => {
      if (!end) return;
      const [place, facility] = direction === 'from' ? [j, k] : [k, j];
      if (!(journeys.transit.costTo(end) < (out[place]?.seconds ?? Infinity))) return;
      out[place] = { facility, ...journeys.to(end)! };
    });
  });
  return out;
}

type Progressing = { progress(share: number, stage: string): void };
