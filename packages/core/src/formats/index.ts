import { HelkError } from '../errors';
import { flawOf, infiniteToMissing } from '../data/flaws';
import { zip } from './archive';
import { asciiGrid } from './ascii-grid';
import { delimited } from './delimited';
import { flatgeobuf } from './flatgeobuf';
import { geojson } from './geojson';
import { geopackage } from './geopackage';
import { geotiff } from './geotiff';
import { gpx, kml } from './kml';
import { netcdf } from './netcdf';
import { shapefile } from './shapefile';
import { MOST_LAYERS, READ_LIMITS, type FileFormat, type Layer, type ReadOptions } from './reader';

/** In the order they are tried: by signature first, by guess last. */
export const FORMATS: readonly FileFormat[] = [
  geotiff,
  netcdf,
  geopackage,
  flatgeobuf,
  shapefile,
  zip,
  kml,
  gpx,
  asciiGrid,
  geojson,
  delimited,
];

/**
 * Reads a file of any known format; the content decides, not the name.
 *
 * @throws HelkError `file.*` with a sentence that says what is wrong and what to do.
 */
export async function readFile(
  name: string,
  bytes: Uint8Array,
  options: Partial<ReadOptions> = {},
): Promise<{ format: FileFormat; layers: Layer[] }> {
  if (bytes.length === 0) throw new HelkError('file.empty', `"${name}" is empty (0 bytes).`, name);
  const format = FORMATS.find((f) => f.sniff(bytes, name));
  if (!format) throw new HelkError('file.unknown', unknownSentence(name, bytes), name);
  const layers = await format.read(bytes, name, { ...READ_LIMITS, ...options });
  if (layers.length > MOST_LAYERS)
    throw new HelkError(
      'file.tooLarge',
      `"${name}" holds ${layers.length} datasets; at most ${MOST_LAYERS} are taken in at once.`,
      name,
    );
  for (const l of layers) {
    tame(l);
    const flaw = flawOf(l.data);
    if (flaw) throw new HelkError('file.damaged', `"${name}" cannot be used: ${flaw}.`, name);
  }
  return { format, layers };
}

/** Values that are no finite numbers, as 1e999 is, are missing ones: they would spread through every sum. */
function tame(l: Layer): void {
  const wild = infiniteToMissing(l.data);
  if (wild)
    l.notes.push({
      level: 'look',
      code: 'values.infinite',
      message: `${wild} value${wild === 1 ? ' is' : 's are'} infinite, or larger than a number can be; they are taken as missing.`,
    });
}

function unknownSentence(name: string, bytes: Uint8Array): string {
  const ext = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase();
  const claimed = FORMATS.find((f) => ext !== undefined && f.extensions.includes(ext));
  const known =
    'GeoTIFF, NetCDF, ASCII grid, GeoPackage, Shapefile, GeoJSON, FlatGeobuf, KML, GPX, delimited text and zip archives of them';
  if (claimed) {
    const looks =
      bytes[0] === 0x3c ? ' It looks like a web page or XML: perhaps an error page was saved instead of the data.' : '';
    return `"${name}" is named like ${claimed.title} but its content is not.${looks}`;
  }
  return `Helk does not know the format of "${name}"; it reads ${known}.`;
}

export { READ_LIMITS, baseName, type FileFormat, type Layer, type ReadOptions } from './reader';
export { writeGeoTiff } from './geotiff-write';
export { writeAsciiGrid } from './ascii-grid';
export { writeGeoJson } from './geojson-write';
export { writeDelimited } from './delimited';
export { useCodec, codec } from './codec';
export { useSqlite } from './sqlite';
export { applyChoices, reviewOf, type LayerChoice, type ReviewRow } from './review';
