import type { Crs } from '../data/crs';
import { own } from '../data/own';

export type WriteFormat =
  | 'geotiff'
  | 'ascii-grid'
  | 'geopackage'
  | 'geojson'
  | 'geojson-native'
  | 'shapefile'
  | 'flatgeobuf'
  | 'kml'
  | 'kmz'
  | 'dxf'
  | 'csv'
  | 'tsv'
  | 'xlsx'
  | 'las'
  | 'las12'
  | 'gtfs'
  | 'network-zip'
  | 'csv-wide'
  | 'stack-zip';

/** The formats datasets can be written in; without the writers, so that the client can list them. */
export const WRITE_FORMATS: Record<WriteFormat, { title: string; extension: string; mime: string }> = {
  geotiff: { title: 'GeoTIFF', extension: 'tif', mime: 'image/tiff' },
  'ascii-grid': { title: 'ASCII grid', extension: 'asc', mime: 'text/plain' },
  geopackage: {
    title: 'GeoPackage',
    extension: 'gpkg',
    mime: 'application/geopackage+sqlite3',
  },
  geojson: { title: 'GeoJSON', extension: 'geojson', mime: 'application/geo+json' },
  'geojson-native': {
    title: 'GeoJSON, own coordinates',
    extension: 'geojson',
    mime: 'application/geo+json',
  },
  shapefile: { title: 'Shapefile (zip)', extension: 'zip', mime: 'application/zip' },
  flatgeobuf: { title: 'FlatGeobuf', extension: 'fgb', mime: 'application/octet-stream' },
  kml: { title: 'KML', extension: 'kml', mime: 'application/vnd.google-earth.kml+xml' },
  kmz: { title: 'KMZ', extension: 'kmz', mime: 'application/vnd.google-earth.kmz' },
  dxf: { title: 'DXF drawing', extension: 'dxf', mime: 'image/vnd.dxf' },
  csv: { title: 'CSV (comma)', extension: 'csv', mime: 'text/csv' },
  tsv: { title: 'Text (tab)', extension: 'tsv', mime: 'text/tab-separated-values' },
  xlsx: {
    title: 'Spreadsheet (xlsx)',
    extension: 'xlsx',
    mime: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  },
  las: { title: 'LAS 1.4', extension: 'las', mime: 'application/vnd.las' },
  las12: { title: 'LAS 1.2', extension: 'las', mime: 'application/vnd.las' },
  gtfs: { title: 'GTFS feed (zip)', extension: 'zip', mime: 'application/zip' },
  'network-zip': { title: 'GeoJSON with its timetable (zip)', extension: 'zip', mime: 'application/zip' },
  'csv-wide': { title: 'CSV, a column each step', extension: 'csv', mime: 'text/csv' },
  'stack-zip': { title: 'CSV with its places (zip)', extension: 'zip', mime: 'application/zip' },
};

/** Usual endings of files by the format they stand for. */
const ENDINGS: Record<string, WriteFormat> = {
  tif: 'geotiff',
  tiff: 'geotiff',
  asc: 'ascii-grid',
  gpkg: 'geopackage',
  json: 'geojson',
  shp: 'shapefile',
  fgb: 'flatgeobuf',
  txt: 'tsv',
};

/** The format of that name or file ending, with or without a point; undefined when there is none. */
export function formatNamed(text: string): WriteFormat | undefined {
  const t = text.trim().toLowerCase().replace(/^\./, '');
  return Object.hasOwn(WRITE_FORMATS, t) ? (t as WriteFormat) : own(ENDINGS, t);
}

/** What is said of a system that a file cannot tell. */
export const untold = (crs: Crs): string =>
  `The coordinate system (${crs.code ?? crs.name}) cannot be written into the file; whoever reads it must be told.`;
