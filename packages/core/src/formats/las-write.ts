import { classesOf, attributeOf, type Cloud, type CloudInfo } from '../data/cloud';
import type { CloudHandle } from '../data/cloud-store';
import { cloudInfo } from '../data/cloud-facts';
import type { Crs } from '../data/crs';
import { bytesOf } from '../data/cells';
import { geoKeysOf } from './geokeys-write';
import { ANGLE_STEP, EXTRA_TYPES, extraAttributes, POINT_LAYOUTS } from './las-layout';
import type { ByteSink } from './source';
import { wktOf } from './wkt';

/** Points that are written at a time. */
const BLOCK = 65_536;

const ascii = (b: Uint8Array, at: number, text: string, most: number): void => {
  for (let i = 0; i < Math.min(text.length, most); i++) {
    const c = text.charCodeAt(i);
    b[at + i] = c < 128 ? c : 63;
  }
};

interface Written {
  minor: 2 | 4;
  format: number;
  record: number;
  extra: number[];
}

/** Point format that holds the attributes: 0 to 3 for version 1.2, 6 to 8 for version 1.4. */
function written(
  attributes: readonly { name: string; type: CloudInfo['attributes'][number]['type'] }[],
  minor: 2 | 4,
): Written {
  const has = (name: string): boolean => attributes.some((a) => a.name === name);
  const colour = has('red') || has('green') || has('blue');
  const format = minor === 4 ? (has('infrared') ? 8 : colour ? 7 : 6) : (has('time') ? 1 : 0) + (colour ? 2 : 0);
  const extra = minor === 4 ? extraAttributes(attributes) : [];
  const record = POINT_LAYOUTS[format]!.bytes + extra.reduce((s, k) => s + bytesOf(attributes[k]!.type), 0);
  return { minor, format, record, extra };
}

/** A record of variable length. */
function record(user: string, id: number, about: string, bytes: Uint8Array): Uint8Array {
  const out = new Uint8Array(54 + bytes.length);
  const v = new DataView(out.buffer);
  ascii(out, 2, user, 16);
  v.setUint16(18, id, true);
  v.setUint16(20, bytes.length, true);
  ascii(out, 22, about, 32);
  out.set(bytes, 54);
  return out;
}

const VERTICAL: Record<string, [key: number, wkt: string]> = {
  m: [9001, '"metre",1'],
  ft: [9002, '"foot",0.3048'],
  'us-ft': [9003, '"US survey foot",0.304800609601219'],
};

/** The system as well-known text, as version 1.4 wants it, with a vertical one where heights are not in metres. */
function wktRecord(crs: Crs, heightUnit: string): Uint8Array | null {
  const flat = wktOf(crs);
  if (!flat || !/^(PROJCS|GEOGCS|PROJCRS|GEOG)/i.test(flat)) return null;
  const text =
    heightUnit === 'm'
      ? flat
      : `COMPD_CS["${crs.name} + height",${flat},VERT_CS["height",VERT_DATUM["unknown",2005],UNIT[${VERTICAL[heightUnit]![1]}],AXIS["Up",UP]]]`;
  return record('LASF_Projection', 2112, 'OGC coordinate system WKT', new TextEncoder().encode(`${text}\0`));
}

/** The system as GeoTIFF keys. */
function keyRecords(crs: Crs, heightUnit: string): Uint8Array[] {
  const keys = geoKeysOf(crs);
  if (!keys) return [];
  const entries: [number, number, number, number][] = keys.shorts.map(([key, value]) => [key, 0, 1, value]);
  const doubles: number[] = [];
  for (const [key, values] of keys.doubles) {
    entries.push([key, 34736, values.length, doubles.length]);
    doubles.push(...values);
  }
  let text = '';
  for (const [key, value] of keys.texts) {
    const t = `${value.replace(/[^\x20-\x7e]/g, '?')}|`;
    entries.push([key, 34737, t.length, text.length]);
    text += t;
  }
  if (heightUnit !== 'm') entries.push([4099, 0, 1, VERTICAL[heightUnit]![0]]);
  entries.sort((a, b) => a[0] - b[0]);
  const shorts = Uint16Array.from([1, 1, 0, entries.length, ...entries.flat()]);
  return [
    record('LASF_Projection', 34735, 'GeoTIFF GeoKeyDirectoryTag', new Uint8Array(shorts.buffer)),
    ...(doubles.length
      ? [
          record(
            'LASF_Projection',
            34736,
            'GeoTIFF GeoDoubleParamsTag',
            new Uint8Array(Float64Array.from(doubles).buffer),
          ),
        ]
      : []),
    ...(text
      ? [record('LASF_Projection', 34737, 'GeoTIFF GeoAsciiParamsTag', new TextEncoder().encode(`${text}\0`))]
      : []),
  ];
}

function extraRecord(c: Cloud, extra: readonly number[]): Uint8Array {
  const out = new Uint8Array(192 * extra.length);
  extra.forEach((k, i) => {
    const a = c.attributes[k]!;
    out[192 * i + 2] = EXTRA_TYPES.indexOf(a.type);
    ascii(out, 192 * i + 4, a.name, 32);
    ascii(out, 192 * i + 160, a.unit ? `${a.name.slice(0, 20)} [${a.unit}]` : a.name, 32);
  });
  return record('LASF_Spec', 4, 'extra bytes', out);
}

/**
 * Writes a cloud as LAS 1.2 or 1.4, points in their order. Version 1.4 keeps every attribute, those without a field as extra bytes; version
 * 1.2 keeps what its formats 0 to 3 have room for.
 */
export async function writeLas(
  handle: CloudHandle,
  out: ByteSink,
  minor: 2 | 4,
  progress?: (share: number) => void,
): Promise<void> {
  const c = await handle.load();
  const info = cloudInfo(c);
  const n = c.x.length;
  const w = written(c.attributes, minor);
  const wkt = minor === 4 && c.crs ? wktRecord(c.crs, c.heightUnit) : null;
  const records = [
    ...(wkt ? [wkt] : c.crs ? keyRecords(c.crs, c.heightUnit) : []),
    ...(w.extra.length ? [extraRecord(c, w.extra)] : []),
  ];
  const headerSize = minor === 4 ? 375 : 227;
  const start = headerSize + records.reduce((s, r) => s + r.length, 0);
  const head = new Uint8Array(headerSize);
  const v = new DataView(head.buffer);
  ascii(head, 0, 'LASF', 4);
  // Bit 0: times are adjusted standard GPS time, where they are too large for seconds of a week. Bit 4: the system is well-known text.
  const weeks = info.attributes.find((a) => a.name === 'time');
  v.setUint16(6, (weeks && weeks.max > 604_800 ? 1 : 0) | (wkt ? 16 : 0), true);
  head[24] = 1;
  head[25] = minor;
  ascii(head, 26, 'EXTRACTION', 32);
  ascii(head, 58, 'Helk', 32);
  v.setUint16(94, headerSize, true);
  v.setUint32(96, start, true);
  v.setUint32(100, records.length, true);
  head[104] = w.format;
  v.setUint16(105, w.record, true);
  const byReturn = new Float64Array(16);
  const returns = attributeOf(c, 'returnNumber');
  if (returns) for (const r of returns) byReturn[Math.min(15, r)]!++;
  if (minor === 2) {
    v.setUint32(107, n, true);
    for (let k = 0; k < 5; k++) v.setUint32(111 + 4 * k, byReturn[k + 1]!, true);
  } else {
    v.setBigUint64(247, BigInt(n), true);
    for (let k = 0; k < 15; k++) v.setBigUint64(255 + 8 * k, BigInt(byReturn[k + 1]!), true);
  }
  c.scale.forEach((s, k) => v.setFloat64(131 + 8 * k, s, true));
  c.offset.forEach((o, k) => v.setFloat64(155 + 8 * k, o, true));
  const e = info.extent ?? [0, 0, 0, 0];
  [e[2], e[0], e[3], e[1], info.heights?.max ?? 0, info.heights?.min ?? 0].forEach((m, k) =>
    v.setFloat64(179 + 8 * k, m, true),
  );
  await out.write(head);
  for (const r of records) await out.write(r);
  for (let from = 0; from < n; from += BLOCK) {
    await out.write(pointBlock(c, w, from, Math.min(BLOCK, n - from)));
    progress?.(Math.min(1, (from + BLOCK) / n));
  }
}

function pointBlock(c: Cloud, w: Written, from: number, n: number): Uint8Array {
  const size = w.record;
  const bytes = new Uint8Array(n * size);
  const v = new DataView(bytes.buffer);
  const of = (name: string) => attributeOf(c, name);
  const each = (name: string, put: (at: number, value: number) => void): void => {
    const values = of(name);
    if (values) for (let i = 0; i < n; i++) put(i * size, values[from + i]!);
  };
  const whole = (value: number, low: number, high: number): number => Math.max(low, Math.min(high, Math.round(value)));
  const layout = POINT_LAYOUTS[w.format]!;
  for (let i = 0; i < n; i++) {
    const at = i * size;
    v.setInt32(at, c.x[from + i]!, true);
    v.setInt32(at + 4, c.y[from + i]!, true);
    v.setInt32(at + 8, c.z[from + i]!, true);
  }
  const classes = classesOf(c);
  each('intensity', (at, value) => v.setUint16(at + 12, value, true));
  if (layout.wide) {
    each('returnNumber', (at, value) => (bytes[at + 14]! |= Math.min(15, value)));
    each('returns', (at, value) => (bytes[at + 14]! |= Math.min(15, value) << 4));
    each('flags', (at, value) => (bytes[at + 15] = value));
    for (let i = 0; i < n; i++) bytes[i * size + 16] = classes[from + i]!;
    each('userData', (at, value) => (bytes[at + 17] = value));
    each('scanAngle', (at, value) => v.setInt16(at + 18, whole(value / ANGLE_STEP, -30000, 30000), true));
    each('source', (at, value) => v.setUint16(at + 20, value, true));
  } else {
    each('returnNumber', (at, value) => (bytes[at + 14]! |= Math.min(7, value)));
    each('returns', (at, value) => (bytes[at + 14]! |= Math.min(7, value) << 3));
    for (let i = 0; i < n; i++) {
      const k = classes[from + i]!;
      bytes[i * size + 15] = k < 32 ? k : 1;
    }
    each('flags', (at, value) => {
      bytes[at + 14]! |= value & 0xc0;
      bytes[at + 15]! |= (value & 7) << 5;
    });
    each('scanAngle', (at, value) => v.setInt8(at + 16, whole(value, -128, 127)));
    each('userData', (at, value) => (bytes[at + 17] = value));
    each('source', (at, value) => v.setUint16(at + 18, value, true));
  }
  if (layout.time !== null) each('time', (at, value) => v.setFloat64(at + layout.time!, value, true));
  if (layout.colour !== null)
    ['red', 'green', 'blue'].forEach((name, k) =>
      each(name, (at, value) => v.setUint16(at + layout.colour! + 2 * k, value, true)),
    );
  if (layout.infrared !== null) each('infrared', (at, value) => v.setUint16(at + layout.infrared!, value, true));
  let to = layout.bytes;
  for (const k of w.extra) {
    const a = c.attributes[k]!;
    const bytesEach = bytesOf(a.type);
    const part = a.values.slice(from, from + n);
    const raw = new Uint8Array(part.buffer, part.byteOffset, part.byteLength);
    for (let i = 0; i < n; i++) for (let b = 0; b < bytesEach; b++) bytes[i * size + to + b] = raw[i * bytesEach + b]!;
    to += bytesEach;
  }
  return bytes;
}

/** What a version cannot keep of a cloud, in words. */
export function lasLosses(info: CloudInfo, minor: 2 | 4): string[] {
  const out: string[] = [];
  if (
    info.crs &&
    !(minor === 4 && wktRecord(info.crs, info.heightUnit)) &&
    !keyRecords(info.crs, info.heightUnit).length
  )
    out.push(
      `The coordinate system (${info.crs.code ?? info.crs.name}) cannot be written into the file; whoever reads it must be told.`,
    );
  if (minor === 4) return out;
  const extra = extraAttributes(info.attributes).map((k) => info.attributes[k]!.name);
  if (info.attributes.some((a) => a.name === 'infrared')) extra.push('infrared');
  if (extra.length) out.push(`${extra.join(', ')}: LAS 1.2 has no room for them; LAS 1.4 has.`);
  if (info.classes.some((k) => k.value > 31)) out.push('Classes above 31 become unassigned (1).');
  if (info.attributes.some((a) => a.name === 'returnNumber' && a.max > 7))
    out.push('Returns after the seventh become 7.');
  if (info.attributes.some((a) => a.name === 'flags' && (a.max & 0x38) > 0))
    out.push('Overlap flags and scanner channels are not kept.');
  return out;
}
