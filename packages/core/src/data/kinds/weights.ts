import * as z from 'zod';
import { HelkError } from '../../errors';
import { packBinary, unpackBinary } from '../../formats/binary';
import { vectorLook } from '../../render/look-shapes';
import { plural, type Check } from '../check';
import { systemBrief } from '../crs';
import { featureCount, type Features, type FeaturesInfo } from '../features';
import { featuresFlaw } from '../flaws';
import { inMemory, type Handle } from '../handle';
import { columns, count, crs } from '../info-shapes';
import { formatNumber } from '../number-words';
import { weightLines, weightsOf, type Weights } from '../weights';
import { weightsInfo, type WeightsInfo } from '../weights-facts';
import { getWhole, putWhole, StoredWhole } from '../whole-store';
import { given, onlyPlace, sameColumns, type KindRecord } from './kind';

/** The description of the links that it is stored and drawn as. */
const asLines = (info: WeightsInfo): FeaturesInfo => ({
  kind: 'features',
  crs: info.crs,
  geometry: 'line',
  count: info.stored,
  extent: info.extent,
  columns: info.columns,
});

/** Who is near whom. */
export const weights: KindRecord<'weights', Weights, WeightsInfo, Handle<Weights, WeightsInfo, 'weights'>> = {
  kind: 'weights',
  words: { one: 'weights dataset', many: 'weights' },
  // Those that come as rows of numbers lie nowhere, and lack nothing by it.
  placed: false,
  shape: z.object({
    kind: z.literal('weights'),
    crs: crs.nullable(),
    extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
    places: count,
    links: count,
    connectivity: z.array(count).max(1000),
    mean: z.number().min(0),
    min: count,
    max: count,
    islands: count,
    components: count,
    standardised: z.boolean(),
    symmetric: z.boolean(),
    self: z.boolean(),
    made: z.string().max(1000),
    open: z.boolean(),
    stored: count,
    columns,
  }),
  lookShape: vectorLook,

  info: weightsInfo,
  study: (handle) => Promise.resolve(handle.info),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: (info) => info.crs,
  extent: (info) => info.extent,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) => `weights · ${plural(info.places, 'feature')} · ${formatNumber(info.mean, 1)} neighbours each`,
  make: () => ['weights'],
  arrival: (info) => [
    `${plural(info.links, 'link')} between ${plural(info.places, 'feature')}, ${formatNumber(info.mean, 2)} neighbours each`,
  ],
  details: (info) => [
    { name: 'Neighbours', value: info.made },
    { name: 'Features', value: formatNumber(info.places) },
    {
      name: 'Links',
      value: `${formatNumber(info.links)}: ${formatNumber(info.mean, 2)} a feature, ${info.min} to ${info.max}`,
    },
    { name: 'Without neighbours', value: formatNumber(info.islands) },
    { name: 'Parts', value: formatNumber(info.components) },
    {
      name: 'Weights',
      value: [
        info.standardised ? 'each row adds up to 1' : 'as they are, not standardised',
        info.symmetric ? 'links run both ways' : 'links do not all run both ways',
        ...(info.self ? ['the place itself among them'] : []),
      ].join(', '),
    },
  ],
  checks: (info) => {
    const out: Check[] = [];
    if (info.islands)
      out.push({
        level: 'look',
        code: 'weights.islands',
        message: `${plural(info.islands, 'feature')} ${info.islands === 1 ? 'has' : 'have'} no neighbour: nothing can be said of ${info.islands === 1 ? 'it' : 'them'} by neighbours.`,
      });
    if (info.components - info.islands > 1)
      out.push({
        level: 'look',
        code: 'weights.parts',
        message: `The links fall into ${info.components - info.islands} parts that nothing joins.`,
      });
    if (info.open)
      out.push({
        level: 'look',
        code: 'weights.open',
        message:
          'These came as numbers of rows: which features they were made from cannot be told, so they are taken in the order of whatever features they are used with.',
      });
    return out;
  },
  give: (info, by) => {
    onlyPlace(by);
    if (by.crs !== undefined) throw given('coordinate system');
    return info;
  },
  rows: (info) => ({ count: info.stored, columns: info.columns, noun: 'links' }),
  asFeatures: asLines,
  misfit: () => null,
  inspect: ({ kind: _, crs: system, columns: _c, stored: _s, connectivity, ...info }) => ({
    ...info,
    crs: systemBrief(system),
    connectivity,
  }),

  heldBytes: (info) => info.stored * 90 + info.places * 24,
  flaw: (d) => featuresFlaw(weightLines(d)),
  tame: () => 0,

  review: (handle) =>
    Promise.resolve({
      extent: handle.info.extent,
      crs: systemBrief(handle.info.crs),
      columns: 3,
      rows: handle.info.links,
      min: null,
      max: null,
      missing: 0,
      unit: null,
      scalable: false,
    }),

  wrap: (d) => inMemory('weights', d, weightsInfo),
  open: (info, store) => new StoredWhole(info, store, (bytes) => weightsOf(read(bytes), info)),
  pack: async (handle, store, progress) => {
    await putWhole(store, packBinary(weightLines(await handle.load())), progress);
    return handle.info;
  },
  verify: async (info, store) => {
    const lines = read(await getWhole(store));
    sameColumns(info, lines.columns, featureCount(lines), info.stored);
    if (weightsInfo(weightsOf(lines, info)).links !== info.links)
      throw new HelkError('file.damaged', 'Its links are others.');
  },

  formats: ['csv', 'geojson', 'geopackage', 'tsv', 'xlsx'],
  losses: (_info, format) =>
    format === 'csv' || format === 'tsv' || format === 'xlsx'
      ? ['Rows name features by their number from 1: which features those are is not in the file.']
      : [],
};

const read = (bytes: Uint8Array): Features => unpackBinary(bytes, 'features') as Features;
