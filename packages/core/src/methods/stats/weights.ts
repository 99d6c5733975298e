import * as z from 'zod';
import { HelkError } from '../../errors';
import { plural, type Check } from '../../data/check';
import { formatLength } from '../../data/number-words';
import type { Weights } from '../../data/weights';
import { weightsInfo } from '../../data/weights-facts';
import { defineMethod, input, output, shown } from '../../method/define';
import { flag, number, quantity } from '../../method/params';
import type { NearPlaces } from '../../numeric/near-places';
import { higherOrder, rowNumbers, standardised, withSelf, type Rows } from '../../numeric/sparse-rows';
import { neighbourChecks, neighbourParams, neighboursOf, TOLERANCE } from './neighbours';

export const weights = defineMethod({
  id: 'stats.weights',
  version: 1,
  title: 'Spatial weights',
  question: 'Who is near whom?',
  about:
    'For each feature which others count as its neighbours, and how much: polygons that share a corner or an edge (borders need not share every corner; what lies within the tolerance touches), the k nearest, or all within a distance. Distances are between middles (centres of mass), geodesic in a geographic system. Weights are 1, or a power of the distance in metres. A higher order takes those that are first come to in so many steps. The result is tied to where the features lie and is refused for others.',
  keywords: [
    'spatial weights',
    'neighbours',
    'contiguity',
    'queen',
    'rook',
    'k nearest',
    'distance band',
    'connectivity',
    'adjacency',
    'distance decay',
    'lag order',
  ],
  sources: ['Cliff and Ord 1981, Spatial Processes', 'Karney 2013, doi:10.1007/s00190-012-0578-z'],
  inputs: { features: input.features({ label: 'Features' }) },
  params: z.object({
    ...neighbourParams(true, false),
    power: number({
      label: 'Power of distance',
      min: 0,
      max: 10,
      help: '0: all count alike; 1: half as much twice as far off.',
    }).default(0),
    order: number({ label: 'Steps', min: 1, max: 20, help: '2: the neighbours of neighbours.' }).default(1),
    lower: flag({ label: 'With fewer steps too' }).default(false),
    self: flag({ label: 'The place itself' }).default(false),
    tolerance: quantity('length', {
      label: 'Tolerance of borders',
      unit: 'm',
      above: 0,
      help: 'How far apart borders may lie that are meant to be one.',
    }).default(TOLERANCE),
  }),
  outputs: {
    weights: shown(output.weights('Weights'), {
      features: { colour: '#6d2f5c', width: 0.8, opacity: 0.8, ends: true },
      panel: { id: 'connectivity', title: 'How many neighbours' },
    }),
  },
  named: (_, p) =>
    `Neighbours: ${p.order > 1 ? `${p.order} steps, ` : ''}${{ queen: 'corner or edge', rook: 'edge only', nearest: `${p.k} nearest`, distance: p.distance === undefined ? 'within a distance' : `within ${formatLength(p.distance)}` }[p.neighbours]}${p.power ? ', by distance' : ''}`,
  figures: {
    features: { label: 'Features' },
    links: { label: 'Links' },
    meanNeighbours: { label: 'Neighbours, mean' },
    minNeighbours: { label: 'Fewest' },
    maxNeighbours: { label: 'Most' },
    islands: { label: 'Without any' },
    components: { label: 'Parts' },
    distance: { label: 'Within', unit: 'm' },
  },
  checks: ({ features }, p): Check[] => [
    ...neighbourChecks(features, undefined, p),
    ...(p.order > 1 && p.power > 0
      ? [
          {
            level: 'refused' as const,
            code: 'weights.power',
            about: 'power',
            message: 'By how far off something is, and by how many steps, cannot both be said by one weight.',
            mend: { label: 'Count steps only', set: { power: 0 } },
          },
        ]
      : []),
    ...(p.self && p.power > 0
      ? [
          {
            level: 'refused' as const,
            code: 'weights.self',
            about: 'self',
            message: 'A place lies at no distance from itself: a power of that is no weight.',
            mend: { label: 'Leave it out', set: { self: false } },
          },
        ]
      : []),
    ...(!Number.isInteger(p.order)
      ? [{ level: 'refused' as const, code: 'weights.order', about: 'order', message: 'Steps are whole numbers.' }]
      : []),
    ...(p.standardise
      ? []
      : [
          {
            level: 'fine' as const,
            code: 'weights.plain',
            message: 'Rows do not add up to 1: places with many neighbours count more.',
          },
        ]),
  ],
  estimate: ({ features }, p) => ({
    cells: features.count,
    of: 'features',
    bytes: features.count * (p.neighbours === 'distance' ? 5000 : 2000),
    seconds: 0.1 + features.count / 3e4,
  }),
  run: async ({ features }, p, job) => {
    const { rows: first, places, near, distance, made } = await neighboursOf(features, p, job, p.tolerance);
    let rows = first;
    if (p.order > 1) rows = higherOrder(rows, p.order, p.lower);
    if (p.power > 0) rows = byDistance(rows, near, p.power);
    if (p.self) rows = withSelf(rows, () => 1);
    if (p.standardise) rows = standardised(rows);
    const words = [
      p.order > 1 ? `${p.lower ? 'up to ' : ''}${p.order} steps of ${made}` : made,
      ...(p.power > 0 ? [`weighing by distance to the power of -${p.power}`] : []),
      ...(p.self ? ['with the place itself'] : []),
    ];
    const out: Weights = { kind: 'weights', crs: features.crs, rows, places, made: words.join(', '), open: false };
    const info = weightsInfo(out);
    if (info.islands)
      job.note(
        'look',
        'weights.islands',
        `${plural(info.islands, 'feature')} ${info.islands === 1 ? 'has' : 'have'} no neighbour.`,
      );
    return {
      weights: out,
      figures: {
        features: info.places,
        links: info.links,
        meanNeighbours: info.mean,
        minNeighbours: info.min,
        maxNeighbours: info.max,
        islands: info.islands,
        components: info.components,
        distance,
      },
    };
  },
});

/** @throws HelkError `method.input` where two lie at one place */
function byDistance(w: Rows, near: NearPlaces, power: number): Rows {
  const from = rowNumbers(w);
  let same = 0;
  const values = w.values.map((_, k) => {
    const d = near.distance(from[k]!, w.neighbours[k]!);
    if (!(d > 0)) same++;
    return d ** -power;
  });
  if (same)
    throw new HelkError(
      'method.input',
      `${plural(same / 2, 'pair')} of features ${same === 2 ? 'lies' : 'lie'} at one place: at no distance a power of it is no weight.`,
      'power',
    );
  return { ...w, values };
}
