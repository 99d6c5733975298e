import { HelkError } from '../errors';
import type { Dataset } from '../data/dataset';
import { DEFAULT_FORMAT, WRITE_FORMATS, type WriteFormat } from './kinds';
import { writeAsciiGrid, writeDelimited, writeGeoJson, writeGeoTiff } from './index';

export { DEFAULT_FORMAT, WRITE_FORMATS, type WriteFormat };

/** A dataset as the bytes of a file. @throws HelkError `export.unsupported` when the format cannot hold it. */
export function writeDataset(d: Dataset, format: WriteFormat, progress?: (share: number) => void): Uint8Array {
  const f = WRITE_FORMATS[format];
  if (!f || !f.kinds.includes(d.kind)) {
    const fits = Object.entries(WRITE_FORMATS).filter(([, w]) => w.kinds.includes(d.kind));
    throw new HelkError(
      'export.unsupported',
      `A ${d.kind} cannot be written as "${format}"; use ${fits.map(([k]) => k).join(' or ')}.`,
      'as',
    );
  }
  if (d.kind === 'raster') return format === 'geotiff' ? writeGeoTiff(d, 6, progress) : text(writeAsciiGrid(d));
  if (d.kind === 'features' && format.startsWith('geojson')) return text(writeGeoJson(d, format === 'geojson-native'));
  return text(writeDelimited(d, format === 'tsv' ? '\t' : ','));
}

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
