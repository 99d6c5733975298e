import { growingCounts, growingFloats, type Growing } from '../numeric/growing';
import { FreeNames } from './names';
import { sameCrs, transformer, type Crs, type Extent } from './crs';

export type GeometryType = 'point' | 'line' | 'polygon';

export interface Column {
  name: string;
  type: 'number' | 'text' | 'boolean';
  unit: string | null;
  /** Numbers (booleans as 0 and 1), or texts. */
  values: Float64Array | string[];
  /** 1 where the value is missing; absent when none is. */
  missing?: Uint8Array;
}

export type ColumnInfo = Pick<Column, 'name' | 'type' | 'unit'> & {
  /** A value at the end of the range that recurs and looks like a missing-value code. */
  suspect?: { value: number; count: number };
  /** Zeros that stand apart from all other values, and the range of those. */
  zeros?: Zeros;
};

export interface Zeros {
  count: number;
  low: number;
  high: number;
}

/** What there is to know of features without their bulk. */
export interface FeaturesInfo {
  kind: 'features';
  crs: Crs | null;
  geometry: GeometryType;
  count: number;
  extent: Extent | null;
  columns: ColumnInfo[];
  /** Points that lie where an earlier one lies. */
  doubled?: number;
}

/**
 * Geometries in flat coordinate arrays with offsets, as in the GeoArrow specification, always with three levels so that
 * one loop serves every type: feature -> parts -> rings -> coordinates. A point is a part of one ring of one coordinate;
 * a line a part of one ring; a polygon a part of its outer ring and its holes. A feature without parts has no geometry.
 */
export interface Features {
  kind: 'features';
  crs: Crs | null;
  geometry: GeometryType;
  /** x, y, x, y, … */
  xy: Float64Array;
  z?: Float64Array;
  /** Start of each ring in coordinates; one more than there are rings. */
  ringOffsets: Uint32Array;
  /** Start of each part in rings. */
  partOffsets: Uint32Array;
  /** Start of each feature in parts. */
  featureOffsets: Uint32Array;
  columns: Column[];
}

export const featureCount = (f: Features): number => f.featureOffsets.length - 1;

/** Collects geometries one feature after the other. */
export class FeaturesBuilder {
  private readonly xy = growingFloats();
  /** Heights, from the first one on; those before it are missing. */
  private z: Growing<Float64Array> | null = null;
  private readonly rings = growingCounts();
  private readonly parts = growingCounts();
  private readonly features = growingCounts();

  constructor() {
    for (const level of [this.rings, this.parts, this.features]) level.push(0);
  }

  coordinate(x: number, y: number, z?: number): void {
    if (z !== undefined && !this.z) {
      this.z = growingFloats();
      this.z.fill(NaN, this.xy.length / 2);
    }
    this.xy.push2(x, y);
    this.z?.push(z ?? NaN);
  }
  endRing(): void {
    this.rings.push(this.xy.length / 2);
  }
  endPart(): void {
    this.parts.push(this.rings.length - 1);
  }
  endFeature(): void {
    this.features.push(this.parts.length - 1);
  }
  /** A whole feature of one point. */
  point(x: number, y: number, z?: number): void {
    this.coordinate(x, y, z);
    this.endRing();
    this.endPart();
    this.endFeature();
  }
  /** Features that have been built already, without their heights. */
  append(f: Pick<Features, 'xy' | 'ringOffsets' | 'partOffsets' | 'featureOffsets'>): void {
    const [corners, rings, parts] = [this.xy.length / 2, this.rings.length - 1, this.parts.length - 1];
    for (let i = 0; i < f.xy.length; i += 2) this.coordinate(f.xy[i]!, f.xy[i + 1]!);
    for (let k = 1; k < f.ringOffsets.length; k++) this.rings.push(corners + f.ringOffsets[k]!);
    for (let k = 1; k < f.partOffsets.length; k++) this.parts.push(rings + f.partOffsets[k]!);
    for (let k = 1; k < f.featureOffsets.length; k++) this.features.push(parts + f.featureOffsets[k]!);
  }
  /** Parts so far. */
  get partCount(): number {
    return this.parts.length - 1;
  }
  /** Makes a feature of each part since the last feature; says how many. */
  endEachPart(): number {
    const from = this.features.at(this.features.length - 1);
    for (let p = from + 1; p <= this.partCount; p++) this.features.push(p);
    return this.partCount - from;
  }

  build(geometry: GeometryType, crs: Crs | null, columns: Column[]): Features {
    const f: Features = {
      kind: 'features',
      crs,
      geometry,
      xy: this.xy.done(),
      ringOffsets: this.rings.done(),
      partOffsets: this.parts.done(),
      featureOffsets: this.features.done(),
      columns,
    };
    if (this.z) f.z = this.z.done();
    return f;
  }
}

/** Values of some rows of a column, in their order; -1 gives a missing value. */
export function takeColumn(c: Column, rows: ArrayLike<number>): Column {
  const n = rows.length;
  let missing: Uint8Array | undefined;
  const lack = (k: number): void => void ((missing ??= new Uint8Array(n))[k] = 1);
  if (c.type === 'text') {
    const from = c.values as string[];
    const values = Array.from(rows, (i, k) => {
      if (i < 0 || c.missing?.[i]) {
        lack(k);
        return '';
      }
      return from[i]!;
    });
    return { name: c.name, type: 'text', unit: c.unit, values, ...(missing ? { missing } : {}) };
  }
  const from = c.values as Float64Array;
  const values = new Float64Array(n);
  for (let k = 0; k < n; k++) {
    const i = rows[k]!;
    if (i < 0 || c.missing?.[i]) {
      lack(k);
      values[k] = c.type === 'number' ? NaN : 0;
    } else values[k] = from[i]!;
  }
  return { name: c.name, type: c.type, unit: c.unit, values, ...(missing ? { missing } : {}) };
}

/** Copies the parts of a feature to a builder; the feature is not ended. */
export function copyParts(f: Features, i: number, b: FeaturesBuilder): void {
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
    for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) {
      for (let c = f.ringOffsets[r]!; c < f.ringOffsets[r + 1]!; c++) {
        const z = f.z?.[c];
        b.coordinate(f.xy[2 * c]!, f.xy[2 * c + 1]!, z === z ? z : undefined);
      }
      b.endRing();
    }
    b.endPart();
  }
}

/** Some features in the order of `rows`, with all columns. O(coordinates taken). */
export function takeFeatures(f: Features, rows: ArrayLike<number>): Features {
  const b = new FeaturesBuilder();
  for (let k = 0; k < rows.length; k++) {
    copyParts(f, rows[k]!, b);
    b.endFeature();
  }
  return b.build(
    f.geometry,
    f.crs,
    f.columns.map((c) => takeColumn(c, rows)),
  );
}

/** Columns of two sets side by side; a name that stands already gets the first free number behind it. */
export function besideColumns(a: readonly Column[], b: readonly Column[]): Column[] {
  const names = new FreeNames(
    a.map((c) => c.name),
    '_',
  );
  return [...a, ...b.map((c) => ({ ...c, name: names.take(c.name) }))];
}

/** Box of each feature: xmin, ymin, xmax, ymax one after the other; not numbers where there is no geometry. O(coordinates). */
export function featureBoxes(f: Features): Float64Array {
  const n = featureCount(f);
  const out = new Float64Array(4 * n).fill(NaN);
  for (let i = 0; i < n; i++) {
    const a = f.ringOffsets[f.partOffsets[f.featureOffsets[i]!]!]!;
    const e = f.ringOffsets[f.partOffsets[f.featureOffsets[i + 1]!]!]!;
    if (a === e) continue;
    let [w, s, o, t] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let c = a; c < e; c++) {
      const x = f.xy[2 * c]!;
      const y = f.xy[2 * c + 1]!;
      if (x < w) w = x;
      if (x > o) o = x;
      if (y < s) s = y;
      if (y > t) t = y;
    }
    out.set([w, s, o, t], 4 * i);
  }
  return out;
}

/** Extent of all coordinates; null without any. */
export function featuresExtent(f: Features): Extent | null {
  const { xy } = f;
  if (xy.length === 0) return null;
  const e: Extent = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i < xy.length; i += 2) {
    const x = xy[i]!;
    const y = xy[i + 1]!;
    if (x < e[0]) e[0] = x;
    if (y < e[1]) e[1] = y;
    if (x > e[2]) e[2] = x;
    if (y > e[3]) e[3] = y;
  }
  return e;
}

/** Twice the signed area of a ring, positive when counter-clockwise; differences are taken from its first corner. */
export function ringArea2(xy: Float64Array, start: number, end: number): number {
  const ox = xy[2 * start]!;
  const oy = xy[2 * start + 1]!;
  let sum = 0;
  for (let i = start; i < end - 1; i++) {
    const ax = xy[2 * i]! - ox;
    const ay = xy[2 * i + 1]! - oy;
    const bx = xy[2 * i + 2]! - ox;
    const by = xy[2 * i + 3]! - oy;
    sum += ax * by - bx * ay;
  }
  return sum;
}

/** The value of a column for a feature: a number, a text, a truth value, or null when missing. */
export function valueOf(c: Column, i: number): number | string | boolean | null {
  if (c.missing && c.missing[i] === 1) return null;
  const v = c.values[i]!;
  if (c.type === 'boolean') return v === 1;
  return v;
}

/** The features with their coordinates in another CRS, everything else shared; as they are when either CRS is not known. */
export function featuresIn(f: Features, crs: Crs | null): Features {
  if (!f.crs || !crs || sameCrs(f.crs, crs)) return f;
  const t = transformer(f.crs, crs);
  const xy = new Float64Array(f.xy.length);
  const out = [0, 0];
  for (let i = 0; i < xy.length; i += 2) {
    t(f.xy[i]!, f.xy[i + 1]!, out);
    xy[i] = out[0]!;
    xy[i + 1] = out[1]!;
  }
  return { ...f, crs, xy };
}
