import { HelkError } from '../errors';
import type { BandFacts } from './band-facts';
import { metresPerUnit, type Crs, type Extent } from './crs-record';
import type { Held } from './held';
import { room } from './room';

/** A north-up grid. Cell (0, 0) is the north-west one; x and y are its outer corner. */
export interface Grid {
  crs: Crs | null;
  /** West edge, in CRS units. */
  x: number;
  /** North edge, in CRS units. */
  y: number;
  /** Cell width and height in CRS units, both positive. */
  dx: number;
  dy: number;
  columns: number;
  rows: number;
}

export type StoredType = 'int8' | 'uint8' | 'int16' | 'uint16' | 'int32' | 'uint32' | 'float32' | 'float64';
export type Cells = Float32Array | Float64Array | Int32Array;

/** What the value of a category means. */
export interface ClassEntry {
  value: number;
  label: string;
  colour: string | null;
  /** Whoever named it is to look again. */
  unsure?: boolean;
}

/** What there is to know of a band without its cells. */
export interface BandInfo {
  name: string;
  /** Unit symbol; null when not known, empty for a pure number. */
  unit: string | null;
  kind: 'measure' | 'category';
  /** Type in the source, kept for export where the values still fit it. */
  storedType: StoredType;
  /** Missing value in the source's own type. */
  missingCode: number | null;
  classes?: ClassEntry[];
  /** What it shows: elevation, slope, aspect, hillshade, difference, depth; or the part of the spectrum, as in `BAND_ROLES`. */
  role?: string;
  /** Middle of the part of the spectrum it shows, nm. */
  wavelength?: number;
  /** When it was, ISO 8601, where it is one of several moments. */
  time?: string;
}

export interface Band extends BandInfo {
  /**
   * Row by row from the north, `columns × rows` long. Measures: Float32Array or Float64Array with NaN for missing.
   * Categories: Int32Array with `MISSING_CLASS` for missing.
   */
  cells: Cells;
}

export interface Raster {
  kind: 'raster';
  grid: Grid;
  bands: Band[];
}

/** What there is to know of a raster without its cells. */
export interface RasterInfo {
  kind: 'raster';
  grid: Grid;
  bands: (BandInfo & { held?: Held; facts?: BandFacts })[];
}

/** A clause that says what makes a grid and its bands ones that nothing can work with; null when all is well. */
export function headFlaw({
  grid: { x, y, dx, dy, columns, rows },
  bands,
}: Pick<Raster, 'grid'> & { bands: readonly unknown[] }): string | null {
  if (!(Number.isInteger(columns) && Number.isInteger(rows) && columns > 0 && rows > 0))
    return `it has ${columns} by ${rows} cells`;
  if (!(dx > 0 && dy > 0 && Number.isFinite(dx * columns) && Number.isFinite(dy * rows)))
    return `its cells measure ${dx} by ${dy}`;
  if (!Number.isFinite(x) || !Number.isFinite(y)) return 'it lies nowhere';
  return bands.length === 0 ? 'it has no band' : null;
}

/** The one reserved missing value of categories. */
export const MISSING_CLASS = -2147483648;

export function missingOf(band: { kind: 'measure' | 'category' }): number {
  return band.kind === 'category' ? MISSING_CLASS : NaN;
}

export function gridExtent(g: Grid): Extent {
  return [g.x, g.y - g.rows * g.dy, g.x + g.columns * g.dx, g.y];
}

export function cellCount(g: Grid): number {
  return g.columns * g.rows;
}

/** Whether two grids share their lattice to a thousandth of a cell, whatever their extents. */
export function sameLattice(a: Grid, b: Grid): boolean {
  if (!sameSize(a.dx, b.dx, b.columns) || !sameSize(a.dy, b.dy, b.rows)) return false;
  const fx = (b.x - a.x) / a.dx;
  const fy = (b.y - a.y) / a.dy;
  return Math.abs(fx - Math.round(fx)) < 1e-3 && Math.abs(fy - Math.round(fy)) < 1e-3;
}

/** Cell sizes are alike when they drift by less than a hundredth of a cell over the whole grid. */
export function sameSize(a: number, b: number, cells: number): boolean {
  return Math.abs(a - b) * Math.max(1, cells) <= Math.max(a, b) * 0.01;
}

export function sameGrid(a: Grid, b: Grid): boolean {
  return (
    a.columns === b.columns &&
    a.rows === b.rows &&
    sameLattice(a, b) &&
    Math.abs(a.x - b.x) < a.dx * 1e-3 &&
    Math.abs(a.y - b.y) < a.dy * 1e-3
  );
}

/** Semi-major axis and squared eccentricity of WGS 84, used for metres on geographic grids whatever their datum. */
const A = 6378137;
const E2 = 0.00669437999014;

/** Metres of one degree of longitude and of latitude at a latitude, on the ellipsoid. */
export function metresPerDegree(latitude: number): [number, number] {
  const s = Math.sin((latitude * Math.PI) / 180);
  const w = Math.sqrt(1 - E2 * s * s);
  const east = ((Math.PI / 180) * A * Math.cos((latitude * Math.PI) / 180)) / w;
  const north = ((Math.PI / 180) * A * (1 - E2)) / (w * w * w);
  return [east, north];
}

/** Width and height in metres of the cells of one row; a grid without CRS counts as being in metres. */
export function cellMetres(g: Grid, row: number): [number, number] {
  if (!g.crs) return [g.dx, g.dy];
  if (!g.crs.geographic) {
    const m = metresPerUnit(g.crs);
    return [g.dx * m, g.dy * m];
  }
  const [east, north] = metresPerDegree(g.y - (row + 0.5) * g.dy);
  return [g.dx * east, g.dy * north];
}

/**
 * Area in m² of one cell of a row: planar, or exact on the ellipsoid for a geographic grid (zone between two parallels,
 * Snyder 1987, USGS Professional Paper 1395, eq. 3-12).
 */
export function cellArea(g: Grid, row: number): number {
  if (!g.crs?.geographic) {
    const [w, h] = cellMetres(g, row);
    return w * h;
  }
  const e = Math.sqrt(E2);
  const zone = (lat: number): number => {
    const s = Math.sin((lat * Math.PI) / 180);
    return s / (1 - E2 * s * s) + Math.log((1 + e * s) / (1 - e * s)) / (2 * e);
  };
  const north = g.y - row * g.dy;
  return Math.abs(((zone(north) - zone(north - g.dy)) / 2) * A * A * (1 - E2) * ((g.dx * Math.PI) / 180));
}

/** An empty band of cells, every one missing. */
export function newCells(kind: 'measure' | 'category', n: number, wide = false): Cells {
  if (kind === 'category') return room(Int32Array, n).fill(MISSING_CLASS);
  return (wide ? room(Float64Array, n) : room(Float32Array, n)).fill(NaN);
}

/** Cells like the given ones, of the same type, all 0. */
export function cellsLike(c: Cells, n = c.length): Cells {
  return c instanceof Int32Array
    ? room(Int32Array, n)
    : c instanceof Float64Array
      ? room(Float64Array, n)
      : room(Float32Array, n);
}

/** What there is to know of a band without its cells, facts and store. */
export function bandInfo(b: BandInfo & { cells?: Cells; held?: Held; facts?: BandFacts }): BandInfo {
  const { cells: _cells, held: _held, facts: _facts, ...info } = b;
  return info;
}

/** What a one-band measure raster on a grid is before it has cells. */
export function measureHead(
  grid: Grid,
  info: Partial<BandInfo> & { name: string },
): { grid: Grid; bands: [BandInfo & { held: Held }] } {
  const storedType = info.storedType ?? 'float32';
  const held: Held = { type: storedType === 'float64' ? 'float64' : 'float32', missing: null };
  return { grid, bands: [{ unit: null, kind: 'measure', missingCode: null, ...info, storedType, held }] };
}

/** A one-band measure raster on a grid. */
export function measureRaster(grid: Grid, cells: Cells, info: Partial<BandInfo> & { name: string }): Raster {
  const storedType: StoredType = cells instanceof Float64Array ? 'float64' : 'float32';
  return {
    kind: 'raster',
    grid,
    bands: [{ unit: null, kind: 'measure', storedType, missingCode: null, ...info, cells }],
  };
}

/** The first band, or a refusal when the raster has none. */
export function firstBand(r: Raster): Band {
  const b = r.bands[0];
  if (!b) throw new HelkError('method.input', 'The raster has no band.');
  return b;
}
