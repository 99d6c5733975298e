import { HelkError } from '../../errors';
import type { Crs } from '../../data/crs';
import { featureCount, FeaturesBuilder, ringArea2, type Features, type GeometryType } from '../../data/features';
import { isInside } from '../../numeric/inside';
import { outerAround } from '../../numeric/nesting';
import { baseName, type FileFormat } from '../reader';
import { crsFromWkt, wktOf } from '../wkt';
import { readDbf, writeDbf } from './dbf';
import type { Note } from '../../data/check';

/** Shape types of the technical description of 1998, without Z (+10) and M (+20). */
const KINDS: Record<number, GeometryType> = { 1: 'point', 3: 'line', 5: 'polygon', 8: 'point' };

/**
 * Shapefile (technical description of 1998): shapes from `.shp`, columns from `.dbf`, system from `.prj`, encoding from `.cpg`, which lie beside it
 * or in one archive. Heights are kept, measures (M) dropped and said. Null shapes keep their rows.
 */
export const shapefile: FileFormat = {
  id: 'shapefile',
  title: 'Shapefile',
  extensions: ['shp'],
  sniff: (b) => b.length >= 36 && b[0] === 0 && b[1] === 0 && b[2] === 0x27 && b[3] === 0x0a,
  read: (bytes, name, options) => {
    const notes: Note[] = [];
    const side = (ext: string): Uint8Array | undefined => options.sibling?.(ext);
    const text = (ext: string): string | null => {
      const b = side(ext);
      return b ? new TextDecoder('windows-1252').decode(b) : null;
    };
    const prj = text('prj');
    let crs: Crs | null = options.crs ?? null;
    if (prj?.trim()) {
      try {
        crs = crsFromWkt(prj, name);
      } catch (e) {
        if (!(e instanceof HelkError)) throw e;
        notes.push({ level: 'look', code: 'crs.unknown', message: e.message });
      }
    }
    const { features, measures, nulls } = readShapes(bytes, name, crs, options.maxCells);
    const n = featureCount(features);
    const dbf = side('dbf');
    if (dbf) {
      const t = readDbf(dbf, text('cpg'), name);
      if (t.rows !== n)
        throw new HelkError(
          'file.damaged',
          `"${name}" holds ${n} shapes, but its table (.dbf) ${t.rows} records; the files do not belong together.`,
          name,
        );
      features.columns = t.columns;
      if (t.guessed)
        notes.push({
          level: 'look',
          code: 'text.encoding',
          message:
            'No encoding is given (.cpg) and the texts are not UTF-8; they were read as Windows-1252. Check names with accents.',
        });
    } else
      notes.push({
        level: 'look',
        code: 'shapefile.noTable',
        message:
          'Only the shapes (.shp) are there; their columns lie in a .dbf file of the same name. Take both in together, or a zip of all.',
      });
    if (measures)
      notes.push({ level: 'info', code: 'features.measures', message: 'Measures (M) of the corners were dropped.' });
    if (nulls.length)
      notes.push({
        level: 'look',
        code: 'features.noGeometry',
        message: `${nulls.length} of ${n} features have no geometry (the first is number ${nulls[0]}); their rows are kept.`,
      });
    return Promise.resolve([{ name: baseName(name), data: features, notes }]);
  },
};

function readShapes(
  bytes: Uint8Array,
  name: string,
  crs: Crs | null,
  most: number,
): { features: Features; measures: boolean; nulls: number[] } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const damaged = (i: number, why: string): never => {
    throw new HelkError('file.damaged', `"${name}": shape ${i} ${why}; the file may be cut off.`, name);
  };
  if (bytes.length < 100) damaged(1, 'is not there');
  const type = view.getInt32(32, true);
  const kind = type === 0 ? 'point' : KINDS[type % 10];
  if (!kind)
    throw new HelkError(
      'file.unsupported',
      `"${name}" holds shapes of type ${type}; points, lines and polygons are read.`,
      name,
    );
  const b = new FeaturesBuilder();
  const nulls: number[] = [];
  let measures = false;
  let at = 100;
  const end = Math.min(bytes.length, 2 * view.getInt32(24, false));
  for (let i = 1; at + 8 <= end; i++) {
    const length = 2 * view.getInt32(at + 4, false);
    const body = at + 8;
    if (length < 4 || body + length > bytes.length) damaged(i, 'ends before its coordinates do');
    at = body + length;
    const t = view.getInt32(body, true);
    if (t === 0) {
      nulls.push(i);
      b.endFeature();
      continue;
    }
    if (t !== type) damaged(i, `is of type ${t} where the file says ${type}`);
    const z = t > 10 && t < 20;
    const m = t > 20;
    measures ||= m;
    const need = (n: number): void => {
      if (n < 0 || n > length) damaged(i, 'ends before its coordinates do');
    };
    if (t % 10 === 1) {
      need(20 + (z ? 8 : 0));
      b.coordinate(
        view.getFloat64(body + 4, true),
        view.getFloat64(body + 12, true),
        z ? view.getFloat64(body + 20, true) : undefined,
      );
      b.endRing();
      b.endPart();
      b.endFeature();
      continue;
    }
    const multi = t % 10 === 8;
    need(multi ? 40 : 44);
    const parts = multi ? 1 : view.getInt32(body + 36, true);
    const points = view.getInt32(body + (multi ? 36 : 40), true);
    if (points < 0 || parts < 0 || points > most) damaged(i, 'has a number of corners that makes no sense');
    const xy = body + (multi ? 40 : 44 + 4 * parts);
    need(xy - body + 16 * points);
    const heights = z && xy + 16 * points + 16 + 8 * points <= body + length ? xy + 16 * points + 16 : -1;
    const point = (k: number): void =>
      b.coordinate(
        view.getFloat64(xy + 16 * k, true),
        view.getFloat64(xy + 16 * k + 8, true),
        heights >= 0 ? view.getFloat64(heights + 8 * k, true) : undefined,
      );
    if (multi) {
      for (let k = 0; k < points; k++) {
        point(k);
        b.endRing();
        b.endPart();
      }
      b.endFeature();
      continue;
    }
    const starts = Array.from({ length: parts }, (_, p) => view.getInt32(body + 44 + 4 * p, true));
    starts.push(points);
    if (starts.some((s, p) => s < 0 || s > points || (p > 0 && s < starts[p - 1]!)))
      damaged(i, 'has parts that make no sense');
    const ring = (p: number): void => {
      const [s, e] = [starts[p]!, starts[p + 1]!];
      for (let k = s; k < e; k++) point(k);
      if (kind === 'polygon') {
        const open =
          view.getFloat64(xy + 16 * s, true) !== view.getFloat64(xy + 16 * (e - 1), true) ||
          view.getFloat64(xy + 16 * s + 8, true) !== view.getFloat64(xy + 16 * (e - 1) + 8, true);
        if (open) point(s);
      }
      b.endRing();
    };
    if (kind === 'line') {
      for (let p = 0; p < parts; p++) {
        if (starts[p + 1]! - starts[p]! < 2) continue;
        ring(p);
        b.endPart();
      }
    } else
      for (const part of groupRings(view, xy, starts)) {
        part.forEach(ring);
        b.endPart();
      }
    b.endFeature();
  }
  return { features: b.build(kind, crs, []), measures, nulls };
}

/** Outer rings run clockwise, holes the other way; each hole belongs to the smallest outer ring around it. */
function groupRings(view: DataView, xy: number, starts: number[]): number[][] {
  const rings = starts.slice(0, -1).map((s, p) => {
    const n = starts[p + 1]! - s;
    const flat = Float64Array.from({ length: 2 * n }, (_, k) => view.getFloat64(xy + 16 * s + 8 * k, true));
    return { p, n, flat, area: n < 3 ? 0 : ringArea2(flat, 0, n) };
  });
  const real = rings.filter((r) => r.n >= 3);
  const outer = real.filter((r) => r.area <= 0);
  const holes = real.filter((r) => r.area > 0);
  // Files whose rings all run the wrong way are found often enough; then every ring is an outer one.
  if (!outer.length) return holes.map((r) => [r.p]);
  const parts = new Map(outer.map((r) => [r.p, [r.p]]));
  for (const [k, p] of holderOf(outer, holes).entries()) {
    const list = p === null ? undefined : parts.get(p);
    if (list) list.push(holes[k]!.p);
    else parts.set(holes[k]!.p, [holes[k]!.p]);
  }
  return [...parts.values()];
}

interface Ring {
  p: number;
  n: number;
  flat: Float64Array;
  area: number;
}

/** Tests of a place against a corner up to which every hole is tried against every ring. */
const FEW = 1e6;

/** For each hole the smallest outer ring around it, or null. */
function holderOf(outer: Ring[], holes: Ring[]): (number | null)[] {
  const corners = outer.reduce((s, r) => s + r.n, 0);
  if (holes.length * corners > FEW) {
    const rings = [...outer, ...holes].map((r) => ({ ...r, flat: closed(r.flat) }));
    const offsets = [0];
    for (const r of rings) offsets.push(offsets[offsets.length - 1]! + r.flat.length / 2);
    const xy = new Float64Array(2 * offsets[rings.length]!);
    rings.forEach((r, k) => xy.set(r.flat, 2 * offsets[k]!));
    const around = outerAround(xy, offsets, (r) => r < outer.length);
    return holes.map((_, k) => {
      const r = around[outer.length + k]!;
      return r < 0 ? null : rings[r]!.p;
    });
  }
  const bySize = [...outer].sort((a, b) => Math.abs(a.area) - Math.abs(b.area));
  const features = bySize.map((r) => ringFeature(closed(r.flat)));
  return holes.map((h) => {
    const [x0, y0, x1, y1] = h.flat as unknown as [number, number, number, number];
    const k = features.findIndex((f) => isInside(f, 0, x0, y0) || isInside(f, 0, (x0 + x1) / 2, (y0 + y1) / 2));
    return k < 0 ? null : bySize[k]!.p;
  });
}

/** A ring whose last corner is its first. */
function closed(flat: Float64Array): Float64Array {
  const n = flat.length;
  if (flat[0] === flat[n - 2] && flat[1] === flat[n - 1]) return flat;
  const out = new Float64Array(n + 2);
  out.set(flat);
  out.set(flat.subarray(0, 2), n);
  return out;
}

const ringFeature = (xy: Float64Array): Features => ({
  kind: 'features',
  crs: null,
  geometry: 'polygon',
  xy,
  ringOffsets: Uint32Array.of(0, xy.length / 2),
  partOffsets: Uint32Array.of(0, 1),
  featureOffsets: Uint32Array.of(0, 1),
  columns: [],
});

/** Features as the files of a shapefile by their endings, for a zip. */
export function shapefileFiles(f: Features): Record<string, Uint8Array> {
  const n = featureCount(f);
  const several = f.geometry === 'point' && hasSeveral(f);
  const type = { point: several ? 8 : 1, line: 3, polygon: 5 }[f.geometry] + (f.z ? 10 : 0);
  const single = type % 10 === 1;
  const multi = type % 10 === 8;
  const size = (i: number): number => {
    const p0 = f.featureOffsets[i]!;
    const p1 = f.featureOffsets[i + 1]!;
    if (p0 === p1) return 4;
    const rings = f.partOffsets[p1]! - f.partOffsets[p0]!;
    const points = f.ringOffsets[f.partOffsets[p1]!]! - f.ringOffsets[f.partOffsets[p0]!]!;
    if (single) return f.z ? 36 : 20;
    return (multi ? 40 : 44 + 4 * rings) + 16 * points + (f.z ? 32 + 16 * points : 0);
  };
  let total = 100;
  for (let i = 0; i < n; i++) total += 8 + size(i);
  const shp = new DataView(new ArrayBuffer(total));
  const shx = new DataView(new ArrayBuffer(100 + 8 * n));
  const whole = [Infinity, Infinity, -Infinity, -Infinity, Infinity, -Infinity];
  let at = 100;
  for (let i = 0; i < n; i++) {
    const bytes = size(i);
    shp.setInt32(at, i + 1, false);
    shp.setInt32(at + 4, bytes / 2, false);
    shx.setInt32(100 + 8 * i, at / 2, false);
    shx.setInt32(104 + 8 * i, bytes / 2, false);
    at += 8;
    writeShape(f, i, type, shp, at, whole);
    at += bytes;
  }
  for (const v of [shp, shx]) {
    v.setInt32(0, 9994, false);
    v.setInt32(24, v.byteLength / 2, false);
    v.setInt32(28, 1000, true);
    v.setInt32(32, type, true);
    const box = whole.map((x) => (Number.isFinite(x) ? x : 0));
    for (let k = 0; k < 4; k++) v.setFloat64(36 + 8 * k, box[k]!, true);
    if (f.z) {
      v.setFloat64(68, box[4]!, true);
      v.setFloat64(76, box[5]!, true);
    }
  }
  // A table has at least one column.
  const columns = f.columns.length
    ? f.columns
    : [{ name: 'id', type: 'number' as const, unit: null, values: Float64Array.from({ length: n }, (_, i) => i + 1) }];
  const wkt = f.crs ? wktOf(f.crs) : null;
  const utf8 = new TextEncoder();
  return {
    shp: new Uint8Array(shp.buffer),
    shx: new Uint8Array(shx.buffer),
    dbf: writeDbf(columns, n),
    cpg: utf8.encode('UTF-8'),
    ...(wkt ? { prj: utf8.encode(wkt) } : {}),
  };
}

function hasSeveral(f: Features): boolean {
  for (let i = 0; i < featureCount(f); i++) if (f.featureOffsets[i + 1]! - f.featureOffsets[i]! > 1) return true;
  return false;
}

function writeShape(f: Features, i: number, type: number, out: DataView, at: number, whole: number[]): void {
  const p0 = f.featureOffsets[i]!;
  const p1 = f.featureOffsets[i + 1]!;
  if (p0 === p1) {
    out.setInt32(at, 0, true);
    return;
  }
  out.setInt32(at, type, true);
  const r0 = f.partOffsets[p0]!;
  const r1 = f.partOffsets[p1]!;
  const c0 = f.ringOffsets[r0]!;
  const c1 = f.ringOffsets[r1]!;
  const own = [Infinity, Infinity, -Infinity, -Infinity, Infinity, -Infinity];
  const grow = (c: number): void => {
    const [x, y, z] = [f.xy[2 * c]!, f.xy[2 * c + 1]!, f.z?.[c] ?? NaN];
    for (const b of [own, whole]) {
      if (x < b[0]!) b[0] = x;
      if (y < b[1]!) b[1] = y;
      if (x > b[2]!) b[2] = x;
      if (y > b[3]!) b[3] = y;
      if (z < b[4]!) b[4] = z;
      if (z > b[5]!) b[5] = z;
    }
  };
  for (let c = c0; c < c1; c++) grow(c);
  const height = (c: number): number => (f.z![c] === f.z![c] ? f.z![c]! : 0);
  if (type % 10 === 1) {
    out.setFloat64(at + 4, f.xy[2 * c0]!, true);
    out.setFloat64(at + 12, f.xy[2 * c0 + 1]!, true);
    if (f.z) {
      out.setFloat64(at + 20, height(c0), true);
      out.setFloat64(at + 28, -1e39, true);
    }
    return;
  }
  for (let k = 0; k < 4; k++) out.setFloat64(at + 4 + 8 * k, own[k]!, true);
  const multi = type % 10 === 8;
  const rings: number[] = [];
  for (let p = p0; p < p1; p++) for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++) rings.push(r);
  if (!multi) out.setInt32(at + 36, rings.length, true);
  out.setInt32(at + (multi ? 36 : 40), c1 - c0, true);
  let start = 0;
  const order: number[] = [];
  let part = p0;
  rings.forEach((r, k) => {
    if (!multi) out.setInt32(at + 44 + 4 * k, start, true);
    while (r >= f.partOffsets[part + 1]!) part++;
    const list = Array.from({ length: f.ringOffsets[r + 1]! - f.ringOffsets[r]! }, (_, c) => f.ringOffsets[r]! + c);
    if (f.geometry === 'polygon') {
      const clockwise = ringArea2(f.xy, f.ringOffsets[r]!, f.ringOffsets[r + 1]!) < 0;
      if (clockwise !== (r === f.partOffsets[part])) list.reverse();
    }
    start += list.length;
    order.push(...list);
  });
  let xy = at + (multi ? 40 : 44 + 4 * rings.length);
  for (const c of order) {
    out.setFloat64(xy, f.xy[2 * c]!, true);
    out.setFloat64(xy + 8, f.xy[2 * c + 1]!, true);
    xy += 16;
  }
  if (!f.z) return;
  out.setFloat64(xy, Number.isFinite(own[4]!) ? own[4]! : 0, true);
  out.setFloat64(xy + 8, Number.isFinite(own[5]!) ? own[5]! : 0, true);
  order.forEach((c, k) => out.setFloat64(xy + 16 + 8 * k, height(c), true));
  xy += 16 + 8 * order.length;
  out.setFloat64(xy, -1e39, true);
  out.setFloat64(xy + 8, -1e39, true);
  order.forEach((_, k) => out.setFloat64(xy + 16 + 8 * k, -1e39, true));
}
