import type { DatasetKind } from '../data/dataset';

export type WriteFormat = 'geotiff' | 'ascii-grid' | 'geojson' | 'geojson-native' | 'csv' | 'tsv';

/** The formats a dataset can be written in; without the writers, so that the client can list them. */
export const WRITE_FORMATS: Record<
  WriteFormat,
  { title: string; extension: string; mime: string; kinds: DatasetKind[] }
> = {
  geotiff: { title: 'GeoTIFF', extension: 'tif', mime: 'image/tiff', kinds: ['raster'] },
  'ascii-grid': { title: 'ASCII grid', extension: 'asc', mime: 'text/plain', kinds: ['raster'] },
  geojson: { title: 'GeoJSON', extension: 'geojson', mime: 'application/geo+json', kinds: ['features'] },
  'geojson-native': {
    title: 'GeoJSON, own coordinates',
    extension: 'geojson',
    mime: 'application/geo+json',
    kinds: ['features'],
  },
  csv: { title: 'CSV (comma)', extension: 'csv', mime: 'text/csv', kinds: ['table', 'features'] },
  tsv: { title: 'Text (tab)', extension: 'tsv', mime: 'text/tab-separated-values', kinds: ['table', 'features'] },
};

export const DEFAULT_FORMAT: Record<DatasetKind, WriteFormat> = {
  raster: 'geotiff',
  features: 'geojson',
  table: 'csv',
};
