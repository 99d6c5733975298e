import * as z from 'zod';
import { plural } from '../../data/check';
import { besideColumns, featureCount, type Features } from '../../data/features';
import { numberColumn } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { column, quantity } from '../../method/params';
import { ShortestPaths } from '../../numeric/shortest';
import {
  costAt,
  directionParam,
  inPlane,
  modeChecks,
  modeParam,
  nameColumn,
  placed,
  sourcesAt,
  wayLength,
  waysOf,
} from './common';

export const nearest = defineMethod({
  id: 'network.nearest',
  version: 1,
  title: 'Nearest facility by way',
  question: 'Which facility is the nearest by way?',
  about:
    'Gives each place the facility that is nearest to it in time by way, with the seconds and metres. Ties go to the facility that comes first. Places from which none is reached, or none within the limit, have none.',
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
    idColumn: column({ of: 'facilities', label: 'Column that names facilities' }).optional(),
  }),
  outputs: {
    assigned: shown(output.features('Nearest', 'nearest'), {
      features: { by: { kind: 'category', column: 'facility' } as never },
      first: true,
    }),
  },
  figures: { assigned: { label: 'Places with a facility' }, unreachable: { label: 'Without one' } },
  checks: ({ network }, p) => modeChecks(network, p.mode),
  estimate: ({ network, places }) => ({
    cells: places.count,
    of: 'places',
    bytes: network.pieces * 300 + places.count * 200,
    seconds: 0.3 + network.pieces / 1e6 + places.count / 1e5,
  }),
  run: ({ network: given, places: points, facilities }, p, job) => {
    const { network, metres } = inPlane(given);
    const ways = waysOf(network, network.seconds[p.mode], p.direction);
    const goals = placed(facilities, ways, metres, p.maxSnap, p.idColumn, job, 'facilities');
    const at = placed(points, ways, metres, p.maxSnap, undefined, job, 'places');
    const there = [...goals.places.keys()].filter((i) => goals.places[i]);
    const paths = new ShortestPaths(ways.graph);
    // Two sources a facility, the ends of its piece.
    paths.run(
      there.flatMap((i) => sourcesAt(ways, goals.places[i]!)),
      p.limit ?? Infinity,
    );
    const onPiece = new Map<number, number[]>();
    for (const i of there) {
      const e = goals.places[i]!.line;
      onPiece.set(e, [...(onPiece.get(e) ?? []), i]);
    }
    const n = featureCount(points);
    const [which, seconds, length] = [
      new Int32Array(n).fill(-1),
      new Float64Array(n).fill(NaN),
      new Float64Array(n).fill(NaN),
    ];
    let assigned = 0;
    at.places.forEach((place, i) => {
      if ((i & 4095) === 0) job.progress(0.5 + (0.5 * i) / n, 'places');
      if (!place) return;
      let best = costAt(ways, paths.cost, place);
      const node = (best.by === 'from' ? network.from : network.to)[place.line]!;
      let who = best.cost < Infinity ? there[paths.source[node]! >> 1]! : -1;
      for (const f of onPiece.get(place.line) ?? []) {
        const own = costAt(ways, paths.cost, place, goals.places[f]);
        if (own.by === 'piece' && own.cost < best.cost) [best, who] = [own, f];
      }
      if (who < 0 || best.cost > (p.limit ?? Infinity)) return;
      which[i] = who;
      seconds[i] = best.cost;
      length[i] = wayLength(ways, paths, goals.places[who]!, place, best.by);
      assigned++;
    });
    if (assigned < n)
      job.note(
        'look',
        'network.unreachable',
        `${plural(n - assigned, 'place')} ${n - assigned === 1 ? 'has' : 'have'} no facility${p.limit ? ' within the limit' : ''}.`,
      );
    const names = Array.from(which, (k) => (k < 0 ? null : goals.names[k]!));
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
        numberColumn('seconds', seconds, 's'),
        numberColumn('length', length, 'm'),
      ]),
    };
    return { assigned: out, figures: { assigned, unreachable: n - assigned } };
  },
});
