import { gpx as gpxToGeoJson, kml as kmlToGeoJson } from '@tmcw/togeojson';
import { DOMParser } from '@xmldom/xmldom';
import { HelkError } from '../errors';
import { sameCrs, transformer, wgs84 } from '../data/crs';
import { featureCount, ringArea2, valueOf, type Features } from '../data/features';
import { layersOf, type Feature } from './feature-collector';
import { baseName, headText, readsAsNumber, wholeText, type FileFormat, type ReadOptions } from './reader';
import type { Note } from '../data/check';

const root = (b: Uint8Array): string => {
  const head = headText(b, 2000) ?? '';
  return (
    /<(?:\w+:)?([a-z]+)[\s>]/i
      .exec(head.replace(/<\?[^>]*>|<!--[\s\S]*?-->|<!DOCTYPE[^>]*>/gi, ''))?.[1]
      ?.toLowerCase() ?? ''
  );
};

/** Behind the declaration, comments and instructions before the first element or document type. O(their length). */
function prologEnd(text: string): number {
  for (let at = 0; ;) {
    while (/\s/.test(text.charAt(at))) at++;
    const close = text.startsWith('<?', at) ? '?>' : text.startsWith('<!--', at) ? '-->' : null;
    if (!close) return at;
    const end = text.indexOf(close, at);
    if (end < 0) return at;
    at = end + close.length;
  }
}

/** A document without entities of its own: those could swell to any size, or reach for other files. */
function parse(bytes: Uint8Array, name: string, notes: Note[]): Document {
  const text = wholeText(bytes, name, notes);
  if (text.startsWith('<!', prologEnd(text)))
    throw new HelkError('file.unsupported', `"${name}" declares entities of its own, which are not read.`, name);
  let wrong: string | null = null;
  let tree: unknown;
  try {
    tree = new DOMParser({
      onError: (level, message) => {
        if (level !== 'warning') wrong ??= message;
      },
    }).parseFromString(text, 'text/xml');
  } catch (e) {
    wrong ??= e instanceof Error ? e.message : String(e);
  }
  if (wrong || !tree)
    throw new HelkError(
      'file.damaged',
      `"${name}" is not whole XML (${String(wrong).split('\n')[0]!.slice(0, 140)}); is it cut off?`,
      name,
    );
  return tree as Document;
}

/** Drawing settings are not data. */
const STYLE =
  /^(styleUrl|styleHash|styleMapHash|stroke|fill|icon|label|marker)(-|$)|^(visibility|stroke|fill|icon|styleUrl|styleHash|styleMapHash)$/;

function read(bytes: Uint8Array, name: string, o: ReadOptions, convert: (d: Document) => { features: unknown[] }) {
  const notes: Note[] = [];
  const tree = parse(bytes, name, notes);
  o.progress?.(0.5, 'reading features');
  const features = convert(tree).features.flatMap((f) => flat(f as Feature));
  for (const f of features) for (const k of Object.keys(f.properties ?? {})) if (STYLE.test(k)) delete f.properties![k];
  numbersOf(tree, features);
  return Promise.resolve(layersOf(features, wgs84(), name, baseName(name), notes, o));
}

/** Data without a schema are texts, whatever they hold: those that are numbers throughout become numbers. */
function numbersOf(tree: Document, features: Feature[]): void {
  const untyped = new Set(Array.from(tree.getElementsByTagName('Data'), (d) => d.getAttribute('name') ?? ''));
  const texts = (p: Record<string, unknown>): string[] => Object.keys(p).filter((k) => untyped.has(k));
  for (const { properties: p } of features)
    for (const k of p ? texts(p) : []) {
      const v = p![k];
      if (typeof v !== 'string' || !readsAsNumber(v.trim())) untyped.delete(k);
    }
  for (const { properties: p } of features) for (const k of p ? texts(p) : []) p![k] = Number(p![k]);
}

/** A collection of one kind of geometry becomes one of several parts; of several kinds, features of one kind each with the same columns. */
function flat(f: Feature): Feature[] {
  const parts = f.geometry?.geometries;
  if (!parts) return [f];
  const kinds = new Set(parts.map((g) => g.type));
  const [kind] = kinds;
  if (kinds.size === 1 && /^(Point|LineString|Polygon)$/.test(kind!))
    return [{ ...f, geometry: { type: `Multi${kind!}`, coordinates: parts.map((g) => g.coordinates) } }];
  return parts.flatMap((geometry) => flat({ ...f, geometry }));
}

/** KML (OGC 12-007r2): placemarks with their extended data. KMZ is a zip archive of it. */
export const kml: FileFormat = {
  id: 'kml',
  title: 'KML',
  extensions: ['kml'],
  sniff: (b) => root(b) === 'kml',
  read: (bytes, name, o) => read(bytes, name, o, (d) => kmlToGeoJson(d as never) as never),
};

/** GPX 1.0 and 1.1: waypoints, routes and tracks. */
export const gpx: FileFormat = {
  id: 'gpx',
  title: 'GPX',
  extensions: ['gpx'],
  sniff: (b) => root(b) === 'gpx',
  read: (bytes, name, o) => {
    return read(bytes, name, o, (d) => {
      const all = gpxToGeoJson(d as never) as unknown as { features: Feature[] };
      // Times and pulses of every single point are lists; the track itself is the feature.
      for (const f of all.features) delete f.properties?.['coordinateProperties'];
      return all;
    });
  },
};

const escape = (s: string): string =>
  s
    // eslint-disable-next-line no-control-regex -- such characters may not stand in XML at all
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f]/g, '')
    .replace(/&/g, '&amp;')
    .replace(/</g, '&lt;')
    .replace(/>/g, '&gt;')
    .replace(/"/g, '&quot;');

const NAME = /^(name|label|title)$/i;

/** Features as KML in longitude and latitude, columns as typed extended data. */
export function writeKml(f: Features, title: string): string {
  const t = f.crs && !sameCrs(f.crs, wgs84()) ? transformer(f.crs, wgs84()) : null;
  const out = [0, 0];
  const at = (c: number): string => {
    const [x, y] = [f.xy[2 * c]!, f.xy[2 * c + 1]!];
    if (t) t(x, y, out);
    const z = f.z?.[c];
    return `${t ? Number(out[0]!.toFixed(9)) : x},${t ? Number(out[1]!.toFixed(9)) : y}${z === z && z !== undefined ? `,${z}` : ''}`;
  };
  const ring = (r: number, ccw: boolean | null): string => {
    const all: string[] = [];
    for (let c = f.ringOffsets[r]!; c < f.ringOffsets[r + 1]!; c++) all.push(at(c));
    if (ccw !== null && ringArea2(f.xy, f.ringOffsets[r]!, f.ringOffsets[r + 1]!) > 0 !== ccw) all.reverse();
    return `<coordinates>${all.join(' ')}</coordinates>`;
  };
  const part = (p: number): string => {
    const [r0, r1] = [f.partOffsets[p]!, f.partOffsets[p + 1]!];
    const mode = f.z ? '<altitudeMode>absolute</altitudeMode>' : '';
    if (f.geometry === 'point') return `<Point>${mode}${ring(r0, null)}</Point>`;
    if (f.geometry === 'line') return `<LineString>${mode}${ring(r0, null)}</LineString>`;
    const rings: string[] = [];
    for (let r = r0; r < r1; r++) {
      const side = r === r0 ? 'outerBoundaryIs' : 'innerBoundaryIs';
      rings.push(`<${side}><LinearRing>${ring(r, r === r0)}</LinearRing></${side}>`);
    }
    return `<Polygon>${mode}${rings.join('')}</Polygon>`;
  };
  const named = f.columns.find((c) => NAME.test(c.name));
  const types = f.columns.map(
    (c) =>
      `<SimpleField name="${escape(c.name)}" type="${c.type === 'number' ? 'double' : c.type === 'boolean' ? 'bool' : 'string'}"/>`,
  );
  const marks: string[] = [];
  for (let i = 0; i < featureCount(f); i++) {
    const parts: string[] = [];
    for (let p = f.featureOffsets[i]!; p < f.featureOffsets[i + 1]!; p++) parts.push(part(p));
    const geometry = parts.length > 1 ? `<MultiGeometry>${parts.join('')}</MultiGeometry>` : (parts[0] ?? '');
    const data = f.columns
      .filter((c) => c !== named)
      .map((c) => [c.name, valueOf(c, i)] as const)
      .filter(([, v]) => v !== null)
      .map(([k, v]) => `<SimpleData name="${escape(k)}">${escape(String(v))}</SimpleData>`);
    const label = named ? valueOf(named, i) : null;
    marks.push(
      `<Placemark>${label !== null ? `<name>${escape(String(label))}</name>` : ''}${data.length ? `<ExtendedData><SchemaData schemaUrl="#columns">${data.join('')}</SchemaData></ExtendedData>` : ''}${geometry}</Placemark>`,
    );
  }
  return `<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2"><Document><name>${escape(title)}</name>\n<Schema name="columns" id="columns">${types.join('')}</Schema>\n${marks.join('\n')}\n</Document></kml>\n`;
}
