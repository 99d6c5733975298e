import { HelkError } from '../errors';
import { kindOf } from '../data/kinds';
import { infinite } from '../data/raster-handles';
import { zip } from './archive';
import { asciiGrid } from './ascii-grid';
import { delimited } from './delimited';
import { flatgeobuf } from './flatgeobuf';
import { geojson } from './geojson';
import { geopackage } from './geopackage';
import { geotiff } from './geotiff';
import { gpx, kml } from './kml';
import { las } from './las';
import { netcdf } from './netcdf';
import { ply } from './ply';
import { recognised } from './recognise';
import { shapefile } from './shapefile';
import { xyz } from './xyz';
import {
  claim,
  MOST_LAYERS,
  READ_LIMITS,
  type FileFormat,
  type Layer,
  type OpenLayer,
  type ReadOptions,
} from './reader';
import { memorySource, type ByteSource } from './source';

/** In the order they are tried: by signature first, by guess last. */
export const FORMATS: readonly FileFormat[] = [
  geotiff,
  las,
  ply,
  netcdf,
  geopackage,
  flatgeobuf,
  shapefile,
  zip,
  kml,
  gpx,
  asciiGrid,
  xyz,
  geojson,
  delimited,
];

/** Bytes by which a format is recognised. */
const HEAD = 2 ** 16;

/**
 * Opens a file of any known format; the content decides, not the name. What can be read in parts is read when it is asked for.
 *
 * @throws HelkError `file.*` with a sentence that says what is wrong and what to do.
 */
export async function openFile(
  name: string,
  source: ByteSource,
  options: Partial<ReadOptions> = {},
): Promise<{ format: FileFormat; layers: OpenLayer[] }> {
  if (source.size === 0) throw new HelkError('file.empty', `"${name}" is empty (0 bytes).`, name);
  const head = await source.range(0, HEAD);
  const format = FORMATS.find((f) => f.sniff(head, name));
  if (!format) throw new HelkError('file.unknown', unknownSentence(name, head), name);
  const o: ReadOptions = {
    ...READ_LIMITS,
    ...options,
    within: async (inner, bytes, more) => (await readFile(inner, bytes, more)).layers,
  };
  const read = format.open
    ? await format.open(source, name, o)
    : (await format.read!(await source.whole(), name, o)).map((l) => checked(l, name));
  const layers = await Promise.all(read.map((l) => recognised(l, o)));
  if (layers.length > MOST_LAYERS)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" holds ${layers.length} datasets; at most ${MOST_LAYERS} are taken in at once.`,
      name,
    );
  return { format, layers };
}

/** What was read whole, looked at: values that are no finite numbers, as 1e999 is, are missing ones. */
function checked({ data, ...layer }: Layer, name: string): OpenLayer {
  const kind = kindOf(data);
  const wild = kind.tame(data);
  if (wild) layer.notes.push(infinite(wild));
  const flaw = kind.flaw(data);
  if (flaw) throw new HelkError('file.damaged', `"${name}" cannot be used: ${flaw}.`, name);
  return { ...layer, handle: kind.wrap(data) };
}

/** Reads a file into memory. Throws as `openFile` does. */
export async function readFile(
  name: string,
  bytes: Uint8Array,
  options: Partial<ReadOptions> = {},
): Promise<{ format: FileFormat; layers: Layer[] }> {
  const { format, layers } = await openFile(name, memorySource(bytes), options);
  const read: Layer[] = [];
  for (const { handle, ...layer } of layers) {
    // What was read whole is there already.
    if (format.open) claim(kindOf(handle).heldBytes(handle.head), { ...READ_LIMITS, ...options }, name);
    read.push({ ...layer, data: await handle.load(options.progress) });
  }
  return { format, layers: read };
}

function unknownSentence(name: string, bytes: Uint8Array): string {
  const ext = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase();
  const claimed = FORMATS.find((f) => ext !== undefined && f.extensions.includes(ext));
  const known =
    'GeoTIFF, NetCDF, ASCII grid, GeoPackage, Shapefile, GeoJSON, FlatGeobuf, KML, GPX, delimited text, LAS, LAZ, PLY, points as text (xyz), timetables (GTFS) and zip archives of them';
  if (claimed) {
    const looks =
      bytes[0] === 0x3c ? ' It looks like a web page or XML: perhaps an error page was saved instead of the data.' : '';
    return `"${name}" is named like ${claimed.title} but its content is not.${looks}`;
  }
  return `Helk does not know the format of "${name}"; it reads ${known}.`;
}

export { READ_LIMITS, baseName, type FileFormat, type Layer, type OpenLayer, type ReadOptions } from './reader';
export { memorySource, MemorySink, type ByteSink, type ByteSource } from './source';
export { writeGeoTiff } from './geotiff-write';
export { writeAsciiGrid } from './ascii-grid';
export { writeGeoJson } from './geojson-write';
export { writeDelimited } from './delimited';
export { useCodec, codec } from './codec';
export { useSqlite } from './sqlite';
export { applyChoices, reviewOf, type LayerChoice, type ReviewRow } from './review';
