import * as z from 'zod';
import { packBinary, unpackBinary } from '../../formats/binary';
import { columnLosses, placeLosses } from '../../formats/column-losses';
import { codeChecks } from '../column-checks';
import { columnInfo, doubledPoints } from '../column-facts';
import { plural, type Check } from '../check';
import { parseCrs, systemBrief } from '../crs';
import { featureCount, featuresExtent, type Features, type FeaturesInfo } from '../features';
import { featuresFlaw } from '../flaws';
import { inMemory, type Handle } from '../handle';
import { infiniteInColumns } from '../infinite';
import { columns, count, crs } from '../info-shapes';
import { vectorLook } from '../../render/look-shapes';
import { formatNumber } from '../number-words';
import { getWhole, putWhole, StoredWhole } from '../whole-store';
import { withUnit } from '../quantity';
import { onlyPlace, sameColumns, type KindRecord } from './kind';

/** Coordinates a feature has, about; they are not known from the description. */
const CORNERS = { point: 1, line: 12, polygon: 24 };

/** Points, lines or areas with columns. */
export const features: KindRecord<'features', Features, FeaturesInfo, Handle<Features, FeaturesInfo, 'features'>> = {
  kind: 'features',
  words: { one: 'feature set', many: 'feature sets' },
  placed: true,
  shape: z.object({
    kind: z.literal('features'),
    crs: crs.nullable(),
    geometry: z.enum(['point', 'line', 'polygon']),
    count,
    extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
    columns,
    doubled: count.optional(),
  }),
  lookShape: vectorLook,

  info: (d) => ({
    kind: 'features',
    crs: d.crs,
    geometry: d.geometry,
    count: featureCount(d),
    extent: featuresExtent(d),
    columns: d.columns.map(columnInfo),
    ...(d.geometry === 'point' ? { doubled: doubledPoints(d) } : {}),
  }),
  study: (handle) => Promise.resolve(handle.info),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: (info) => info.crs,
  extent: (info) => info.extent,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) => `${info.count} ${info.geometry}${info.count === 1 ? '' : 's'}`,
  make: (info) => ['features', info.geometry, info.columns.map((c) => [c.name, c.type])],
  arrival: (info) => [`columns: ${info.columns.map((c) => c.name).join(', ') || 'none'}`],
  details: (info) => [
    { name: 'Features', value: `${formatNumber(info.count)} ${info.geometry}s` },
    { name: 'Columns', value: info.columns.map((c) => withUnit(c.name, c.unit)).join('; ') || 'none' },
  ],
  checks: (info) => {
    const checks: Check[] = [...codeChecks(info.columns)];
    if (info.count === 0) checks.push({ level: 'look', code: 'features.none', message: 'There is no feature in it.' });
    if (info.doubled)
      checks.push({
        level: 'look',
        code: 'points.doubled',
        message: `${plural(info.doubled, 'point')} ${info.doubled === 1 ? 'lies' : 'lie'} exactly where another lies: measured again, or taken in twice?`,
      });
    return checks;
  },
  give: (info, by) => {
    onlyPlace(by);
    return by.crs === undefined ? info : { ...info, crs: parseCrs(by.crs) };
  },
  rows: (info) => ({ count: info.count, columns: info.columns, noun: `${info.geometry}s` }),
  asFeatures: (info) => info,
  misfit: ({ geometry }, { geometry: wanted }) =>
    wanted && geometry !== wanted ? `${wanted}s are wanted, these are ${geometry}s.` : null,
  inspect: ({ crs: system, geometry, count: n, extent, columns: all }) => ({
    geometry,
    count: n,
    crs: systemBrief(system),
    extent,
    columns: all,
  }),

  heldBytes: (f) => f.count * (16 * CORNERS[f.geometry] + 12 + 10 * f.columns.length),
  flaw: featuresFlaw,
  tame: (d) => infiniteInColumns(d.columns),

  // The topology library is loaded for it.
  remarks: async (handle) => (await import('../validity')).validityNotes(await handle.load()),
  review: async (handle) => {
    const d = await handle.load();
    return {
      extent: featureCount(d) ? featuresExtent(d) : null,
      crs: systemBrief(d.crs),
      columns: d.columns.length,
      rows: featureCount(d),
      min: null,
      max: null,
      missing: 0,
      unit: null,
      scalable: false,
    };
  },

  wrap: (d) => inMemory('features', d, features.info),
  // The system is that of the description: it can be given by hand after the places were stored.
  open: (info, store) => new StoredWhole(info, store, (bytes) => ({ ...read(bytes), crs: info.crs })),
  pack: async (handle, store, progress) => {
    await putWhole(store, packBinary(await handle.load()), progress);
    return handle.info;
  },
  verify: async (info, store) => {
    const d = read(await getWhole(store));
    sameColumns(info, d.columns, featureCount(d), info.count);
  },

  formats: [
    'geojson',
    'geopackage',
    'geojson-native',
    'shapefile',
    'flatgeobuf',
    'kml',
    'kmz',
    'dxf',
    'csv',
    'tsv',
    'xlsx',
  ],
  losses: (info, format) => [...placeLosses(info, format), ...columnLosses(info.columns, info.count, format)],
};

const read = (bytes: Uint8Array): Features => unpackBinary(bytes, 'features') as Features;
