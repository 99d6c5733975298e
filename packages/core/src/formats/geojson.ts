import { HelkError } from '../errors';
import { parseCrs, wgs84, type Crs } from '../data/crs';
import type { Features } from '../data/features';
import { fitsDegrees } from '../data/point-columns';
import { FeatureCollector, GEOMETRY_KINDS, type Feature, type Geometry } from './feature-collector';
import { jsonPieces } from './json-pieces';
import { baseName, encodingOf, headText, type FileFormat } from './reader';
import type { Note } from '../data/check';

/**
 * GeoJSON (RFC 7946), and a `crs` member of the 2008 draft when there is one. A file with several geometry types becomes one
 * layer a type; features without geometry are counted and left out; open rings are closed; all by feature number. Features are
 * parsed some at a time, so that a file may be larger than the longest text there can be.
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
    const pieces = jsonPieces(bytes, 'features', encodingOf(bytes, notes), name);
    const { root } = pieces;
    const given = crsMember(root['crs'], name) ?? options.crs;
    const collector = new FeatureCollector(name, options);
    if (root['type'] === 'FeatureCollection' && pieces.listed)
      for (const { items, share } of pieces.batches()) {
        for (const f of items) collector.add(f as Feature);
        options.progress?.(share, 'reading features');
      }
    else for (const f of single(root, name)) collector.add(f);
    const layers = collector.layers(given ?? wgs84(), baseName(name), notes);
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

/** A file that is one feature, or one geometry. */
function single(root: Record<string, unknown>, name: string): Feature[] {
  const type = String(root['type'] ?? '');
  if (type === 'Feature') return [root as unknown as Feature];
  if (GEOMETRY_KINDS.has(type) || type === 'GeometryCollection') {
    const g = root as unknown as Geometry;
    return (g.geometries ?? [g]).map((geometry) => ({ type: 'Feature', geometry, properties: {} }));
  }
  throw new HelkError('file.unknown', `"${name}" is JSON but not GeoJSON: it has no features.`, name);
}

function crsMember(member: unknown, name: string): Crs | null {
  const id = (member as { properties?: { name?: unknown } } | null)?.properties?.name;
  return typeof id === 'string' ? parseCrs(id, name) : null;
}
