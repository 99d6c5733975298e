import { HelkError } from '../errors';
import type { Dataset } from '../data/dataset';
import { writeAsciiGrid, writeDelimited, writeGeoJson, writeGeoTiff } from './index';

export type WriteFormat = 'geotiff' | 'ascii-grid' | 'geojson' | 'geojson-native' | 'csv' | 'tsv';

export const WRITE_FORMATS: Record<WriteFormat, { title: string; extension: string; mime: string; kinds: Dataset['kind'][] }> = {
  geotiff: { title: 'GeoTIFF', extension: 'tif', mime: 'image/tiff', kinds: ['raster'] },
  'ascii-grid': { title: 'ASCII grid', extension: 'asc', mime: 'text/plain', kinds: ['raster'] },
  geojson: { title: 'GeoJSON', extension: 'geojson', mime: 'application/geo+json', kinds: ['features'] },
  'geojson-native': { title: 'GeoJSON in its own coordinates', extension: 'geojson', mime: 'application/geo+json', kinds: ['features'] },
  csv: { title: 'Delimited text (comma)', extension: 'csv', mime: 'text/csv', kinds: ['table', 'features'] },
  tsv: { title: 'Delimited text (tab)', extension: 'tsv', mime: 'text/tab-separated-values', kinds: ['table', 'features'] },
};

export const DEFAULT_FORMAT: Record<Dataset['kind'], WriteFormat> = { raster: 'geotiff', features: 'geojson', table: 'csv' };

/** A dataset as the bytes of a file. @throws HelkError `export.unsupported` when the format cannot hold it. */
export function writeDataset(d: Dataset, format: WriteFormat, progress?: (share: number) => void): Uint8Array {
  const f = WRITE_FORMATS[format];
  if (!f || !f.kinds.includes(d.kind)) {
    const fits = Object.entries(WRITE_FORMATS).filter(([, w]) => w.kinds.includes(d.kind));
    throw new HelkError('export.unsupported', `A ${d.kind} cannot be written as "${format}"; use ${fits.map(([k]) => k).join(' or ')}.`, 'as');
  }
  if (d.kind === 'raster') return format === 'geotiff' ? writeGeoTiff(d, 6, progress) : text(writeAsciiGrid(d));
  if (d.kind === 'features' && format.startsWith('geojson')) return text(writeGeoJson(d, format === 'geojson-native'));
  return text(writeDelimited(d, format === 'tsv' ? '\t' : ','));
}

const text = (s: string): Uint8Array => new TextEncoder().encode(s);
