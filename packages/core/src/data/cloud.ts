import { metresPerUnit, type Crs, type Extent } from './crs';
import type { StoredType } from './raster';
import { room } from './room';

export type PointValues =
  Int8Array | Uint8Array | Int16Array | Uint16Array | Int32Array | Uint32Array | Float32Array | Float64Array;

const ARRAYS = {
  int8: Int8Array,
  uint8: Uint8Array,
  int16: Int16Array,
  uint16: Uint16Array,
  int32: Int32Array,
  uint32: Uint32Array,
  float32: Float32Array,
  float64: Float64Array,
};

/** Room for a value of each of `n` points, all 0. */
export const pointValues = (type: StoredType, n: number): PointValues =>
  room(ARRAYS[type] as new (n: number | ArrayBufferLike) => Float64Array, n) as PointValues;

/** A value that every point of a cloud has. */
export interface CloudAttribute {
  /** One of `POINT_ATTRIBUTES`, or a name of the file's own. */
  name: string;
  type: StoredType;
  unit: string | null;
  values: PointValues;
}

/**
 * Points with heights. Coordinates are whole numbers as in the LAS specification: x = X · scale + offset. Order is that of the source, and
 * methods keep it.
 */
export interface Cloud {
  kind: 'cloud';
  crs: Crs | null;
  /** Unit of the heights: `m`, `ft` or `us-ft`. */
  heightUnit: string;
  scale: Triple;
  offset: Triple;
  x: Int32Array;
  y: Int32Array;
  z: Int32Array;
  attributes: CloudAttribute[];
}

export type Triple = [x: number, y: number, z: number];

export type AttributeInfo = Omit<CloudAttribute, 'values'> & {
  min: number;
  max: number;
  /** Of a sample spread evenly over the points: between them lie the middle 96 %. */
  low: number;
  high: number;
};

/** The points of one class. */
export interface ClassShare {
  value: number;
  count: number;
  zmin: number;
  zmax: number;
}

/** What there is to know of a cloud without its points. */
export interface CloudInfo {
  kind: 'cloud';
  crs: Crs | null;
  heightUnit: string;
  scale: Triple;
  offset: Triple;
  count: number;
  extent: Extent | null;
  /** Lowest and highest point, and between what the middle 96 % lie; null without points. */
  heights: { min: number; max: number; low: number; high: number } | null;
  /** Area that points lie in, in square units of the coordinates. */
  covered: number;
  /** Root of the covered area by the number of points, in units of the coordinates; null where it cannot be told. */
  spacing: number | null;
  classes: ClassShare[];
  attributes: AttributeInfo[];
  /** Points that lie exactly where another lies. */
  doubled: number;
}

/** Attributes as the LAS specification has them (1.4 R15), under names that can be read. */
export const POINT_ATTRIBUTES: Record<string, { type: StoredType; unit: string | null; title: string }> = {
  classification: { type: 'uint8', unit: null, title: 'class' },
  intensity: { type: 'uint16', unit: null, title: 'intensity' },
  returnNumber: { type: 'uint8', unit: null, title: 'return' },
  returns: { type: 'uint8', unit: null, title: 'returns of the pulse' },
  /** Bits: synthetic, key point, withheld, overlap, scanner channel (2), direction of the scan, edge of the flight line. */
  flags: { type: 'uint8', unit: null, title: 'flags' },
  userData: { type: 'uint8', unit: null, title: 'user data' },
  scanAngle: { type: 'float32', unit: '°', title: 'scan angle' },
  source: { type: 'uint16', unit: null, title: 'flight line' },
  time: { type: 'float64', unit: 's', title: 'GPS time' },
  red: { type: 'uint16', unit: null, title: 'red' },
  green: { type: 'uint16', unit: null, title: 'green' },
  blue: { type: 'uint16', unit: null, title: 'blue' },
  infrared: { type: 'uint16', unit: null, title: 'near infrared' },
  heightAboveGround: { type: 'float32', unit: null, title: 'height above ground' },
};

/** What an attribute is called, in words. */
export const attributeTitle = (name: string): string => POINT_ATTRIBUTES[name]?.title ?? name;

/** Names of the standard classes (ASPRS LAS 1.4 R15, table 17). */
export const CLASS_NAMES: Record<number, string> = {
  0: 'never classified',
  1: 'unassigned',
  2: 'ground',
  3: 'low vegetation',
  4: 'medium vegetation',
  5: 'high vegetation',
  6: 'building',
  7: 'low noise',
  8: 'model key point',
  9: 'water',
  10: 'rail',
  11: 'road surface',
  12: 'overlap',
  13: 'wire, guard',
  14: 'wire, conductor',
  15: 'transmission tower',
  16: 'wire connector',
  17: 'bridge deck',
  18: 'high noise',
  19: 'overhead structure',
  20: 'ignored ground',
  21: 'snow',
  22: 'temporal exclusion',
};
export const className = (value: number): string =>
  CLASS_NAMES[value] ?? (value >= 64 ? `own class ${value}` : `reserved class ${value}`);

export const GROUND = 2;
export const BUILDING = 6;
export const LOW_NOISE = 7;
export const HIGH_NOISE = 18;
export const isNoise = (value: number): boolean => value === LOW_NOISE || value === HIGH_NOISE;

export const pointCount = (c: Cloud): number => c.x.length;
export const attributeOf = (c: Cloud, name: string): PointValues | null =>
  c.attributes.find((a) => a.name === name)?.values ?? null;

/** The class of every point; 0 where there are none. */
export const classesOf = (c: Cloud): Uint8Array =>
  (attributeOf(c, 'classification') as Uint8Array | null) ?? room(Uint8Array, pointCount(c));

/** The points with an attribute in place of the one of its name, everything else shared. */
export function withAttribute(c: Cloud, a: CloudAttribute): Cloud {
  const at = c.attributes.findIndex((o) => o.name === a.name);
  const attributes = [...c.attributes];
  if (at < 0) attributes.push(a);
  else attributes[at] = a;
  return { ...c, attributes };
}

export const withClasses = (c: Cloud, values: Uint8Array): Cloud =>
  withAttribute(c, { name: 'classification', type: 'uint8', unit: null, values });

/** The points of some rows, in their order. O(rows × attributes). */
export function takePoints(c: Cloud, rows: ArrayLike<number>): Cloud {
  const n = rows.length;
  const ints = (from: Int32Array): Int32Array => {
    const out = room(Int32Array, n);
    for (let k = 0; k < n; k++) out[k] = from[rows[k]!]!;
    return out;
  };
  const attributes = c.attributes.map((a) => {
    const values = pointValues(a.type, n);
    for (let k = 0; k < n; k++) values[k] = a.values[rows[k]!]!;
    return { ...a, values };
  });
  return { ...c, x: ints(c.x), y: ints(c.y), z: ints(c.z), attributes };
}

/** Metres in a unit of the heights. */
export const metresOfHeight = (unit: string): number => (unit === 'us-ft' ? 1200 / 3937 : unit === 'ft' ? 0.3048 : 1);

/** Metres in a unit of the coordinates; 1 where the system is not known. */
export const metresOfPlace = (crs: Crs | null): number => (crs && !crs.geographic ? metresPerUnit(crs) : 1);

/** Bytes a point takes in memory. */
export const pointBytes = (attributes: readonly { type: StoredType }[]): number =>
  12 + attributes.reduce((s, a) => s + Number(/\d+$/.exec(a.type)![0]) / 8, 0);

/** Coordinates of all points as doubles, in the units of the system. O(points). */
export function placesOf(c: Cloud): { x: Float64Array; y: Float64Array; z: Float64Array } {
  const of = (from: Int32Array, k: 0 | 1 | 2): Float64Array => {
    const out = room(Float64Array, from.length);
    const [scale, offset] = [c.scale[k], c.offset[k]];
    for (let i = 0; i < from.length; i++) out[i] = from[i]! * scale + offset;
    return out;
  };
  return { x: of(c.x, 0), y: of(c.y, 1), z: of(c.z, 2) };
}

/** A clause that says what makes it one that nothing can work with; null when all is well. */
export function cloudFlaw(c: Cloud): string | null {
  if (!c.scale.every((s) => s > 0 && Number.isFinite(s))) return `its scale is ${c.scale.join(', ')}`;
  if (!c.offset.every(Number.isFinite)) return `its offset is ${c.offset.join(', ')}`;
  const n = c.x.length;
  const odd = [c.y, c.z].some((v) => v.length !== n)
    ? 'coordinates'
    : c.attributes.find((a) => a.values.length !== n)?.name;
  return odd ? `its ${odd} are not of ${n} points` : null;
}

/**
 * Whole-number coordinates for places given as doubles: a scale that is a power of ten, as fine as `finest` allows and the range fits.
 *
 * @returns places that are no numbers are left out; `kept` are the rows that stayed, or null when all did
 */
export function scaledPlaces(
  given: [Float64Array, Float64Array, Float64Array],
  finest: Triple,
): Pick<Cloud, 'scale' | 'offset' | 'x' | 'y' | 'z'> & { kept: Uint32Array | null } {
  const n = given[0].length;
  let bad = 0;
  for (let i = 0; i < n; i++) if (!given.every((v) => Number.isFinite(v[i]))) bad++;
  let kept: Uint32Array | null = null;
  if (bad) {
    kept = new Uint32Array(n - bad);
    let k = 0;
    for (let i = 0; i < n; i++) if (given.every((v) => Number.isFinite(v[i]))) kept[k++] = i;
  }
  const m = n - bad;
  const scale: number[] = [];
  const offset: number[] = [];
  const ints = given.map((v, axis) => {
    let min = Infinity;
    let max = -Infinity;
    for (let k = 0; k < m; k++) {
      const t = v[kept ? kept[k]! : k]!;
      if (t < min) min = t;
      if (t > max) max = t;
    }
    const least = m ? 10 ** Math.ceil(Math.log10(Math.max((max - min) / 2e9, 1e-300))) : 0;
    const s = Math.max(finest[axis]!, least);
    // A round offset keeps digits as they were written.
    const o = m && Math.max(Math.abs(min), Math.abs(max)) / s > 2e9 ? Math.floor(min / (1000 * s)) * 1000 * s : 0;
    scale.push(s);
    offset.push(o);
    const out = room(Int32Array, m);
    for (let k = 0; k < m; k++) out[k] = Math.round((v[kept ? kept[k]! : k]! - o) / s);
    return out;
  });
  return {
    scale: scale as Triple,
    offset: offset as Triple,
    x: ints[0]!,
    y: ints[1]!,
    z: ints[2]!,
    kept,
  };
}
