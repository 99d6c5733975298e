import type { Crs } from '../data/crs';
import type { ColumnInfo, FeaturesInfo } from '../data/features';
import { wktOf } from './wkt';
import { untold, type WriteFormat } from './write-formats';

const MOST_SHEET_ROWS = 1_048_575;
const SHEETS: readonly WriteFormat[] = ['csv', 'tsv', 'xlsx'];

/** Whether a system without a code can be written so that others read it. */
function canTell(crs: Crs, format: WriteFormat): boolean {
  if (format === 'geojson-native') return crs.proj4.startsWith('+proj');
  return !['shapefile', 'geopackage'].includes(format) || wktOf(crs) !== null;
}

/** What a format cannot keep of the places of features. */
export function placeLosses({ crs, geometry }: FeaturesInfo, format: WriteFormat): string[] {
  const out: string[] = [];
  if (SHEETS.includes(format) && geometry !== 'point')
    out.push(`The outlines of the ${geometry}s are left out; only their columns are written.`);
  if (['geojson', 'kml', 'kmz'].includes(format) && crs && crs.code !== 'EPSG:4326')
    out.push(`Coordinates become longitude and latitude (WGS 84), from ${crs.code ?? crs.name}.`);
  if ([...SHEETS, 'dxf'].includes(format) && crs)
    out.push(`The coordinate system (${crs.code ?? crs.name}) is not written into the file.`);
  if (format === 'flatgeobuf') out.push('Features without a geometry are left out.');
  if (format === 'flatgeobuf' && crs && !crs.code)
    out.push('The coordinate system has no code; coordinates become longitude and latitude.');
  if (crs && !crs.code && !canTell(crs, format)) out.push(untold(crs));
  if (format === 'dxf') out.push('Columns are left out, but for the first text, which names the layers.');
  return out;
}

/** What a format cannot keep of columns. */
export function columnLosses(columns: readonly ColumnInfo[], rows: number, format: WriteFormat): string[] {
  const out: string[] = [];
  if (format === 'shapefile') {
    const long = columns
      .filter((c) => new TextEncoder().encode(c.name).length > 10 || /\s/.test(c.name))
      .map((c) => c.name);
    if (long.length)
      out.push(
        `Names of columns have at most ten bytes: ${long.slice(0, 6).join(', ')}${long.length > 6 ? ' …' : ''} will be cut.`,
      );
    if (columns.some((c) => c.type === 'text'))
      out.push('Texts have at most 254 bytes; empty and missing ones cannot be told apart.');
  }
  if (columns.some((c) => c.unit) && !['xlsx', 'dxf', 'geopackage'].includes(format))
    out.push('Units of columns are not written.');
  if (columns.some((c) => c.type === 'boolean') && ['kml', 'kmz'].includes(format))
    out.push('Yes and no become the texts true and false.');
  if (format === 'xlsx' && rows > MOST_SHEET_ROWS)
    out.push(`A sheet holds ${MOST_SHEET_ROWS} rows; the other ${rows - MOST_SHEET_ROWS} are left out.`);
  return out;
}
