import { HelkError } from '../errors';
import { parseCrs, wgs84, type Crs } from '../data/crs';
import { featureCount, takeFeatures, type Features } from '../data/features';
import type { Note } from '../method/job';
import { FeatureCollector, type Feature } from './feature-collector';
import { writeGeoJson } from './geojson-write';
import { baseName, type FileFormat } from './reader';

const MAGIC = [0x66, 0x67, 0x62, 0x03];

/** FlatGeobuf (flatgeobuf.org, version 3). */
export const flatgeobuf: FileFormat = {
  id: 'flatgeobuf',
  title: 'FlatGeobuf',
  extensions: ['fgb'],
  sniff: (b) => MAGIC.every((v, i) => b[i] === v),
  read: async (bytes, name, options) => {
    const { deserialize } = await import('flatgeobuf/lib/mjs/geojson.js');
    const notes: Note[] = [];
    let crs: Crs | null = null;
    const features = new FeatureCollector(name, options);
    let seen = 0;
    let total = 0;
    try {
      await walk(bytes, options.maxCells);
      const all = deserialize(bytes, {
        headerMetaFn: (h) => {
          total = h.featuresCount;
          if (total * 2 > options.maxCells)
            throw new HelkError('file.tooLarge', `"${name}" holds ${total} features, more than are taken in.`, name);
          if (h.crs?.code) crs = parseCrs(`EPSG:${h.crs.code}`, name);
        },
      });
      for await (const f of all) {
        features.add(f as unknown as Feature);
        seen++;
        if (total && seen > total) throw new Error('endless');
        if ((seen & 4095) === 0) options.progress?.(seen / Math.max(1, total), 'reading features');
      }
    } catch (e) {
      if (e instanceof HelkError) throw e;
      throw new HelkError(
        'file.damaged',
        `"${name}" begins like FlatGeobuf but cannot be read to the end (feature ${seen + 1}); is it whole?`,
        name,
      );
    }
    if (total && seen < total)
      throw new HelkError('file.damaged', `"${name}" says it holds ${total} features, but ends after ${seen}.`, name);
    // Missing values are left out of the file altogether.
    return features.layers(crs ?? options.crs ?? wgs84(), baseName(name), notes);
  },
};

/** Passes over header, index and features by their lengths: the library waits for ever at the end of a file that is cut off. */
async function walk(bytes: Uint8Array, most: number): Promise<void> {
  const { ByteBuffer } = await import('flatbuffers');
  const { fromByteBuffer } = await import('flatgeobuf/lib/mjs/header-meta.js');
  const { calcTreeSize } = await import('flatgeobuf/lib/mjs/packedrtree.js');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const header = view.getUint32(8, true);
  if (12 + header > bytes.length) throw new Error('header');
  const meta = fromByteBuffer(new ByteBuffer(bytes.slice(8, 12 + header)));
  const n = meta.featuresCount;
  if (n > most || n > bytes.length) throw new Error('count');
  let at = 12 + header + (meta.indexNodeSize > 0 && n > 0 ? calcTreeSize(n, meta.indexNodeSize) : 0);
  let found = 0;
  while (at < bytes.length) {
    if (at + 4 > bytes.length) throw new Error('length');
    const size = view.getUint32(at, true);
    if (size < 8 || at + 4 + size > bytes.length) throw new Error('feature');
    at += 4 + size;
    found++;
  }
  if (n > 0 && found !== n) throw new Error('features');
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
