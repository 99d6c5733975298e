import * as z from 'zod';
import { HelkError } from '../../errors';
import { packBinary, unpackBinary } from '../../formats/binary';
import { columnLosses, placeLosses } from '../../formats/column-losses';
import { vectorLook } from '../../render/look-shapes';
import { plural, type Check } from '../check';
import { parseCrs, systemBrief } from '../crs';
import { featureCount, type Features, type FeaturesInfo } from '../features';
import { inMemory, type Handle } from '../handle';
import { infiniteInColumns } from '../infinite';
import { columns, count, crs } from '../info-shapes';
import { MODES, networkLines, networkOf, nodeCount, pieceCount, type Mode, type Network } from '../network';
import { networkFlaw, networkInfo, STOP_REACH, type NetworkInfo } from '../network-facts';
import { formatLength, formatNumber, percentOf } from '../number-words';
import { packTimetable, unpackTimetable } from '../../formats/timetable-binary';
import { getWhole, putWhole } from '../whole-store';
import { FEED } from './timetable';
import { onlyPlace, sameColumns, type KindRecord } from './kind';

const length = z.number().min(0);
const fault = z.object({ count, places: z.array(z.array(z.number()).min(2).max(3)).max(1000) });
const mode = z.object({ length, oneWay: count });

const WAYS: Record<Mode, string> = { walk: 'on foot', bicycle: 'by bicycle', car: 'by car' };

/** The description of the lines that it is stored and written as. */
const asLines = (info: NetworkInfo): FeaturesInfo => ({
  kind: 'features',
  crs: info.crs,
  geometry: 'line',
  count: info.pieces,
  extent: info.extent,
  columns: info.columns,
});

/** Streets that join. */
export const network: KindRecord<'network', Network, NetworkInfo, Handle<Network, NetworkInfo, 'network'>> = {
  kind: 'network',
  words: { one: 'network', many: 'networks' },
  placed: true,
  shape: z.object({
    kind: z.literal('network'),
    crs: crs.nullable(),
    extent: z.tuple([z.number(), z.number(), z.number(), z.number()]).nullable(),
    pieces: count,
    nodes: count,
    length,
    columns,
    modes: z.object({ walk: mode, bicycle: mode, car: mode }),
    components: count,
    largestShare: z.number().min(0).max(1),
    deadEnds: count,
    nearly: fault,
    traps: fault,
    timetable: z
      .object({
        stops: count,
        apart: count,
        lines: count,
        trips: count,
        timezone: z.string().max(400),
        first: z.string().max(10).nullable(),
        last: z.string().max(10).nullable(),
        perDay: z.array(z.number().min(0)).max(2000),
      })
      .optional(),
  }),
  lookShape: vectorLook,

  info: networkInfo,
  study: (handle) => Promise.resolve(handle.info),
  part: (info) => ({ info, detail: null }),
  join: (info) => info,

  system: (info) => info.crs,
  extent: (info) => info.extent,
  unit: () => null,
  lacksUnit: () => false,
  summary: (info) => `network · ${formatNumber(info.pieces)} pieces · ${formatLength(info.length)}`,
  make: (info) => ['network', info.columns.map((c) => [c.name, c.type])],
  arrival: (info) => [
    `${formatNumber(info.pieces)} pieces of streets between ${formatNumber(info.nodes)} nodes, ${formatLength(info.length)}`,
    ...(info.timetable ? [`with a timetable of ${plural(info.timetable.lines, 'line')}`] : []),
  ],
  details: (info) => [
    { name: 'Pieces', value: `${formatNumber(info.pieces)} between ${formatNumber(info.nodes)} nodes` },
    { name: 'Length', value: formatLength(info.length) },
    ...MODES.map((m) => ({
      name: WAYS[m].replace(/^./, (c) => c.toUpperCase()),
      value: `${formatLength(info.modes[m].length)}${info.modes[m].oneWay ? `, ${plural(info.modes[m].oneWay, 'piece')} one way only` : ''}`,
    })),
    { name: 'Hanging together', value: `${percent(info.largestShare)} of ${plural(info.components, 'part')}` },
    { name: 'Dead ends', value: formatNumber(info.deadEnds) },
    ...(info.timetable
      ? [
          {
            name: 'Public transport',
            value: `${plural(info.timetable.lines, 'line')}, ${plural(info.timetable.stops, 'stop')}, ${info.timetable.first ? `${info.timetable.first} to ${info.timetable.last!}` : 'never runs'}`,
          },
        ]
      : []),
  ],
  checks: (info) => {
    const out: Check[] = [];
    if (info.pieces === 0) out.push({ level: 'look', code: 'network.none', message: 'There is no street in it.' });
    if (info.components > 1)
      out.push({
        level: 'look',
        code: 'network.parts',
        message: `It falls into ${info.components} parts; the largest has ${percent(info.largestShare)} of the length. From one part none of the others is reached.`,
      });
    if (info.nearly.count)
      out.push({
        level: 'look',
        code: 'network.nearly',
        message: `${plural(info.nearly.count, 'dead end')} ${info.nearly.count === 1 ? 'lies' : 'lie'} within 10 m of a street without joining it, the nearest ${formatNumber(info.nearly.places[0]?.[2] ?? 0, 1)} m off: a larger tolerance would join ${info.nearly.count === 1 ? 'it' : 'them'}.`,
      });
    if (info.traps.count)
      out.push({
        level: 'look',
        code: 'network.traps',
        message: `A car cannot come to ${plural(info.traps.count, 'node')}, or cannot leave ${info.traps.count === 1 ? 'it' : 'them'}: one-way streets that lead nowhere?`,
      });
    if (info.timetable?.apart)
      out.push({
        level: 'look',
        code: 'network.stops',
        message: `${plural(info.timetable.apart, 'stop')} of ${formatNumber(info.timetable.stops)} ${info.timetable.apart === 1 ? 'lies' : 'lie'} more than ${STOP_REACH} m from any street one may walk along: nobody gets on or off there.`,
      });
    return out;
  },
  give: (info, by) => {
    onlyPlace(by);
    return by.crs === undefined ? info : { ...info, crs: parseCrs(by.crs) };
  },
  rows: (info) => ({ count: info.pieces, columns: info.columns, noun: 'pieces' }),
  asFeatures: asLines,
  misfit: () => null,
  inspect: ({ crs: system, pieces, nodes, length: metres, extent, columns: all, modes, ...faults }) => ({
    pieces,
    nodes,
    length: metres,
    crs: systemBrief(system),
    extent,
    ...Object.fromEntries(MODES.map((m) => [`${m}Length`, modes[m].length])),
    components: faults.components,
    largestShare: faults.largestShare,
    deadEnds: faults.deadEnds,
    nearlyJoined: faults.nearly.count,
    traps: faults.traps.count,
    ...(faults.timetable ? { timetable: { ...faults.timetable, perDay: undefined } } : {}),
    columns: all,
  }),

  heldBytes: (info) => info.pieces * (300 + 10 * info.columns.length),
  flaw: networkFlaw,
  tame: (d) => infiniteInColumns(d.pieces.columns),

  review: async (handle) => {
    const d = await handle.load();
    return {
      extent: handle.info.extent,
      crs: systemBrief(d.pieces.crs),
      columns: d.pieces.columns.length,
      rows: pieceCount(d),
      min: null,
      max: null,
      missing: 0,
      unit: null,
      scalable: false,
    };
  },

  wrap: (d) => inMemory('network', d, networkInfo),
  // The system is that of the description: it can be given by hand after the places were stored.
  open: (info, store) => ({
    kind: 'network',
    info,
    head: info,
    load: async () => {
      const d = read(await getWhole(store));
      const timetable = info.timetable && unpackTimetable(await getWhole(store, FEED));
      return { ...d, pieces: { ...d.pieces, crs: info.crs }, ...(timetable ? { timetable } : {}) };
    },
  }),
  pack: async (handle, store, progress) => {
    const d = await handle.load();
    await putWhole(store, packBinary(networkLines(d)), progress);
    if (d.timetable) await putWhole(store, packTimetable(d.timetable), progress, FEED);
    return handle.info;
  },
  verify: async (info, store) => {
    const lines = unpackBinary(await getWhole(store), 'features') as Features;
    sameColumns(info, lines.columns, featureCount(lines), info.pieces);
    if (nodeCount(networkOf(lines)) !== info.nodes) throw new HelkError('file.damaged', 'Its nodes are others.');
  },

  formats: ['geojson', 'geopackage', 'geojson-native', 'flatgeobuf', 'network-zip'],
  losses: (info, format) => [
    ...(info.timetable && format !== 'network-zip'
      ? [
          'The timetable is not in this file: the command line writes it beside, and “GeoJSON with its timetable (zip)” holds both.',
        ]
      : []),
    ...placeLosses(asLines(info), format),
    ...columnLosses(info.columns, info.pieces, format),
  ],
};

const percent = (share: number): string => `${percentOf(share, 2)} %`;
const read = (bytes: Uint8Array): Network => networkOf(unpackBinary(bytes, 'features') as Features);
