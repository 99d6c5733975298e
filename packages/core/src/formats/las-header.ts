import { HelkError } from '../errors';
import type { Note } from '../data/check';
import type { Triple } from '../data/cloud';
import type { Crs } from '../data/crs';
import type { ByteSource } from './source';
import { crsOfGeoKeys } from './geokeys';
import { systemsOfWkt } from './wkt-compound';
import { EXTRA_SIZES, EXTRA_TYPES, POINT_LAYOUTS, type ExtraBytes, type PointLayout } from './las-layout';

/** What the head of a LAS file says. */
export interface LasHeader {
  version: string;
  format: number;
  layout: PointLayout;
  /** Bytes from one point to the next. */
  record: number;
  /** Where the points begin. */
  start: number;
  count: number;
  /** Points by number of return, as counted by whoever wrote the file. */
  byReturn: number[];
  scale: Triple;
  offset: Triple;
  /** xmin, ymin, zmin, xmax, ymax, zmax, as written. */
  box: [number, number, number, number, number, number];
  crs: Crs | null;
  heightUnit: string;
  extra: ExtraBytes[];
  /** The points are compressed as LASzip does it. */
  compressed: boolean;
  /** Where an index of chunks by octree node begins (COPC 1.0), with its size. */
  hierarchy: { offset: number; size: number } | null;
}

interface Record {
  user: string;
  id: number;
  bytes: Uint8Array;
}

/** Records that are looked at, and bytes of one: systems and extra bytes are small. */
const MOST_RECORDS = 10_000;
const MOST_RECORD = 2 ** 24;

const latin = (b: Uint8Array): string => {
  const end = b.indexOf(0);
  return new TextDecoder('windows-1252').decode(end < 0 ? b : b.subarray(0, end)).trim();
};

/**
 * The header and the records of a LAS file, versions 1.0 to 1.4 (ASPRS, LAS specification 1.4 R15, and the older ones for what they have
 * otherwise).
 *
 * @throws HelkError `file.damaged`, `file.unsupported` for what no points can be read by
 */
export async function readLasHeader(source: ByteSource, name: string, notes: Note[]): Promise<LasHeader> {
  const bad = (message: string): HelkError => new HelkError('file.damaged', `"${name}" ${message}`, name);
  const bytes = await source.range(0, 375);
  if (bytes.length < 227) throw bad(`ends within its header (after ${bytes.length} bytes).`);
  const v = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const [major, minor] = [v.getUint8(24), v.getUint8(25)];
  if (major !== 1 || minor > 4)
    throw new HelkError(
      'file.unsupported',
      `"${name}" is LAS ${major}.${minor}; versions 1.0 to 1.4 are read. Is it damaged?`,
      name,
    );
  const headerSize = v.getUint16(94, true);
  const start = v.getUint32(96, true);
  const records = v.getUint32(100, true);
  const tagged = v.getUint8(104);
  const format = tagged & 0x3f;
  const layout = POINT_LAYOUTS[format];
  const record = v.getUint16(105, true);
  if (headerSize < 227 || headerSize > start)
    throw bad(`says its header has ${headerSize} bytes and points begin at byte ${start}.`);
  if (start > source.size) throw bad(`says its points begin at byte ${start}, but has ${source.size} bytes.`);
  if (!layout)
    throw new HelkError('file.unsupported', `"${name}" has points of format ${format}; 0 to 10 are read.`, name);
  if (record < layout.bytes)
    throw bad(`says a point has ${record} bytes, but points of format ${format} have at least ${layout.bytes}.`);
  const modern = minor >= 4 && headerSize >= 375 && bytes.length >= 375;
  let count = v.getUint32(107, true);
  let byReturn = Array.from({ length: 5 }, (_, k) => v.getUint32(111 + 4 * k, true));
  if (modern) {
    count = Number(v.getBigUint64(247, true)) || count;
    const all = Array.from({ length: 15 }, (_, k) => Number(v.getBigUint64(255 + 8 * k, true)));
    if (all.some((n) => n > 0)) byReturn = all;
  }
  const three = (at: number): Triple => [
    v.getFloat64(at, true),
    v.getFloat64(at + 8, true),
    v.getFloat64(at + 16, true),
  ];
  const scale = three(131);
  const offset = three(155);
  if (!scale.every((s) => s !== 0 && Number.isFinite(s)) || !offset.every(Number.isFinite))
    throw bad(
      `says its coordinates have a scale of ${scale.join(', ')} and an offset of ${offset.join(', ')}: no place can be told from that.`,
    );
  if (scale.some((s) => s < 0)) throw bad(`says its coordinates have a scale of ${scale.join(', ')}, less than 0.`);
  const box = [187, 203, 219, 179, 195, 211].map((at) => v.getFloat64(at, true)) as LasHeader['box'];
  const found: Record[] = [];
  await eachRecord(source, headerSize, records, start, false, found, name);
  if (modern) {
    const at = Number(v.getBigUint64(235, true));
    const many = v.getUint32(243, true);
    if (many && at > 0) await eachRecord(source, at, many, source.size, true, found, name);
  }
  const of = (user: string, id: number): Uint8Array | undefined =>
    found.find((r) => r.user === user && r.id === id)?.bytes;
  const { crs, heightUnit } = systemOf(of, name, notes);
  const laz = of('laszip encoded', 22204) !== undefined || tagged >= 0x80;
  const copc = of('copc', 1);
  const info = copc && copc.length >= 56 ? new DataView(copc.buffer, copc.byteOffset, copc.byteLength) : null;
  const h: LasHeader = {
    version: `${major}.${minor}`,
    format,
    layout,
    record,
    start,
    count,
    byReturn,
    scale,
    offset,
    box,
    crs,
    heightUnit,
    extra: extraOf(of('LASF_Spec', 4), record - layout.bytes, notes),
    compressed: laz,
    hierarchy: info ? { offset: Number(info.getBigUint64(40, true)), size: Number(info.getBigUint64(48, true)) } : null,
  };
  if (layout.wave)
    notes.push({
      level: 'info',
      code: 'las.waves',
      message: 'The file refers to wave forms of the pulses; the points are taken, the wave forms are not.',
    });
  return h;
}

async function eachRecord(
  source: ByteSource,
  from: number,
  many: number,
  end: number,
  extended: boolean,
  into: Record[],
  name: string,
): Promise<void> {
  const head = extended ? 60 : 54;
  let at = from;
  for (let k = 0; k < many; k++) {
    const b = await source.range(at, at + head);
    // What follows the last record may be anything; a record that is cut off ends the list.
    if (b.length < head || at + head > end || k >= MOST_RECORDS)
      throw new HelkError(
        'file.damaged',
        `"${name}" says it has ${many} records before its points, but only ${k} can be read.`,
        name,
      );
    const v = new DataView(b.buffer, b.byteOffset, b.byteLength);
    const size = extended ? Number(v.getBigUint64(20, true)) : v.getUint16(20, true);
    const user = latin(b.subarray(2, 18));
    const id = v.getUint16(18, true);
    if (at + head + size > end)
      throw new HelkError(
        'file.damaged',
        `"${name}": record ${k + 1} (${user || 'no name'}) says it has ${size} bytes, more than there are before the points.`,
        name,
      );
    if (size <= MOST_RECORD) into.push({ user, id, bytes: await source.range(at + head, at + head + size) });
    at += head + size;
  }
}

type Find = (user: string, id: number) => Uint8Array | undefined;

/** The system from well-known text where there is any that can be read, else from GeoTIFF keys. */
function systemOf(of: Find, name: string, notes: Note[]): { crs: Crs | null; heightUnit: string } {
  const wkt = of('LASF_Projection', 2112);
  if (wkt && wkt.length > 10) {
    const told = systemsOfWkt(new TextDecoder().decode(wkt).replace(/\0+$/, ''), name, notes);
    if (told.crs) return told;
  }
  const keys = keysOf(of);
  if (!keys) return { crs: null, heightUnit: 'm' };
  const vertical = (keys['VerticalUnitsGeoKey'] as number[] | undefined)?.[0];
  return {
    crs: crsOfGeoKeys(keys, notes),
    heightUnit: vertical === 9002 ? 'ft' : vertical === 9003 ? 'us-ft' : 'm',
  };
}

/** Names of the GeoTIFF keys that systems are read from (OGC 19-008r4). */
const KEY_NAMES: { [key: number]: string } = {
  1024: 'GTModelTypeGeoKey',
  1026: 'GTCitationGeoKey',
  2048: 'GeographicTypeGeoKey',
  2049: 'GeogCitationGeoKey',
  2056: 'GeogEllipsoidGeoKey',
  2057: 'GeogSemiMajorAxisGeoKey',
  2058: 'GeogSemiMinorAxisGeoKey',
  2059: 'GeogInvFlatteningGeoKey',
  2062: 'GeogTOWGS84GeoKey',
  3072: 'ProjectedCSTypeGeoKey',
  3073: 'PCSCitationGeoKey',
  3075: 'ProjCoordTransGeoKey',
  3076: 'ProjLinearUnitsGeoKey',
  3078: 'ProjStdParallel1GeoKey',
  3079: 'ProjStdParallel2GeoKey',
  3080: 'ProjNatOriginLongGeoKey',
  3081: 'ProjNatOriginLatGeoKey',
  3082: 'ProjFalseEastingGeoKey',
  3083: 'ProjFalseNorthingGeoKey',
  3084: 'ProjFalseOriginLongGeoKey',
  3085: 'ProjFalseOriginLatGeoKey',
  3086: 'ProjFalseOriginEastingGeoKey',
  3087: 'ProjFalseOriginNorthingGeoKey',
  3088: 'ProjCenterLongGeoKey',
  3089: 'ProjCenterLatGeoKey',
  3090: 'ProjCenterEastingGeoKey',
  3091: 'ProjCenterNorthingGeoKey',
  3092: 'ProjScaleAtNatOriginGeoKey',
  3093: 'ProjScaleAtCenterGeoKey',
  3095: 'ProjStraightVertPoleLongGeoKey',
  4099: 'VerticalUnitsGeoKey',
};

function keysOf(of: Find): { [name: string]: unknown } | null {
  const directory = of('LASF_Projection', 34735);
  if (!directory || directory.length < 8) return null;
  const shorts = new DataView(directory.buffer, directory.byteOffset, directory.byteLength);
  const reals = of('LASF_Projection', 34736) ?? new Uint8Array(0);
  const doubles = new DataView(reals.buffer, reals.byteOffset, reals.byteLength);
  const texts = new TextDecoder('windows-1252').decode(of('LASF_Projection', 34737) ?? new Uint8Array(0));
  const out: { [name: string]: unknown } = {};
  const many = Math.min(shorts.getUint16(6, true), Math.floor((directory.length - 8) / 8));
  for (let k = 0; k < many; k++) {
    const at = 8 + 8 * k;
    const name = KEY_NAMES[shorts.getUint16(at, true)];
    if (!name) continue;
    const where = shorts.getUint16(at + 2, true);
    const count = shorts.getUint16(at + 4, true);
    const value = shorts.getUint16(at + 6, true);
    if (where === 0) out[name] = [value];
    else if (where === 34737) out[name] = texts.slice(value, value + count).replace(/[|\0]+$/, '');
    else if (where === 34736 && 8 * (value + count) <= reals.length)
      out[name] = Array.from({ length: count }, (_, i) => doubles.getFloat64(8 * (value + i), true));
  }
  return out;
}

/** The extra bytes that are described; those that are not, and what has more than one value, are passed over. */
function extraOf(bytes: Uint8Array | undefined, room: number, notes: Note[]): ExtraBytes[] {
  if (room === 0) return [];
  const out: ExtraBytes[] = [];
  let left = room;
  const v = bytes ? new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength) : null;
  for (let at = 0; v && at + 192 <= v.byteLength && left > 0; at += 192) {
    const kind = v.getUint8(at + 2);
    const options = v.getUint8(at + 3);
    const single = kind <= 10;
    // Types 11 to 30 are pairs and triples of the first ten.
    const base = single ? kind : ((kind - 1) % 10) + 1;
    const size = kind === 0 ? options : EXTRA_SIZES[base]! * (single ? 1 : kind <= 20 ? 2 : 3);
    if (size === 0 || size > left || kind > 30) break;
    const type = single ? EXTRA_TYPES[kind]! : null;
    const missing = (): number | null => {
      if (!(options & 1) || !type) return null;
      if (/float/.test(type)) return v.getFloat64(at + 40, true);
      return Number(/uint/.test(type) ? v.getBigUint64(at + 40, true) : v.getBigInt64(at + 40, true));
    };
    out.push({
      name: latin(bytes!.subarray(at + 4, at + 36)) || `extra ${out.length + 1}`,
      type,
      bytes: size,
      factor: options & 8 ? v.getFloat64(at + 112, true) : 1,
      offset: options & 16 ? v.getFloat64(at + 136, true) : 0,
      missing: missing(),
      about: latin(bytes!.subarray(at + 160, at + 192)),
    });
    left -= size;
  }
  if (left > 0 || out.some((e) => !e.type))
    notes.push({
      level: 'look',
      code: 'las.extra',
      message: `${left > 0 ? `${left} bytes` : 'Some bytes'} of every point are not described well enough to be read; they are passed over.`,
    });
  return out;
}
