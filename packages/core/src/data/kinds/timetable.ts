import * as z from 'zod';
import { HelkError } from '../../errors';
import { packBinary, unpackBinary } from '../../formats/binary';
import { placeLosses } from '../../formats/column-losses';
import { faultShape, packTimetable, unpackTimetable } from '../../formats/timetable-binary';
import { vectorLook } from '../../render/look-shapes';
import { plural, type Check } from '../check';
import { systemBrief } from '../crs';
import { featureCount, type Features, type FeaturesInfo } from '../features';
import { columnsFlaw } from '../flaws';
import { inMemory, type Handle } from '../handle';
import { infiniteInColumns } from '../infinite';
import { columns, count, crs } from '../info-shapes';
import { formatNumber } from '../number-words';
import { rowsIn, type Timetable } from '../timetable';
import { timetableInfo, type TimetableInfo } from '../timetable-facts';
import { timetableLines } from '../timetable-lines';
import { getWhole, putWhole } from '../whole-store';
import { given, onlyPlace, type KindRecord } from './kind';

/** Array of the feed itself, beside the lines that it is drawn as. */
export const FEED = 'feed';

const date = z.string().regex(/^\d{4}-\d\d-\d\d$/);
const text = z.string().max(10_000);

const asLines = (info: TimetableInfo): FeaturesInfo => ({
  kind: 'features',
  crs: info.crs,
  geometry: 'line',
  count: info.stretches,
  extent: info.extent,
  columns: info.columns,
});

const said = (f: TimetableInfo['faults']['told'][number]): string =>
  `${f.file}.txt${f.row === null ? '' : ` row ${f.row}`}: ${f.message}`;

/** When and where public transport goes. */
export const timetable: KindRecord<
  'timetable',
  Timetable,
  TimetableInfo,
  Handle<Timetable, TimetableInfo, 'timetable'>
> = {
  kind: 'timetable',
  words: { one: 'timetable', many: 'timetables' },
  placed: true,
  shape: z.object({
    kind: z.literal('timetable'),
    crs: crs.nullable(),
    extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
    placed: count,
    stops: count,
    lines: count,
    trips: count,
    calls: count,
    agencies: z.array(text).max(20),
    timezone: text,
    first: date.nullable(),
    last: date.nullable(),
    perDay: z.array(z.number().min(0)).max(2000),
    stretches: count,
    columns,
    files: z.array(z.object({ name: text, rows: count })).max(1000),
    faults: z.object({ count, errors: count, told: z.array(faultShape).max(1000) }),
  }),
  lookShape: vectorLook,

  info: timetableInfo,
  study: (handle) => Promise.resolve(handle.info),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: (info) => info.crs,
  extent: (info) => info.extent,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) => `timetable · ${plural(info.lines, 'line')} · ${plural(info.stops, 'stop')}`,
  make: (info) => ['timetable', info.agencies],
  arrival: (info) => [
    `${plural(info.lines, 'line')} over ${plural(info.stops, 'stop')}, ${plural(info.trips, 'trip')}`,
    info.first ? `runs from ${info.first} to ${info.last!}` : 'never runs',
  ],
  details: (info) => [
    { name: 'Of', value: info.agencies.join(', ') || 'not said' },
    {
      name: 'Runs',
      value: info.first ? `${info.first} to ${info.last!}, times of ${info.timezone || 'no zone'}` : 'never',
    },
    { name: 'Lines', value: formatNumber(info.lines) },
    {
      name: 'Stops',
      value: `${formatNumber(info.stops)}${info.placed < info.stops ? `, ${formatNumber(info.stops - info.placed)} without a place` : ''}`,
    },
    { name: 'Trips', value: `${formatNumber(info.trips)}, ${formatNumber(info.calls)} calls` },
    { name: 'Files', value: info.files.map((f) => `${f.name} ${formatNumber(f.rows)}`).join(', ') },
  ],
  checks: (info) => {
    const out: Check[] = [];
    const { faults } = info;
    if (!info.first)
      out.push({
        level: 'look',
        code: 'timetable.never',
        message: 'None of its services ever runs; nobody gets anywhere by it.',
      });
    if (faults.count)
      out.push({
        level: 'look',
        code: 'timetable.faults',
        message: `${plural(faults.count, 'fault')} against the specification, ${formatNumber(faults.errors)} of them in what cannot be used: ${faults.told.slice(0, 2).map(said).join('; ')}${faults.count > 2 ? ' …' : ''}.`,
      });
    return out;
  },
  give: (info, by) => {
    onlyPlace(by);
    if (by.crs !== undefined) throw given('coordinate system');
    return info;
  },
  rows: (info) => ({ count: info.stretches, columns: info.columns, noun: 'stretches' }),
  asFeatures: asLines,
  misfit: () => null,
  inspect: ({ kind: _, crs: system, columns: _c, perDay, stretches: _s, placed: _p, faults, ...info }) => ({
    ...info,
    crs: systemBrief(system),
    mostTripsADay: perDay.reduce((a, b) => Math.max(a, b), 0),
    faults: faults.count,
    errors: faults.errors,
    faultsTold: faults.told.slice(0, 50).map(said),
  }),

  heldBytes: (info) => info.files.reduce((n, f) => n + f.rows * 100, 0),
  flaw: (d) => {
    for (const [file, all] of Object.entries(d.files)) {
      const flaw = columnsFlaw(all, rowsIn(d, file));
      if (flaw) return `in ${file}.txt ${flaw}`;
    }
    return null;
  },
  tame: (d) => Object.values(d.files).reduce((n, all) => n + infiniteInColumns(all), 0),

  review: (handle) =>
    Promise.resolve({
      extent: handle.info.extent,
      crs: systemBrief(handle.info.crs),
      columns: handle.info.columns.length,
      rows: handle.info.stretches,
      min: null,
      max: null,
      missing: 0,
      unit: null,
      scalable: false,
    }),

  wrap: (d) => inMemory('timetable', d, timetableInfo),
  open: (info, store) => ({
    kind: 'timetable',
    info,
    head: info,
    load: async () => unpackTimetable(await getWhole(store, FEED)),
  }),
  pack: async (handle, store, progress) => {
    const d = await handle.load();
    await putWhole(store, packBinary(timetableLines(d)), progress);
    await putWhole(store, packTimetable(d), progress, FEED);
    return handle.info;
  },
  verify: async (info, store) => {
    const lines = unpackBinary(await getWhole(store), 'features') as Features;
    const d = unpackTimetable(await getWhole(store, FEED));
    if (featureCount(lines) !== info.stretches || info.files.some((f) => rowsIn(d, f.name) !== f.rows))
      throw new HelkError('file.damaged', 'Its rows are others.');
  },

  formats: ['gtfs', 'geojson', 'geopackage', 'flatgeobuf'],
  losses: (info, format) =>
    format === 'gtfs'
      ? []
      : ['Only the lines are written, not when anything runs.', ...placeLosses(asLines(info), format)],
};
