import { HelkError } from '../errors';
import type { Features, FeaturesBuilder, GeometryType } from './features';

/** Geometry type codes of OGC Simple Features (OGC 06-103r4, 8.2.3). */
const CODE = { point: 1, line: 2, polygon: 3 };
const KIND: Record<number, GeometryType> = { 1: 'point', 2: 'line', 3: 'polygon', 4: 'point', 5: 'line', 6: 'polygon' };

/** Bytes that `writeWkb` needs for a feature. */
export function wkbSize(f: Features, i: number, z = false): number {
  const d = z ? 24 : 16;
  let size = 9;
  for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
    const r0 = f.partOffsets[p]!;
    const r1 = f.partOffsets[p + 1]!;
    const n = f.ringOffsets[r1]! - f.ringOffsets[r0]!;
    size += 5 + n * d + (f.geometry === 'polygon' ? 4 + 4 * (r1 - r0) : f.geometry === 'line' ? 4 : 0);
  }
  return size;
}

/**
 * A feature as well-known binary (ISO, little endian): a single geometry for one part, a multi-geometry otherwise; without parts an
 * empty multi-geometry.
 *
 * @param z write heights too (code + 1000); a missing height becomes NaN
 * @returns bytes written
 */
export function writeWkb(f: Features, i: number, out: DataView, at: number, z = false): number {
  const start = at;
  const first = f.featureOffsets[i]!;
  const last = f.featureOffsets[i + 1]!;
  const add = z ? 1000 : 0;
  const head = (code: number): void => {
    out.setUint8(at, 1);
    out.setUint32(at + 1, code + add, true);
    at += 5;
  };
  const count = (n: number): void => {
    out.setUint32(at, n, true);
    at += 4;
  };
  if (last - first !== 1) {
    head(CODE[f.geometry] + 3);
    count(last - first);
  }
  for (let p = first; p < last; p++) {
    head(CODE[f.geometry]);
    const r0 = f.partOffsets[p]!;
    const r1 = f.partOffsets[p + 1]!;
    if (f.geometry === 'polygon') count(r1 - r0);
    for (let r = r0; r < r1; r++) {
      const c0 = f.ringOffsets[r]!;
      const c1 = f.ringOffsets[r + 1]!;
      if (f.geometry !== 'point') count(c1 - c0);
      for (let c = c0; c < c1; c++) {
        out.setFloat64(at, f.xy[2 * c]!, true);
        out.setFloat64(at + 8, f.xy[2 * c + 1]!, true);
        at += 16;
        if (z) {
          out.setFloat64(at, f.z?.[c] ?? NaN, true);
          at += 8;
        }
      }
    }
  }
  return at - start;
}

/** What a well-known binary holds, without its coordinates. */
export interface WkbParts {
  kinds: Set<GeometryType>;
  hasM: boolean;
  /** Geometry kinds that are not points, lines or polygons (curves, surfaces). */
  odd: number | null;
}

/**
 * Reads a geometry, ISO or extended, and hands its parts of the wanted kind to a builder; the feature is not ended. M values are dropped.
 *
 * @param want only parts of this kind; null to count kinds and build nothing
 * @throws HelkError `file.damaged` when the bytes end early
 */
export function readWkb(view: DataView, at: number, want: GeometryType | null, b: FeaturesBuilder | null): WkbParts {
  const found: WkbParts = { kinds: new Set(), hasM: false, odd: null };
  const need = (n: number): void => {
    if (at + n > view.byteLength) throw new HelkError('file.damaged', 'A geometry ends before its coordinates do.');
  };
  const geometry = (depth: number): void => {
    need(5);
    const little = view.getUint8(at) === 1;
    let code = view.getUint32(at + 1, little);
    at += 5;
    let z = (code & 0x80000000) !== 0;
    let m = (code & 0x40000000) !== 0;
    if (code & 0x20000000) at += 4;
    code &= 0x0fffffff;
    if (code >= 3000) z = m = true;
    else if (code >= 2000) m = true;
    else if (code >= 1000) z = true;
    code %= 1000;
    found.hasM ||= m;
    const width = 16 + (z ? 8 : 0) + (m ? 8 : 0);
    const count = (least: number): number => {
      need(4);
      const n = view.getUint32(at, little);
      at += 4;
      need(n * least);
      return n;
    };
    const coordinates = (n: number, take: boolean): void => {
      need(n * width);
      for (let k = 0; k < n; k++, at += width) {
        if (!take || !b) continue;
        const h = z ? view.getFloat64(at + 16, little) : NaN;
        b.coordinate(view.getFloat64(at, little), view.getFloat64(at + 8, little), h === h ? h : undefined);
      }
    };
    const kind = KIND[code];
    if (code >= 4 && code <= 7) {
      if (depth > 8) throw new HelkError('file.damaged', 'Geometries are nested too deeply.');
      const n = count(5);
      for (let k = 0; k < n; k++) geometry(depth + 1);
      return;
    }
    if (!kind) {
      found.odd = code;
      return;
    }
    const take = want === kind && b !== null;
    if (code === 1) {
      need(width);
      // An empty point is written with coordinates that are not numbers.
      const empty = !(view.getFloat64(at, little) === view.getFloat64(at, little));
      if (!empty) found.kinds.add(kind);
      coordinates(1, take && !empty);
      if (take && !empty) {
        b.endRing();
        b.endPart();
      }
      return;
    }
    const rings = code === 2 ? 1 : count(4);
    let any = 0;
    for (let r = 0; r < rings; r++) {
      const n = count(width);
      any += n;
      coordinates(n, take);
      if (take && n > 0) b.endRing();
    }
    if (any > 0) found.kinds.add(kind);
    if (take && any > 0) b.endPart();
  };
  geometry(0);
  return found;
}
