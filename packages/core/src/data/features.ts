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

export type ColumnInfo = Pick<Column, 'name' | 'type' | 'unit'>;

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
  private xy: number[] = [];
  private z: number[] = [];
  private hasZ = false;
  private rings: number[] = [0];
  private parts: number[] = [0];
  private features: number[] = [0];

  coordinate(x: number, y: number, z?: number): void {
    this.xy.push(x, y);
    this.z.push(z ?? NaN);
    if (z !== undefined) this.hasZ = true;
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

  build(geometry: GeometryType, crs: Crs | null, columns: Column[]): Features {
    const f: Features = {
      kind: 'features',
      crs,
      geometry,
      xy: Float64Array.from(this.xy),
      ringOffsets: Uint32Array.from(this.rings),
      partOffsets: Uint32Array.from(this.parts),
      featureOffsets: Uint32Array.from(this.features),
      columns,
    };
    if (this.hasZ) f.z = Float64Array.from(this.z);
    return f;
  }
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
