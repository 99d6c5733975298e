import { HelkError } from '../errors';
import { parseCrs, wgs84, type Crs } from '../data/crs';
import { featureCount, takeFeatures, type Features } from '../data/features';
import { FeatureCollector, type Geometry } from './feature-collector';
import { writeGeoJson } from './geojson-write';
import { baseName, type FileFormat } from './reader';
import type { Note } from '../data/check';

const MAGIC = [0x66, 0x67, 0x62, 0x03];

/** FlatGeobuf (flatgeobuf.org, version 3). */
export const flatgeobuf: FileFormat = {
  id: 'flatgeobuf',
  title: 'FlatGeobuf',
  extensions: ['fgb'],
  sniff: (b) => MAGIC.every((v, i) => b[i] === v),
  read: async (bytes, name, options) => {
    const { ByteBuffer } = await import('flatbuffers');
    const { fromByteBuffer } = await import('flatgeobuf/lib/mjs/header-meta.js');
    const { calcTreeSize } = await import('flatgeobuf/lib/mjs/packedrtree.js');
    const { Feature: Stored } = await import('flatgeobuf/lib/mjs/flat-geobuf/feature.js');
    const { parseProperties } = await import('flatgeobuf/lib/mjs/generic/feature.js');
    const notes: Note[] = [];
    let crs: Crs | null = null;
    const features = new FeatureCollector(name, options);
    let seen = 0;
    let total = 0;
    try {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      const header = view.getUint32(8, true);
      if (12 + header > bytes.length) throw new Error('header');
      const meta = fromByteBuffer(new ByteBuffer(bytes.slice(8, 12 + header)));
      total = meta.featuresCount;
      if (!(total <= bytes.length)) throw new Error('count');
      if (meta.crs?.code) crs = parseCrs(`EPSG:${meta.crs.code}`, name);
      let at = 12 + header + (meta.indexNodeSize > 0 && total > 0 ? calcTreeSize(total, meta.indexNodeSize) : 0);
      // Each feature is handed to the library by itself, so that no offset in it reaches beyond it.
      while (at < bytes.length) {
        const size = at + 4 <= bytes.length ? view.getUint32(at, true) : 0;
        if (size < 8 || at + 4 + size > bytes.length) throw new Error('feature');
        const f = Stored.getSizePrefixedRootAsFeature(new ByteBuffer(bytes.slice(at, at + 4 + size)));
        const g = f.geometry();
        const geometry = g && geometryOf(g, meta.geometryType || g.type(), size);
        features.add({ type: 'Feature', geometry, properties: parseProperties(f, meta.columns) });
        at += 4 + size;
        seen++;
        if ((seen & 4095) === 0) options.progress?.(at / bytes.length, 'reading features');
      }
    } catch (e) {
      if (e instanceof HelkError) throw e;
      throw new HelkError(
        'file.damaged',
        `"${name}" begins like FlatGeobuf but cannot be read to the end (feature ${seen + 1}); is it whole?`,
        name,
      );
    }
    if (total && seen !== total)
      throw new HelkError(
        'file.damaged',
        `"${name}" says it holds ${total} features, but ${seen < total ? `ends after ${seen}` : `${seen} are there`}.`,
        name,
      );
    return features.layers(crs ?? options.crs ?? wgs84(), baseName(name), notes);
  },
};

/** What of a stored geometry is looked at. */
interface StoredGeometry {
  type(): number;
  xyArray(): Float64Array | null;
  zArray(): Float64Array | null;
  endsArray(): Uint32Array | null;
  partsLength(): number;
  parts(i: number): StoredGeometry | null;
}

const TYPES: Record<number, string> = {
  1: 'Point',
  2: 'LineString',
  3: 'Polygon',
  4: 'MultiPoint',
  5: 'MultiLineString',
  6: 'MultiPolygon',
};

/**
 * A geometry of the format as GeoJSON has it.
 *
 * @param size bytes of the feature, which bound all counts in it
 */
function geometryOf(g: StoredGeometry, code: number, size: number): Geometry {
  const type = TYPES[code];
  if (!type) return { type: `geometry of kind ${code}` };
  if (type === 'MultiPolygon') {
    const n = g.partsLength();
    if (n * 4 > size) throw new Error('parts');
    // Without parts it is a single polygon under that name.
    if (n === 0 && g.xyArray()) return { type, coordinates: [ringsOf(g)] };
    return { type, coordinates: Array.from({ length: n }, (_, i) => ringsOf(g.parts(i)!)) };
  }
  if (type === 'Polygon' || type === 'MultiLineString') return { type, coordinates: ringsOf(g) };
  const all = pairs(g);
  return { type, coordinates: type === 'Point' ? all[0] : all };
}

function pairs(g: StoredGeometry): number[][] {
  const xy = g.xyArray();
  const z = g.zArray();
  if (!xy) return [];
  const out: number[][] = [];
  for (let i = 0; i + 1 < xy.length; i += 2) {
    const h = z?.[i / 2];
    out.push(h === undefined || h !== h ? [xy[i]!, xy[i + 1]!] : [xy[i]!, xy[i + 1]!, h]);
  }
  return out;
}

function ringsOf(g: StoredGeometry): number[][][] {
  const all = pairs(g);
  const ends = g.endsArray();
  if (!ends || ends.length === 0) return [all];
  let from = 0;
  return Array.from(ends, (to) => {
    if (to < from || to > all.length) throw new Error('ends');
    const ring = all.slice(from, to);
    from = to;
    return ring;
  });
}

/** Features as FlatGeobuf with a spatial index, in their own coordinates where the system has an EPSG code. */
export async function writeFlatGeobuf(all: Features): Promise<Uint8Array> {
  // The format orders features by place, and the package has no room for those without one.
  const rows = Array.from({ length: featureCount(all) }, (_, i) => i).filter(
    (i) => all.featureOffsets[i] !== all.featureOffsets[i + 1],
  );
  if (!rows.length)
    throw new HelkError('export.unsupported', 'FlatGeobuf cannot hold a set without any geometry.', 'as');
  const f = rows.length < featureCount(all) ? takeFeatures(all, rows) : all;
  const { serialize } = await import('flatgeobuf/lib/mjs/geojson.js');
  const code = f.crs?.code ? Number(f.crs.code.slice(5)) : 0;
  const tree = JSON.parse(writeGeoJson(f, code > 0)) as Parameters<typeof serialize>[0];
  return serialize(tree, code || 4326);
}
