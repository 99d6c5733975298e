import { zipSync } from 'fflate';
import { HelkError } from '../errors';
import type { Dataset } from '../data/dataset';
import { own } from '../data/own';
import { writeDxf } from './dxf';
import { writeFlatGeobuf } from './flatgeobuf';
import { writeGeoPackage } from './geopackage-write';
import { DEFAULT_FORMAT, formatNamed, lossesOf, WRITE_FORMATS, type WriteFormat } from './kinds';
import { writeAsciiGrid, writeDelimited, writeGeoJson, writeGeoTiff } from './index';
import { writeKml } from './kml';
import { shapefileFiles } from './shapefile';
import { writeXlsx } from './xlsx';

export { DEFAULT_FORMAT, formatNamed, lossesOf, WRITE_FORMATS, type WriteFormat };
export { writeGeoPackage, type PackageTable } from './geopackage-write';

const text = (s: string): Uint8Array => new TextEncoder().encode(s);

/**
 * A dataset as the bytes of a file.
 *
 * @param name what the dataset is called, for formats that carry a name inside
 * @throws HelkError `export.unsupported` when the format cannot hold it
 */
export async function writeDataset(
  d: Dataset,
  format: WriteFormat,
  name = 'result',
  progress?: (share: number) => void,
): Promise<Uint8Array> {
  const f = own(WRITE_FORMATS, format);
  if (!f || !f.kinds.includes(d.kind)) {
    const fits = Object.entries(WRITE_FORMATS).filter(([, w]) => w.kinds.includes(d.kind));
    throw new HelkError(
      'export.unsupported',
      `A ${d.kind} cannot be written as "${format}"; use ${fits.map(([k]) => k).join(' or ')}.`,
      'as',
    );
  }
  if (d.kind === 'raster') return format === 'geotiff' ? writeGeoTiff(d, 6, progress) : text(writeAsciiGrid(d));
  if (format === 'geopackage') return writeGeoPackage([{ name, data: d }]);
  if (format === 'xlsx') return writeXlsx(d, name);
  if (d.kind === 'features') {
    const file = name.replace(/[^\p{L}\p{N} _-]+/gu, '_').slice(0, 60) || 'features';
    switch (format) {
      case 'geojson':
      case 'geojson-native':
        return text(writeGeoJson(d, format === 'geojson-native'));
      case 'shapefile':
        return zipSync(
          Object.fromEntries(Object.entries(shapefileFiles(d)).map(([ext, bytes]) => [`${file}.${ext}`, bytes])),
        );
      case 'flatgeobuf':
        return writeFlatGeobuf(d);
      case 'kml':
        return text(writeKml(d, name));
      case 'kmz':
        return zipSync({ 'doc.kml': text(writeKml(d, name)) });
      case 'dxf':
        return text(writeDxf(d));
    }
  }
  return text(writeDelimited(d, format === 'tsv' ? '\t' : ','));
}
