import { zipSync } from 'fflate';
import { HelkError } from '../errors';
import type { Features } from '../data/features';
import {
  dataOf,
  handleOn,
  kindOf,
  ofKind,
  type AnyHandle,
  type Dataset,
  type DatasetKind,
  type Kinds,
} from '../data/kinds';
import { networkLines, type Network } from '../data/network';
import type { Table } from '../data/table';
import { writeDxf } from './dxf';
import { timetableLines } from '../data/timetable-lines';
import type { Timetable } from '../data/timetable';
import { writeFlatGeobuf } from './flatgeobuf';
import { writeGeoPackage } from './geopackage-write';
import { writeTiff } from './geotiff-write';
import { writeAsciiGrid, writeDelimited, writeGeoJson } from './index';
import { FEED_BESIDE, NETWORK_IN_FEED, writeFeed } from './gtfs';
import { writeKml } from './kml';
import { writeLas } from './las-write';
import { shapefileFiles } from './shapefile';
import { MemorySink, type ByteSink } from './source';
import { formatNamed, WRITE_FORMATS, type WriteFormat } from './write-formats';
import { wideFeatures, wideTable, writeLong } from './stack-write';
import type { TimeStack } from '../data/stack';
import { PLACES_BESIDE } from './recognise';
import { weightLines, weightRows, type Weights } from '../data/weights';
import { numberColumn } from '../data/table';
import { writeXlsx } from './xlsx';

export { formatNamed, WRITE_FORMATS, type WriteFormat };
export { writeGeoPackage, type PackageTable } from './geopackage-write';

type Progress = (share: number) => void;
/** Writes what a handle gives; `name` is what the dataset is called, for formats that carry a name inside. */
type Writer<K extends DatasetKind> = (
  handle: Kinds[K]['handle'],
  out: ByteSink,
  name: string,
  progress: Progress | undefined,
) => Promise<void>;
/** How a format writes each kind that it can hold. */
type Writers = { [K in DatasetKind]?: Writer<K> };

const utf8 = (s: string): Uint8Array => new TextEncoder().encode(s);

/** A writer of what must be in memory to be written. */
const whole =
  <D extends Dataset>(bytes: (d: D, name: string) => Uint8Array | string | Promise<Uint8Array>) =>
  async (handle: { load(): Promise<D> }, out: ByteSink, name: string): Promise<void> => {
    const made = await bytes(await handle.load(), name);
    await out.write(typeof made === 'string' ? utf8(made) : made);
  };

const delimited = (separator: ',' | '\t'): Writers => ({
  features: whole((d: Features) => writeDelimited(d, separator)),
  table: whole((d: Table) => writeDelimited(d, separator)),
  weights: whole((d: Weights) => writeDelimited(rowsOf(d), separator)),
  stack: async (handle, out, _name, progress) => writeLong(handle, out, separator, progress),
});

/** Weights as rows of numbers, as outside programs take them: only links, without places. */
const rowsOf = (w: Weights): Table => ({
  kind: 'table',
  columns: Object.entries(weightRows(w)).map(([name, values]) => numberColumn(name, values)),
});

/** A kind as the lines that it is written as. */
const lines =
  <D>(write: Writer<'features'>, of: (d: D) => Features) =>
  async (handle: { load(): Promise<D> }, out: ByteSink, name: string, progress: Progress | undefined): Promise<void> =>
    write(handleOn(of(await handle.load())) as Kinds['features']['handle'], out, name, progress);

const asLines = (writers: Writers): Writers => ({
  ...writers,
  network: lines(writers.features!, networkLines),
  timetable: lines(writers.features!, timetableLines),
  weights: lines(writers.features!, weightLines),
  stack: lines(writers.features!, wideFeatures),
});

const WRITERS: Record<WriteFormat, Writers> = {
  geotiff: { raster: (handle, out, _, progress) => writeTiff(handle, out, progress ? { progress } : {}) },
  'ascii-grid': { raster: whole(writeAsciiGrid) },
  geopackage: asLines({
    features: whole((data: Features, name) => writeGeoPackage([{ name, data }])),
    table: whole((data: Table, name) => writeGeoPackage([{ name, data }])),
  }),
  geojson: asLines({ features: whole((d: Features) => writeGeoJson(d)) }),
  'geojson-native': asLines({ features: whole((d: Features) => writeGeoJson(d, true)) }),
  shapefile: { features: whole(shapefileZip) },
  flatgeobuf: asLines({ features: whole((d: Features) => writeFlatGeobuf(d)) }),
  kml: { features: whole(writeKml) },
  kmz: { features: whole((d: Features, name) => zipSync({ 'doc.kml': utf8(writeKml(d, name)) })) },
  dxf: { features: whole((d: Features) => writeDxf(d)) },
  csv: delimited(','),
  tsv: delimited('\t'),
  xlsx: {
    features: whole((d: Features, name) => writeXlsx(d, name)),
    table: whole((d: Table, name) => writeXlsx(d, name)),
    weights: whole((d: Weights, name) => writeXlsx(rowsOf(d), name)),
    stack: whole((d: TimeStack, name) => writeXlsx(wideTable(d), name)),
  },
  'csv-wide': { stack: whole((d: TimeStack) => writeDelimited(wideTable(d))) },
  'stack-zip': { stack: whole(stackZip) },
  las: { cloud: (handle, out, _, progress) => writeLas(handle, out, 4, progress) },
  gtfs: { timetable: whole((d: Timetable) => writeFeed(d)) },
  'network-zip': { network: whole(networkZip) },
  las12: { cloud: (handle, out, _, progress) => writeLas(handle, out, 2, progress) },
};

/** A network's lines; in a feed of its own where it has a timetable. */
function networkZip(n: Network): Uint8Array {
  const own = { [NETWORK_IN_FEED]: utf8(writeGeoJson(networkLines(n), true)) };
  return n.timetable ? writeFeed(n.timetable, own) : zipSync(own);
}

/** Rows and places of a time stack, as they are found beside each other. */
async function stackZip(d: TimeStack, name: string): Promise<Uint8Array> {
  const file = fileName(name, 'stack');
  const rows = new MemorySink();
  await writeLong(handleOn(d) as Kinds['stack']['handle'], rows, ',');
  return zipSync({ [`${file}.csv`]: rows.bytes(), [`${file}.${PLACES_BESIDE}`]: utf8(writeGeoJson(d.places)) });
}

const fileName = (name: string, usual: string): string =>
  name.replace(/[^\p{L}\p{N} _-]+/gu, '_').slice(0, 60) || usual;

function shapefileZip(d: Features, name: string): Uint8Array {
  const file = fileName(name, 'features');
  return zipSync(
    Object.fromEntries(Object.entries(shapefileFiles(d)).map(([ext, bytes]) => [`${file}.${ext}`, bytes])),
  );
}

/** Whether a format can hold a kind of data. */
export const canWrite = (format: WriteFormat, kind: DatasetKind): boolean =>
  Object.hasOwn(WRITERS, format) && WRITERS[format][kind] !== undefined;

/**
 * Writes a dataset as a file.
 *
 * @throws HelkError `export.unsupported` when the format cannot hold it
 */
export async function writeTo(
  out: ByteSink,
  handle: AnyHandle,
  format: WriteFormat,
  name = 'result',
  progress?: Progress,
): Promise<void> {
  const { kind } = handle;
  if (!canWrite(format, kind)) {
    const { words, formats } = kindOf(handle);
    throw new HelkError(
      'export.unsupported',
      `A ${words.one} cannot be written as "${format}"; use ${formats.join(' or ')}.`,
      'as',
    );
  }
  await (WRITERS[format][kind] as Writer<DatasetKind>)(handle as never, out, name, progress);
}

/** Files that are written beside one of a format, by their endings, where that alone does not hold all of a dataset. */
export async function writtenBeside(
  handle: AnyHandle,
  format: WriteFormat,
): Promise<{ extension: string; bytes: Uint8Array }[]> {
  if (handle.kind === 'stack' && (format === 'csv' || format === 'tsv' || format === 'csv-wide')) {
    const places = await (handle as Kinds['stack']['handle']).places();
    return [{ extension: PLACES_BESIDE, bytes: utf8(writeGeoJson(places)) }];
  }
  const network = format === 'network-zip' ? null : ofKind('network', handle.head);
  if (!network?.timetable) return [];
  const { timetable } = dataOf('network', await handle.load())!;
  return timetable ? [{ extension: FEED_BESIDE, bytes: writeFeed(timetable) }] : [];
}

/** A dataset in memory as the bytes of a file. Throws as `writeTo` does. */
export async function writeDataset(d: Dataset, format: WriteFormat, name?: string): Promise<Uint8Array> {
  const out = new MemorySink();
  await writeTo(out, kindOf(d).wrap(d), format, name);
  return out.bytes();
}
