import * as z from 'zod';
import {
  featureCount,
  FeaturesBuilder,
  featuresIn,
  takeFeatures,
  type Column,
  type Features,
} from '../../data/features';
import type { Check } from '../../data/check';
import { featureArea } from '../../data/measure';
import { later, momentOf, momentText, type Moment } from '../../data/moment';
import type { NetworkInfo } from '../../data/network-facts';
import { numberColumn, textColumn, type Table } from '../../data/table';
import { defineMethod, input, output, shown } from '../../method/define';
import { choice, column, quantities, quantity } from '../../method/params';
import { withGeos, type Shape } from '../../numeric/geos';
import type { Stretch } from '../../numeric/reached';
import { roundNear } from '../raster/reproject';
import { directionParam, inPlane, nameColumn, placed } from './common';
import { changeParam, departureParam, modeChecks, modeParam, suggestDeparture } from './modes';
import { MOST_AHEAD } from './transit';
import { addedParam, closedParam, without, withMore } from './what-if';
import { areaOf, searchOf, stretchLine, type Through } from './within';

/** Width on either side of a street that nobody gave, m: a quarter of a piece's mean length, within these. */
const WIDTHS = [10, 60] as const;

export const reach = defineMethod({
  id: 'network.reach',
  version: 1,
  title: 'Reach',
  question: 'Where does one get in this time?',
  about:
    'The streets that are reached within limits of time from facilities, or from which facilities are reached, and the area beside them. A street that is reached only in part ends where the time ends, flat; blocks that no reached street comes near stay holes. As discs each limit has all that is reached within it, as bands what the one before did not reach. Facilities begin where they lie nearest to a street of the mode; those too far from any are left out and listed. By public transport one walks to stops, between them and from them, and looks at most 24 h ahead; leaving is the time at which one sets out, also towards facilities, where the seconds of streets are counted back from the limit. Over a window of times of leaving, one a minute, a place counts as reached where at least half of them reach it in time, or where any does.',
  keywords: [
    'service area',
    'isochrone',
    'catchment',
    'accessibility',
    'walking distance',
    'drive time',
    'travel time',
    'public transport',
    'bus',
    'transit',
  ],
  sources: [
    'Dijkstra 1959, doi:10.1007/BF01386390',
    'Delling, Pajor and Werneck 2015, doi:10.1287/trsc.2014.0534 (timetables)',
  ],
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
    departure: departureParam(),
    window: quantity('time', {
      label: 'And through',
      unit: 'min',
      min: 0,
      max: 86_400,
      help: 'One departure is an accident: look at one each minute so long. 0: the departure only.',
      when: { mode: 'transit' },
    }).default(0),
    over: choice(
      { half: 'at least half of the departures', any: 'the best of them' },
      { label: 'Reached by', when: { mode: 'transit' } },
    ).default('half'),
    change: changeParam(),
    closed: closedParam(),
    added: addedParam(),
    idColumn: column({ of: 'facilities', label: 'Column that names facilities' }).optional(),
  }),
  preview: { kind: 'reach', input: 'network' },
  outputs: {
    reach: shown(output.features('Reach', undefined, { geometry: 'polygon' }), {
      features: {
        by: { kind: 'classes', column: 'limit', rule: 'natural', classes: 3, own: [], ramp: 'tide', reversed: true },
        fill: 0.6,
        outline: '#2d7295',
        width: 0.6,
      },
      first: true,
      panel: { id: 'multiples', title: 'Limit by limit' },
    }),
    unplaced: output.maybeFeatures('Left out', 'left out'),
    edges: output.features('Streets reached', 'streets reached', { geometry: 'line' }),
    through: shown(output.maybeTable('Through the window', 'through the window'), {
      panel: { id: 'through', title: 'Through the window' },
    }),
  },
  figures: {
    placed: { label: 'Facilities placed' },
    unplaced: { label: 'Left out' },
    area: { label: 'Reached within the largest limit', unit: 'm2' },
  },
  checks: ({ network }, p): Check[] => [
    ...modeChecks(network, p),
    ...(p.mode === 'transit' && p.limits.at(-1)! > MOST_AHEAD
      ? [
          {
            level: 'refused' as const,
            code: 'network.ahead',
            about: 'limits',
            message: 'By public transport nothing later than 24 h after leaving is looked at.',
          },
        ]
      : []),
  ],
  suggest: ({ network }, p) => ({ width: suggestWidth(network), ...suggestDeparture(network, p.mode) }),
  estimate: ({ network, facilities }, p) => ({
    cells: network.pieces,
    of: 'pieces',
    bytes: network.pieces * 400 + facilities.count * 2e6,
    seconds:
      0.5 +
      network.pieces / 5e5 +
      facilities.count * 0.1 +
      (p.mode === 'transit' ? (1 + p.window / 60) * facilities.count * (0.02 + network.pieces / 1e6) : 0),
  }),
  run: async ({ network: whole, facilities: some }, p, job) => {
    const given = without(whole, p.closed, job);
    const facilities = withMore(some, p.added, given, p.idColumn);
    const { network, plane, metres } = inPlane(given);
    const through: (Through & { group: number })[] = [];
    let group = 0;
    const { ways, search } = searchOf(network, p, (t) => through.push({ ...t, group }));
    const { places, names, off } = placed(facilities, ways, metres, p.maxSnap, p.idColumn, job, 'facilities');
    const width = (p.width ?? WIDTHS[0]) / metres;
    const there = [...places.keys()].filter((i) => places[i]);
    const groups = p.merge === 'yes' ? [there] : there.map((i) => [i]);
    const most = p.limits.at(-1)!;
    const areas = new FeaturesBuilder();
    const edges = new FeaturesBuilder();
    const rows: { group: number; limit: number }[] = [];
    const streets: { group: number; stretch: Stretch }[] = [];
    const merged = await withGeos((g) => {
      const largest: Shape[] = [];
      groups.forEach((members, k) => {
        job.progress(0.1 + (0.8 * k) / groups.length, 'reach');
        group = k;
        const found = search(
          members.map((i) => places[i]!),
          p.limits,
        );
        let before: Shape = 0;
        p.limits.forEach((limit, j) => {
          const within = found[j]!;
          if (limit === most)
            for (const s of within.stretches) {
              stretchLine(ways, s, edges);
              edges.endFeature();
              streets.push({ group: k, stretch: s });
            }
          const area = areaOf(g, ways, within, width);
          if (!area) return;
          const seen = p.shape === 'bands' && before ? g.difference(area, before) : area;
          if (g.append(seen, 'polygon', areas)) {
            areas.endFeature();
            rows.push({ group: k, limit });
          }
          if (seen !== area) g.free(seen);
          if (before) g.free(before);
          before = area;
        });
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
      through:
        p.window > 0 && p.mode === 'transit'
          ? throughTable(through, named(through), momentOf(p.departure!))
          : undefined,
      figures: { placed: there.length, unplaced: lost.length, area },
    };
  },
});

/** Streets reached by time of leaving and limit. */
function throughTable(all: readonly Through[], facility: Column[], at: Moment): Table {
  return {
    kind: 'table',
    columns: [
      ...facility,
      textColumn(
        'leaving',
        all.map((t) => momentText(later(at, t.after))),
      ),
      numberColumn(
        'after',
        all.map((t) => t.after / 60),
        'min',
      ),
      numberColumn(
        'limit',
        all.map((t) => t.limit),
        's',
      ),
      numberColumn(
        'length',
        all.map((t) => t.length),
        'm',
      ),
    ],
  };
}

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
