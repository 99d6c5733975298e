import type { Crs } from '../data/crs';
import type { DatasetInfo, DatasetKind, RasterInfo } from '../data/dataset';
import { own } from '../data/own';
import { geoKeysOf } from './geokeys-write';
import { wktOf } from './wkt';

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
  | 'xlsx';

/** The formats a dataset can be written in; without the writers, so that the client can list them. */
export const WRITE_FORMATS: Record<
  WriteFormat,
  { title: string; extension: string; mime: string; kinds: DatasetKind[] }
> = {
  geotiff: { title: 'GeoTIFF', extension: 'tif', mime: 'image/tiff', kinds: ['raster'] },
  'ascii-grid': { title: 'ASCII grid', extension: 'asc', mime: 'text/plain', kinds: ['raster'] },
  geopackage: {
    title: 'GeoPackage',
    extension: 'gpkg',
    mime: 'application/geopackage+sqlite3',
    kinds: ['features', 'table'],
  },
  geojson: { title: 'GeoJSON', extension: 'geojson', mime: 'application/geo+json', kinds: ['features'] },
  'geojson-native': {
    title: 'GeoJSON, own coordinates',
    extension: 'geojson',
    mime: 'application/geo+json',
    kinds: ['features'],
  },
  shapefile: { title: 'Shapefile (zip)', extension: 'zip', mime: 'application/zip', kinds: ['features'] },
  flatgeobuf: { title: 'FlatGeobuf', extension: 'fgb', mime: 'application/octet-stream', kinds: ['features'] },
  kml: { title: 'KML', extension: 'kml', mime: 'application/vnd.google-earth.kml+xml', kinds: ['features'] },
  kmz: { title: 'KMZ', extension: 'kmz', mime: 'application/vnd.google-earth.kmz', kinds: ['features'] },
  dxf: { title: 'DXF drawing', extension: 'dxf', mime: 'image/vnd.dxf', kinds: ['features'] },
  csv: { title: 'CSV (comma)', extension: 'csv', mime: 'text/csv', kinds: ['table', 'features'] },
  tsv: { title: 'Text (tab)', extension: 'tsv', mime: 'text/tab-separated-values', kinds: ['table', 'features'] },
  xlsx: {
    title: 'Spreadsheet (xlsx)',
    extension: 'xlsx',
    mime: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
    kinds: ['table', 'features'],
  },
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

export const DEFAULT_FORMAT: Record<DatasetKind, WriteFormat> = {
  raster: 'geotiff',
  features: 'geojson',
  table: 'csv',
};

const MOST_SHEET_ROWS = 1_048_575;

const untold = (crs: Crs): string =>
  `The coordinate system (${crs.code ?? crs.name}) cannot be written into the file; whoever reads it must be told.`;

/** Whether a system without a code can be written so that others read it. */
function canTell(crs: Crs, format: WriteFormat): boolean {
  if (format === 'geojson-native') return crs.proj4.startsWith('+proj');
  return !['shapefile', 'geopackage'].includes(format) || wktOf(crs) !== null;
}

function rasterLosses({ grid, bands }: RasterInfo, format: WriteFormat): string[] {
  if (format === 'geotiff') return grid.crs && !geoKeysOf(grid.crs) ? [untold(grid.crs)] : [];
  const out: string[] = [];
  if (bands.length > 1) out.push(`Only the first of ${bands.length} bands is written, ${bands[0]!.name}.`);
  if (grid.crs) out.push(`The coordinate system (${grid.crs.code ?? grid.crs.name}) is not written into the file.`);
  if (bands[0]!.unit) out.push('The unit of the values is not written.');
  if (bands[0]!.classes?.length) out.push('Names and colours of the classes are not written.');
  return out;
}

/** What a format cannot keep of a dataset, in words; nothing when it keeps all. */
export function lossesOf(info: DatasetInfo, format: WriteFormat): string[] {
  if (info.kind === 'raster') return rasterLosses(info, format);
  const rows = info.kind === 'features' ? info.count : info.rows;
  const out: string[] = [];
  const units = info.columns.filter((c) => c.unit).length;
  const truths = info.columns.filter((c) => c.type === 'boolean').length;
  if (info.kind === 'features') {
    if (['csv', 'tsv', 'xlsx'].includes(format) && info.geometry !== 'point')
      out.push(`The outlines of the ${info.geometry}s are left out; only their columns are written.`);
    if (['geojson', 'kml', 'kmz'].includes(format) && info.crs && info.crs.code !== 'EPSG:4326')
      out.push(`Coordinates become longitude and latitude (WGS 84), from ${info.crs.code ?? info.crs.name}.`);
    if (['csv', 'tsv', 'xlsx', 'dxf'].includes(format) && info.crs)
      out.push(`The coordinate system (${info.crs.code ?? info.crs.name}) is not written into the file.`);
    if (format === 'flatgeobuf') out.push('Features without a geometry are left out.');
    if (format === 'flatgeobuf' && info.crs && !info.crs.code)
      out.push('The coordinate system has no code; coordinates become longitude and latitude.');
    if (info.crs && !info.crs.code && !canTell(info.crs, format)) out.push(untold(info.crs));
    if (format === 'dxf') out.push('Columns are left out, but for the first text, which names the layers.');
  }
  if (format === 'shapefile') {
    const long = info.columns
      .filter((c) => new TextEncoder().encode(c.name).length > 10 || /\s/.test(c.name))
      .map((c) => c.name);
    if (long.length)
      out.push(
        `Names of columns have at most ten bytes: ${long.slice(0, 6).join(', ')}${long.length > 6 ? ' …' : ''} will be cut.`,
      );
    if (info.columns.some((c) => c.type === 'text'))
      out.push('Texts have at most 254 bytes; empty and missing ones cannot be told apart.');
  }
  if (units && !['xlsx', 'dxf', 'geopackage'].includes(format)) out.push('Units of columns are not written.');
  if (truths && ['kml', 'kmz'].includes(format)) out.push('Yes and no become the texts true and false.');
  if (format === 'xlsx' && rows > MOST_SHEET_ROWS)
    out.push(`A sheet holds ${MOST_SHEET_ROWS} rows; the other ${rows - MOST_SHEET_ROWS} are left out.`);
  return out;
}
