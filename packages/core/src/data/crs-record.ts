import { unitFactor, type Quantity } from './quantity';

/** A coordinate reference system that describes itself: it travels with the data, no catalogue is needed to use it. */
export interface Crs {
  /** `EPSG:32627`, or null when it has no code. */
  code: string | null;
  name: string;
  proj4: string;
  geographic: boolean;
  /** Unit of the coordinates: `°`, `m`, `ft` or `us-ft`. */
  unit: string;
  /** Known accuracy of its datum shift, when it is worse than a metre. */
  caution?: string;
}

const WGS84: Crs = {
  code: 'EPSG:4326',
  name: 'WGS 84',
  proj4: '+proj=longlat +datum=WGS84 +no_defs',
  geographic: true,
  unit: '°',
};

export const wgs84 = (): Crs => WGS84;

/** Metres in one unit of a projected CRS's coordinates; NaN for a geographic one. */
export function metresPerUnit(crs: Crs): number {
  if (crs.geographic) return NaN;
  return crs.unit === 'us-ft' ? 1200 / 3937 : crs.unit === 'ft' ? 0.3048 : 1;
}

/** A cell size in the units of a system; a bare number is in them already. */
export function cellInUnits(size: Quantity, crs: Crs | null): number {
  if (!size.unit) return size.value;
  return (size.value * (unitFactor(size.unit) ?? 1)) / (crs && !crs.geographic ? metresPerUnit(crs) : 1);
}

export function sameCrs(a: Crs | null, b: Crs | null): boolean {
  if (!a || !b) return a === b;
  return (a.code !== null && a.code === b.code) || a.proj4 === b.proj4;
}

export type Extent = [xmin: number, ymin: number, xmax: number, ymax: number];

/** The smallest extent that two of one system lie within. */
export const joined = (a: Extent, b: Extent): Extent => [
  Math.min(a[0], b[0]),
  Math.min(a[1], b[1]),
  Math.max(a[2], b[2]),
  Math.max(a[3], b[3]),
];

/** What a system is kept and compared by: its code, or its definition where it has none. */
export const systemText = (crs: Crs): string => crs.code ?? crs.proj4;

/** The same for whoever reads it: code and name. */
export const systemWords = (crs: Crs): string => `${crs.code ?? ''} ${crs.name}`.trim();

/** A system as it is told to people and scripts. */
export const systemBrief = (crs: Crs | null): { code: string | null; name: string; unit: string } | null =>
  crs ? { code: crs.code, name: crs.name, unit: crs.unit } : null;
