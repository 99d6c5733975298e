import { HelkError } from '../errors';
import { parseCrs, sameCrs, transformer, wgs84, type Crs } from '../data/crs';
import {
  featureCount,
  FeaturesBuilder,
  ringArea2,
  valueOf,
  type Column,
  type Features,
  type GeometryType,
} from '../data/features';
import { fitsDegrees } from '../data/point-columns';
import type { Note } from '../method/job';
import { baseName, headText, wholeText, type FileFormat, type Layer } from './reader';

interface Geometry {
  type: string;
  coordinates?: unknown;
  geometries?: Geometry[];
}
export interface Feature {
  type: string;
  geometry: Geometry | null;
  properties: Record<string, unknown> | null;
}

const KIND: Record<string, GeometryType> = {
  Point: 'point',
  MultiPoint: 'point',
  LineString: 'line',
  MultiLineString: 'line',
  Polygon: 'polygon',
  MultiPolygon: 'polygon',
};
const PLURAL: Record<GeometryType, string> = { point: 'points', line: 'lines', polygon: 'polygons' };

/**
 * GeoJSON (RFC 7946), and a `crs` member of the 2008 draft when there is one. A file with several geometry types becomes one
 * layer a type; features without geometry are counted and left out; open rings are closed; all by feature number.
 */
export const geojson: FileFormat = {
  id: 'geojson',
  title: 'GeoJSON',
  extensions: ['geojson', 'json'],
  sniff: (b, name) =>
    /^\s*\{/.test(headText(b, 512) ?? '') &&
    (/\.(geo)?json$/i.test(name) || /"(FeatureCollection|Feature|coordinates)"/.test(headText(b, 4096) ?? '')),
  read: (bytes, name, options) => {
    const notes: Note[] = [];
    const text = wholeText(bytes, notes);
    let root: { type?: string; features?: unknown; crs?: unknown };
    try {
      root = JSON.parse(text) as typeof root;
    } catch (e) {
      const at = /position (\d+)/.exec((e as Error).message)?.[1];
      throw new HelkError(
        'file.damaged',
        `"${name}" is not whole JSON${at ? ` (it breaks at character ${at} of ${text.length})` : ''}; the file may be cut off.`,
        name,
      );
    }
    const features = listOf(root, name);
    const given = crsMember(root.crs, name) ?? options.crs;
    const layers = layersOf(features, given ?? wgs84(), name, baseName(name), notes);
    if (!given && !layers.every((l) => fitsDegrees((l.data as Features).xy))) {
      for (const l of layers) (l.data as Features).crs = null;
      notes.push({
        level: 'look',
        code: 'crs.standard',
        message:
          'GeoJSON is in longitude and latitude by its standard (RFC 7946), but these coordinates are not; which system they are in must be given.',
      });
    }
    return Promise.resolve(layers);
  },
};

/** One layer for each kind of geometry among GeoJSON features; what has none is counted and left out. @param base name of the layer */
export function layersOf(
  features: readonly Feature[],
  crs: Crs | null,
  name: string,
  base: string,
  notes: Note[],
): Layer[] {
  const kinds = new Map<GeometryType, Feature[]>();
  let empty = 0;
  let firstEmpty = 0;
  features.forEach((f, i) => {
    if (!f || typeof f !== 'object' || f.type !== 'Feature')
      throw new HelkError('file.damaged', `"${name}": item ${i + 1} is not a feature.`, name);
    if (!f.geometry) {
      if (!empty++) firstEmpty = i + 1;
      return;
    }
    const kind = KIND[f.geometry.type];
    if (!kind)
      throw new HelkError(
        'file.unsupported',
        `"${name}": feature ${i + 1} is a ${String(f.geometry.type).slice(0, 40)}; points, lines and polygons are read.`,
        name,
      );
    const list = kinds.get(kind);
    if (list) list.push(f);
    else kinds.set(kind, [f]);
  });
  if (empty)
    notes.push({
      level: 'look',
      code: 'features.noGeometry',
      message: `${empty} of ${features.length} features have no geometry (the first is number ${firstEmpty}); they were left out.`,
    });
  if (kinds.size === 0) throw new HelkError('file.content', `"${name}" holds no feature with a geometry.`, name);
  const layers: Layer[] = [...kinds].map(([kind, list]) => ({
    name: kinds.size > 1 ? `${base} ${PLURAL[kind]}` : base,
    data: build(list, kind, crs, name, notes),
    notes,
  }));
  if (kinds.size > 1)
    notes.push({
      level: 'info',
      code: 'features.mixed',
      message: `The file mixes ${[...kinds.keys()].map((k) => PLURAL[k]).join(' and ')}; each became a dataset of its own.`,
    });
  return layers;
}

function listOf(root: { type?: string; features?: unknown }, name: string): Feature[] {
  if (root?.type === 'FeatureCollection' && Array.isArray(root.features)) return root.features as Feature[];
  if (root?.type === 'Feature') return [root as unknown as Feature];
  if (root?.type && (root.type in KIND || root.type === 'GeometryCollection')) {
    const g = root as unknown as Geometry;
    return (g.geometries ?? [g]).map((geometry) => ({ type: 'Feature', geometry, properties: {} }));
  }
  throw new HelkError('file.unknown', `"${name}" is JSON but not GeoJSON: it has no features.`, name);
}

function crsMember(member: unknown, name: string): Crs | null {
  const id = (member as { properties?: { name?: unknown } } | null)?.properties?.name;
  return typeof id === 'string' ? parseCrs(id, name) : null;
}

function build(list: Feature[], kind: GeometryType, crs: Crs | null, name: string, notes: Note[]): Features {
  const b = new FeaturesBuilder();
  let closed = 0;
  list.forEach((f, i) => {
    const bad = (): never => {
      throw new HelkError(
        'file.damaged',
        `"${name}": the coordinates of feature ${i + 1} are not numbers in the shape of a ${f.geometry!.type}.`,
        name,
      );
    };
    const point = (p: unknown): void => {
      if (!Array.isArray(p) || !Number.isFinite(p[0]) || !Number.isFinite(p[1])) return bad();
      b.coordinate(p[0] as number, p[1] as number, Number.isFinite(p[2]) ? (p[2] as number) : undefined);
    };
    const array = (v: unknown): unknown[] => (Array.isArray(v) ? v : bad());
    const ring = (r: unknown, close: boolean): void => {
      const pts = array(r);
      if (pts.length < (close ? 3 : 2)) bad();
      pts.forEach(point);
      const [a, z] = [pts[0] as number[], pts[pts.length - 1] as number[]];
      if (close && (a[0] !== z[0] || a[1] !== z[1])) {
        point(a);
        closed++;
      }
      b.endRing();
    };
    const g = f.geometry!;
    const multi = g.type.startsWith('Multi');
    for (const part of multi ? array(g.coordinates) : [g.coordinates]) {
      if (kind === 'point') {
        point(part);
        b.endRing();
      } else if (kind === 'line') ring(part, false);
      else for (const r of array(part)) ring(r, true);
      b.endPart();
    }
    b.endFeature();
  });
  if (closed)
    notes.push({
      level: 'look',
      code: 'features.openRings',
      message: `${closed} polygon ring${closed === 1 ? ' was' : 's were'} open and closed on reading.`,
    });
  return b.build(kind, crs, columnsOf(list.map((f) => f.properties ?? {})));
}

/** Columns of plain records in order of first appearance; numbers stay numbers when every value is one. */
export function columnsOf(records: Record<string, unknown>[]): Column[] {
  const names: string[] = [];
  const seen = new Set<string>();
  for (const r of records) {
    for (const k of Object.keys(r)) {
      if (!seen.has(k)) {
        seen.add(k);
        names.push(k);
      }
    }
  }
  return names.map((key, k) => {
    const values = records.map((r) => (Object.hasOwn(r, key) ? r[key] : null));
    const name = key.trim() ? key : `column ${k + 1}`;
    const present = values.filter((v) => v !== null && v !== undefined);
    const missing =
      present.length < values.length
        ? Uint8Array.from(values, (v) => (v === null || v === undefined ? 1 : 0))
        : undefined;
    const extra = missing ? { missing } : {};
    if (present.length && present.every((v) => typeof v === 'number')) {
      return {
        name,
        type: 'number',
        unit: null,
        values: Float64Array.from(values, (v) => (typeof v === 'number' ? v : NaN)),
        ...extra,
      };
    }
    if (present.length && present.every((v) => typeof v === 'boolean')) {
      return {
        name,
        type: 'boolean',
        unit: null,
        values: Float64Array.from(values, (v) => (v === true ? 1 : 0)),
        ...extra,
      };
    }
    return {
      name,
      type: 'text',
      unit: null,
      values: values.map((v) =>
        v === null || v === undefined ? '' : typeof v === 'object' ? JSON.stringify(v) : String(v),
      ),
      ...extra,
    };
  });
}

/**
 * Features as GeoJSON in longitude and latitude (RFC 7946), right-hand rings, columns in their order.
 *
 * @param native keep the coordinates as they are and name the system in a `crs` member, for exact round trips
 */
export function writeGeoJson(f: Features, native = false): string {
  const source = f.crs;
  const t = source && !native && !sameCrs(source, wgs84()) ? transformer(source, wgs84()) : null;
  const out = [0, 0];
  const at = (i: number): number[] => {
    let x = f.xy[2 * i]!;
    let y = f.xy[2 * i + 1]!;
    if (t) {
      t(x, y, out);
      x = Number(out[0]!.toFixed(9));
      y = Number(out[1]!.toFixed(9));
    }
    const z = f.z?.[i];
    return z === undefined || z !== z ? [x, y] : [x, y, z];
  };
  const ring = (r: number, wantCcw: boolean | null): number[][] => {
    const s = f.ringOffsets[r]!;
    const e = f.ringOffsets[r + 1]!;
    const pts: number[][] = [];
    for (let i = s; i < e; i++) pts.push(at(i));
    if (wantCcw !== null && ringArea2(f.xy, s, e) > 0 !== wantCcw) pts.reverse();
    return pts;
  };
  const lines: string[] = [];
  for (let i = 0; i < featureCount(f); i++) {
    const parts: unknown[] = [];
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) {
      const rings: number[][][] = [];
      for (let r = f.partOffsets[p]!; r < f.partOffsets[p + 1]!; r++)
        rings.push(ring(r, f.geometry === 'polygon' ? rings.length === 0 : null));
      parts.push(f.geometry === 'polygon' ? rings : f.geometry === 'line' ? rings[0] : rings[0]![0]);
    }
    const single = { point: 'Point', line: 'LineString', polygon: 'Polygon' }[f.geometry];
    const geometry =
      parts.length === 0
        ? null
        : parts.length === 1
          ? { type: single, coordinates: parts[0] }
          : { type: `Multi${single}`, coordinates: parts };
    const properties: Record<string, unknown> = {};
    for (const c of f.columns) properties[c.name] = valueOf(c, i);
    lines.push(JSON.stringify({ type: 'Feature', properties, geometry }));
  }
  // Without a code the definition itself names the system; texts of another kind would not be understood.
  const name = source?.code
    ? `urn:ogc:def:crs:EPSG::${source.code.slice(5)}`
    : source?.proj4.startsWith('+proj')
      ? source.proj4
      : null;
  const crs =
    native && name && source?.code !== 'EPSG:4326'
      ? `"crs":{"type":"name","properties":{"name":${JSON.stringify(name)}}},`
      : '';
  return `{"type":"FeatureCollection",${crs}"features":[\n${lines.join(',\n')}\n]}\n`;
}
